"""Layers, cuts and speeds go out as OpenTimelineIO, are read by its own library, and come back the same."""

from __future__ import annotations

from fractions import Fraction

import opentimelineio as otio
import pytest

from cravo.core.document import Layer, MediumRef, Project, Shot
from cravo.core.errors import BadDocument
from cravo.core.footage.facts import Facts
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.timeline import from_timeline, to_timeline
from cravo.core.timing import Medium

NAMES = {"aa": "Yard 1.mp4", "bb": "Tram.mov"}


def media(name: str) -> Medium:
    facts = Facts.model_construct(
        kind="video", rate=Fraction(25), times=list(range(500)), time_base=Fraction(1, 25), steady=True, frames=500,
        width=1920, height=1080,
    )  # fmt: skip
    return Medium(None, facts)  # type: ignore[arg-type]


def find(digest: str | None, name: str) -> MediumRef | None:
    known = digest if digest in NAMES else next((one for one, called in NAMES.items() if called == name), None)
    return None if known is None else MediumRef(id=known, name=NAMES[known])


def shot(name: str, medium: str, start: int, first: int, last: int, **more: object) -> Shot:
    return Shot.model_validate({"name": name, "medium": medium, "start": start, "first": first, "last": last, **more})


@pytest.fixture
def piece() -> Project:
    below = [shot("one", "aa", 0, 10, 59), shot("two", "bb", 50, 0, 99, speed=2.0), shot("late", "aa", 160, 300, 399)]
    above = [shot("back", "bb", 20, 40, 89, backwards=True), shot("slow", "aa", 90, 5, 24, speed=0.5)]
    return Project(
        name="Open day", rate=Fraction(25), layers=[Layer(name="Below", items=below), Layer(name="Above", items=above)],
        media=[MediumRef(id=one, name=name) for one, name in NAMES.items()],
    )  # fmt: skip


def told(project: Project) -> list[list[tuple[object, ...]]]:
    return [
        [(one.name, one.medium, one.start, one.first, one.last, one.speed, one.backwards) for one in layer.items]
        for layer in project.layers
    ]


def test_it_comes_back_the_same(piece: Project) -> None:
    again, left = from_timeline(to_timeline(piece, media), find, media)
    assert left == []
    assert told(again) == told(piece)
    assert [layer.name for layer in again.layers] == ["Below", "Above"]
    assert (again.name, again.rate, again.width) == ("Open day", 25, 1920)
    assert {ref.id for ref in again.media} == set(NAMES)


def test_the_library_reads_times_as_they_are_seen(piece: Project) -> None:
    timeline = otio.adapters.read_from_string(to_timeline(piece, media), "otio_json")
    below, above = timeline.tracks
    plan = Plan(piece, media, MemoryResults())  # type: ignore[arg-type,return-value]
    for track, layer in ((below, piece.layers[0]), (above, piece.layers[1])):
        clips = [item for item in track if isinstance(item, otio.schema.Clip)]
        for clip, one in zip(clips, layer.items, strict=True):
            inside = clip.range_in_parent()
            span = plan.span(one)
            assert (inside.start_time.to_frames(), inside.duration.to_frames()) == (span.start, len(span))
            assert clip.source_range.start_time.to_frames() == one.first
    assert below[2].duration().to_frames() == 60  # the gap
    assert above[1].effects[0].time_scalar == -1
    assert [clip.media_reference.metadata["cravo"]["sha256"] for clip in below.find_clips()] == ["aa", "bb", "aa"]
    assert timeline.duration().to_frames() == plan.frames


def foreign(**clip: object) -> str:
    """A timeline as another program would write it: at another rate, from an hour on, with things Cravo has no place for."""
    timeline = otio.schema.Timeline("Cut 3")
    pictures, sound = otio.schema.Track("V1"), otio.schema.Track("A1", kind=otio.schema.TrackKind.Audio)
    hour = otio.opentime.RationalTime(3600 * 50, 50)
    reference = otio.schema.ExternalReference(
        "file:///media/day%202/Yard%201.mp4", otio.opentime.TimeRange(hour, otio.opentime.RationalTime(1000, 50))
    )
    one = otio.schema.Clip(
        "A",
        reference,
        otio.opentime.TimeRange(hour + otio.opentime.RationalTime(40, 50), otio.opentime.RationalTime(100, 50)),
    )
    one.effects.append(otio.schema.Effect(effect_name="Glow"))
    pictures.extend([otio.schema.Gap(duration=otio.opentime.RationalTime(50, 50)), one])
    pictures.append(otio.schema.Transition("Dissolve", "SMPTE_Dissolve", *[otio.opentime.RationalTime(5, 50)] * 2))
    pictures.append(one.deepcopy())
    pictures.append(otio.schema.Clip("Slate", otio.schema.MissingReference(), one.source_range))
    timeline.tracks.extend([pictures, sound])
    return timeline.to_json_string()


def test_a_timeline_from_elsewhere_is_read_by_file_names_and_what_has_no_place_is_named() -> None:
    project, left = from_timeline(foreign(), find, media)
    assert told(project) == [[("A", "aa", 25, 20, 72, 1, False), ("A", "aa", 75, 20, 69, 1, False)]]
    # A dissolve is a crossfade from the cut on: what was there lasts as long.
    assert [one.fade_in for one in project.items()] == [0, 3]
    said = " ".join(left)
    for words in ("Glow", "Slate", "tracks of sound"):
        assert words in said


def test_what_is_missing_or_no_timeline_is_said_in_words() -> None:
    with pytest.raises(BadDocument, match=r"Put these clips on the shelf first: Yard 1\.mp4"):
        from_timeline(foreign(), lambda digest, name: None, media)
    for text in ("{}", "no", otio.schema.Clip("alone").to_json_string()):
        with pytest.raises(BadDocument, match="timeline"):
            from_timeline(text, find, media)
