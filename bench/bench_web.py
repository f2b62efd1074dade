"""What the browser loads before the first screen shows, and all of the script together."""

from __future__ import annotations

import gzip
from pathlib import Path

from bench.report import Measure, Measures

ASSETS = Path(__file__).parents[1] / "web" / "dist" / "assets"


def measure() -> Measures:
    total = sum(len(gzip.compress(path.read_bytes(), 9)) for path in ASSETS.glob("*.js"))
    return {"web.bundle_gzip_kb": Measure(total / 1000, "kB", 500, low=True)}
