"""What a user says of each kind of part: one model, one module. What is done with it is in `core.parts`."""
