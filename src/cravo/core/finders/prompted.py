"""Segmenters that points ask, put into the models folder by a user: an image encoder and a point decoder.

The split is that of Kirillov et al. 2023 (*Segment Anything*); `docs/formats/engines.md` says what the two files take and
give.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.errors import CravoError
from cravo.core.finders.models import models_folder, network

if TYPE_CHECKING:
    from onnxruntime import NodeArg

Pixels = NDArray[np.uint8]
Floats = NDArray[np.float32]
Spots = list[tuple[float, float]]

ENCODER, DECODER = ".encoder.onnx", ".decoder.onnx"
SIDE = 1024  # pixels of the long side where the encoder leaves it open
MASK_SIDE = 256  # of an earlier mask, which decoders of this kind may ask for; none is ever given


def engines() -> list[str]:
    """The names of the pairs in the models folder."""
    folder = models_folder()
    found = sorted(path.name.removesuffix(ENCODER) for path in folder.glob(f"*{ENCODER}"))
    return [name for name in found if (folder / f"{name}{DECODER}").is_file()]


@dataclass(frozen=True, slots=True)
class _Looked:
    """A picture as the encoder gave it."""

    given: dict[str, NDArray[np.generic]]
    shown: tuple[int, int]  # width and height of the picture within what the encoder sees
    size: tuple[int, int]  # of what the encoder sees


class Prompted:
    """One such pair; raises MissingModel or CravoError with a sentence where it cannot be used."""

    def __init__(self, name: str) -> None:
        self._name = name
        self._encoder, self._decoder = network(name + ENCODER), network(name + DECODER)
        images = self._encoder.get_inputs()
        wanted = {one.name for one in self._decoder.get_inputs()}
        if len(images) != 1 or len(images[0].shape) != 4 or not {"point_coords", "point_labels"} <= wanted:
            raise CravoError(f"{name} is not a pair of networks that Cravo can ask with points.")
        self._image: NodeArg = images[0]

    def opacity(self, view: Pixels, inside: Spots, outside: Spots) -> Floats:
        """How much each pixel of a view belongs to what the points inside show, (height, width) in 0..1.

        Parameters
        ----------
        view
            RGB, (height, width, 3).
        inside, outside
            Places x, y in pixels of the view.

        Raises
        ------
        CravoError
            Where the network does not take what it is given, or gives what is none.
        """
        looked = self._look(view)
        scale = looked.shown[0] / view.shape[1]
        spots = np.array([(x * scale, y * scale) for x, y in [*inside, *outside]], np.float32)
        feed = dict(looked.given)
        feed["point_coords"] = spots[None]
        feed["point_labels"] = np.array([[1] * len(inside) + [0] * len(outside)], np.float32)
        feed |= self._rest(looked)
        wanted = {one.name for one in self._decoder.get_inputs()}
        try:
            names = [one.name for one in self._decoder.get_outputs()]
            found = self._decoder.run(None, {name: value for name, value in feed.items() if name in wanted})
        except Exception as error:  # the runtime has exceptions of its own for each way in which inputs are wrong
            raise CravoError(f"{self._name} does not take what Cravo gives it.") from error
        answer = dict(zip(names, found, strict=True))
        return _of_view(self._best(answer), looked, view.shape[:2])

    def _look(self, view: Pixels) -> _Looked:
        height, width = view.shape[:2]
        sides = [side if isinstance(side, int) else SIDE for side in self._image.shape[2:]]
        scale = min(sides[0] / height, sides[1] / width)
        shown = max(round(width * scale), 1), max(round(height * scale), 1)
        seen = np.zeros((1, 3, sides[0], sides[1]), np.float32)
        small = cv2.resize(view, shown, interpolation=cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR)
        seen[0, :, : shown[1], : shown[0]] = small.transpose(2, 0, 1) * np.float32(1 / 255)
        try:
            found = self._encoder.run(None, {self._image.name: seen})
        except Exception as error:  # as above
            raise CravoError(f"{self._name} does not take what Cravo gives it.") from error
        names = [one.name for one in self._encoder.get_outputs()]
        return _Looked(dict(zip(names, found, strict=True)), shown, (sides[1], sides[0]))

    def _rest(self, looked: _Looked) -> dict[str, NDArray[np.float32]]:
        """What decoders of this kind may ask for besides."""
        return {
            "mask_input": np.zeros((1, 1, MASK_SIDE, MASK_SIDE), np.float32),
            "has_mask_input": np.zeros(1, np.float32),
            "orig_im_size": np.array(looked.size[::-1], np.float32),
        }

    def _best(self, answer: dict[str, NDArray[np.float32]]) -> Floats:
        """The mask that the decoder thinks most of, as log odds."""
        masks = answer.get("masks", next(iter(answer.values())))
        if masks.ndim != 4:
            raise CravoError(f"{self._name} gives no masks.")
        worth = answer.get("iou_predictions")
        best = 0 if worth is None else int(np.argmax(worth[0]))
        return np.asarray(masks[0, min(best, masks.shape[1] - 1)], np.float32)


def _of_view(odds: Floats, looked: _Looked, shape: tuple[int, ...]) -> Floats:
    """Log odds over what the encoder saw as opacity over the view."""
    whole = cv2.resize(odds, looked.size, interpolation=cv2.INTER_LINEAR)
    part = whole[: looked.shown[1], : looked.shown[0]]
    view = cv2.resize(part, (shape[1], shape[0]), interpolation=cv2.INTER_LINEAR)
    return np.asarray(1 / (1 + np.exp(-np.clip(view, -20, 20))), np.float32)
