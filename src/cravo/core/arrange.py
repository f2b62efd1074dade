"""Shots on a layer, one after the other: added, split, trimmed, moved, taken out, shown at another speed.

What comes later on the layer moves along, so that no gap opens and nothing is covered. Regions and motions are counted in
frames of the clip: they stay where they are.
"""

from __future__ import annotations

from typing import Any

from cravo.core.document import Accepted, Faces, Layer, Lettering, MediumRef, Project, Shot, new_id
from cravo.core.errors import BadDocument
from cravo.core.footage.facts import Facts
from cravo.core.stack.plan import Media, length_of, source_frame

STILL_HELD = 5  # seconds


def add_shot(project: Project, medium: MediumRef, facts: Facts, media: Media) -> Project:
    """Append a clip to the first layer. The first one gives the piece its size and rate."""
    if facts.kind == "table":
        raise BadDocument("A colour table has no picture: it is used by the look LUT.")
    shots = project.layers[0].items
    if not shots:
        project.rate = facts.rate
        project.width, project.height = facts.width & ~1, facts.height & ~1
    start = max((s.start + length_of(s, media(s.medium).facts, project.rate) for s in shots), default=0)
    last = min(facts.frames, round(STILL_HELD * facts.rate)) - 1 if facts.kind == "still" else facts.frames - 1
    shots.append(Shot(name=medium.name, medium=medium.id, start=start, first=0, last=last))
    if all(known.id != medium.id for known in project.media):
        project.media.append(medium)
    return project


def set_pace(project: Project, shot_id: str, speed: float, backwards: bool, media: Media) -> Project:
    """Show a shot faster, slower or backwards."""
    shot = project.shot(shot_id)
    end = _end(project, shot, media)
    shot.speed, shot.backwards = speed, backwards
    return _closed(project, shot, end, media)


def split(project: Project, shot_id: str, frame: int, media: Media) -> Project:
    """Cut a shot in two before a frame of the piece; the second part has regions and motions of its own."""
    shot = project.shot(shot_id)
    facts, end = media(shot.medium).facts, _end(project, shot, media)
    if not shot.start < frame < end:
        raise BadDocument("Go to a frame inside the shot: it is split before that frame.")
    at = source_frame(shot, facts, project.rate, frame)
    before = source_frame(shot, facts, project.rate, frame - 1)
    if at == before:
        raise BadDocument("The frame before is the same one of the clip: go one on.")
    _found_as_before(shot)
    later, names = _renewed(shot)
    if shot.backwards:
        shot.first, later.last = before, at
    else:
        shot.last, later.first = before, at
    later.start = _end(project, shot, media)
    items = _layer(project, shot).items
    items.insert(items.index(shot) + 1, later)
    project.accepted += [
        Accepted.model_validate(one.model_dump() | {"region": names[one.region]})
        for one in project.accepted
        if one.region in names
    ]
    return _closed(project, later, end, media)


def trim(project: Project, shot_id: str, frame: int, end: bool, media: Media) -> Project:
    """Let a shot begin, or end, with what it shows at a frame of the piece."""
    shot = project.shot(shot_id)
    stop = _end(project, shot, media)
    if not shot.start <= frame < stop:
        raise BadDocument("Go to a frame of the shot.")
    at = source_frame(shot, media(shot.medium).facts, project.rate, frame)
    _found_as_before(shot)
    if end != shot.backwards:
        shot.last = at
    else:
        shot.first = at
    return _closed(project, shot, stop, media)


def remove(project: Project, shot_id: str, media: Media) -> Project:
    """Take a shot out with all its regions; the clip stays on the shelf."""
    shot = project.shot(shot_id)
    end = _end(project, shot, media)
    items = _layer(project, shot).items
    items.remove(shot)
    for other in items:
        if other.start >= end:
            other.start -= end - shot.start
    regions = {region.id for region in shot.regions}
    project.accepted = [one for one in project.accepted if one.region not in regions]
    used = project.model_dump_json(include={"layers"})  # as a shot, a matte or a picture of a look
    project.media = [ref for ref in project.media if ref.id != shot.medium or ref.id in used]
    return project


def move(project: Project, shot_id: str, by: int, media: Media) -> Project:
    """Let a shot change places with the one before it (-1) or after it (1) on its layer."""
    shot = project.shot(shot_id)
    items = sorted(_layer(project, shot).items, key=lambda one: one.start)
    place = items.index(shot) + by
    if not 0 <= place < len(items):
        raise BadDocument("There is no shot to change places with.")
    first, second = sorted((shot, items[place]), key=lambda one: one.start)
    start, end = first.start, _end(project, second, media)
    second.start = start
    first.start = end - (_end(project, first, media) - start)
    _layer(project, shot).items = sorted(items, key=lambda one: one.start)
    return project


def _layer(project: Project, shot: Shot) -> Layer:
    return next(layer for layer in project.layers if any(one is shot for one in layer.items))


def _end(project: Project, shot: Shot, media: Media) -> int:
    return shot.start + length_of(shot, media(shot.medium).facts, project.rate)


def _closed(project: Project, shot: Shot, end: int, media: Media) -> Project:
    """Move what came after a place of the layer, where a shot ended, to where it ends now."""
    by = _end(project, shot, media) - end
    for other in _layer(project, shot).items:
        if other is not shot and other.start >= end:
            other.start += by
    return project


def _found_as_before(shot: Shot) -> None:
    """What was found in the whole shot is found for what is left of it."""
    for region in shot.regions:
        for part in region.parts:
            if isinstance(part, Faces | Lettering) and part.searched is None:
                part.searched = shot.first, shot.last


def _renewed(shot: Shot) -> tuple[Shot, dict[str, str]]:
    """A copy whose shot, regions, parts, looks and motions have ids of their own, and the new ids by the old ones."""
    names: dict[str, str] = {shot.id: new_id()}
    for region in shot.regions:
        for one in (region, *region.parts, *region.inside, *region.outside):
            names[one.id] = new_id()
    for motion in shot.motions:
        names[motion.id] = new_id()
    return Shot.model_validate(_with_ids(shot.model_dump(), names)), names


def _with_ids(value: Any, names: dict[str, str]) -> Any:
    """A document's values with ids replaced wherever they are said."""
    if isinstance(value, dict):
        return {key: _with_ids(one, names) for key, one in value.items()}
    if isinstance(value, list | tuple):
        return [_with_ids(one, names) for one in value]
    return names.get(value, value) if isinstance(value, str) else value
