"""Layers, cuts and speeds of a piece as an OpenTimelineIO timeline, and from one.

A track is a layer, from the lowest on; a clip's source range begins at the media time of its first frame and is as long as
it is seen, a linear time warp says how fast and, below 0, that it runs backwards. What Cravo has no place for is named.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import PurePosixPath
from urllib.parse import quote, unquote, urlparse

import opentimelineio as otio

from cravo.core.document import Layer, MediumRef, Project, Shot
from cravo.core.errors import BadDocument
from cravo.core.stack.plan import Media, length_of

KEPT = "cravo"  # the name under which media keep their digest
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
        for shot in sorted(layer.items, key=lambda one: one.start):
            facts = media(shot.medium).facts
            if shot.start > end:
                track.append(otio.schema.Gap(duration=otio.opentime.RationalTime(shot.start - end, rate)))
            seen = length_of(shot, facts, project.rate)
            whole = otio.opentime.TimeRange(
                otio.opentime.RationalTime(0, float(facts.rate)),
                otio.opentime.RationalTime(facts.frames, float(facts.rate)),
            )
            reference = otio.schema.ExternalReference(quote(names[shot.medium]), whole)
            reference.metadata[KEPT] = {"sha256": shot.medium}
            clip = otio.schema.Clip(
                shot.name, reference,
                otio.opentime.TimeRange(
                    otio.opentime.RationalTime(shot.first, float(facts.rate)), otio.opentime.RationalTime(seen, rate)
                ),
            )  # fmt: skip
            if not shot.as_it_is:
                clip.effects.append(
                    otio.schema.LinearTimeWarp(time_scalar=-shot.speed if shot.backwards else shot.speed)
                )
            track.append(clip)
            end = shot.start + seen
        timeline.tracks.append(track)
    return timeline.to_json_string(indent=1) + "\n"


def from_timeline(text: str, find: Find, media: Media) -> tuple[Project, list[str]]:
    """The piece of a timeline, and in words what of it was left out; BadDocument where it is none or media are missing."""
    try:
        timeline = otio.adapters.read_from_string(text, "otio_json")
    except Exception as error:  # the library raises its own kinds, and Python's
        raise BadDocument("This is not an OpenTimelineIO timeline.") from error
    if not isinstance(timeline, otio.schema.Timeline):
        raise BadDocument("This file holds no timeline.")
    clips = [clip for clip in timeline.find_clips() if isinstance(clip.media_reference, otio.schema.ExternalReference)]
    found = {id(clip): _medium(clip, find) for clip in clips}
    missing = sorted({_file_name(clip) for clip in clips if found[id(clip)] is None})
    if missing:
        raise BadDocument(f"Put these clips on the shelf first: {', '.join(missing)}.")
    refs = {ref.id: ref for ref in found.values() if ref is not None}
    project = Project(name=(timeline.name or "From a timeline")[:200], layers=[], media=list(refs.values()))
    if clips:
        facts = media(found[id(clips[0])].id).facts  # type: ignore[union-attr]
        project.rate, project.width, project.height = facts.rate, facts.width & ~1, facts.height & ~1
    left: list[str] = []
    for track in timeline.tracks:
        if not isinstance(track, otio.schema.Track):
            left.append(f"{track.name or 'A stack'}: stacks within stacks are left out.")
        elif track.kind == otio.schema.TrackKind.Video:
            layer = Layer(name=(track.name or f"Layer {len(project.layers) + 1}")[:200])
            layer.items = _shots(track, found, media, project.rate, left)
            project.layers.append(layer)
        else:
            left.append(f"{track.name or 'A track'}: each shot brings its own sound; tracks of sound are left out.")
    project.layers = project.layers or [Layer()]
    return project, left


def _shots(
    track: otio.schema.Track, found: dict[int, MediumRef | None], media: Media, rate: Fraction, left: list[str]
) -> list[Shot]:
    shots = []
    for item in track:
        if isinstance(item, otio.schema.Transition):
            left.append(f"{item.name or 'A transition'}: transitions are left out, the cut stays.")
            continue
        if isinstance(item, otio.schema.Gap):
            continue
        ref = found.get(id(item)) if isinstance(item, otio.schema.Clip) else None
        if ref is None:
            left.append(f"{item.name or 'An item'}: only clips from files are read.")
            continue
        shots.append(_shot(item, ref, media, rate, left))
    return shots


def _shot(clip: otio.schema.Clip, ref: MediumRef, media: Media, rate: Fraction, left: list[str]) -> Shot:
    facts = media(ref.id).facts
    scalar = 1.0
    for effect in clip.effects:
        if isinstance(effect, otio.schema.LinearTimeWarp):
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
    return Shot(
        name=(clip.name or ref.name)[:200], medium=ref.id, start=round(Fraction(start) * rate), first=first,
        last=min(first + used - 1, facts.frames - 1), speed=round(speed, 2), backwards=scalar < 0,
    )  # fmt: skip


def _medium(clip: otio.schema.Clip, find: Find) -> MediumRef | None:
    kept = clip.media_reference.metadata.get(KEPT)
    return find(str(kept["sha256"]) if kept and "sha256" in kept else None, _file_name(clip))


def _file_name(clip: otio.schema.Clip) -> str:
    """The last step of where a clip's medium lies; its own name where nothing is said."""
    path = unquote(urlparse(clip.media_reference.target_url or "").path)
    return PurePosixPath(path.replace("\\", "/")).name or clip.name or "a clip without a name"
