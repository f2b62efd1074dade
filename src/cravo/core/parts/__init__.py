"""Kinds of parts that regions are made of: a folder each, with its model and what it does."""
