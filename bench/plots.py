"""Pictures of measures, as SVG."""

from __future__ import annotations

import re
from pathlib import Path

from bench.report import Measures
from cravo.core.errors import CravoError
from cravo.core.files import write

SIDE, MARGIN = 400, 60  # of the plot, in its own units
BIN = re.compile(r"real\.doubts\.good_at_(\d+)$")
COSTS = (
    ("frames", "s", "frames of an export", "seconds"),
    ("area", "ms", "per cent of a frame treated", "milliseconds"),
)


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


def write_costs(found: Measures, path: Path) -> None:
    """What an export costs by its frames, and a frame by what of it is treated, side by side: best straight lines.

    Raises
    ------
    CravoError
        Where neither was measured.
    """
    drawn = []
    for number, (name, unit, across, up) in enumerate(COSTS):
        key = re.compile(rf"linear\.{name}\.(\d+)_{unit}$")
        points = [(int(match[1]), one.value) for key_, one in found.items() if (match := key.match(key_))]
        if not points:
            raise CravoError("What frames and area cost was not measured: measure linear.")
        drawn.append(_cost(points, number * (SIDE + 2 * MARGIN), across, up))
    whole = SIDE + 2 * MARGIN
    write(
        path,
        f'''<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {2 * whole} {whole}" font-family="sans-serif" font-size="13">
<rect width="{2 * whole}" height="{whole}" fill="#fff"/>
{"".join(drawn)}
</svg>
''',
    )


def _cost(points: list[tuple[int, float]], left: int, across: str, up: str) -> str:
    """One plot of points from 0 on, with the line from nothing to the last one."""
    most_x, most_y = max(x for x, _ in points), max(y for _, y in points)
    low, begin = MARGIN + SIDE, left + MARGIN
    places = [(begin + SIDE * x / most_x, low - SIDE * y / most_y, x, y) for x, y in points]
    dots = "".join(f'<circle cx="{x:.1f}" cy="{y:.1f}" r="5" fill="#4C8FE0"/>' for x, y, _, _ in places)
    marks = "".join(
        f'<text x="{x:.1f}" y="{low + 20}" text-anchor="middle">{across_}</text>'
        f'<text x="{x - 8:.1f}" y="{y - 8:.1f}" text-anchor="end">{value:.3g}</text>'
        for x, y, across_, value in places
    )
    middle = begin + SIDE / 2
    return f'''<path d="M{begin} {MARGIN}V{low}H{begin + SIDE}" fill="none" stroke="#333"/>
<path d="M{places[0][0]:.1f} {places[0][1]:.1f}L{places[-1][0]:.1f} {places[-1][1]:.1f}" stroke="#bbb" stroke-dasharray="4 4"/>
{dots}{marks}
<text x="{middle}" y="{low + 44}" text-anchor="middle">{across}</text>
<text transform="rotate(-90 {left + 18} {MARGIN + SIDE / 2})" x="{left + 18}" y="{MARGIN + SIDE / 2}" text-anchor="middle">{up}</text>
'''
