"""Shots shown faster, slower and backwards: which frame is seen when, what is heard, and what moves along."""

from __future__ import annotations

from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
import scipy.io.wavfile
from hypothesis import given
from hypothesis import strategies as st
from tests.footage import make_clip, numbered

from cravo.core.arrange import add_shot, set_pace
from cravo.core.document import Layer, MediumRef, Project, Shot, SoundSpan
from cravo.core.footage.facts import Facts
from cravo.core.footage.formats import Encoding
from cravo.core.footage.probe import probe
from cravo.core.results import MemoryResults
from cravo.core.sound.mix import heard, mixed
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.timing import Medium, length_of, source_frame

FRAMES = 48
RATE = 48000


@pytest.fixture(scope="module")
def medium(tmp_path_factory: pytest.TempPathFactory) -> Medium:
    folder = tmp_path_factory.mktemp("pace")
    clip = make_clip(folder / "a.mp4", [numbered(i, 64, 48) for i in range(FRAMES)], tone=440.0)
    return Medium(clip, probe(clip))


def shot_of(**settings: object) -> Shot:
    return Shot.model_validate({"name": "s", "medium": "m", "start": 0, "first": 0, "last": FRAMES - 1, **settings})


def piece(*shots: Shot) -> Project:
    return Project(
        name="p", width=64, height=48, layers=[Layer(items=list(shots))], media=[MediumRef(id="m", name="a.mp4")]
    )


