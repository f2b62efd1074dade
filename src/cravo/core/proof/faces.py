"""The check that every face is hidden: a second search of the source against what covers it, and one of the result.

The second search looks more often, believes less, and asks another network as well; what it finds is followed, so
that a face which is bare on a single frame is noticed even if nothing was found on that very frame.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, replace

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Shot
from cravo.core.finders.face_tracks import FaceObservation, FaceSearch, FaceTrack
from cravo.core.finders.faces import Oval, Pixels, overlap, search
from cravo.core.finders.faces_around import find_faces_around
from cravo.core.finders.tracks import find
from cravo.core.parts.registry import kind_of
from cravo.core.progress import Progress
from cravo.core.proof.reversal import BROUGHT_BACK, alike, upright
from cravo.core.results import Results
from cravo.core.review import COVERED, Cover, Gap, Whereabouts
from cravo.core.timing import SourceFrame

HEART = 0.85  # of a found face: its border is not exact
AGAIN = FaceSearch(sure=0.35, smallest=8, often=3, seldom=9, twice=True)
BELIEVED = 0.5  # sureness from which on a find of the second search counts
MOSTLY = 0.6  # sureness that the finds of a track must have on average
GRID = 13  # points across an oval at which it is asked whether it is covered
NOTED = 5  # frames of a gap from one place that is noted to the next


@dataclass(frozen=True)
class Checked:
    """What a check of the source found."""

    people: int
    frames: int  # on which a face is, summed over people
    gaps: list[Gap]
    by_choice: int  # faces left open because their owners were not chosen
    hidden: list[int]  # frames on which a face is that must be covered


def search_again(
    shot: Shot,
    pictures: Iterator[tuple[int, Pixels]],
    progress: Progress | None = None,
    begins: Collection[int] = (),
) -> list[FaceTrack]:
    """The faces of the source by a second search.

    Parameters
    ----------
    shot
        Whose frames are searched.
    pictures
        Source frames with their pictures, RGB, in their order.
    progress
        Told after each frame.
    begins
        The frames on which another shot begins within the clip.

    Raises
    ------
    MissingModel
        Where a network is not there.
    """
    if shot.sphere is not None:
        return find_faces_around(pictures, shot.sphere, shot.first, shot.last, AGAIN, progress, begins)
    return find(pictures, shot.first, shot.last, AGAIN, progress, begins)


def check_source(shot: Shot, tracks: list[FaceTrack], size: tuple[int, int], cover: Cover, results: Results) -> Checked:
    """Whether each face of the second search is covered on every frame; `size` is the source's, `cover` may have another."""
    known = [
        (name, seen, is_chosen)
        for region in shot.regions
        for part in region.parts
        for name, (seen, is_chosen) in kind_of(part).faces(part, shot, results).items()
    ]
    bare: list[tuple[int, Oval, float, str | None, int]] = []
    by_choice, frames, hidden = set(), 0, set()
    believed = [_believed(track) for track in tracks]
    for frame in range(shot.first, shot.last + 1):
        here = [(k, track.seen[frame]) for k, track in enumerate(tracks) if frame in believed[k]]
        if not here:
            continue
        matte = cover(frame)
        for k, seen in here:
            core = replace(seen.oval, rx=HEART * seen.oval.rx, ry=HEART * seen.oval.ry)
            share = covered_share(matte, core, size, shot.sphere is not None)
            if share is None:
                continue
            frames += 1
            if share >= COVERED:
                hidden.add(frame)
                continue
            name, is_chosen = _owner(known, frame, seen.oval)
            if name is not None and not is_chosen:
                by_choice.add(name)
            else:
                hidden.add(frame)
                bare.append((frame, seen.oval, share, name, k))
    return Checked(sum(bool(one) for one in believed), frames, _gaps(bare), len(by_choice), sorted(hidden))


def still_there(written: Pixels, source: Pixels, matte: NDArray[np.float32]) -> bool:
    """Whether a face that is found on a written picture, where something is hidden, is still the one of the source.

    That a head is found says little, as cells on a body are like one; what tells people apart must be there as well.

    Parameters
    ----------
    written, source
        RGB, (height, width, 3) each, of one size.
    matte
        What is hidden, (height, width) in 0..1, of any size.
    """
    size = written.shape[1], written.shape[0]
    for face in search(written, 0.5):
        if face.sure >= BELIEVED and (covered_share(matte, face.oval, size) or 0) > 0.5:
            shown, meant = (upright(cv2.cvtColor(one, cv2.COLOR_RGB2GRAY), face.oval) for one in (written, source))
            # What is found reaches beyond what is hidden, and there both are the same.
            hidden = upright(cv2.resize((matte > 0.5).astype(np.uint8), size), face.oval) > 0.5
            if alike(shown, meant, hidden) > BROUGHT_BACK:
                return True
    return False


def covered_share(matte: NDArray[np.float32], oval: Oval, size: tuple[int, int], around: bool = False) -> float | None:
    """The share of a face that a matte covers, as far as it lies in the picture; None where hardly any of it does.

    Parameters
    ----------
    matte
        (height, width) in 0..1, of any size.
    oval
        The face, in pixels of the picture.
    size
        Width and height of the picture.
    around
        Whether it is the wide one of a sphere, whose ovals are as wide as they would be at the equator.
    """
    u, v = np.meshgrid(np.linspace(-1, 1, GRID), np.linspace(-1, 1, GRID))
    inside = np.hypot(u, v) <= 1
    turn = np.radians(oval.roll)
    u, v = u[inside] * oval.rx, v[inside] * oval.ry
    x, y = oval.x + u * np.cos(turn) - v * np.sin(turn), oval.y + u * np.sin(turn) + v * np.cos(turn)
    if around:
        level = np.cos((0.5 - y / size[1]) * np.pi)
        x = (oval.x + (x - oval.x) / np.maximum(level, 0.01)) % size[0]
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


def _owner(
    known: list[tuple[str, Mapping[int, FaceObservation], bool]], frame: int, oval: Oval
) -> tuple[str | None, bool]:
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
            gap = open_[k] = Gap(first=frame, last=frame, frame=frame, places=[], covered=share, name=name)
            found.append(gap)
        gap.last = frame
        gap.places.append(Whereabouts(frame=frame, x=oval.x, y=oval.y, rx=oval.rx, ry=oval.ry, roll=oval.roll))
        if share < gap.covered:
            gap.frame, gap.covered = SourceFrame(frame), share
    for gap in found:
        told = (gap.frame, gap.last)
        gap.places = [one for one in gap.places if (one.frame - gap.first) % NOTED == 0 or one.frame in told]
    return sorted(found, key=lambda gap: gap.first)
