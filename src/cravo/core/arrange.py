"""What lies on the layers: added, split, trimmed, moved, held, taken out, shown at another speed.

Unless `close` is off, what comes later on the layer moves along, so that no gap opens; nothing is ever covered on a layer
but by a crossfade. Regions and motions are counted in frames of the clip: they stay where they are.

What cannot be done raises BadDocument, with a sentence that says why.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from cravo.core.document import (
    Accepted,
    AnyItem,
    Layer,
    MediumRef,
    Project,
    Shot,
    Title,
    is_found,
    new_id,
)
from cravo.core.errors import BadDocument
from cravo.core.footage.facts import Facts
from cravo.core.geometry.sphere import sphere_of
from cravo.core.keyframes import shifted
from cravo.core.parts.registry import kind_of
from cravo.core.timing import Media, SequenceFrame, source_frame, span_of

STILL_HELD = 5  # seconds
PLACED = ("x", "y", "scale", "rotation", "opacity")


def add_shot(project: Project, medium: MediumRef, facts: Facts, media: Media) -> Project:
    """Append a clip to the first layer. The first one gives the sequence its size and rate."""
    if facts.kind == "table":
        raise BadDocument("A colour table has no picture: it is used by the look LUT.")
    bottom = project.layers[0]
    if not any(project.items()):
        project.rate = facts.rate
        project.width, project.height = facts.width & ~1, facts.height & ~1
    start = max((_end(project, one, media) for one in bottom.items), default=0)
    last = min(facts.frames, round(STILL_HELD * facts.rate)) - 1 if facts.kind == "still" else facts.frames - 1
    bottom.items.append(
        Shot(name=medium.name, medium=medium.id, start=start, first=0, last=last, sphere=sphere_of(facts))
    )
    if all(known.id != medium.id for known in project.media):
        project.media.append(medium)
    return project


def set_pace(project: Project, shot_id: str, speed: float, backwards: bool, media: Media) -> Project:
    """Show a shot faster, slower or backwards.

    What moves with another shot lies behind it and lasts as long as before, as far as its clip does.
    """
    shot = project.shot(shot_id)
    end = _end(project, shot, media)
    shot.speed, shot.backwards = speed, backwards
    if shot.attached_to is not None and not shot.held:
        facts = media(shot.medium).facts
        wanted = math.ceil((end - shot.start) / project.rate * shot.pace * facts.rate)
        shot.last = min(shot.first + max(wanted, 1), facts.frames) - 1
    return _closed(project, shot, end, media)


def split(project: Project, shot_id: str, frame: int, media: Media) -> Project:
    """Cut a shot in two before a frame of the sequence; the second part has regions and motions of its own."""
    shot = project.item(shot_id)
    end = _end(project, shot, media)
    if not shot.start < frame < end:
        raise BadDocument("Go to a frame inside the shot: it is split before that frame.")
    if not isinstance(shot, Shot) or shot.held:
        return _parted(project, shot, frame, end)
    facts = media(shot.medium).facts
    shown = source_frame(shot, facts, project.rate, SequenceFrame(frame))
    before = source_frame(shot, facts, project.rate, SequenceFrame(frame - 1))
    if shown == before:
        raise BadDocument("The frame before shows the same picture of the clip. Go one frame on.")
    _found_as_before(shot)
    later, names = _renewed(shot)
    if shot.backwards:
        shot.first, later.last = before, shown
    else:
        shot.last, later.first = before, shown
    later.start = _end(project, shot, media)
    shot.fade_out, later.fade_in = 0, 0
    items = layer_of(project, shot).items
    items.insert(items.index(shot) + 1, later)
    project.accepted += [
        Accepted.model_validate(one.model_dump() | {"region": names[one.region]})
        for one in project.accepted
        if one.region in names
    ]
    return _closed(project, later, end, media)


def split_at(project: Project, shot_id: str, frames: Sequence[int], media: Media) -> Project:
    """Cut a shot before each of some frames of its clip."""
    shot = project.shot(shot_id)
    span = span_of(shot, media, project.rate)
    facts = media(shot.medium).facts
    shows = [source_frame(shot, facts, project.rate, SequenceFrame(frame)) for frame in span]
    if shot.backwards:
        begins = [next((i for i, at in enumerate(shows) if at < frame), 0) for frame in frames]
    else:
        begins = [next((i for i, at in enumerate(shows) if at >= frame), 0) for frame in frames]
    # The last one first: what is before a cut keeps the shot's own name.
    for place in sorted({span[i] for i in begins if i}, reverse=True):
        split(project, shot_id, place, media)
    return project


def trim(project: Project, item_id: str, frame: int, end: bool, media: Media, close: bool = True) -> Project:
    """Let something begin, or end, with what it shows at a frame of the sequence."""
    item = project.item(item_id)
    stop = _end(project, item, media)
    if not item.start <= frame < stop:
        raise BadDocument("Go to a frame of the shot.")
    begin = item.start
    if isinstance(item, Shot):
        _trimmed(project, item, frame, end, media)
    _shortened(item, frame - begin if not end else 0, stop - 1 - frame if end else 0)
    if close:
        return _closed(project, item, stop, media)
    if not end:
        item.start = stop - (_end(project, item, media) - begin)
    return project


def extend(project: Project, shot_id: str, by: int, end: bool, media: Media, close: bool = True) -> Project:
    """Let a shot show more of its clip, by so many frames of the sequence or as many as there are.

    With `close` what comes later on the layer moves along; else the shot grows as far as nothing lies there.

    Raises
    ------
    BadDocument
        Where the clip has no more on that side, or something else lies there.
    """
    shot = project.shot(shot_id)
    span = span_of(shot, media, project.rate)
    if not close:
        by = _room(project, shot, by, end, media)
        if by < 1:
            raise BadDocument("Something lies beside it there. Tick Close gaps, and it moves along.")
    _found_as_before(shot)
    if shot.held:
        shot.held += by
    elif end != shot.backwards:
        shot.last = _moved(shot, shot.last, by, project, media)
    else:
        shot.first = _moved(shot, shot.first, -by, project, media)
    grown = len(span_of(shot, media, project.rate)) - len(span)
    if grown < 1:
        raise BadDocument("The clip has no more there.")
    if not end:
        _shift_keys(shot, grown)
    if close:
        return _closed(project, shot, span.stop, media)
    if not end:
        shot.start -= grown
    return project


def slip(project: Project, shot_id: str, by: int, media: Media) -> Project:
    """Let a shot show what comes so many frames of the sequence later in its clip, in its own place and length.

    Raises
    ------
    BadDocument
        Where the clip has no more on that side, and for a frozen frame.
    """
    shot = project.shot(shot_id)
    if shot.held:
        raise BadDocument("A frozen frame cannot slip: it shows one frame of the clip.")
    _found_as_before(shot)
    way = -by if shot.backwards else by
    ahead = shot.last if way > 0 else shot.first  # which comes to the clip's border first
    moved = _moved(shot, ahead, way, project, media) - ahead
    if not moved:
        raise BadDocument("The clip has no more there.")
    shot.first, shot.last = shot.first + moved, shot.last + moved
    return project


def _moved(shot: Shot, frame: int, by: int, project: Project, media: Media) -> int:
    """The source frame that is shown so many frames of the sequence later than another one, within the clip."""
    facts = media(shot.medium).facts
    if facts.steady:
        at = frame + round(by * shot.pace * facts.rate / project.rate)
    else:
        at = facts.frame_at(facts.time_of(frame) + by * shot.pace / project.rate)
    return min(max(at, 0), facts.frames - 1)


def _room(project: Project, shot: Shot, by: int, end: bool, media: Media) -> int:
    """How many of so many frames beside a shot on its layer are free."""
    span = span_of(shot, media, project.rate)
    others = [span_of(one, media, project.rate) for one in layer_of(project, shot).items if one is not shot]
    if end:
        return min([by, *(one.start - span.stop for one in others if one.start > span.start)])
    return min([by, span.start, *(span.start - one.stop for one in others if one.start < span.start)])


def _shift_keys(item: AnyItem, by: int) -> None:
    """What counts frames from the item's first one keeps its place in the film."""
    for name in PLACED:
        setattr(item.place, name, shifted(getattr(item.place, name), by))
    if isinstance(item, Title):
        item.tracking, item.size = shifted(item.tracking, by), shifted(item.size, by)


