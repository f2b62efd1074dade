"""The sound of a sequence."""

from __future__ import annotations

import math
from fractions import Fraction

import numpy as np
from pedalboard.io import StreamResampler

from cravo.core.document import Layer, Project, Shot
from cravo.core.footage.writer import SOUND_RATE
from cravo.core.sound.reader import Samples, span
from cravo.core.sound.voice import MOST, shifted
from cravo.core.timing import Media, Medium, span_of

FADE = 0.005  # seconds before and after a stretch, over which it comes and goes, so that nothing clicks
TONE = 1000.0  # hertz of the tone that is laid over what was said
MARGIN = 960  # samples
TONE_LOUD = 0.1  # of full scale, -20 dB


def has_sound(project: Project, media: Media) -> bool:
    return any(shot.sound and media(shot.medium).facts.sound for shot in project.shots())


def mixed(project: Project, media: Media, start: int, frames: int) -> Samples:
    """Sound under sequence frames start .. start+frames, (2, samples) float32 at 48 kHz, clipped to -1..1."""
    total = np.zeros((2, _sample(start + frames, project.rate) - _sample(start, project.rate)), np.float32)
    for layer in project.layers:
        if layer.on:
            for shot in layer.shots:
                _add(total, shot, layer, project, media, start, frames)
    return np.clip(total, -1.0, 1.0)


def _add(total: Samples, shot: Shot, layer: Layer, project: Project, media: Media, start: int, frames: int) -> None:
    """Add what a shot lets hear under sequence frames start .. start+frames, in place."""
    medium = media(shot.medium)
    if not shot.sound or shot.held or medium.facts.sound is None:
        return
    span = span_of(shot, media, project.rate)
    begin, stop = max(start, span.start), min(start + frames, span.stop)
    if begin >= stop:
        return
    first, place = _sample(start, project.rate), _sample(begin, project.rate)
    count = _sample(stop, project.rate) - place
    passed = float((begin - shot.start) / project.rate)
    sound = heard(shot, medium, passed, count) * _loudness(shot, layer, span, project.rate, place, count)
    total[:, place - first : place - first + count] += sound


def _loudness(shot: Shot, layer: Layer, span: range, rate: Fraction, place: int, count: int) -> Samples:
    """How much of a shot is heard as it comes and goes, from a sample of the sequence on; what comes over it on its layer
    takes its place."""
    at = np.arange(place, place + count, dtype=np.float64)
    heard = np.ones(count)
    begin, end = _sample(span.start, rate), _sample(span.stop, rate)
    if shot.fade_in:
        heard *= np.clip((at - begin) / _sample(shot.fade_in, rate), 0, 1)
    if shot.fade_out:
        heard *= np.clip((end - at) / _sample(shot.fade_out, rate), 0, 1)
    for other in layer.shots:
        if other.fade_in and span.start < other.start < span.stop:
            heard *= 1 - np.clip((at - _sample(other.start, rate)) / _sample(other.fade_in, rate), 0, 1)
    return heard.astype(np.float32)


def heard(shot: Shot, medium: Medium, passed: float, count: int) -> Samples:
    """What a shot lets hear: `count` samples from `passed` seconds after its beginning in the sequence, (2, count)."""
    facts, pace = medium.facts, float(shot.pace)
    gain = np.float32(10 ** (shot.gain / 20))
    if shot.as_it_is:
        return gain * _recorded(shot, medium, float(facts.time_of(shot.first)) + passed, count)
    # A little more on both sides, so that pieces that follow each other meet without a click.
    long = math.ceil(count * pace) + 2 * MARGIN
    if shot.backwards:
        end = float(facts.time_of(shot.last) + 1 / facts.rate) - passed * pace
        taken = _recorded(shot, medium, end - (long - MARGIN) / SOUND_RATE, long)[:, ::-1]
    else:
        begin = float(facts.time_of(shot.first)) + passed * pace
        taken = _recorded(shot, medium, begin - MARGIN / SOUND_RATE, long)
    sampler = StreamResampler(SOUND_RATE * pace, SOUND_RATE, 2)
    paced = np.hstack([sampler.process(np.ascontiguousarray(taken)), sampler.process(None)])
    skip = round(MARGIN / pace)
    return gain * np.asarray(paced[:, skip : skip + count], np.float32)


def _recorded(shot: Shot, medium: Medium, since: float, count: int) -> Samples:
    """The sound of a clip from `since` seconds on its own clock, with a shot's voice and its stretches."""
    out = _voice(shot, medium, since, count, shot.voice)
    for one in shot.sounds:
        begin = float(medium.facts.time_of(one.first)) - since
        end = float(medium.facts.time_of(one.last) + 1 / medium.facts.rate) - since
        low, high = (min(max(round(edge * SOUND_RATE), 0), count) for edge in (begin - FADE, end + FADE))
        if low >= high:
            continue
        instead = np.zeros((2, high - low), np.float32)
        if one.how == "tone":
            instead += TONE_LOUD * np.sin(2 * np.pi * TONE * (since + np.arange(low, high) / SOUND_RATE))
        if one.how == "voice":
            instead += _voice(shot, medium, since + low / SOUND_RATE, high - low, one.voice)
        at = np.arange(low, high) / SOUND_RATE
        share = np.clip(np.minimum(at - begin, end - at) / FADE + 1, 0, 1).astype(np.float32)
        out[:, low:high] += share * (instead - out[:, low:high])
    return out


def _voice(shot: Shot, medium: Medium, since: float, count: int, semitones: float) -> Samples:
    # What is heard faster or slower keeps its pitch, as far as a voice can be moved.
    semitones = min(max(semitones - 12 * math.log2(shot.pace), -MOST), MOST)
    if semitones:
        return shifted(medium.path, since, count / SOUND_RATE, semitones, shot.throat)
    return span(medium.path, since, count / SOUND_RATE)


def _sample(frame: int, rate: Fraction) -> int:
    return round(frame / rate * SOUND_RATE)
