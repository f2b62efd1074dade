"""Looks at an area in working pixels, and new frames laid into them by a guess of the movement."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.footage.picture import Box, Picture
from cravo.core.geometry.transforms import Matrix, apply, for_opencv, inverse
from cravo.core.motion.align import Template, template
from cravo.core.motion.fit import Points
from cravo.core.motion.recognise import Features, features
from cravo.core.motion.settings import TrackingSettings

Grey = NDArray[np.uint8]
Mask = NDArray[np.bool_]
HoldOut = Callable[[int], Grey | None]


def nothing_held(frame: int) -> None:
    """The hold-out where nothing is to be ignored."""


class Levels:
    """A frame and halves of it: what is laid small is averaged first, so that fine texture does not alias."""

    MOST = 5

    def __init__(self, grey: Grey) -> None:
        self.grey = grey
        self._levels = [grey]

    def at(self, halvings: int) -> Grey:
        """The frame halved so many times, as far as that is sensible."""
        while len(self._levels) <= min(halvings, self.MOST) and min(self._levels[-1].shape) > 64:
            self._levels.append(_smaller(self._levels[-1], 0.5))
        return self._levels[min(max(halvings, 0), len(self._levels) - 1)]


@dataclass(frozen=True, slots=True)
class View:
    """A part of a frame in working pixels: `to_work` takes source pixels there."""

    grey: Grey
    to_work: Matrix


@dataclass(frozen=True, slots=True)
class Half:
    """A view at half its size, with mean and variance around each pixel: as telling, at a quarter of the cost."""

    grey: Grey
    plane: NDArray[np.float32]
    mask: NDArray[np.uint8]
    mean: NDArray[np.float32]
    variance: NDArray[np.float32]


@dataclass(frozen=True)
class TargetView:
    """The area as it is seen on a frame, in working pixels; `mask` says where it is, `matrix` what took it there."""

    frame: int
    matrix: Matrix
    view: View
    mask: NDArray[np.uint8]
    settings: TrackingSettings

    @cached_property
    def points(self) -> NDArray[np.float32]:
        """Points of texture inside the area, (n, 2) in working pixels."""
        most = self.settings.most_points
        strong = cv2.goodFeaturesToTrack(self.view.grey, most, 0.004, 5, mask=self.mask, blockSize=5)
        return np.zeros((0, 2), np.float32) if strong is None else strong.reshape(-1, 2)

    @cached_property
    def template(self) -> Template:
        """The pixels that tell its movement."""
        return template(self.view.grey, self.mask)

    @cached_property
    def small(self) -> Template:
        """The same at half the size."""
        return template(self.half.grey, self.half.mask)

    @cached_property
    def half(self) -> Half:
        return self._half(self.view.grey, self.mask)

    @cached_property
    def features(self) -> Features:
        """What it can be recognised by."""
        return features(self.view.grey, self.mask)

    @cached_property
    def told(self) -> int:
        """How much of it can be compared with another view, in pixels of half the size."""
        return int(np.count_nonzero((self.half.mask > 127) & (self.half.variance > self.settings.telling)))

    def compared(self, laid: Grey, known: Mask) -> tuple[Mask, Mask]:
        """Where it looks the same in a frame laid into its view (local normalised correlation), and where that can be told.

        Both are of half the size. `known` says where the frame has content.

        Parameters
        ----------
        laid
            The frame in this view, grey, (height, width).
        known
            (height, width).
        """
        old, new = self.half, self._half(laid, np.where(known, self.mask, 0).astype(np.uint8))
        common = cv2.blur(old.plane * new.plane, self.settings.patch) - old.mean * new.mean
        alike = common / np.sqrt(np.maximum(old.variance, 1) * np.maximum(new.variance, 1)) > 0.5
        return alike, (new.mask > 127) & (old.variance > self.settings.telling)

    def corrected(self, matrix: Matrix, moved: Matrix) -> Matrix:
        """A matrix from the area's own frame, corrected by what moved in the working pixels of this view."""
        to_work = self.view.to_work
        fixed = matrix @ inverse(self.matrix) @ inverse(to_work) @ moved @ to_work @ self.matrix
        return fixed / fixed[2, 2]

    def _half(self, grey: Grey, mask: NDArray[np.uint8]) -> Half:
        small, patch = _smaller(grey, 0.5), self.settings.patch
        plane = small.astype(np.float32)
        mean = cv2.blur(plane, patch)
        return Half(small, plane, _smaller(mask, 0.5), mean, cv2.blur(plane * plane, patch) - mean * mean)