def _shortened(item: AnyItem, before: int, after: int) -> None:
    """What counts frames of an item when so many go at its ends."""
    if isinstance(item, Shot):
        item.held = max(item.held - before - after, 1) if item.held else 0
    else:
        item.length -= before + after
    _shift_keys(item, -before)


def _trimmed(project: Project, shot: Shot, frame: int, end: bool, media: Media) -> None:
    at = source_frame(shot, media(shot.medium).facts, project.rate, SequenceFrame(frame))
    _found_as_before(shot)
    if shot.held:
        return
    if end != shot.backwards:
        shot.last = at
    else:
        shot.first = at


def remove(project: Project, item_id: str, media: Media, close: bool = True) -> Project:
    """Take something out, a shot with all its regions; the clip stays on the shelf."""
    item = project.item(item_id)
    end = _end(project, item, media)
    items = layer_of(project, item).items
    items.remove(item)
    for other in items if close else []:
        if other.start >= end:
            other.start -= end - item.start
    if isinstance(item, Shot):
        regions = {region.id for region in item.regions}
        project.accepted = [one for one in project.accepted if one.region not in regions]
        used = project.model_dump_json(include={"layers"})  # as a shot, a matte or a picture of a look
        project.media = [ref for ref in project.media if ref.id != item.medium or ref.id in used]
    return without_empty(project)


