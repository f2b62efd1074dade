"""Cut-outs: strokes on one frame become a matte, and the matte is carried through the shot."""
