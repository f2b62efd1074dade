"""Sound stays where it belongs."""

import numpy as np
import pytest
from tests.footage import make_clip, numbered

from cravo.core.document import Layer, Project, Shot
from cravo.core.footage.probe import probe
from cravo.core.sound.mix import has_sound, mixed
from cravo.core.sound.reader import peaks, span
from cravo.core.stack.plan import Medium

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
