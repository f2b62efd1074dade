"""Layers: where things lie, how they come and go, how they are laid over each other, titles, colours, held frames."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import cv2
import numpy as np
import pytest
from bench.mattes import Tracked
from tests.footage import make_clip

from cravo.core.document import (
    Attachment,
    Layer,
    Light,
    Look,
    Motion,
    Placing,
    Project,
    Rectangle,
    Region,
    Shot,
    Solid,
    Title,
)  # fmt: skip
from cravo.core.footage.probe import probe
from cravo.core.keyframes import Key, Keyed
from cravo.core.motion.track import Sample, Track
from cravo.core.results import MemoryResults, Results
from cravo.core.stack.compose import lies
from cravo.core.stack.plan import Plan
from cravo.core.timing import Medium

SIZE = (320, 208)
COUNT = 12


@pytest.fixture(scope="module")
def media(tmp_path_factory: pytest.TempPathFactory):  # type: ignore[no-untyped-def]
    folder = tmp_path_factory.mktemp("layers")
    grey, blue = np.full((208, 320, 3), 128, np.uint8), np.full((208, 320, 3), (40, 60, 200), np.uint8)
    marked = grey.copy()
    cv2.rectangle(marked, (40, 40), (119, 119), (230, 60, 50), -1)
    clips = {
        "marked": make_clip(folder / "marked.mp4", [marked] * COUNT),
        "blue": make_clip(folder / "blue.mp4", [blue] * COUNT),
        "counted": make_clip(
            folder / "counted.mp4", [np.full((208, 320, 3), 30 + 12 * i, np.uint8) for i in range(COUNT)]
        ),
    }
    known = {name: Medium(path, probe(path)) for name, path in clips.items()}
    return lambda name: known[name]


def shot(medium: str, **more: object) -> Shot:
    return Shot.model_validate({"name": medium, "medium": medium, "start": 0, "first": 0, "last": COUNT - 1} | more)


def plan(media, *layers: list[object], results: Results | None = None) -> Plan:  # type: ignore[no-untyped-def]
    project = Project(name="p", rate=Fraction(25), width=320, height=208, layers=[Layer(items=one) for one in layers])
    return Plan(project, media, results or MemoryResults())


def at(picture, x: int, y: int) -> list[int]:  # type: ignore[no-untyped-def]
    return picture.to_rgb()[y, x].astype(int).tolist()


def test_where_nothing_lies_nothing_is_and_a_layer_that_is_off_counts_for_nothing(media) -> None:  # type: ignore[no-untyped-def]
    one = plan(media, [Solid(start=2, length=3, colour="#ff0000")])
    assert one.frames == 5
    assert one.frame(0).a.max() == 0  # type: ignore[union-attr]
    assert at(one.frame(2), 10, 10) == pytest.approx([255, 0, 0], abs=3)
    one.project.layers[0].on = False
    assert one.frame(2).a.max() == 0  # type: ignore[union-attr]


def test_something_lies_moved_sized_and_turned_about_the_middle(media) -> None:  # type: ignore[no-untyped-def]
    place = Placing(x=40, y=-20, scale=0.5, rotation=90)
    picture = plan(media, [shot("blue")], [shot("marked", place=place)]).frame(0)
    # The clip's square from 40 to 120 lies left above the middle; turned by a quarter it is right above it.
    middle = np.array([160 + 40, 104 - 20])
    corners = np.array([[40, 40], [120, 120]]) - (160, 104)
    turned = middle + 0.5 * np.array([[-y, x] for x, y in corners])
    (left, right), (top, bottom) = np.sort(turned[:, 0]), np.sort(turned[:, 1])
    red = (picture.to_rgb()[..., 0] > 180) & (picture.to_rgb()[..., 2] < 120)
    rows, columns = np.flatnonzero(red.any(1)), np.flatnonzero(red.any(0))
    assert (columns[0], columns[-1] + 1, rows[0], rows[-1] + 1) == pytest.approx((left, right, top, bottom), abs=1.6)
    assert at(picture, 5, 5) == pytest.approx([40, 60, 200], abs=6)
    matrix = lies(place, 0, SIZE, SIZE, 1.0)
    assert matrix @ (160, 104, 1) == pytest.approx((200, 84, 1))


def test_keys_of_a_place_count_from_the_first_frame_of_the_item(media) -> None:  # type: ignore[no-untyped-def]
    opacity = Keyed(keys=[Key(frame=0, value=0), Key(frame=10, value=1)])
    over = Solid(start=1, length=11, colour="#ffffff", place=Placing(opacity=opacity))
    one = plan(media, [Solid(start=0, length=12, colour="#000000")], [over])
    seen = [at(one.frame(frame), 100, 100)[0] for frame in (1, 6, 11)]
    assert seen == pytest.approx([0, 127, 255], abs=5)


def test_what_fades_comes_and_goes_and_two_that_overlap_cross(media) -> None:  # type: ignore[no-untyped-def]
    white = Solid(start=0, length=10, colour="#ffffff", fade_out=4)
    one = plan(media, [Solid(start=0, length=12, colour="#000000")], [white])
    seen = [at(one.frame(frame), 100, 100)[0] / 255 for frame in (0, 5, 6, 7, 8, 9)]
    assert seen == pytest.approx([1, 1, 0.8, 0.6, 0.4, 0.2], abs=0.02)
    crossed = plan(
        media, [Solid(start=0, length=8, colour="#000000"), Solid(start=4, length=8, colour="#ffffff", fade_in=3)]
    )
    seen = [at(crossed.frame(frame), 100, 100)[0] / 255 for frame in (3, 4, 5, 6, 7, 8)]
    assert seen == pytest.approx([0, 0.25, 0.5, 0.75, 1, 1], abs=0.02)


@pytest.mark.parametrize(
    ("blend", "formula"),
    [
        ("multiply", lambda a, b: a * b),
        ("screen", lambda a, b: a + b - a * b),
        ("add", lambda a, b: np.minimum(a + b, 1)),
    ],
)
def test_blend_modes_are_those_of_the_w3c(media, blend: str, formula) -> None:  # type: ignore[no-untyped-def]
    """Compositing and Blending Level 1, section 10: on R'G'B' in 0..1; half as opaque, half as much of it."""
    upper, lower = np.array([0x80, 0xC0, 0x40]) / 255, np.array([0x60, 0x90, 0xA0]) / 255
    back = Solid(start=0, length=4, colour="#6090a0")
    for opacity in (1.0, 0.5):
        front = Solid(start=0, length=4, colour="#80c040", blend=blend, place=Placing(opacity=opacity))  # type: ignore[arg-type]
        wanted = lower + opacity * (formula(upper, lower) - lower)
        assert np.array(at(plan(media, [back], [front]).frame(0), 60, 60)) / 255 == pytest.approx(wanted, abs=0.02)


