"""Sound: decoding, mixing, peaks."""
