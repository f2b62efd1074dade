"""The matte of a region on one frame."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from cravo.core.document import Edge, PartBase, Region, Shot
from cravo.core.footage.picture import Box
from cravo.core.keyframes import value_at
from cravo.core.mattes.edge import edged, grown_box, needed, reach, steadied
from cravo.core.mattes.matte import NOTHING, Matte, combined, spanning
from cravo.core.parts.around import flattened
from cravo.core.parts.kind import Footage, PartView
from cravo.core.parts.registry import kind_of
from cravo.core.results import Results


def region_matte(
    shot: Shot,
    region: Region,
    frame: int,
    size: tuple[int, int],
    pixel: float,
    results: Results,
    footage: Footage,
) -> Matte:
    """What the region covers on a source frame: its parts, one after the other.

    Parameters
    ----------
    shot, region
        As the document has them.
    frame
        A source frame.
    size
        Width and height of the picture that is worked on.
    pixel
        Source pixels that one of its pixels measures.
    results
        What was tracked, propagated and found. What is missing there covers nothing.
    footage
        The pictures that ranges of colours and clips as mattes look at.

    Returns
    -------
    Matte
        Opacity 0..1 in a box that lies on whole chroma samples inside the picture. Where the first part does not
        add, it works on the whole picture.
    """
    if not region.parts:
        return NOTHING
    whole = Box(0, 0, *size).even().within(*size)
    view = PartView(shot, frame, whole, pixel, results, footage)
    matte = _parts(region, view)
    if region.edge.steady and not matte.empty:
        matte = _steady(matte, lambda at: _parts(region, view.at(at)), region.edge.steady, view)
    return _with_edge(matte, region.edge, view) if needed(region.edge) else matte


def _parts(region: Region, view: PartView) -> Matte:
    matte = NOTHING
    if region.parts[0].how != "add":
        matte = Matte(view.whole, np.ones((view.whole.height, view.whole.width), np.float32))
    for part in region.parts:
        matte = combined(matte, _faded(kind_of(part).matte(part, view), part, view.frame), part.how)
    return matte


def _faded(matte: Matte, part: PartBase, frame: int) -> Matte:
    """With the part's own opacity."""
    share = min(max(value_at(part.opacity, frame), 0.0), 1.0)
    return matte if share == 1 else Matte(matte.box, matte.values * np.float32(share))


def _steady(matte: Matte, on: Callable[[int], Matte], frames: int, view: PartView) -> Matte:
    """A matte calmed by those of as many frames before and after."""
    around = []
    for k in range(1, min(frames, view.frame - view.shot.first, view.shot.last - view.frame) + 1):
        before, after = on(view.frame - k), on(view.frame + k)
        if before.empty or after.empty:
            break
        around.append((before, after))
    box = spanning([matte, *(one for pair in around for one in pair)])
    pairs = [(one.over(box), other.over(box)) for one, other in around]
    return Matte(box, steadied(matte.over(box), pairs, view.pixel))


def _with_edge(matte: Matte, edge: Edge, view: PartView) -> Matte:
    """The matte with the region's border, turned round where that is wanted."""
    if matte.empty and not edge.invert:
        return NOTHING
    if view.shot.sphere is not None and not matte.empty:
        around = reach(edge, view.frame) + 4 * edge.smooth + 2
        found = flattened(matte, lambda values: edged(values, edge, view.frame, view.pixel), around, view)
        return Matte(view.whole, found.over(view.whole)).inverted() if edge.invert else found
    box = view.whole if edge.invert else grown_box(matte.box, edge, view.frame, view.pixel, view.whole)
    values = edged(matte.over(box), edge, view.frame, view.pixel)
    found = Matte(box, values)
    return found.inverted() if edge.invert else found