def test_a_held_frame_stands_and_a_picture_of_another_size_lies_over_what_is_beneath(media) -> None:  # type: ignore[no-untyped-def]
    one = plan(media, [shot("counted", first=5, held=40)])
    assert one.frames == 40
    assert {round((at(one.frame(frame), 9, 9)[0] - 30) / 12) for frame in (0, 20, 39)} == {5}


def test_an_item_moves_with_the_followed_motion_of_another_shot(media) -> None:  # type: ignore[no-untyped-def]
    moved = np.array([[1, 0, 30], [0, 1, 10], [0, 0, 1]], float)
    track = Track(0)
    for frame in range(COUNT):
        track.samples[frame] = Sample(frame, np.eye(3) if frame == 0 else moved, 1.0, "followed")
    motion = Motion(name="m", at=0, area=[(0, 0), (9, 0), (9, 9)], span=(0, COUNT - 1))
    back = shot("blue", motions=[motion.model_dump()])
    over = shot("marked", attached_to=Attachment(shot=back.id, motion=motion.id).model_dump())
    one = plan(media, [back], [over], results=Tracked(lambda which, wanted: track))
    assert at(one.frame(0), 42, 42)[0] > 180
    assert at(one.frame(3), 42, 42)[0] < 150
    assert at(one.frame(3), 72, 52)[0] > 180
    # What the clip leaves open on the left shows what is beneath, or its mirror image where that is wanted.
    assert at(one.frame(3), 10, 100) == pytest.approx([40, 60, 200], abs=6)
    over.mirrored = True
    assert at(one.frame(3), 10, 100) == pytest.approx([128, 128, 128], abs=6)


