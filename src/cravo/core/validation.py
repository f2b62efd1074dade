"""The one check of a whole document, which every way in passes: a file, an edit, a command, a stored state.

What only lacks order is set in order, so that nobody is locked out of a project: keys are sorted, ids that occur twice
are renewed, references to what is gone are dropped. What makes no sense is refused with a sentence.
"""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator
from copy import deepcopy
from functools import cache
from itertools import pairwise
from typing import Any, get_args

import numpy as np
from pydantic import BaseModel

from cravo.core.document import Motion, Project, Region, Shot, checked_project, is_shape, new_id
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Keyed, KeyedOutline, Plain
from cravo.core.looks import check
from cravo.core.nesting import parsed_json
from cravo.core.upgrades import VERSION, upgraded

LONGEST = 24 * 3600  # seconds of a sequence
MOST_FRAMES = 5_200_000  # of a sequence: 24 hours at 60 frames a second
LARGEST = 32 << 20  # bytes of a document
HOLDERS = Plain, list, dict  # in which something that changes over time may be
FLAT = 1e-9  # determinant below which a matrix carries a picture onto a line


def validated(raw: Any) -> Project:
    """The project that plain data describe; raises BadDocument with a sentence about the first thing that is wrong."""
    project = checked_project(raw)
    _renew_ids(project)
    for shot in project.shots():
        _drop_dangling(shot)
    follow_originals(project)
    for keyed in _keyed(project):
        _sort(keyed)
    for shot in project.shots():
        _check_shot(shot)
    _check_length(project)
    if len(json.dumps(raw, default=str)) > LARGEST:
        raise BadDocument(f"A project holds at most {LARGEST >> 20} MiB.")
    return project


def open_project(text: str | bytes) -> Project:
    """Read a `.cravo.json`; raises BadDocument with a sentence about the first thing that is wrong."""
    try:
        raw = parsed_json(text)
    except ValueError:
        raise BadDocument("This is not a Cravo project: it is not JSON.") from None
    if not isinstance(raw, dict) or "cravo" not in raw:
        raise BadDocument("This is not a Cravo project: the field 'cravo' is missing.")
    raw = upgraded(raw)
    if raw["cravo"] != VERSION:
        raise BadDocument(f"This project has format {raw['cravo']!r}; this Cravo reads formats up to {VERSION}.")
    return validated(raw)


def _renew_ids(project: Project) -> None:
    """Of two with the same id the later one gets a new one; what refers to the id means the first."""
    _unique(project.layers)
    _unique(project.items())
    for shot in project.shots():
        _unique(shot.motions)
        _unique(shot.regions)
        _unique(shot.sounds)
        for motion in shot.motions:
            _unique(motion.trackers)
        for region in shot.regions:
            _unique(region.parts)
            _unique([*region.inside, *region.outside])


def _unique(every: Iterator[Any] | list[Any]) -> None:
    known: set[str] = set()
    for one in every:
        if one.id in known:
            one.id = new_id()
        known.add(one.id)


def _drop_dangling(shot: Shot) -> None:
    motions, regions = {motion.id for motion in shot.motions}, {region.id for region in shot.regions}
    for region in shot.regions:
        # What is the same as another region takes its motions from there.
        if region.same_as is None:
            for part in filter(is_shape, region.parts):
                part.attached_to = part.attached_to if part.attached_to in motions else None
    for motion in shot.motions:
        motion.hold_outs = [one for one in dict.fromkeys(motion.hold_outs) if one in regions]


def _keyed(document: Plain) -> Iterator[Keyed | KeyedOutline]:
    """Everything in a document that changes over time."""
    left: list[object] = [document]
    while left:
        one = left.pop()
        if isinstance(one, Keyed | KeyedOutline):
            yield one
            continue
        inner: Iterable[object] = ()
        if isinstance(one, Plain):
            inner = (getattr(one, name) for name in _holding(type(one)))
        elif isinstance(one, list | dict):
            inner = one.values() if isinstance(one, dict) else one
        left += [value for value in inner if value and isinstance(value, HOLDERS)]


@cache
def _holding(model: type[Plain]) -> tuple[str, ...]:
    """The fields of a model that may hold something that changes over time."""
    return tuple(name for name, field in model.model_fields.items() if _may_hold(field.annotation))


