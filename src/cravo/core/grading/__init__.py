"""Colour mathematics: what a grade does to R'G'B', and the tables that do it to a picture's own planes."""
