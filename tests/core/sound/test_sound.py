"""Sound stays where it belongs."""

from pathlib import Path

import numpy as np
import pytest
import scipy.io.wavfile
import scipy.signal
from tests.footage import make_clip, numbered

from cravo.core.document import Layer, Project, Shot, SoundSpan
from cravo.core.footage.probe import probe
from cravo.core.sound.mix import has_sound, mixed
from cravo.core.sound.reader import peaks, span
from cravo.core.sound.voice import ratio, shifted
from cravo.core.timing import Medium

RATE = 48000


@pytest.fixture(scope="module")
def clip(tmp_path_factory):
    return make_clip(tmp_path_factory.mktemp("s") / "a.mp4", [numbered(i, 64, 48) for i in range(50)], tone=1000)


def pitch(samples):
    spectrum = np.abs(np.fft.rfft(samples * np.hanning(len(samples))))
    return spectrum.argmax() * RATE / len(samples)


def test_any_stretch_has_its_length_and_pitch(clip):
    for start, seconds in ((0.0, 0.5), (0.7, 0.25), (1.6, 0.4)):
        part = span(clip, start, seconds)
        assert part.shape == (2, round(seconds * RATE))
        middle = part[0, 2000:-2400]
        assert pitch(middle) == pytest.approx(1000, abs=15)
    assert np.abs(span(clip, 5.0, 0.2)).max() == 0


def test_a_stretch_is_the_same_as_that_part_of_the_whole(clip):
    whole = span(clip, 0.0, 2.0)[0]
    part = span(clip, 0.9, 0.3)[0]
    assert np.abs(whole[int(0.9 * RATE) : int(1.2 * RATE)] - part).max() < 0.02


