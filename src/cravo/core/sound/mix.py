"""The sound of a piece."""

from __future__ import annotations

from fractions import Fraction

import numpy as np

from cravo.core.document import Project, Shot
from cravo.core.footage.writer import SOUND_RATE
from cravo.core.sound.reader import Samples, span
from cravo.core.sound.voice import shifted
from cravo.core.stack.plan import Media, length_of


def has_sound(project: Project, media: Media) -> bool:
    return any(shot.sound and media(shot.medium).facts.sound for shot in project.shots())


def mixed(project: Project, media: Media, start: int, frames: int) -> Samples:
    """Sound under piece frames start .. start+frames, (2, samples) float32 at 48 kHz, clipped to -1..1."""
    first, last = _sample(start, project.rate), _sample(start + frames, project.rate)
    total = np.zeros((2, last - first), np.float32)
    for shot in project.shots():
        medium = media(shot.medium)
        if not shot.sound or medium.facts.sound is None:
            continue
        end = shot.start + length_of(shot, medium.facts, project.rate)
        begin, stop = max(start, shot.start), min(start + frames, end)
        if begin >= stop:
            continue
        place = _sample(begin, project.rate)
        count = _sample(stop, project.rate) - place
        since = _source_time(shot, medium.facts.time_of(shot.first), begin, project.rate)
        part = total[:, place - first : place - first + count]
        if shot.voice:
            part += shifted(medium.path, since, count / SOUND_RATE, shot.voice)
        else:
            part += span(medium.path, since, count / SOUND_RATE)
    return np.clip(total, -1.0, 1.0)


def _sample(frame: int, rate: Fraction) -> int:
    return round(frame / rate * SOUND_RATE)


def _source_time(shot: Shot, first: Fraction, frame: int, rate: Fraction) -> float:
    return float(first + (frame - shot.start) / rate)