def _may_hold(annotation: Any) -> bool:
    if isinstance(annotation, type) and not get_args(annotation):
        return issubclass(annotation, BaseModel)
    return any(map(_may_hold, get_args(annotation))) if get_args(annotation) else annotation is Any


def _sort(value: Keyed | KeyedOutline) -> None:
    """Keys ascending by frame; of two on one frame the later one counts."""
    frames = [key.frame for key in value.keys]
    if any(after <= before for before, after in pairwise(frames)):
        by_frame = {key.frame: key for key in value.keys}
        value.keys = [by_frame[frame] for frame in sorted(by_frame)]  # type: ignore[assignment]


def _check_shot(shot: Shot) -> None:
    if shot.last < shot.first:
        raise BadDocument(f"{shot.name} ends before it begins.")
    for sound in shot.sounds:
        if sound.last < sound.first:
            raise BadDocument(f"A change of the sound of {shot.name} ends before it begins.")
    _check_sphere(shot)
    for motion in shot.motions:
        _check_motion(motion, shot)
    for region in shot.regions:
        _check_region(region)


def _check_sphere(shot: Shot) -> None:
    """Only what is drawn on a spherical shot lies in a view."""
    if shot.sphere is not None and abs(shot.sphere.width - 2 * shot.sphere.height) > 2:
        raise BadDocument(f"{shot.name} cannot be spherical: such a picture is twice as wide as high.")
    shapes = [part for region in shot.regions for part in region.parts if is_shape(part)]
    views = [*(motion.view for motion in shot.motions), *(shape.view for shape in shapes)]
    if shot.sphere is None and any(view is not None for view in views):
        raise BadDocument(f"{shot.name} is a flat shot, but something in it was drawn on a sphere.")
    around = {motion.id: motion.view is not None for motion in shot.motions}
    for shape in shapes:
        if around.get(shape.attached_to or "", shape.view is not None) != (shape.view is not None):
            raise BadDocument(
                f"{shape.name} lies on the sphere and its motion on the wide picture, or the other way round."
            )


def _check_motion(motion: Motion, shot: Shot) -> None:
    if motion.span[1] < motion.span[0]:
        raise BadDocument(f"{motion.name} of {shot.name} ends before it begins.")
    given = [np.reshape(one.matrix, (3, 3)) for one in motion.given]
    for matrix in (*given, *(np.array(one.matrix) for one in motion.anchors)):
        if abs(float(np.linalg.det(matrix))) < FLAT:
            raise BadDocument(f"{motion.name} of {shot.name} has a matrix that carries the picture onto a line.")


def _check_region(region: Region) -> None:
    for look in region.inside + region.outside:
        check(look)
    for part in region.parts:
        span = getattr(part, "span", None) or getattr(part, "searched", None)
        if span is not None and span[1] < span[0]:
            raise BadDocument(f"{part.name} of {region.name} ends before it begins.")


def follow_originals(project: Project) -> None:
    """Give regions that are the same as others their parts, edges, and the motions those ride on.

    Where the original is gone the copy stays as it was, and is one of its own from then on.
    """
    shots = {shot.id: shot for shot in project.shots()}
    for shot in shots.values():
        for region in shot.regions:
            if region.same_as is None:
                continue
            of = shots.get(region.same_as.shot)
            original = next((one for one in of.regions if one.id == region.same_as.region), None) if of else None
            if of is None or original is None or of.medium != shot.medium or original.same_as is not None:
                region.same_as = None
                continue
            region.parts, region.edge = deepcopy(original.parts), original.edge.model_copy(deep=True)
            attached = {part.moves_with for part in region.parts}
            known = {motion.id: motion for motion in shot.motions}
            known |= {motion.id: motion.model_copy(deep=True) for motion in of.motions if motion.id in attached}
            shot.motions = list(known.values())


def _check_length(project: Project) -> None:
    most = min(int(LONGEST * project.rate), MOST_FRAMES)
    for item in project.items():
        length = item.length if not isinstance(item, Shot) else item.held or 1
        if item.start + length > most:
            raise BadDocument(f"{item.name} would end beyond {most} frames: a project lasts at most 24 hours.")
