"""Whether what covers a face hides it for good, and how it would."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from cravo.core.document import Look, Region, Shot
from cravo.core.finders.face_tracks import FaceObservation
from cravo.core.looks import values_at
from cravo.core.looks.blur import deviation
from cravo.core.looks.kind import Values
from cravo.core.parts.registry import kind_of
from cravo.core.proof.cover import may_hide
from cravo.core.proof.coverage import without_picture
from cravo.core.proof.reversal import ENOUGH, Attack, attacked, upright
from cravo.core.stack.plan import Plan
from cravo.core.timing import SourceFrame

CELLS = 7.0  # cells across what is covered, above which more than half of the details by which faces differ are left
SAFE_CELLS = 5.0  # that a mended look has
SOFT = 0.12  # of a face's width, deviation of a blur below which it may be
# A blur that hides a face of any size.
SOFTER: dict[str, str | float] = {"measured": "across the region", "share": 30.0}
ATTACKED = 3  # people of a region, the widest ones
FRAMES = 16  # of each that an attacker is given


@dataclass(frozen=True)
class Weak:
    """A look that hides too little: why, and the settings with which it would hide enough."""

    look: Look
    reason: str
    mended: Mapping[str, str | float]
    frame: int | None = None  # of the source, on which it is worst


def weak_looks(region: Region, widths: Mapping[int, float]) -> Iterator[Weak]:
    """The looks of a region that could leave a face to be recognised, on any frame.

    `widths` holds for each source frame the width of the widest face that the region is to hide there, in source pixels.
    """
    for look in region.inside:
        if look.on and without_picture(look):
            yield Weak(
                look, "The sticker has no picture yet: a plain plate stands in for it.", {}, min(widths, default=0)
            )
        if not may_hide(look) or not widths:
            continue
        if look.kind == "pixelate":
            across = {frame: _cells_across(values_at(look, frame), width) for frame, width in widths.items()}
            worst = max(across, key=lambda frame: across[frame])
            if across[worst] > CELLS:
                yield Weak(
                    look, f"{across[worst]:.0f} cells across a face: more than {CELLS:.0f} may be recognised.",
                    {"measured": "across the region", "across": SAFE_CELLS}, worst,
                )  # fmt: skip
        if look.kind == "blur":
            soft = {frame: deviation(values_at(look, frame), width) / width for frame, width in widths.items()}
            worst = min(soft, key=lambda frame: soft[frame])
            if soft[worst] < SOFT:
                radius, width = soft[worst] * widths[worst], widths[worst]
                yield Weak(
                    look, f"A blur of {radius:.0f} pixels on a face {width:.0f} wide may be recognised.", SOFTER, worst
                )


def _cells_across(values: Values, width: float) -> float:
    return float(values["across"] if values["measured"] == "across the region" else width / values["cell"])


def attacked_looks(plan: Plan, shot: Shot, region: Region) -> Iterator[Weak]:
    """The looks of a region whose covers known attacks undo, tried on the widest of its people."""
    looks = [look for look in region.inside if may_hide(look)]
    alone = looks[0] if len(looks) == 1 else None
    if alone is None or alone.kind not in ("pixelate", "blur"):
        return  # nothing of the face is left, or several looks in a row, which no simple attack undoes
    faces = [seen for part in region.parts for seen, _ in kind_of(part).faces(part, shot, plan.results).values()]
    every = sorted(faces, key=_width, reverse=True)
    for seen in every[:ATTACKED]:
        attack = _attack(plan, shot, region, alone, seen)
        if attack and attack.averaging_helps:
            reason = f"Cells stand still while a face moves: averaged, they show {attack.averaged:.0%} of its details."
            yield Weak(alone, reason, {"anchor": "region"})
            return
        if attack and attack.dividing_helps:
            reason = f"The blur can be divided out again: {attack.divided:.0%} of a face's details come back."
            yield Weak(alone, reason, SOFTER)
            return


def _attack(plan: Plan, shot: Shot, region: Region, look: Look, seen: Mapping[int, FaceObservation]) -> Attack | None:
    """An attack on one person, who is hidden by this region alone, on frames near where they are widest."""
    clear = [frame for frame, one in seen.items() if one.how != "guessed"]
    if len(clear) < ENOUGH:
        return None
    middle = max(range(len(clear)), key=lambda k: seen[clear[k]].oval.rx)
    start = min(max(middle - FRAMES // 2, 0), max(len(clear) - FRAMES, 0))
    only = shot.model_copy(update={"regions": [region]})
    facts = plan.media(shot.medium).facts
    faces, covers, widths = [], [], []
    for frame in clear[start : start + FRAMES]:
        source = plan.shots.source(shot, SourceFrame(frame), (facts.width, facts.height))
        # Attacked is what is there to be seen, with the rounding of its depth.
        treated = plan.shots.treated(only, SourceFrame(frame), source)
        levels = np.float32(0.5 ** (source.depth - 8))
        faces.append(levels * upright(source.y, seen[frame].oval))
        covers.append(levels * upright(treated.y, seen[frame].oval))
        widths.append(2 * seen[frame].oval.rx)
    width = float(np.mean(widths))
    blur = deviation(values_at(look, clear[middle]), width) / width if look.kind == "blur" else None
    return attacked(faces, covers, blur)


def _width(seen: Mapping[int, FaceObservation]) -> float:
    return max(2 * one.oval.rx for one in seen.values())