class Views:
    """The frames of a clip, and one area as it is seen on them; what it takes is said at `RegionTracker`.

    The view of the frame `at`, on which the area was drawn, is kept for good.
    """

    def __init__(
        self,
        luma: Callable[[int], Grey],
        at: int,
        outline: Points,
        hold_out: HoldOut,
        settings: TrackingSettings,
    ) -> None:
        self.outline, self.settings = outline, settings
        self._luma, self._at, self._hold_out = luma, at, hold_out
        self._views: dict[int, TargetView] = {}
        self._shown: dict[int, Levels] = {}

    def view(self, frame: int, matrix: Matrix) -> TargetView | None:
        """The area on a frame, where `matrix` has taken it; None where too little of it is in the picture.

        Parameters
        ----------
        frame
            Source frame.
        matrix
            3x3, from the area's own frame.
        """
        known = self._views.get(frame)
        if known is not None and known.matrix is matrix:
            return known
        grey = self._luma(frame)
        outline = apply(matrix, self.outline)
        box = bounds_of(outline, 0.1).within(grey.shape[1], grey.shape[0])
        if box.width < 8 or box.height < 8:
            return None
        view = _view_of(grey, box, min(1.0, (self.settings.work_area / max(area_of(outline), 1.0)) ** 0.5))
        mask = np.zeros(view.grey.shape, np.uint8)
        cv2.fillPoly(mask, [np.rint(apply(view.to_work, outline)).astype(np.int32)], 255)
        held = self._hold_out(frame)
        if held is not None:
            cut = cv2.resize(held[box.top : box.bottom, box.left : box.right], view.grey.shape[::-1])
            mask[self._held(cut)] = 0
        found = TargetView(frame, matrix, view, mask, self.settings)
        self._views[frame] = found
        if len(self._views) > self.settings.views_kept:
            del self._views[next(f for f in self._views if f != self._at)]
        return found

    def lay(self, frame: int, view: View, between: Matrix) -> tuple[Grey, Mask]:
        """A frame laid into a view, and where it has content that may be looked at.

        Parameters
        ----------
        frame
            Source frame.
        view
            What is laid into.
        between
            3x3, source pixels of the view's frame to those of this one.

        Returns
        -------
        tuple
            Grey and mask, of the view's size.
        """
        laid, known = _laid_into(self.levels(frame), view, between)
        held = self._hold_out(frame)
        if held is not None:
            ignored, _ = _laid_into(Levels(held), view, between)
            known &= ~self._held(ignored)
        return laid, known

    def _held(self, matte: Grey) -> Mask:
        """Where a hold-out counts: the windows that are matched reach beyond their points."""
        return cv2.dilate(matte, np.ones(self.settings.flow_window, np.uint8)) > self.settings.held_from

    def levels(self, frame: int) -> Levels:
        known = self._shown.get(frame)
        if known is None:
            known = self._shown[frame] = Levels(self._luma(frame))
            for old in [f for f in self._shown if f not in self._views and f != frame][:-2]:
                del self._shown[old]
        return known

    def enough(self, told: Mask) -> bool:
        """Whether as much is visible as is needed, compared with the frame the area was drawn on."""
        first = self._views.get(self._at)
        return int(np.count_nonzero(told)) > max(20, self.settings.least_told * first.told if first else 0)


def luma_of(picture: Picture) -> Grey:
    """The luma plane at 8 bits."""
    if picture.depth == 8:
        return picture.y  # type: ignore[return-value]
    return (picture.y >> (picture.depth - 8)).astype(np.uint8)


def bounds_of(outline: Points, margin: float) -> Box:
    """Around an outline, wider by a share of its size on each side.

    Parameters
    ----------
    outline
        (n, 2), in pixels.
    margin
        Of its width and height.
    """
    low, high = outline.min(0), outline.max(0)
    grow = margin * (high - low).max()
    left, top = np.floor(low - grow)
    right, bottom = np.ceil(high + grow)
    return Box(int(left), int(top), int(right), int(bottom))


