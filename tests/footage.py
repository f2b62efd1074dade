"""Small clips with known content, made with PyAV for a test and gone with it."""

from __future__ import annotations

from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
from av.audio.frame import AudioFrame
from av.video.frame import VideoFrame


def textured(width: int, height: int, seed: int = 3) -> np.ndarray:
    """Soft coloured noise with texture at several scales, (height, width, 3) in 0..255."""
    random = np.random.default_rng(seed)
    total = np.zeros((height, width, 3), np.float32)
    for scale, weight in ((2, 0.5), (6, 1.0), (24, 1.4)):
        small = random.normal(0, 1, (height // scale + 2, width // scale + 2, 3)).astype(np.float32)
        total += weight * cv2.resize(small, (width, height), interpolation=cv2.INTER_CUBIC)
    low, high = total.min(), total.max()
    return ((total - low) / (high - low) * 215 + 20).astype(np.uint8)


def numbered(frame: int, width: int, height: int) -> np.ndarray:
    """A flat grey whose value tells the frame: 16 steps of 12, told apart after any coding."""
    return np.full((height, width, 3), 30 + 12 * (frame % 16), np.uint8)


def make_clip(
    path: Path,
    pictures: Sequence[np.ndarray],
    rate: Fraction = Fraction(25),
    codec: str = "libx264",
    pixels: str = "yuv420p",
    times: Sequence[int] | None = None,
    base: Fraction | None = None,
    turn: int = 0,
    gop: int = 12,
    tone: float | None = None,
    metadata: dict[str, str] | None = None,
    quality: str = "10",
    signed: bool = False,
) -> Path:
    """Write RGB pictures; `times` are presentation times in `base`, `tone` a sine in Hz as its sound.

    The encoder of the sound names itself in the stream where it is `signed`.
    """
    height, width = pictures[0].shape[:2]
    with av.open(str(path), "w") as target:
        target.metadata.update(metadata or {})
        stream = target.add_stream(codec, rate=rate)
        stream.width, stream.height, stream.pix_fmt = width, height, pixels
        stream.codec_context.gop_size = gop
        stream.time_base = stream.codec_context.time_base = base or 1 / rate
        context = stream.codec_context
        context.colorspace = context.color_range = context.color_primaries = context.color_trc = 1
        if codec.startswith("libx264"):
            stream.options = {"crf": quality, "preset": "ultrafast"}
        sound = target.add_stream("aac", rate=48000, layout="stereo") if tone else None
        if sound is not None and not signed:
            sound.options = {"flags": "+bitexact"}
        if turn:
            stream.set_display_rotation(turn)
        for index, picture in enumerate(pictures):
            frame = VideoFrame.from_ndarray(np.ascontiguousarray(picture), format="rgb24").reformat(
                format=pixels, dst_colorspace=1, dst_color_range=1
            )
            frame.colorspace, frame.color_range = 1, 1
            frame.pts = times[index] if times else index
            frame.time_base = base or 1 / rate
            target.mux(stream.encode(frame))
        target.mux(stream.encode(None))
        if sound is not None:
            seconds = len(pictures) / rate
            count = int(seconds * 48000)
            wave = 0.5 * np.sin(2 * np.pi * tone * np.arange(count) / 48000)
            for start in range(0, count, 1024):
                part = np.stack([wave[start : start + 1024]] * 2).astype(np.float32)
                block = AudioFrame.from_ndarray(part, format="fltp", layout="stereo")
                block.sample_rate, block.pts, block.time_base = 48000, start, Fraction(1, 48000)
                target.mux(sound.encode(block))
            target.mux(sound.encode(None))
    return path


def moving(
    texture: np.ndarray, matrices: Sequence[np.ndarray], width: int, height: int, behind: np.ndarray | None = None
) -> list[np.ndarray]:
    """The texture moved by 3x3 matrices (source pixels, centres at half integers), over a still background."""
    half = np.array([[1, 0, 0.5], [0, 1, 0.5], [0, 0, 1.0]])
    pictures = []
    for matrix in matrices:
        full = np.linalg.inv(half) @ matrix @ half
        moved = cv2.warpPerspective(texture, full, (width, height), flags=cv2.INTER_AREA, borderMode=cv2.BORDER_REFLECT)
        if behind is not None:
            alpha = (
                cv2.warpPerspective(np.full(texture.shape[:2], 255, np.uint8), full, (width, height))[..., None] / 255
            )
            moved = (moved * alpha + behind * (1 - alpha)).astype(np.uint8)
        pictures.append(moved)
    return pictures
