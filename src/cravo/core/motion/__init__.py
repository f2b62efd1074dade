"""Following: where a thing went, frame by frame."""