def test_the_piece_is_silent_where_no_shot_is(clip):
    def media(name):
        return Medium(clip, probe(clip))

    shot = Shot(name="s", medium="a", start=25, first=10, last=39)
    project = Project(name="p", layers=[Layer(items=[shot])])
    assert has_sound(project, media)
    sound = mixed(project, media, 0, 60)
    assert sound.shape == (2, 60 * RATE // 25)
    assert np.abs(sound[:, : RATE - 1]).max() == 0
    assert np.abs(sound[0, RATE + 500 : RATE + 4000]).max() > 0.3
    shot.sound = False
    assert np.abs(mixed(project, media, 0, 60)).max() == 0


def test_peaks_tell_how_loud_it_is(clip):
    values = peaks(clip)
    assert len(values) == pytest.approx(100, abs=5)
    assert np.median(values) == pytest.approx(127, abs=8)


def _loudest(samples: np.ndarray) -> float:
    """The strongest frequency of a stretch, by FFT with a parabola through the peak."""
    window = np.hanning(samples.shape[1])
    strength = np.abs(np.fft.rfft(samples[0] * window))
    k = int(strength[5:].argmax()) + 5
    a, b, c = np.log(strength[k - 1 : k + 2] + 1e-12)
    return (k + 0.5 * (a - c) / (a - 2 * b + c)) * 48000 / samples.shape[1]


@pytest.mark.parametrize("semitones", [-5.0, 4.0])
def test_a_voice_is_moved_by_semitones_at_the_same_length(tmp_path: Path, semitones: float) -> None:
    # Equal temperament: a semitone is the twelfth root of two; five down are 0.7492.
    clip = make_clip(tmp_path / "tone.mp4", [numbered(i % 16, 64, 48) for i in range(300)], tone=440.0)
    assert ratio(-5) == pytest.approx(0.7492, abs=1e-4)
    whole = shifted(clip, 0.5, 11.0, semitones)
    assert whole.shape == (2, 11 * 48000)
    for start in (0.5, 5.0, 9.3):  # the last one lies across the border of two blocks
        part = shifted(clip, start, 1.0, semitones)
        assert part.shape == (2, 48000)
        assert _loudest(part) == pytest.approx(440 * ratio(semitones), rel=0.004)
        # A stretch sounds the same whatever else is asked for.
        place = round((start - 0.5) * 48000)
        assert np.allclose(part, whole[:, place : place + 48000], atol=1e-5)
        assert 0.2 < np.abs(part).max() < 0.8
    # No step where one block fades into the next.
    assert np.abs(np.diff(whole[0])).max() < 2.2 * 0.5 * 2 * np.pi * 440 * ratio(semitones) / 48000


def test_stretches_are_silent_toned_over_or_in_another_voice_and_nothing_else_is(tmp_path: Path) -> None:
    clip = make_clip(tmp_path / "tone.mp4", [numbered(i % 16, 64, 48) for i in range(150)], tone=440.0)
    shot = Shot(name="s", medium="a", start=0, first=0, last=149)
    project = Project(name="p", layers=[Layer(items=[shot])])
    medium = Medium(clip, probe(clip))
    plain = mixed(project, lambda name: medium, 0, 150)
    shot.sounds = [
        SoundSpan(first=25, last=49, how="mute"),
        SoundSpan(first=60, last=84, how="tone"),
        SoundSpan(first=100, last=124, how="voice", voice=-5),
    ]
    sound = mixed(project, lambda name: medium, 0, 150)
    assert sound.shape == plain.shape

    def second(frame: int) -> np.ndarray:
        return sound[:, frame * 1920 : frame * 1920 + 48000]

    assert np.abs(second(25)).max() == 0  # from the first sample of frame 25 to the last one of frame 49
    assert _loudest(second(60)) == pytest.approx(1000, rel=0.002)
    assert np.sqrt((second(60)[0] ** 2).mean()) == pytest.approx(0.1 / np.sqrt(2), rel=0.01)
    assert _loudest(second(100)) == pytest.approx(440 * 2 ** (-5 / 12), rel=0.004)
    beyond = np.ones(sound.shape[1], bool)
    for first, last in ((25, 50), (60, 85), (100, 125)):
        beyond[first * 1920 - 300 : last * 1920 + 300] = False  # 5 ms on either side
    assert np.array_equal(sound[:, beyond], plain[:, beyond])
    # The same when only a part of the piece is asked for, as for playing.
    assert np.allclose(mixed(project, lambda name: medium, 40, 50), sound[:, 40 * 1920 : 90 * 1920], atol=0.02)


def test_the_throat_can_keep_its_resonances(tmp_path: Path) -> None:
    """Formants: a buzz through one strong resonance, whose place in the spectrum stays or moves along."""
    clip = tmp_path / "vowel.wav"
    buzz = np.zeros(6 * 48000)
    buzz[:: 48000 // 150] = 1
    one_resonance = scipy.signal.lfilter([1], [1, -2 * 0.985 * np.cos(2 * np.pi * 1500 / 48000), 0.985**2], buzz)
    wave = (0.5 * one_resonance / np.abs(one_resonance).max() * 32767).astype("<i2")
    scipy.io.wavfile.write(clip, 48000, wave)

    def resonance(sound: np.ndarray) -> float:
        strength = np.abs(np.fft.rfft(sound[0, 48000 : 4 * 48000])) ** 2
        hertz = np.fft.rfftfreq(3 * 48000, 1 / 48000)
        near = (hertz > 500) & (hertz < 4000)
        return float((hertz * strength)[near].sum() / strength[near].sum())

    before = resonance(shifted(clip, 0, 5, 0.001))
    along, kept = resonance(shifted(clip, 0, 5, -5)), resonance(shifted(clip, 0, 5, -5, throat=True))
    assert along < 0.85 * before
    assert kept == pytest.approx(before, rel=0.1)


def test_sound_comes_and_goes_with_the_picture_and_two_shots_cross(clip):
    def media(name):
        return Medium(clip, probe(clip))

    def loud(project, *frames):
        """Root mean square over frames, against that of the clip itself."""
        sound = mixed(project, media, 0, 60)[0].reshape(60, -1)
        return [float(np.sqrt(np.mean(sound[frame] ** 2))) / whole for frame in frames]

    def one(**more):
        return Shot(name="s", medium="a", first=0, last=49, **more)

    whole = float(np.sqrt(np.mean(span(clip, 0.5, 0.5)[0] ** 2)))
    faded = Project(name="p", layers=[Layer(items=[one(start=0, fade_in=20, fade_out=10)])])
    assert loud(faded, 4, 10, 30, 45) == pytest.approx([0.225, 0.525, 1, 0.45], abs=0.04)
    crossed = Project(name="p", layers=[Layer(items=[one(start=0), one(start=30, fade_in=20)])])
    # The same tone on both: what one loses the other gains, but for where they cancel.
    assert max(loud(crossed, 30, 35, 40, 45)) <= 1.05
    alone = Project(name="p", layers=[Layer(items=[one(start=0), one(start=30, fade_in=20, sound=False)])])
    assert loud(alone, 29, 34, 39, 44) == pytest.approx([1, 0.775, 0.525, 0.275], abs=0.04)
    held = Project(name="p", layers=[Layer(items=[one(start=0, held=20)])])
    assert loud(held, 5) == [0]
