"""The mathematics of soft shapes, which the kinds of shapes among `core.parts` draw with."""