def test_a_title_is_as_wide_as_its_letters_and_nothing_around_them(media) -> None:  # type: ignore[no-untyped-def]
    title = Title(start=0, length=5, text="Ostrelle", size=48, colour="#ffcc00")
    one = plan(media, [Solid(start=0, length=5, colour="#203040")], [title])
    rgb = one.frame(0).to_rgb().astype(int)
    lit = (rgb[..., 0] > 150) & (rgb[..., 2] < 90)
    columns, rows = np.flatnonzero(lit.any(0)), np.flatnonzero(lit.any(1))
    assert 130 < np.ptp(columns) < 260
    assert 20 < np.ptp(rows) < 60
    assert abs(columns.mean() - 160) < 14
    title.tracking = 10
    wider = (one.frame(0).to_rgb()[..., 0] > 150).any(0)
    assert np.ptp(np.flatnonzero(wider)) > np.ptp(columns) + 25


def test_titles_hold_long_words_other_scripts_and_emoji(media) -> None:  # type: ignore[no-untyped-def]
    def ink(text: str) -> np.ndarray:
        title = Title(start=0, length=1, text=text, size=30)
        return plan(media, [title]).frame(0).a > 100  # type: ignore[operator,union-attr]

    assert ink("one line").any(1).sum() < 40 < ink("many words " * 8).any(1).sum()
    hebrew, mirrored = ink("שלום ab"), ink("ab")
    assert hebrew.sum() > mirrored.sum()
    # Written from the right: the Latin letters at its end stand left.
    assert np.flatnonzero(hebrew.any(0))[0] < 120
    assert ink("🚋").sum() > 200
    assert not ink("").any()


def test_what_was_cut_out_takes_on_the_light_behind_it_and_throws_a_shadow(media) -> None:  # type: ignore[no-untyped-def]
    whole = Rectangle(x=160, y=110, rx=70, ry=70, feather_in=0, feather_out=0)
    region = Region(name="r", parts=[whole], outside=[Look(kind="transparent")])
    front = shot("marked", regions=[region.model_dump()])
    one = plan(media, [shot("blue")], [front])
    before, beside = np.array(at(one.frame(0), 200, 100)), np.array(at(one.frame(0), 160, 190))
    front.light = Light(match=0.6, shadow=0.8)
    after, shaded = np.array(at(one.frame(0), 200, 100)), np.array(at(one.frame(0), 160, 190))
    assert after[2] - after[0] > before[2] - before[0] + 25
    assert shaded.sum() < beside.sum() - 15
    front.light = Light(edge=1)
    rim, heart = np.array(at(one.frame(0), 91, 110)), np.array(at(one.frame(0), 160, 110))
    assert rim.sum() > heart.sum() + 25


def test_a_piece_with_layers_saved_and_opened_again_shows_the_same(media, tmp_path: Path) -> None:  # type: ignore[no-untyped-def]
    title = Title(start=1, length=8, text="Open day", size=40, outline=2, shadow=0.5, fade_in=2)
    front = shot("marked", place=Placing(scale=0.6, rotation=12), blend="screen", fade_out=3)
    one = plan(media, [shot("blue")], [front], [title])
    again = Plan(Project.model_validate_json(one.project.to_json()), media, MemoryResults())
    assert again.project.shown() == one.project.shown()
    for frame in range(one.frames):
        for mine, its in zip(one.frame(frame).planes, again.frame(frame).planes, strict=True):
            assert np.array_equal(mine, its)
