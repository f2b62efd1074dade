"""Drawn shapes and their soft mattes."""
