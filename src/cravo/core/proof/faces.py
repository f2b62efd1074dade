"""The check that every face is hidden: a second search of the source against what covers it, and one of the result.

The second search looks more often, believes less, and asks another network as well; what it finds is followed, so
that a face which is bare on a single frame is noticed even if nothing was found on that very frame.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel

from cravo.core.document import Faces, Look, Region, Shot
from cravo.core.finders.faces import Face, Oval, Pixels, overlap, search
from cravo.core.finders.found import FoundFaces, chosen, people
from cravo.core.finders.tracks import FaceTrack, Seen, Wanted, find
from cravo.core.footage.facts import Facts
from cravo.core.keyframes import value_at
from cravo.core.looks import values_at
from cravo.core.stack.plan import Plan

HIDING = ("pixelate", "blur", "colour", "bar", "sticker")
STRONG = 0.95  # strength from which on a look hides
COVERED = 0.95  # share of a face's oval
HEART = 0.85  # of a found face: its border is not exact
AGAIN = Wanted(sure=0.35, smallest=8, often=3, seldom=9, twice=True)
CELLS = 8.0  # cells across a face, above which it may be recognised
SOFT = 0.12  # of a face's width, deviation of a blur below which it may be
BELIEVED = 0.5  # sureness from which on a find of the second search counts
STILL = 0.8  # and from which on a face of the result counts as still there: cells on a body look a little like one
MOSTLY = 0.6  # sureness that the finds of a track must have on average
ACROSS = 960  # pixels at which it is checked whether faces are covered
GRID = 13  # points across an oval at which it is asked whether it is covered

Cover = Callable[[int], NDArray[np.float32]]
Progress = Callable[[int, int], None]


class Gap(BaseModel):
    """Neighbouring frames on which a face is not covered: the worst of them, where, and how much of it is covered."""

    first: int
    last: int
    frame: int
    face: tuple[float, float, float, float]
    covered: float
    person: str | None = None


class Left(BaseModel):
    """What could still be recognised, in words, and on which frame."""

    frame: int
    reason: str


@dataclass(frozen=True)
class Checked:
    """What a check of the source found."""

    people: int
    frames: int  # on which a face is, summed over people
    gaps: list[Gap]
    by_choice: int  # faces left open because their owners were not chosen


def hides(region: Region, frame: int) -> bool:
    """Whether a region hides what it covers."""
    return region.on and any(
        look.on and look.kind in HIDING and value_at(look.strength, frame) >= STRONG for look in region.inside
    )


def covering(shot: Shot, matte: Callable[[Region, int], NDArray[np.float32]], shape: tuple[int, int]) -> Cover:
    """How far each pixel is hidden, 0..1, (height, width); `matte` gives what a region covers on a frame."""

    def at(frame: int) -> NDArray[np.float32]:
        total = np.zeros(shape, np.float32)
        for region in shot.regions:
            if hides(region, frame):
                np.maximum(total, matte(region, frame), out=total)
        return total

    return at


def search_again(
    shot: Shot, pictures: Iterator[tuple[int, Pixels]], progress: Progress | None = None
) -> list[FaceTrack]:
    """The faces of the source by a second search."""
    return find(pictures, shot.first, shot.last, AGAIN, progress)


def cover_of(plan: Plan, shot: Shot, facts: Facts) -> Cover:
    """How far a shot's pixels are hidden by the regions of a plan, at a size that is enough to tell."""
    scale = min(ACROSS / facts.width, 1.0)
    width, height = round(facts.width * scale), round(facts.height * scale)
    whole = lambda region, frame: plan.matte(shot, region, frame, width, height).whole(width, height)  # noqa: E731
    return covering(shot, whole, (height, width))


def check_source(
    shot: Shot, tracks: list[FaceTrack], size: tuple[int, int], cover: Cover, faces: FoundFaces
) -> Checked:
    """Whether each face of the second search is covered on every frame; `size` is the source's, `cover` may have another."""
    known = [
        (name, seen, chosen(part, name))
        for region in shot.regions
        for part in region.parts
        if isinstance(part, Faces)
        for name, seen in people(part, faces.tracks(shot, part) or ()).items()
    ]
    bare: list[tuple[int, Oval, float, str | None, int]] = []
    by_choice, frames = set(), 0
    believed = [_believed(track) for track in tracks]
    for frame in range(shot.first, shot.last + 1):
        here = [(k, track.seen[frame]) for k, track in enumerate(tracks) if frame in believed[k]]
        if not here:
            continue
        matte = cover(frame)
        for k, seen in here:
            core = replace(seen.oval, rx=HEART * seen.oval.rx, ry=HEART * seen.oval.ry)
            share = covered_share(matte, core, size)
            if share is None:
                continue
            frames += 1
            if share >= COVERED:
                continue
            name, is_chosen = _owner(known, frame, seen.oval)
            if name is not None and not is_chosen:
                by_choice.add(name)
            else:
                bare.append((frame, seen.oval, share, name, k))
    return Checked(sum(bool(one) for one in believed), frames, _gaps(bare), len(by_choice))


