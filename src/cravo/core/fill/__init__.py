"""What lies behind a region, rebuilt from the other frames of a shot, or invented where none shows it.

The background's movement is measured outside the region. Frames are laid over each other in the pixels of one of them, the
reference; for every place the frames choose, once for the whole stretch, which of them shows it (after Granados et al.
2012). What none shows is continued from around it (Newson et al. 2014). The picture that results, the plate, is
carried back to each frame by the same movement: what is in it stands still by construction.
"""
