"""Voices made higher or lower, at the same length.

A phase vocoder that keeps transients (Rubber Band, in Spotify's pedalboard) works on blocks of a fixed grid, each a little
longer than the grid on both sides; where two overlap one fades into the other. So every stretch that is asked for sounds
the same, in the preview as in the export, and memory does not grow with the length.
"""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

import numpy as np
from pedalboard import time_stretch

from cravo.core.footage.writer import SOUND_RATE
from cravo.core.sound.reader import Samples, span

BLOCK = 10 * SOUND_RATE  # samples of the grid
OVER = 2 * SOUND_RATE // 5  # samples by which a block is longer on either side
MOST = 12.0  # semitones


def ratio(semitones: float) -> float:
    """Of frequencies, in equal temperament."""
    return float(2 ** (semitones / 12))


def shifted(path: Path, start: float, seconds: float, semitones: float, throat: bool = False) -> Samples:
    """`span` of a clip's sound with all frequencies moved by `semitones`, -12..12; the length is exactly the same.

    With `throat` the formants stay where they are, as of the same throat that sings higher or lower.
    """
    first, count = round(start * SOUND_RATE), round(seconds * SOUND_RATE)
    out = np.zeros((2, count), np.float32)
    for k in range((first - OVER) // BLOCK, (first + count + OVER - 1) // BLOCK + 1):
        begin = k * BLOCK - OVER
        low, high = max(first, begin), min(first + count, begin + BLOCK + 2 * OVER)
        if low < high:
            block = _block(str(path), path.stat().st_mtime_ns, k, round(semitones, 3), throat)
            out[:, low - first : high - first] += block[:, low - begin : high - begin]
    return out


@lru_cache(maxsize=8)
def _block(path: str, stamp: int, k: int, semitones: float, throat: bool) -> Samples:
    """A block of the grid with its overlaps, faded in and out."""
    source = span(Path(path), (k * BLOCK - OVER) / SOUND_RATE, (BLOCK + 2 * OVER) / SOUND_RATE)
    moved = time_stretch(source, SOUND_RATE, 1.0, pitch_shift_in_semitones=semitones, preserve_formants=throat)
    fade = np.ones(source.shape[1], np.float32)
    rise = (np.arange(2 * OVER, dtype=np.float32) + 0.5) / (2 * OVER)
    fade[: 2 * OVER], fade[-2 * OVER :] = rise, rise[::-1]
    return np.asarray(moved[:, : source.shape[1]] * fade, np.float32)
