"""Mattes of regions: parts combined, frame by frame."""