def area_of(outline: Points) -> float:
    """Square pixels inside an outline."""
    return float(cv2.contourArea(outline.astype(np.float32)))


def _view_of(grey: Grey, box: Box, scale: float) -> View:
    """What a box of a frame shows, made smaller by `scale`."""
    part = grey[box.top : box.bottom, box.left : box.right]
    width, height = max(round(box.width * scale), 8), max(round(box.height * scale), 8)
    sx, sy = width / box.width, height / box.height
    small = cv2.resize(part, (width, height), interpolation=cv2.INTER_AREA) if scale < 1 else part.copy()
    return View(small, np.array([[sx, 0, -box.left * sx], [0, sy, -box.top * sy], [0, 0, 1]]))


def _laid_into(levels: Levels, view: View, between: Matrix) -> tuple[Grey, Mask]:
    """A new frame resampled into a view's working pixels, and where it has content.

    `between` takes source pixels of the view's frame to those of the new one.
    """
    height, width = view.grey.shape
    # From working pixels to new source pixels, written for OpenCV's whole-number pixel centres.
    back = between @ inverse(view.to_work)
    corners = apply(back, np.array([[0, 0], [width, 0], [width, height], [0, height]], np.float64))
    new = levels.grey
    if bounds_of(corners, 0.02).within(new.shape[1], new.shape[0]).empty:
        return np.zeros_like(view.grey), np.zeros(view.grey.shape, bool)
    shrunk = (area_of(corners) / (width * height)) ** 0.5
    part = levels.at(round(math.log2(max(shrunk, 1e-3))))
    size = np.diag([part.shape[1] / new.shape[1], part.shape[0] / new.shape[0], 1.0])
    full = for_opencv(size @ back)
    flags = cv2.INTER_LINEAR | cv2.WARP_INVERSE_MAP
    laid = cv2.warpPerspective(part, full, (width, height), flags=flags, borderMode=cv2.BORDER_REPLICATE)
    known = np.ones(laid.shape, bool)
    if corners.min() < 1 or (corners.max(0) > (new.shape[1] - 1, new.shape[0] - 1)).any():
        whole = np.full(part.shape, 255, np.uint8)
        known = cv2.warpPerspective(whole, full, (width, height), flags=flags, borderMode=cv2.BORDER_CONSTANT) > 250
    return laid, known


def in_light_of(old: Grey, new: Grey, mask: NDArray[np.uint8], known: Mask) -> Grey:
    """The new view with the brightness and contrast of the old one: optical flow takes both for movement.

    Parameters
    ----------
    old, new
        Grey, (height, width) each.
    mask
        The area, 0..255.
    known
        Where the new one has content.
    """
    area = np.where(known, mask, 0).astype(np.uint8)
    (old_mean, old_spread), (new_mean, new_spread) = (cv2.meanStdDev(view, mask=area) for view in (old, new))
    gain = float(np.clip(old_spread[0, 0] / max(new_spread[0, 0], 1.0), 0.5, 2.0))
    return cv2.addWeighted(new, gain, new, 0, float(old_mean[0, 0]) - gain * float(new_mean[0, 0]))


def dense(alike: Mask, told: Mask) -> Mask:
    """Where a whole neighbourhood looks the same: single patches agree by chance."""
    both, every = (cv2.blur(mask.astype(np.float32), (15, 15)) for mask in (alike & told, told))
    return told & (both > 0.8 * every)


def at_full_size(mask: Mask, known: Mask) -> Mask:
    """A mask of half the size at the full one, a little wider."""
    wider = cv2.dilate(mask.astype(np.uint8), np.ones((5, 5), np.uint8))
    return (cv2.resize(wider, known.shape[::-1], interpolation=cv2.INTER_NEAREST) > 0) & known


def at_points(known: Mask, points: NDArray[np.float32]) -> Mask:
    """What a mask says at points (n, 2) in x, y."""
    columns = np.clip(np.rint(points[:, 0]), 0, known.shape[1] - 1).astype(int)
    rows = np.clip(np.rint(points[:, 1]), 0, known.shape[0] - 1).astype(int)
    return known[rows, columns]


def _smaller(grey: Grey, scale: float) -> Grey:
    return cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