def without_empty(project: Project) -> Project:
    """No layer stays that nothing lies on, but one."""
    project.layers = [layer for layer in project.layers if layer.items] or project.layers[:1]
    return project


def put(project: Project, item: AnyItem, layer: int | None = None) -> Project:
    """Something new on a layer of its own: above all others, or before the one of that number."""
    names = {one.name for one in project.layers}
    name = next(name for n in range(1, len(names) + 2) if (name := f"Layer {n}") not in names)
    project.layers.insert(len(project.layers) if layer is None else layer, Layer(name=name, items=[item]))
    return without_empty(project)


def put_clip(project: Project, medium: MediumRef, facts: Facts, start: int) -> Project:
    """A clip from a frame on, on a layer of its own above all others; the first one of a sequence as `add_shot` does it."""
    last = 0 if facts.kind == "still" else facts.frames - 1
    shot = Shot(name=medium.name, medium=medium.id, start=start, first=0, last=last, sphere=sphere_of(facts))
    if facts.kind == "still":
        shot.held = max(round(STILL_HELD * project.rate), 1)
    if all(known.id != medium.id for known in project.media):
        project.media.append(medium)
    return put(project, shot)


def lay(project: Project, item_id: str, start: int, layer: int, media: Media) -> Project:
    """Move something to a frame of a layer; beyond the last one it gets one of its own. What it meets there moves on."""
    item = project.item(item_id)
    layer_of(project, item).items.remove(item)
    length = len(span_of(item, media, project.rate))
    item.start = max(start, 0)
    if layer >= len(project.layers):
        return put(project, item)
    there = project.layers[max(layer, 0)].items
    within = next((one for one in there if one.start < item.start < _end(project, one, media)), None)
    if within is not None:
        item.start = _end(project, within, media)
    met = [other.start for other in there if item.start <= other.start < item.start + length]
    by = item.start + length - min(met) if met else 0
    for other in there:
        if other.start >= item.start:
            other.start += by
    there.append(item)
    there.sort(key=lambda one: one.start)
    return without_empty(project)


def raise_by(project: Project, item_id: str, by: int, media: Media) -> Project:
    """Move something to the layer above (1) or beneath (-1), in its place in time; a new one where it would meet others."""
    item = project.item(item_id)
    at = project.layers.index(layer_of(project, item))
    alone = len(project.layers[at].items) == 1
    to = at + by
    if alone and not 0 <= to < len(project.layers):
        raise BadDocument("There is no other layer on that side.")
    if alone:
        project.layers.insert(to, project.layers.pop(at))
        return project
    project.layers[at].items.remove(item)
    return put(project, item, at + 1 if by > 0 else at)


def duplicate(project: Project, item_id: str) -> AnyItem:
    """A copy in its place on a layer of its own, right above; a shot's copy is silent."""
    item = project.item(item_id)
    at = project.layers.index(layer_of(project, item))
    if isinstance(item, Shot):
        copy: AnyItem = _renewed(item)[0]
        assert isinstance(copy, Shot)
        copy.sound = False
    else:
        copy = item.model_copy(deep=True, update={"id": new_id()})
    put(project, copy, at + 1)
    return copy


def freeze(project: Project, shot_id: str, frame: int, length: int, media: Media) -> Project:
    """Let what a shot shows at a frame stand for a while; the rest of it comes after that."""
    shot = project.shot(shot_id)
    begin, end = shot.start, _end(project, shot, media)
    if not begin <= frame < end:
        raise BadDocument("Go to a frame of the shot.")
    _found_as_before(shot)
    still = _renewed(shot)[0]
    still.first = still.last = source_frame(shot, media(shot.medium).facts, project.rate, SequenceFrame(frame))
    still.held, still.start, still.sound, still.fade_in, still.fade_out = length, frame, False, 0, 0
    if frame > begin:
        split(project, shot_id, frame, media)
    items = layer_of(project, shot).items
    for other in items:
        if other.start >= frame and (other is not shot or frame == begin):
            other.start += length
    items.append(still)
    items.sort(key=lambda one: one.start)
    return project


