"""Whether what covers a face hides it for good, and how it would."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import numpy as np

from cravo.core.document import Faces, Look, Region, Shot
from cravo.core.finders.found import people
from cravo.core.finders.tracks import Seen
from cravo.core.looks import values_at
from cravo.core.proof.cover import may_hide
from cravo.core.proof.reversal import ENOUGH, Attack, attacked, upright
from cravo.core.stack.plan import Plan

CELLS = 7.0  # cells across what is covered, above which more than half of the details by which faces differ are left
SAFE_CELLS = 5.0  # that a mended look has
SOFT = 0.12  # of a face's width, deviation of a blur below which it may be
SAFE_SOFT = 0.3
ATTACKED = 3  # people of a region, the widest ones
FRAMES = 16  # of each that an attacker is given


@dataclass(frozen=True)
class Weak:
    """A look that hides too little: why, and the settings with which it would hide enough."""

    look: Look
    reason: str
    mended: Mapping[str, str | float]


def weak_looks(region: Region, widest: float) -> Iterator[Weak]:
    """The looks of a region that could leave a face of that width, in source pixels, to be recognised."""
    for look in region.inside:
        if not may_hide(look):
            continue
        values = values_at(look, 0)
        if look.kind == "pixelate":
            across = values["across"] if values["measured"] == "across the region" else widest / values["cell"]
            if across > CELLS:
                yield Weak(
                    look, f"{across:.0f} cells across a face: more than {CELLS:.0f} may be recognised.",
                    {"measured": "across the region", "across": SAFE_CELLS},
                )  # fmt: skip
        if look.kind == "blur" and values["radius"] < SOFT * widest:
            yield Weak(
                look, f"A blur of {values['radius']:.0f} pixels on a face {widest:.0f} wide may be recognised.",
                softer(widest),
            )  # fmt: skip


def attacked_looks(plan: Plan, shot: Shot, region: Region) -> Iterator[Weak]:
    """The looks of a region whose covers known attacks undo, tried on the widest of its people."""
    looks = [look for look in region.inside if may_hide(look)]
    alone = looks[0] if len(looks) == 1 else None
    if alone is None or alone.kind not in ("pixelate", "blur"):
        return  # nothing of the face is left, or several looks in a row, which no simple attack undoes
    part = next((part for part in region.parts if isinstance(part, Faces)), None)
    if part is None:
        return
    every = sorted(people(part, plan.faces.tracks(shot, part) or ()).values(), key=_width, reverse=True)
    for seen in every[:ATTACKED]:
        attack = _attack(plan, shot, region, alone, seen)
        if attack and attack.averaging_helps:
            reason = f"Cells stand still while a face moves: averaged, they show {attack.averaged:.0%} of its details."
            yield Weak(alone, reason, {"anchor": "region"})
            return
        if attack and attack.dividing_helps:
            reason = f"The blur can be divided out again: {attack.divided:.0%} of a face's details come back."
            yield Weak(alone, reason, softer(_width(every[0])))
            return


def _attack(plan: Plan, shot: Shot, region: Region, look: Look, seen: dict[int, Seen]) -> Attack | None:
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
        source = plan.source(shot, frame, (facts.width, facts.height))
        # Attacked is what is there to be seen, with the rounding of its depth.
        treated = plan.treated(only, frame, source)
        levels = np.float32(0.5 ** (source.depth - 8))
        faces.append(levels * upright(source.y, seen[frame].oval))
        covers.append(levels * upright(treated.y, seen[frame].oval))
        widths.append(2 * seen[frame].oval.rx)
    blur = float(values_at(look, 0)["radius"]) / float(np.mean(widths)) if look.kind == "blur" else None
    return attacked(faces, covers, blur)


def softer(widest: float) -> dict[str, float]:
    """The settings of a blur that hides a face of that width."""
    return {"radius": round(min(max(SAFE_SOFT * widest, 12.0), 200.0))}


def _width(seen: dict[int, Seen]) -> float:
    return max(2 * one.oval.rx for one in seen.values())
