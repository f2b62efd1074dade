"""What a shape that is attached to a motion gets of it: the parts that are switched on, steadied."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Motion, Shot, Sphere, ViewDirection
from cravo.core.geometry.sphere import unit
from cravo.core.geometry.transforms import IDENTITY, Matrix, inverse, parts_of, similarity
from cravo.core.motion.around import Around
from cravo.core.motion.track import Sample, Track

Series = NDArray[np.float64]
# What carries a shape from its motion's own frame to another one.
MotionSampler = Callable[[str, int], Matrix]


Tracks = Callable[[Shot, Motion], Track]


def sampler_of(shot: Shot, tracks: Tracks) -> MotionSampler:
    """What carries a shape of a shot from its motion's frame to another."""

    def carry(motion_id: str, frame: int) -> Matrix:
        motion = shot.motion(motion_id)
        if motion is None:
            return IDENTITY
        if shot.sphere is not None and motion.view is not None:
            return sampled_around(motion, tracks(shot, motion), frame, shot.sphere, motion.view)
        return sampled(motion, tracks(shot, motion), frame)

    return carry


def sampled(motion: Motion, track: Track, frame: int) -> Matrix:
    """What takes a shape from the motion's own frame to another one.

    The followed movement is taken as a similarity around the middle of the area and what is left beside
    it (lean and perspective). Switches and steadying act on the similarity.

    Parameters
    ----------
    motion
        Its area, switches and steadying.
    track
        What was followed.
    frame
        Source frame; where it was not followed the nearest one that was counts.

    Returns
    -------
    ndarray
        3x3, source pixels.
    """
    sample = track.nearest(frame)
    steady = motion.steady
    used = (motion.position, motion.scale, motion.rotation)
    widths = (steady.position, steady.scale, steady.rotation)
    if all(used) and not any(widths):
        return sample.matrix
    centre = middle(motion)
    scale, degrees, shift = parts_of(sample.matrix, centre)
    rest = inverse(similarity(scale, degrees, centre, shift)) @ sample.matrix
    if any(widths):
        x, y, size, turn = steadied(track, centre, widths)[sample.frame]
        scale, degrees, shift = float(np.exp(size)), turn, (x, y)
    position, sized, turned = used
    wanted = (scale if sized else 1.0, degrees if turned else 0.0, centre, shift if position else (0.0, 0.0))
    return similarity(*wanted) @ rest


def sampled_around(motion: Motion, track: Track, frame: int, sphere: Sphere, view: ViewDirection) -> Matrix:
    """The same on a spherical shot: place is a direction, scale and turn are those of a flat picture that faces it."""
    sample, steady = track.nearest(frame), motion.steady
    used, widths = (motion.position, motion.scale, motion.rotation), (steady.position, steady.scale, steady.rotation)
    if all(used) and not any(widths):
        return sample.matrix
    around = Around(sphere, view, np.array([middle(motion)]))
    began = around.residual(track.samples[track.at])
    residual = around.residual(sample) @ inverse(began)
    scale, degrees, _ = parts_of(residual, around.centre)
    rest = inverse(similarity(scale, degrees, around.centre, (0, 0))) @ residual
    direction = around.direction(sample.matrix)
    if any(widths):
        direction, scale, degrees = _steadied_around(track, around, widths)[sample.frame]
    position, sized, turned = used
    direction = direction if position else around.direction(IDENTITY)
    wanted = similarity(scale if sized else 1.0, degrees if turned else 0.0, around.centre, (0.0, 0.0))
    return around.back(around.facing(direction), Sample(sample.frame, wanted @ rest @ began, 1.0)).matrix


def _steadied_around(
    track: Track, around: Around, widths: tuple[float, float, float]
) -> dict[int, tuple[Series, float, float]]:
    """Direction, scale and degrees on each known frame, without jitter."""
    frames = np.array(sorted(frame for frame in track.samples if track.known(frame)))
    began = inverse(around.residual(track.samples[track.at]))
    parts = [parts_of(around.residual(track.samples[frame]) @ began, around.centre) for frame in frames]
    places = np.array([around.direction(track.samples[frame].matrix) for frame in frames])
    turns = np.degrees(np.unwrap([math.radians(degrees) for _, degrees, _ in parts]))
    position, scale, rotation = widths
    smooth = np.column_stack([_smooth(frames, column, position) for column in places.T])
    sizes = np.exp(_smooth(frames, np.log([size for size, _, _ in parts]), scale))
    turned = _smooth(frames, turns, rotation)
    return {int(frame): (unit(smooth[i]), float(sizes[i]), float(turned[i])) for i, frame in enumerate(frames.tolist())}


def middle(motion: Motion) -> tuple[float, float]:
    spots = motion.area or [(one.x, one.y) for one in motion.trackers] or [(0.0, 0.0)]
    x, y = np.mean(spots, axis=0)
    return float(x), float(y)


def steadied(
    track: Track, centre: tuple[float, float], widths: tuple[float, float, float]
) -> dict[int, tuple[float, float, float, float]]:
    """Shift x and y, logarithm of scale, and degrees on each known frame, without jitter; kept with the track."""
    steady = track.steadied.get((centre, widths))
    if steady is None:
        frames = np.array(sorted(frame for frame in track.samples if track.known(frame)))
        parts = [parts_of(track.samples[frame].matrix, centre) for frame in frames]
        series = np.array([[shift[0], shift[1], np.log(scale), degrees] for scale, degrees, shift in parts])
        series[:, 3] = np.degrees(np.unwrap(np.radians(series[:, 3])))
        position, scale, rotation = widths
        columns = zip(series.T, (position, position, scale, rotation), strict=True)
        smooth = np.column_stack([_smooth(frames, column, width) for column, width in columns])
        steady = track.steadied[(centre, widths)] = dict(zip(frames.tolist(), map(tuple, smooth.tolist()), strict=True))
    return steady


def _smooth(frames: NDArray[np.int64], values: Series, width: float) -> Series:
    """Local straight lines under Gaussian weights (Cleveland 1979), so that ends and steady moves stay as they are."""
    if width <= 0 or len(values) < 3:
        return values
    smooth = np.empty_like(values)
    for i, frame in enumerate(frames):
        near = slice(*np.searchsorted(frames, (frame - 3 * width, frame + 3 * width + 1)))
        away = (frames[near] - frame).astype(np.float64)
        weights = np.exp(-0.5 * (away / width) ** 2)
        total, first, second = weights.sum(), weights @ away, weights @ away**2
        spread = total * second - first * first
        here, slope = weights @ values[near], (weights * away) @ values[near]
        smooth[i] = (second * here - first * slope) / spread if spread > 1e-9 else here / total
    return smooth