@pytest.mark.parametrize(
    ("settings", "frames"),
    [
        ({"speed": 2.0}, list(range(0, FRAMES, 2))),
        ({"speed": 0.5}, [i // 2 for i in range(2 * FRAMES)]),
        ({"backwards": True}, list(range(FRAMES - 1, -1, -1))),
        ({"speed": 2.0, "backwards": True}, list(range(FRAMES - 1, -1, -2))),
        ({"speed": 4.0, "first": 8, "last": 39}, list(range(8, 40, 4))),
    ],
)
def test_each_frame_of_the_piece_shows_the_frame_that_is_due(
    medium: Medium, settings: dict[str, object], frames: list[int]
) -> None:
    shot = shot_of(start=5, **settings)
    plan = Plan(piece(shot), lambda name: medium, MemoryResults())
    assert len(plan.span(shot)) == len(frames)
    assert [plan.source_frame(shot, 5 + i) for i in range(len(frames))] == frames
    # The picture is that frame's: its grey tells it.
    for i in (0, len(frames) // 2, len(frames) - 1):
        assert plan.frame(5 + i).to_rgb().mean() == pytest.approx(30 + 12 * (frames[i] % 16), abs=2)
    for i in range(len(frames)):
        first = frames.index(frames[i])
        assert plan.sequence_frame(shot, frames[i]) == 5 + first
    plan.close()


@given(
    speed=st.integers(10, 1000), backwards=st.booleans(), first=st.integers(0, 20), length=st.integers(1, 200),
    rate=st.sampled_from([Fraction(25), Fraction(30000, 1001), Fraction(50)]),
)  # fmt: skip
def test_a_shot_begins_and_ends_where_it_should_at_any_speed(
    speed: int, backwards: bool, first: int, length: int, rate: Fraction
) -> None:
    facts = Facts.model_construct(
        kind="video", rate=Fraction(25), times=list(range(300)), time_base=Fraction(1, 25), steady=True, frames=300
    )
    shot = Shot(
        name="s", medium="m", start=7, first=first, last=first + length - 1, speed=speed / 100, backwards=backwards
    )
    count = length_of(shot, facts, rate)
    shown = [source_frame(shot, facts, rate, 7 + i) for i in range(count)]
    assert shown[0] == (shot.last if backwards else shot.first)
    assert all(shot.first <= one <= shot.last for one in shown)
    steps = np.diff(shown) * (-1 if backwards else 1)
    assert (steps >= 0).all()
    most = float(shot.pace * facts.rate / rate)
    assert steps.size == 0 or steps.max() <= np.ceil(most) + 1e-9
    # The last one is not farther from the end than one step and what rounding the length leaves.
    rest = abs(shown[-1] - (shot.first if backwards else shot.last))
    assert rest <= 1.5 * most + 1


def loudest(sound: np.ndarray) -> float:
    samples = sound[0, 4000:-4000]
    strength = np.abs(np.fft.rfft(samples * np.hanning(len(samples))))
    return float(strength[5:].argmax() + 5) * RATE / len(samples)


@pytest.mark.parametrize(
    ("settings", "hertz"), [({"speed": 1.5}, 440), ({"speed": 0.8}, 440), ({"backwards": True}, 440)]
)
def test_what_is_heard_faster_or_slower_keeps_its_pitch(
    medium: Medium, settings: dict[str, object], hertz: float
) -> None:
    shot = shot_of(**settings)
    project = piece(shot)
    count = length_of(shot, medium.facts, project.rate)
    sound = mixed(project, lambda name: medium, 0, count)
    assert sound.shape == (2, round(count / 25 * RATE))
    assert loudest(sound) == pytest.approx(hertz, rel=0.02)
    # The same in pieces, as it is played.
    parts = np.hstack([mixed(project, lambda name: medium, k, 1) for k in range(10, 14)])
    assert np.abs(parts - sound[:, 10 * 1920 : 14 * 1920]).max() < 0.12


def test_backwards_the_end_is_heard_first(tmp_path: Path, medium: Medium) -> None:
    rising = np.linspace(0, 1, 2 * RATE)
    wave = (rising * np.sin(2 * np.pi * 300 * np.arange(2 * RATE) / RATE) * 30000).astype("<i2")
    scipy.io.wavfile.write(tmp_path / "rising.wav", RATE, wave)
    rising_medium = Medium(tmp_path / "rising.wav", medium.facts)
    forwards, back = (heard(shot_of(backwards=way), rising_medium, 0.0, RATE) for way in (False, True))
    assert np.abs(forwards[:, : RATE // 4]).max() < 0.15
    assert np.abs(back[:, : RATE // 4]).max() > 0.5
    played = heard(shot_of(), rising_medium, 0.0, round(FRAMES / 25 * RATE))
    whole = heard(shot_of(backwards=True), rising_medium, 0.0, round(FRAMES / 25 * RATE))
    assert np.abs(whole[:, ::-1] - played)[:, 2000:-2000].max() < 0.02


def test_a_silenced_stretch_stays_on_its_frames(medium: Medium) -> None:
    shot = shot_of(speed=2.0, sounds=[SoundSpan(first=20, last=29, how="mute")])
    sound = np.abs(heard(shot, medium, 0.0, round(FRAMES / 50 * RATE))[0])
    assert sound[round(20 / 50 * RATE) + 200 : round(30 / 50 * RATE) - 200].max() < 0.01
    assert sound[: round(20 / 50 * RATE) - 900].max() > 0.3
    assert sound[round(30 / 50 * RATE) + 900 : -2000].max() > 0.3


def test_loudness_is_in_decibels(medium: Medium) -> None:
    plain, softer = (heard(shot_of(gain=gain), medium, 0.2, RATE) for gain in (0, -20))
    assert np.abs(softer).max() == pytest.approx(0.1 * np.abs(plain).max(), rel=1e-4)


def test_the_written_file_is_as_long_and_its_sound_is_not_copied(medium: Medium, tmp_path: Path) -> None:
    out = tmp_path / "out.mp4"
    assert (
        render(piece(shot_of(speed=2.0)), lambda name: medium, MemoryResults(), out, Encoding(quality=4)) == FRAMES // 2
    )
    facts = probe(out)
    assert facts.frames == FRAMES // 2
    assert facts.sound is not None
    assert float(facts.seconds) == pytest.approx(FRAMES / 50, abs=0.05)


def test_the_shots_after_it_move_along_and_nothing_else_does(medium: Medium) -> None:
    project = piece()
    for _ in range(3):
        add_shot(project, MediumRef(id="m", name="a.mp4"), medium.facts, lambda name: medium)
    one, two, three = project.shots()
    assert [shot.start for shot in (one, two, three)] == [0, FRAMES, 2 * FRAMES]
    set_pace(project, two.id, 0.5, True, lambda name: medium)
    assert [shot.start for shot in (one, two, three)] == [0, FRAMES, 3 * FRAMES]
    assert (two.speed, two.backwards) == (0.5, True)
    set_pace(project, two.id, 1, False, lambda name: medium)
    assert [shot.start for shot in (one, two, three)] == [0, FRAMES, 2 * FRAMES]
