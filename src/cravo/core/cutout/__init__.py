"""Cut-outs: strokes on one frame become a matte, and the matte is propagated through the shot."""
