"""Cravo: separate a part of the moving picture, then change that part or everything else."""

__version__ = "0.1.0"
