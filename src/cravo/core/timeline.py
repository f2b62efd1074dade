"""Layers, cuts and speeds of a sequence as an OpenTimelineIO timeline, and from one.

A track is a layer, from the lowest on; a clip's source range begins at the media time of its first frame and is as long as
it is seen, a linear time warp says how fast and, below 0, that it runs backwards. A held frame is a freeze, a crossfade
a dissolve that begins at the cut, a title or a colour a generator. What Cravo has no place for is named.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import PurePosixPath
from urllib.parse import quote, unquote, urlparse

import opentimelineio as otio
from pydantic import ValidationError

from cravo.core.document import AnyItem, Layer, MediumRef, Project, Shot, Solid, Title
from cravo.core.errors import BadDocument
from cravo.core.geometry.sphere import sphere_of
from cravo.core.misfits import misfit
from cravo.core.timing import Media, span_of

OURS = "cravo"  # the name under which media keep their digest
LEAST, MOST = 0.1, 10.0  # of a speed

# A clip's medium by its digest or else its file's name; None where there is none.
Find = Callable[[str | None, str], MediumRef | None]


def to_timeline(project: Project, media: Media) -> str:
    """The timeline as JSON; places of media are the file names that they were given."""
    names = {ref.id: ref.name for ref in project.media}
    timeline = otio.schema.Timeline(project.name)
    rate = float(project.rate)
    for layer in project.layers:
        track = otio.schema.Track(layer.name, kind=otio.schema.TrackKind.Video)
        end = 0
        items = sorted(layer.items, key=lambda one: one.start)
        for item, after in zip(items, [*items[1:], None], strict=True):
            if item.start > end:
                track.append(otio.schema.Gap(duration=otio.opentime.RationalTime(item.start - end, rate)))
            stop = span_of(item, media, project.rate).stop
            if after is not None:
                stop = min(stop, max(after.start, item.start + 1))
            track.append(_clip(item, stop - item.start, project, media, names))
            end = stop
            shared = 0 if after is None else span_of(item, media, project.rate).stop - after.start
            if shared > 0:
                later = otio.opentime.RationalTime(shared, rate)
                track.append(
                    otio.schema.Transition(
                        transition_type=otio.schema.TransitionTypes.SMPTE_Dissolve,
                        in_offset=otio.opentime.RationalTime(0, rate), out_offset=later,
                    )
                )  # fmt: skip
        timeline.tracks.append(track)
    return timeline.to_json_string(indent=1) + "\n"


def _clip(item: AnyItem, seen: int, project: Project, media: Media, names: dict[str, str]) -> otio.schema.Clip:
    rate = float(project.rate)
    lasts = otio.opentime.RationalTime(seen, rate)
    if not isinstance(item, Shot):
        maker = otio.schema.GeneratorReference(item.kind, item.kind)
        maker.metadata[OURS] = {"item": item.model_dump_json()}
        return otio.schema.Clip(item.name, maker, otio.opentime.TimeRange(otio.opentime.RationalTime(0, rate), lasts))
    facts = media(item.medium).facts
    whole = otio.opentime.TimeRange(
        otio.opentime.RationalTime(0, float(facts.rate)), otio.opentime.RationalTime(facts.frames, float(facts.rate))
    )
    reference = otio.schema.ExternalReference(quote(names[item.medium]), whole)
    reference.metadata[OURS] = {"sha256": item.medium}
    begins = otio.opentime.RationalTime(item.first, float(facts.rate))
    clip = otio.schema.Clip(item.name, reference, otio.opentime.TimeRange(begins, lasts))
    if item.held:
        clip.effects.append(otio.schema.FreezeFrame())
    elif not item.as_it_is:
        clip.effects.append(otio.schema.LinearTimeWarp(time_scalar=-item.speed if item.backwards else item.speed))
    return clip


def from_timeline(text: str, find: Find, media: Media) -> tuple[Project, list[str]]:
    """The sequence of a timeline, and in words what of it was left out; BadDocument where it is none or media are missing."""
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:  # the library raises its own kinds, and Python's
        raise BadDocument("This is not an OpenTimelineIO timeline.") from error
    if not isinstance(timeline, otio.schema.Timeline):
        raise BadDocument("This file holds no timeline.")
    try:
        return _piece(timeline, find, media)
    except (ValueError, OverflowError, ZeroDivisionError) as error:
        if isinstance(error, ValidationError):
            raise BadDocument(f"This timeline is not valid: {misfit(error.errors()[0])}.") from None
        raise BadDocument("A time in this timeline is not a number, or has no rate.") from None


def _piece(timeline: otio.schema.Timeline, find: Find, media: Media) -> tuple[Project, list[str]]:
    clips = [clip for clip in timeline.find_clips() if isinstance(clip.media_reference, otio.schema.ExternalReference)]
    found = {id(clip): _medium(clip, find) for clip in clips}
    missing = sorted({_file_name(clip) for clip in clips if found[id(clip)] is None})
    if missing:
        raise BadDocument(f"Put these clips on the shelf first: {', '.join(missing)}.")
    refs = {ref.id: ref for ref in found.values() if ref is not None}
    project = Project(name=(timeline.name or "From a timeline")[:200], layers=[Layer()], media=list(refs.values()))
    layers: list[Layer] = []
    if clips:
        facts = media(found[id(clips[0])].id).facts  # type: ignore[union-attr]
        project.rate, project.width, project.height = facts.rate, facts.width & ~1, facts.height & ~1
    left: list[str] = []
    for track in timeline.tracks:
        if not isinstance(track, otio.schema.Track):
            left.append(f"{track.name or 'A stack'}: stacks within stacks are left out.")
        elif track.kind == otio.schema.TrackKind.Video:
            layer = Layer(name=(track.name or f"Layer {len(layers) + 1}")[:200])
            layer.items = _items(track, found, media, project.rate, left)
            layers.append(layer)
        else:
            left.append(f"{track.name or 'A track'}: each shot brings its own sound; tracks of sound are left out.")
    project.layers = layers or [Layer()]
    return project, left


def _items(
    track: otio.schema.Track, found: dict[int, MediumRef | None], media: Media, rate: Fraction, left: list[str]
) -> list[AnyItem]:
    items: list[AnyItem] = []
    comes = 0  # frames over which the next one comes
    for item in track:
        if isinstance(item, otio.schema.Transition):
            comes = _dissolved(item, items, media, rate, left)
            continue
        if isinstance(item, otio.schema.Gap):
            continue
        made: AnyItem | None = _made(item, rate) if isinstance(item, otio.schema.Clip) else None
        ref = found.get(id(item)) if isinstance(item, otio.schema.Clip) else None
        if made is None and ref is not None:
            made = _shot(item, ref, media, rate, left)
        if made is None:
            left.append(f"{item.name or 'An item'}: only clips from files are read.")
            continue
        made.fade_in, comes = comes or made.fade_in, 0
        items.append(made)
    return items


def _dissolved(
    over: otio.schema.Transition, items: list[AnyItem], media: Media, rate: Fraction, left: list[str]
) -> int:
    """What comes before a dissolve lasts as long as it; returns the frames that it takes."""
    frames = round(Fraction(over.out_offset.to_seconds()) * rate) if over.out_offset else 0
    before = items[-1] if items else None
    if over.transition_type != otio.schema.TransitionTypes.SMPTE_Dissolve or not isinstance(before, Shot) or not frames:
        left.append(f"{over.name or 'A transition'}: transitions are left out, the cut stays.")
        return 0
    facts = media(before.medium).facts
    if before.held:
        before.held += frames
    elif not before.backwards:
        before.last = min(before.last + round(frames / rate * before.pace * facts.rate), facts.frames - 1)
    return frames


def _made(clip: otio.schema.Clip, rate: Fraction) -> Title | Solid | None:
    """A title or a colour, where Cravo wrote one."""
    ours = clip.media_reference.metadata.get(OURS) if clip.media_reference is not None else None
    if not isinstance(clip.media_reference, otio.schema.GeneratorReference) or not ours or "item" not in ours:
        return None
    kind = Title if clip.media_reference.generator_kind == "title" else Solid
    try:
        made = kind.model_validate_json(str(ours["item"]))
    except ValueError:
        return None
    made.start = round(Fraction(clip.range_in_parent().start_time.to_seconds()) * rate)
    return made


def _shot(clip: otio.schema.Clip, ref: MediumRef, media: Media, rate: Fraction, left: list[str]) -> Shot:
    facts = media(ref.id).facts
    scalar, held = 1.0, False
    for effect in clip.effects:
        if isinstance(effect, otio.schema.FreezeFrame):
            held = True
        elif isinstance(effect, otio.schema.LinearTimeWarp):
            scalar *= effect.time_scalar
        else:
            left.append(f"{clip.name}: the effect {effect.effect_name or effect.name or 'without a name'} is left out.")
    speed = min(max(abs(scalar), LEAST), MOST)
    if abs(abs(scalar) - speed) > 1e-6:
        left.append(f"{clip.name}: its speed is kept within {LEAST:.0%} and {MOST:.0%}.")
    seen = clip.trimmed_range()
    begins = clip.media_reference.available_range.start_time if clip.media_reference.available_range else None
    offset = seen.start_time - begins.rescaled_to(seen.start_time.rate) if begins is not None else seen.start_time
    first = min(max(round(Fraction(offset.to_seconds()) * facts.rate), 0), facts.frames - 1)
    used = max(round(Fraction(seen.duration.to_seconds()) * facts.rate * Fraction(round(speed * 100), 100)), 1)
    start = clip.range_in_parent().start_time.to_seconds()
    if held:
        lasts = max(round(Fraction(seen.duration.to_seconds()) * rate), 1)
        begins_at = round(Fraction(start) * rate)
        return Shot(
            name=clip.name[:200],
            medium=ref.id,
            start=begins_at,
            first=first,
            last=first,
            held=lasts,
            sphere=sphere_of(facts),
        )
    return Shot(
        name=(clip.name or ref.name)[:200], medium=ref.id, start=round(Fraction(start) * rate), first=first,
        last=min(first + used - 1, facts.frames - 1), speed=round(speed, 2), backwards=scalar < 0, sphere=sphere_of(facts),
    )  # fmt: skip


def _medium(clip: otio.schema.Clip, find: Find) -> MediumRef | None:
    ours = clip.media_reference.metadata.get(OURS)
    return find(str(ours["sha256"]) if ours and "sha256" in ours else None, _file_name(clip))


def _file_name(clip: otio.schema.Clip) -> str:
    """The last step of where a clip's medium lies; its own name where nothing is said."""
    path = unquote(urlparse(clip.media_reference.target_url or "").path)
    return PurePosixPath(path.replace("\\", "/")).name or clip.name or "a clip without a name"