def crossfade(project: Project, item_id: str, length: int, media: Media) -> Project:
    """Let something come while what is before it on its layer still lasts, over so many frames; 0 ends that."""
    item = project.item(item_id)
    items = layer_of(project, item).items
    earlier = [one for one in items if one.start < item.start]
    if not earlier:
        raise BadDocument("There is nothing before it on its layer to crossfade with.")
    before = max(earlier, key=lambda one: one.start)
    most = min(len(span_of(one, media, project.rate)) for one in (before, item)) - 1
    if length > most:
        raise BadDocument(f"The crossfade can last {most} frames at most.")
    by = _end(project, before, media) - length - item.start
    for other in items:
        if other.start >= item.start and other is not item:
            other.start += by
    item.start += by
    item.fade_in = length
    return project


def _parted(project: Project, item: AnyItem, frame: int, end: int) -> Project:
    """A title, a colour or a held picture in two."""
    later = _renewed(item)[0] if isinstance(item, Shot) else item.model_copy(deep=True, update={"id": new_id()})
    later.start, item.fade_out, later.fade_in = frame, 0, 0
    _shortened(later, frame - item.start, 0)
    _shortened(item, 0, end - frame)
    items = layer_of(project, item).items
    items.insert(items.index(item) + 1, later)
    return project


def move(project: Project, shot_id: str, by: int, media: Media) -> Project:
    """Let something change places with what is before it (-1) or after it (1) on its layer."""
    shot = project.item(shot_id)
    items = sorted(layer_of(project, shot).items, key=lambda one: one.start)
    place = items.index(shot) + by
    if not 0 <= place < len(items):
        raise BadDocument("There is no shot to swap with on that side.")
    first, second = sorted((shot, items[place]), key=lambda one: one.start)
    start, end = first.start, _end(project, second, media)
    second.start = start
    first.start = end - (_end(project, first, media) - start)
    layer_of(project, shot).items = sorted(items, key=lambda one: one.start)
    return project


def above(project: Project, item_id: str, media: Media) -> tuple[range, int]:
    """Where something lies that is put over an item and lasts as long: its frames, and the layer above."""
    item = project.item(item_id)
    return span_of(item, media, project.rate), project.layers.index(layer_of(project, item)) + 1


def layer_of(project: Project, shot: AnyItem) -> Layer:
    return next(layer for layer in project.layers if any(one is shot for one in layer.items))


def _end(project: Project, item: AnyItem, media: Media) -> int:
    return span_of(item, media, project.rate).stop


def _closed(project: Project, shot: AnyItem, end: int, media: Media) -> Project:
    """Move what came after a place of the layer, where a shot ended, to where it ends now."""
    by = _end(project, shot, media) - end
    for other in layer_of(project, shot).items:
        if other is not shot and other.start >= end:
            other.start += by
    return project


def _found_as_before(shot: Shot) -> None:
    """What was found in the whole shot is found for what is left of it."""
    for region in shot.regions:
        for part in region.parts:
            if is_found(part) and part.searched is None:
                part.searched = shot.first, shot.last


def _renewed(shot: Shot) -> tuple[Shot, dict[str, str]]:
    """A copy whose shot, regions, parts, looks and motions have ids of their own, and the new ids by the old ones."""
    names: dict[str, str] = {shot.id: new_id()}
    for region in shot.regions:
        names[region.id] = new_id()
        for part in region.parts:
            names[part.id] = new_id()
        for look in (*region.inside, *region.outside):
            names[look.id] = new_id()
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


def relink(project: Project, medium: str, to: MediumRef, frames: int) -> Project:
    """Another clip in the place of one: shots that show more than its frames end with it, those beyond it are refused."""
    if medium not in {ref.id for ref in project.media}:
        raise BadDocument("The project does not use this clip.")
    for shot in project.shots():
        if shot.medium == medium:
            if shot.first >= frames:
                raise BadDocument(f"{shot.name} begins at frame {shot.first}; {to.name} has only {frames}.")
            shot.medium, shot.last = to.id, min(shot.last, frames - 1)
        for part in (part for region in shot.regions for part in region.parts):
            kind_of(part).relink(part, medium, to.id)
    project.media = [ref for ref in project.media if ref.id not in (medium, to.id)] + [to]
    return project
