"""Kinds of parts that regions are made of: a folder each, with what is done with it."""
