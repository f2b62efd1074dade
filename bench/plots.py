"""Pictures of measures, as SVG."""

from __future__ import annotations

import re
from pathlib import Path

from bench.report import Measures
from cravo.core.errors import CravoError
from cravo.core.files import write

SIDE, MARGIN = 400, 60  # of the plot, in its own units
BIN = re.compile(r"real\.doubts\.good_at_(\d+)$")


def write_reliability(found: Measures, path: Path) -> None:
    """Of frames that are as sure as so many hundredths, the share that is good: best a rising line.

    Raises
    ------
    CravoError
        Where the doubts on real pictures were not measured.
    """
    points = [
        (int(match[1]) / 100, found[name].value, found[f"{name}.frames"].value)
        for name in found
        if (match := BIN.match(name))
    ]
    if not points:
        raise CravoError("Doubts on real pictures were not measured: measure real.")
    most = max(count for _, _, count in points)
    place = [
        (MARGIN + SIDE * sure, MARGIN + SIDE * (1 - share), 3 + 9 * (count / most) ** 0.5)
        for sure, share, count in points
    ]
    dots = "".join(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="{r:.1f}" fill="#4C8FE0"/>' for x, y, r in place)
    line = " ".join(f"{x:.1f},{y:.1f}" for x, y, _ in place)
    ticks = "".join(_tick(k / 5) for k in range(6))
    whole, low = SIDE + 2 * MARGIN, MARGIN + SIDE
    write(
        path,
        f'''<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {whole} {whole}" font-family="sans-serif" font-size="13">
<rect width="{whole}" height="{whole}" fill="#fff"/>
<path d="M{MARGIN} {MARGIN}V{low}H{low}" fill="none" stroke="#333"/>
<path d="M{MARGIN} {low}L{low} {MARGIN}" stroke="#bbb" stroke-dasharray="4 4"/>
{ticks}
<polyline points="{line}" fill="none" stroke="#4C8FE0" stroke-width="2"/>
{dots}
<text x="{whole / 2}" y="{whole - 12}" text-anchor="middle">how sure Cravo is of a frame</text>
<text transform="rotate(-90 18 {whole / 2})" x="18" y="{whole / 2}" text-anchor="middle">share of such frames that overlap by 0.9 or more</text>
</svg>
''',
    )


def _tick(share: float) -> str:
    x, y = MARGIN + SIDE * share, MARGIN + SIDE * (1 - share)
    return (
        f'<text x="{x:.1f}" y="{MARGIN + SIDE + 20}" text-anchor="middle">{share:.1f}</text>'
        f'<text x="{MARGIN - 10}" y="{y + 4:.1f}" text-anchor="end">{share:.1f}</text>'
    )
