"""Measurements: quality against the demo's exact truth (`cravo eval`), speed side by side (`cravo bench`)."""
