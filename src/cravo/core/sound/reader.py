"""Sound of a clip as stereo samples at 48 kHz."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np
from av.audio.resampler import AudioResampler
from numpy.typing import NDArray

from cravo.core.footage.writer import SOUND_RATE

Samples = NDArray[np.float32]  # (2, n)


def blocks(path: Path, start: float = 0.0) -> Iterator[tuple[float, Samples]]:
    """Decoded sound from `start` seconds on the clip's clock: (time of the first sample, samples).

    Damaged packets are left out; a clip without sound gives nothing.
    """
    with av.open(str(path), metadata_errors="ignore") as container:
        if not container.streams.audio:
            return
        stream = container.streams.audio[0]
        resampler = AudioResampler(format="fltp", layout="stereo", rate=SOUND_RATE)
        if start > 0.5:
            # A little early: some decoders need a packet or two before their sound is right.
            container.seek(int((start - 0.3) * av.time_base), backward=True)
        at = None
        for packet in container.demux(stream):
            try:
                frames = packet.decode()
            except (av.error.InvalidDataError, av.error.EOFError):
                continue
            for frame in frames:
                if at is None:
                    at = float(frame.time or 0.0)
                for part in resampler.resample(frame):
                    samples = np.asarray(part.to_ndarray(), np.float32)
                    yield at, samples
                    at += samples.shape[1] / SOUND_RATE
        if at is not None:
            for part in resampler.resample(None):
                yield at, np.asarray(part.to_ndarray(), np.float32)


def span(path: Path, start: float, seconds: float) -> Samples:
    """Exactly `seconds` of sound from `start`; silence where the clip has none."""
    count = round(seconds * SOUND_RATE)
    out = np.zeros((2, count), np.float32)
    for at, samples in blocks(path, start):
        place = round((at - start) * SOUND_RATE)
        if place >= count:
            break
        first, last = max(place, 0), min(place + samples.shape[1], count)
        if last > first:
            out[:, first:last] = samples[:, first - place : last - place]
    return out


def peaks(path: Path, per_second: int = 50) -> NDArray[np.uint8]:
    """Loudest sample of each slice, 0..255, for drawing a lane of sound.

    Parameters
    ----------
    path
        Anything with sound that can be decoded.
    per_second
        Slices a second.

    Returns
    -------
    ndarray
        (n,).
    """
    width = SOUND_RATE // per_second
    values: list[NDArray[np.float32]] = []
    rest = np.zeros(0, np.float32)
    for _, samples in blocks(path):
        joined = np.concatenate([rest, np.abs(samples).max(0)])
        whole = len(joined) // width * width
        values.append(joined[:whole].reshape(-1, width).max(1))
        rest = joined[whole:]
    if len(rest):
        values.append(rest.max(keepdims=True))
    loud = np.concatenate(values) if values else np.zeros(0, np.float32)
    return np.clip(np.rint(loud * 255), 0, 255).astype(np.uint8)
