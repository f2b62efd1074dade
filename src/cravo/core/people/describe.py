"""A face as numbers that tell people apart.

The residual network of He, Zhang, Ren, Sun 2016, as trained by King 2017 (dlib): what it makes of two pictures of one
person lies nearer together than of two people. Such numbers are biometric data: they are computed when somebody asks
for it, and for nothing else than comparing the faces of a film with each other.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from threading import Lock
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.face_tracks import FaceObservation
from cravo.core.finders.faces import Oval, Pixels, look
from cravo.core.finders.models import FACES_KNOWN, FACES_POINTS, MissingModel, models_folder

Vector = NDArray[np.float32]

VIEWS = 4  # of a track, that are described
TRIED = 3  # frames of a stretch of a track, of which the best view is taken
SMALLEST = 20.0  # source pixels: a narrower face says nothing
SEEN = 0.5  # sureness of eyes and mouth, from which on a face is seen well enough
WIDE = 120.0  # pixels of a face as it is described
SIDE = 320  # of the square around it
ABOVE, BELOW = 0.9, 1.1  # of a face's half height, between which the points of it are looked for
_ONE_AT_A_TIME = Lock()  # the network keeps what it computes


@dataclass(frozen=True)
class FaceView:
    """A face on a frame, and the numbers that describe it; (128,), None where too little of it is seen."""

    frame: int
    oval: Oval
    vector: Vector | None


def describable() -> bool:
    """Whether the networks that describe faces are installed."""
    return all((models_folder() / name).is_file() for name in (FACES_KNOWN, FACES_POINTS))


def describe(picture: Pixels, oval: Oval) -> Vector:
    """The numbers of a face.

    Parameters
    ----------
    picture
        RGB, (height, width, 3).
    oval
        The face, in pixels of the picture.

    Returns
    -------
    ndarray
        (128,). The Euclidean distance between two of one person is mostly below 0.5, between people above 0.6.

    Raises
    ------
    MissingModel
        Where the networks are not installed.
    """
    import dlib

    points, network = _networks()
    upright, half_height = _upright(picture, oval), oval.ry * WIDE / (2 * oval.rx)
    middle, half = SIDE / 2, WIDE / 2
    box = dlib.rectangle(
        round(middle - half), round(middle - ABOVE * half_height),
        round(middle + half), round(middle + BELOW * half_height),
    )  # fmt: skip
    with _ONE_AT_A_TIME:
        return np.array(network.compute_face_descriptor(upright, points(upright, box)), np.float32)


def well_seen(picture: Pixels, oval: Oval) -> float:
    """How well a face shows who it is: how surely its eyes and mouth are seen, 0..1, times its width in pixels."""
    features = look(picture, oval)
    return 0.0 if features is None or features.sure < SEEN else features.sure * min(2 * oval.rx, WIDE)


class BestViews:
    """The views of a track that show most, one of each of its stretches, out of the pictures that are shown to it."""

    def __init__(self, seen: Mapping[int, FaceObservation]) -> None:
        self._seen = seen
        self._stretch = {frame: number for number, frames in enumerate(_candidates(seen)) for frame in frames}
        self._best: dict[int, tuple[float, FaceView, Pixels]] = {}

    @property
    def frames(self) -> list[int]:
        """The frames to be shown; none where the face is too small throughout."""
        return sorted(self._stretch)

    def show(self, frame: int, picture: Pixels) -> None:
        """A frame's picture, RGB; others than those of `frames` are passed over."""
        if frame not in self._stretch:
            return
        oval, number = self._seen[frame].oval, self._stretch[frame]
        worth = well_seen(picture, oval)
        if number not in self._best or worth > self._best[number][0]:
            self._best[number] = worth, FaceView(frame, oval, None), _around(picture, oval)

    def described(self) -> list[FaceView]:
        """The views, each with its vector where enough of the face is seen. Raises MissingModel."""
        return [
            FaceView(view.frame, view.oval, describe(near, _within(view.oval)) if worth > 0 else None)
            for worth, view, near in self._best.values()
        ]


def _candidates(seen: Mapping[int, FaceObservation]) -> list[list[int]]:
    """The frames of each stretch of a track that are looked at."""
    good = [frame for frame, one in sorted(seen.items()) if one.how in ("found", "set") and 2 * one.oval.rx >= SMALLEST]
    stretches = [good[len(good) * k // VIEWS : len(good) * (k + 1) // VIEWS] for k in range(VIEWS)]
    return [sorted(frames, key=lambda frame: -_promise(seen[frame]))[:TRIED] for frames in stretches if frames]


def _promise(one: FaceObservation) -> float:
    return one.sure * min(2 * one.oval.rx, WIDE)


def _around(picture: Pixels, oval: Oval) -> Pixels:
    """A copy of what lies around a face, so that whole pictures need not be kept."""
    height, width = picture.shape[:2]
    left, top, half = _corner(oval)
    inside = picture[max(top, 0) : max(top + 2 * half, 0), max(left, 0) : max(left + 2 * half, 0)]
    missing = max(-top, 0), max(top + 2 * half - height, 0), max(-left, 0), max(left + 2 * half - width, 0)
    return cv2.copyMakeBorder(inside, *missing, cv2.BORDER_REPLICATE)


def _within(oval: Oval) -> Oval:
    """A face in the pixels of what lies around it."""
    left, top, _ = _corner(oval)
    return Oval(oval.x - left, oval.y - top, oval.rx, oval.ry, oval.roll)


def _corner(oval: Oval) -> tuple[int, int, int]:
    """Left and top of what lies around a face, and half its side."""
    half = math.ceil(0.75 * SIDE * 2 * oval.rx / WIDE)
    return round(oval.x) - half, round(oval.y) - half, half


def _upright(picture: Pixels, oval: Oval) -> Pixels:
    """A face in the middle of a square, `WIDE` across and not tilted."""
    scale, turn = WIDE / (2 * oval.rx), math.radians(oval.roll)
    cos, sin, half = scale * math.cos(turn), scale * math.sin(turn), SIDE / 2
    onto = np.array([[cos, sin, half - cos * oval.x - sin * oval.y], [-sin, cos, half + sin * oval.x - cos * oval.y]])
    flags = cv2.INTER_AREA if scale < 1 else cv2.INTER_CUBIC
    laid = cv2.warpAffine(picture, onto, (SIDE, SIDE), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    return np.ascontiguousarray(laid)


@cache
def _networks() -> tuple[Any, Any]:
    """What finds the points of a face, and what describes it."""
    import dlib

    if not describable():
        raise MissingModel("The network that compares faces is not installed. Run ./cravo models to install it.")
    folder = models_folder()
    return dlib.shape_predictor(str(folder / FACES_POINTS)), dlib.face_recognition_model_v1(str(folder / FACES_KNOWN))
