"""What known attacks bring back of a face that was hidden.

Averaging: cells that stand still while a face moves through them sample it elsewhere on each frame; laid over each other
face by face their mean is finer than any of them (shift and add: Elad, Hel-Or 2001). Division: a blur of known form is
divided out of the spectrum, damped where noise is stronger (Wiener 1949). What comes back is compared with the face
itself in the details by which people are told apart, a tenth to a third of a face wide.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.masks import shrunk
from cravo.core.finders.faces import Oval
from cravo.core.looks.blur import gaussian

SIDE = 96  # pixels of a face that is laid upright
WIDE = 64.0  # of them, across its oval
FINE, COARSE = 0.03, 0.1  # of its width, the deviations between which details lie
NOISE = 1.0  # levels of deviation: an 8-bit picture is never without
BROUGHT_BACK = 0.5  # likeness from which on somebody could be recognised
GAIN = 0.1  # by which the mean of many frames must be more like the face than one of them
ENOUGH = 4  # frames that averaging needs

Grey = NDArray[np.float32]


@dataclass(frozen=True)
class Attack:
    """How like the face its cover is as it stands on one frame, and what is made of it: 0 nothing in common, 1 the same."""

    alone: float
    averaged: float
    divided: float

    @property
    def averaging_helps(self) -> bool:
        return self.averaged > max(BROUGHT_BACK, self.alone + GAIN)

    @property
    def dividing_helps(self) -> bool:
        return self.divided > BROUGHT_BACK


def upright(plane: NDArray[np.uint8] | NDArray[np.uint16], oval: Oval) -> Grey:
    """A face of a luma plane laid upright, (SIDE, SIDE), in levels of its depth.

    Parameters
    ----------
    plane
        (height, width), in code values.
    oval
        The face, in pixels of the plane.
    """
    scale = WIDE / (2 * oval.rx)
    turn = cv2.getRotationMatrix2D((0, 0), oval.roll, scale)
    turn[:, 2] = SIDE / 2 - turn[:, :2] @ (oval.x, oval.y)
    sharp = plane.astype(np.float32)
    reach = int(2 * max(oval.rx, oval.ry)) + 8
    left, top = max(int(oval.x) - reach, 0), max(int(oval.y) - reach, 0)
    sharp = sharp[top : int(oval.y) + reach, left : int(oval.x) + reach]
    if sharp.size == 0:
        return np.zeros((SIDE, SIDE), np.float32)
    turn[:, 2] += turn[:, :2] @ (left, top)
    if scale < 0.5:  # made smaller: what is finer than the new pixels would fold
        sharp = gaussian(sharp, 0.4 / scale)
    laid = cv2.warpAffine(sharp, turn, (SIDE, SIDE), flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(laid, np.float32)


def attacked(faces: Sequence[Grey], covers: Sequence[Grey], blur: float | None) -> Attack:
    """Attack the covers of a face on some frames, upright; `blur` is their deviation as a share of the face's width."""
    face, mean = (np.asarray(np.mean(each, 0), np.float32) for each in (faces, covers))
    averaged = alike(mean, face) if blur is None and len(covers) >= ENOUGH else 0.0
    divided = 0.0 if blur is None else alike(_divided(mean, blur * WIDE, len(covers)), face)
    return Attack(alike(covers[0], faces[0]), averaged, divided)


def _divided(picture: Grey, sigma: float, frames: int) -> Grey:
    """A blur divided out of a mean of some frames, damped."""
    rows, columns = np.fft.fftfreq(SIDE)[:, None], np.fft.fftfreq(SIDE)[None, :]
    kept = np.exp(-2 * np.pi**2 * sigma**2 * (rows**2 + columns**2))
    window = np.outer(np.hanning(SIDE), np.hanning(SIDE))
    calm = (picture - picture.mean()) * window
    # A picture's power falls with the square of the frequency; noise is the same at all.
    power = (calm.var() + 1e-6) / np.maximum(rows**2 + columns**2, 1 / SIDE**2) / SIDE**2
    damped = kept / (kept**2 + NOISE**2 / frames / (power * SIDE))
    return np.asarray(np.fft.ifft2(np.fft.fft2(calm) * damped).real, np.float32)


def alike(one: Grey, other: Grey, hidden: NDArray[np.bool_] | None = None) -> float:
    """How far the details of two faces agree, 0..1: their correlation inside the oval.

    Parameters
    ----------
    one, other
        As `upright` lays them.
    hidden
        Where alone they are compared, (SIDE, SIDE): at its border by as much less as details reach across it.
    """
    y, x = np.mgrid[:SIDE, :SIDE] - (SIDE - 1) / 2
    inside = np.hypot(x, y / 1.2) < 0.45 * WIDE
    if hidden is not None:
        inside &= shrunk(hidden, round(COARSE * WIDE))
        if not inside.any():
            return 0.0
    a, b = (_details(each)[inside] for each in (one, other))
    spread = float(a.std() * b.std())
    return max(float(((a - a.mean()) * (b - b.mean())).mean()) / spread, 0.0) if spread > 1e-3 else 0.0


def _details(face: Grey) -> Grey:
    return gaussian(face, FINE * WIDE) - gaussian(face, COARSE * WIDE)