def check_result(pictures: Iterator[tuple[int, Pixels]], cover: Cover) -> list[Left]:
    """Faces that are still found where something is hidden, on some of the result's frames."""
    found = []
    for frame, picture in pictures:
        matte = cover(frame)
        size = picture.shape[1], picture.shape[0]
        for face in _surely(search(picture, 0.5)):
            if (covered_share(matte, face.oval, size) or 0) > 0.5:
                found.append(Left(frame=frame, reason="A face is still found where it is hidden."))
    return found


def check_looks(region: Region, widest: float) -> list[Left]:
    """Whether a region's looks hide a face of that width for good."""
    found = []
    for look in region.inside:
        if look.on and look.kind in HIDING:
            found += [Left(frame=0, reason=reason) for reason in _weak(look, widest)]
    return found


def _weak(look: Look, widest: float) -> Iterator[str]:
    values = values_at(look, 0)
    if look.kind == "pixelate":
        across = values["across"] if values["measured"] == "across the region" else widest / values["cell"]
        if across > CELLS:
            yield f"{across:.0f} cells across a face: more than {CELLS:.0f} may be recognised."
        if values["anchor"] == "picture":
            yield "Cells that stand still while a face moves can be averaged over time: let them move with the region."
    if look.kind == "blur" and values["radius"] < SOFT * widest:
        yield f"A blur of {values['radius']:.0f} pixels on a face {widest:.0f} wide may be recognised, or undone."


def covered_share(matte: NDArray[np.float32], oval: Oval, size: tuple[int, int]) -> float | None:
    """The share of a face that a matte covers, as far as it lies in the picture; None where hardly any of it does."""
    u, v = np.meshgrid(np.linspace(-1, 1, GRID), np.linspace(-1, 1, GRID))
    inside = np.hypot(u, v) <= 1
    turn = np.radians(oval.roll)
    u, v = u[inside] * oval.rx, v[inside] * oval.ry
    x, y = oval.x + u * np.cos(turn) - v * np.sin(turn), oval.y + u * np.sin(turn) + v * np.cos(turn)
    seen = (x >= 0) & (y >= 0) & (x < size[0]) & (y < size[1])
    if seen.mean() < 0.15:
        return None
    rows = (y[seen] * matte.shape[0] / size[1]).astype(int)
    columns = (x[seen] * matte.shape[1] / size[0]).astype(int)
    return float((matte[rows, columns] > 0.5).mean())


def _believed(track: FaceTrack) -> set[int]:
    """The frames on which somebody is for certain: near one on which a face was found, which is one in most finds."""
    finds = {frame: seen.sure for frame, seen in track.seen.items() if seen.how == "found"}
    if float(np.mean(list(finds.values()))) < MOSTLY:
        return set()
    sure = [frame for frame, value in finds.items() if value >= BELIEVED]
    near = {frame + k for frame in sure for k in range(-AGAIN.often - 1, AGAIN.often + 2)}
    return {frame for frame, seen in track.seen.items() if frame in near and seen.how in ("found", "followed")}


def _surely(found: list[Face]) -> list[Face]:
    return [face for face in found if face.sure >= STILL]


def _owner(known: list[tuple[str, dict[int, Seen], bool]], frame: int, oval: Oval) -> tuple[str | None, bool]:
    """The track that a face belongs to, and whether it is to be covered."""
    best, name, is_chosen = 0.2, None, True
    for each, seen, wanted in known:
        if frame in seen and (share := overlap(seen[frame].oval, oval)) > best:
            best, name, is_chosen = share, each, wanted
    return name, is_chosen


def _gaps(bare: list[tuple[int, Oval, float, str | None, int]]) -> list[Gap]:
    """Neighbouring bare frames of one face as one gap."""
    found: list[Gap] = []
    open_: dict[int, Gap] = {}
    for frame, oval, share, name, k in bare:
        gap = open_.get(k)
        if gap is None or frame > gap.last + 1:
            gap = open_[k] = Gap(
                first=frame, last=frame, frame=frame, face=oval.numbers()[:4], covered=share, person=name
            )
            found.append(gap)
        gap.last = frame
        if share < gap.covered:
            gap.frame, gap.face, gap.covered = frame, oval.numbers()[:4], share
    return sorted(found, key=lambda gap: gap.first)
