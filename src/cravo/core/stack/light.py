"""Making what was cut out belong to what is behind it: its light, the old background's tint, its rim, its shadow."""

from __future__ import annotations

from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Light
from cravo.core.footage.picture import Picture, Plane

Floats = NDArray[np.float32]

SMALL = 96  # pixels of the long side of what light is compared in
MOST = 2.2  # times that a channel is made brighter or darker, at most
RIM = 0.012  # of the picture's width: how far in a rim reaches
BRIGHTER = 0.25  # of full scale, that a rim gets at most
LOW, SQUASHED, SOFT = (
    0.12,
    0.16,
    0.018,
)  # of the height of what was cut out: where its foot is, how flat its shadow; of the width


def in_light(light: Light, front: Picture, back: Picture) -> tuple[Picture, Picture]:
    """What was cut out, and what is behind it, each with what the other one does to it."""
    assert front.a is not None
    alpha = front.a.astype(np.float32) / np.float32((1 << front.depth) - 1)
    if not (alpha > 0.02).any():
        return front, back
    if light.match:
        front = _gained(front, _gain(front, alpha, back, light.match))
    if light.spill or light.edge:
        front = _rimmed(front, alpha, light)
    if light.shadow:
        back = _shaded(back, alpha, light.shadow)
    return front, back


def _gain(front: Picture, alpha: Floats, back: Picture, strength: float) -> Floats:
    """By how much each of red, green, blue is to change so that both are as bright on the whole (von Kries 1902)."""
    size = SMALL, max(round(SMALL * front.height / front.width), 2)
    weight = cv2.resize(alpha, size, interpolation=cv2.INTER_AREA)[..., None]
    mine, its = (
        picture.with_alpha(None).scaled(SMALL, size[1] & ~1).to_rgb().astype(np.float32) for picture in (front, back)
    )
    weight = weight[: len(mine)]
    own = (mine * weight).sum((0, 1)) / max(float(weight.sum()), 1e-3)
    there = its.mean((0, 1))
    gain = np.clip((there + 6) / (own + 6), 1 / MOST, MOST) ** strength
    return np.asarray(gain, np.float32)


def _gained(picture: Picture, gain: Floats) -> Picture:
    """Each of R', G', B' multiplied."""
    into: Floats = picture.colour.to_luma_chroma
    turn = into @ np.diag(gain) @ np.linalg.inv(into)
    y, u, v = _values(picture)
    big = [cv2.resize(plane, y.shape[::-1], interpolation=cv2.INTER_LINEAR) for plane in (u, v)]
    small = cv2.resize(y, u.shape[::-1], interpolation=cv2.INTER_AREA)
    luma = turn[0, 0] * y + turn[0, 1] * big[0] + turn[0, 2] * big[1]
    chroma = [turn[k, 0] * small + turn[k, 1] * u + turn[k, 2] * v for k in (1, 2)]
    return _coded(picture, luma, *chroma)


def _rimmed(picture: Picture, alpha: Floats, light: Light) -> Picture:
    """The rim without the tint that most of it has in common, and brighter or darker."""
    side = 2 * max(round(RIM * picture.width), 1) + 1
    rim = np.clip(2 * (1 - cv2.blur(alpha, (side, side))), 0, 1) * (alpha > 0.004)
    y, u, v = _values(picture)
    small = cv2.resize(rim.astype(np.float32), u.shape[::-1], interpolation=cv2.INTER_AREA)
    if light.spill and small.sum() > 1:
        u, v = u * (1 - light.spill * small), v * (1 - light.spill * small)
    if light.edge:
        y = y + BRIGHTER * light.edge * rim
    return _coded(picture, y, u, v)


def _shaded(back: Picture, alpha: Floats, strength: float) -> Picture:
    """A soft flat shadow at the foot of what stands before."""
    rows = np.flatnonzero(alpha.max(1) > 0.5)
    if not len(rows):
        return back
    top, foot = int(rows[0]), int(rows[-1]) + 1
    tall = foot - top
    flat = max(round(SQUASHED * tall), 2)
    height, width = alpha.shape
    cast_ = np.zeros_like(alpha)
    shape = cv2.resize(alpha[top:foot], (width, flat), interpolation=cv2.INTER_AREA)
    begin = foot - round(LOW * tall)
    shown = shape[: max(min(flat, height - begin), 0)]
    cast_[begin : begin + len(shown)] = shown
    cast_ = cv2.GaussianBlur(cast_, (0, 0), max(SOFT * width, 1.0))
    y, u, v = _values(back)
    dark = 1 - 0.8 * strength * cast_
    small = cv2.resize(dark, u.shape[::-1], interpolation=cv2.INTER_AREA)
    return _coded(back, y * dark, u * small, v * small)


def _values(picture: Picture) -> tuple[Floats, Floats, Floats]:
    """Luma in 0..1 and chroma around 0."""
    low, span, swing = picture.colour.spans(picture.depth)
    y = (picture.y.astype(np.float32) - low) / span
    u, v = ((plane.astype(np.float32) - picture.neutral) / swing for plane in (picture.u, picture.v))
    return y, u, v


def _coded(picture: Picture, y: Floats, u: Floats, v: Floats) -> Picture:
    low, span, swing = picture.colour.spans(picture.depth)
    most = (1 << picture.depth) - 1
    planes = (y * span + low, u * swing + picture.neutral, v * swing + picture.neutral)
    made = (np.clip(np.rint(plane), 0, most).astype(picture.y.dtype) for plane in planes)
    return picture.with_planes(*cast(tuple[Plane, Plane, Plane], tuple(made)))
