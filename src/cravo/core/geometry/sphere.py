"""The sphere around a spherical camera: its wide picture, and flat pictures taken of it.

The wide picture is equirectangular: columns are longitudes, the middle one straight ahead, rows are latitudes. Axes point
right, down and ahead; yaw turns to the right, pitch up, roll clockwise, in degrees. Lengths in a flat picture are pixels
of the wide one at its equator, so that a radian is as long in both.

Snyder 1987, *Map Projections: A Working Manual*: equirectangular, gnomonic, stereographic.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.document import Sphere, ViewDirection
from cravo.core.footage.facts import Facts
from cravo.core.footage.picture import Box
from cravo.core.geometry.transforms import Matrix, inverse

Points = NDArray[np.float64]
Places = NDArray[np.float32]
# Straight lines stay straight, up to less than half the sphere; angles are kept, up to all but the point behind; or it is
# a wide picture that is turned.
Lens = Literal["straight", "round", "wide"]
STRAIGHT, ROUND, WIDE = 0, 1, 2
LENSES: dict[Lens, int] = {"straight": STRAIGHT, "round": ROUND, "wide": WIDE}

GRID = 96  # columns of the wide picture at which it is looked where something is
BEHIND = 1e-6  # least share of a direction that points ahead, for a straight lens to see it


def turn_of(view: ViewDirection) -> Matrix:
    """3x3: directions around the camera to those of somebody who looks along a view."""
    yaw, pitch, roll = (math.radians(angle) for angle in (view.yaw, view.pitch, view.roll))
    level = np.array([[math.cos(yaw), 0, -math.sin(yaw)], [0, 1, 0], [math.sin(yaw), 0, math.cos(yaw)]])
    up = np.array([[1, 0, 0], [0, math.cos(pitch), math.sin(pitch)], [0, -math.sin(pitch), math.cos(pitch)]])
    lean = np.array([[math.cos(roll), math.sin(roll), 0], [-math.sin(roll), math.cos(roll), 0], [0, 0, 1]])
    return lean @ up @ level


def towards(direction: NDArray[np.float64]) -> ViewDirection:
    """The upright view with a direction in its middle."""
    x, y, z = direction / np.linalg.norm(direction)
    return ViewDirection(yaw=math.degrees(math.atan2(x, z)), pitch=math.degrees(math.asin(min(max(-y, -1.0), 1.0))))


def unit(directions: Points) -> Points:
    """Directions, (..., 3), one long."""
    return directions / np.linalg.norm(directions, axis=-1, keepdims=True)


def angle(one: NDArray[np.float64], other: NDArray[np.float64]) -> NDArray[np.float64]:
    """Radians between directions, (..., 3) each; exact also where they are small."""
    across = np.linalg.norm(np.cross(one, other), axis=-1)
    return np.asarray(np.arctan2(across, (one * other).sum(-1)), np.float64)


def sphere_of(facts: Facts) -> Sphere | None:
    """What a clip shows, where its file says that it is spherical."""
    return Sphere(width=facts.width, height=facts.height) if facts.spherical else None


def _around(longitude: NDArray[np.float64], latitude: NDArray[np.float64]) -> Points:
    """Unit directions, (n, 3), of n angles in radians each: to the right of ahead, and up."""
    level = np.cos(latitude)
    return np.column_stack([level * np.sin(longitude), -np.sin(latitude), level * np.cos(longitude)])


def _angles(directions: Points) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """The other way round; the first is in -pi..pi."""
    x, y, z = directions.T
    return np.arctan2(x, z), np.arctan2(-y, np.hypot(x, z))


@dataclass(frozen=True)
class Cap:
    """All that lies within so many radians of a direction."""

    middle: NDArray[np.float64]
    radius: float


def cap_around(directions: Points) -> Cap:
    """A cap that holds directions, (n, 3), around what is the middle of them; nearly the smallest where they are spread evenly."""
    middle = directions.mean(0)
    length = float(np.linalg.norm(middle))
    middle = middle / length if length > 1e-6 else np.array([0.0, 0.0, 1.0])
    return Cap(middle, float(angle(directions, middle).max()))


@dataclass(frozen=True)
class Camera:
    """A flat picture of the sphere: how it is turned, pixels for a radian in its middle, and where its middle lies."""

    turn: Matrix
    focal: float
    middle: tuple[float, float]
    lens: Lens = "straight"

    @cached_property
    def matrix(self) -> Matrix:
        """3x3 of a straight lens: directions to pixels, homogeneous; what is behind gets a third number below 0."""
        assert self.lens == "straight"
        x, y = self.middle
        return np.array([[self.focal, 0, x], [0, self.focal, y], [0, 0, 1.0]]) @ self.turn

    def directions(self, points: Points) -> Points:
        """Unit directions of pixels, (n, 2) to (n, 3)."""
        flat = (np.asarray(points, np.float64) - self.middle) / self.focal
        if self.lens == "straight":
            ahead = np.column_stack([flat, np.ones(len(flat))])
        elif self.lens == "wide":
            ahead = _around(flat[:, 0], -flat[:, 1])
        else:
            square = (flat**2).sum(1) / 4
            ahead = np.column_stack([flat, 1 - square])
        return (ahead / np.linalg.norm(ahead, axis=1, keepdims=True)) @ self.turn

    def points(self, directions: Points) -> Points:
        """Pixels of directions, (n, 3) to (n, 2); not a number for what the lens cannot see."""
        ahead = np.asarray(directions, np.float64) @ self.turn.T
        if self.lens == "wide":
            longitude, latitude = _angles(ahead)
            return self.focal * np.column_stack([longitude, -latitude]) + self.middle
        x, y, z = ahead.T
        depth = z if self.lens == "straight" else (z + np.linalg.norm(ahead, axis=1)) / 2
        with np.errstate(divide="ignore", invalid="ignore"):
            found = self.focal * np.column_stack([x, y]) / np.where(depth > BEHIND, depth, np.nan)[:, None]
        return found + self.middle

    def to(self, other: Camera) -> Matrix:
        """3x3: pixels of this one to those of another, both with straight lenses."""
        return np.asarray(other.matrix @ inverse(self.matrix), np.float64)


def looking(view: ViewDirection, field: float, width: int, height: int) -> Camera:
    """A flat picture of a size in pixels that shows so many degrees from its left border to its right one."""
    return Camera(turn_of(view), width / 2 / math.tan(math.radians(field) / 2), (width / 2, height / 2))


@dataclass(frozen=True)
class Wide:
    """An equirectangular picture of a size in pixels: as far around as it is wide, from pole to pole as it is high."""

    width: int
    height: int

    @property
    def focal(self) -> float:
        """Pixels for a radian along the equator."""
        return self.width / math.tau

    def camera(self, view: ViewDirection) -> Camera:
        """What parts and motions are drawn in: the flat picture along a view, with a pixel as wide as at the equator.

        Its middle lies where that of a square as high as the wide picture does.
        """
        return Camera(turn_of(view), self.focal, (self.height / 2, self.height / 2))

    def directions(self, points: Points) -> Points:
        """Unit directions of pixels, (n, 2) to (n, 3)."""
        points = np.asarray(points, np.float64)
        return _around((points[:, 0] / self.width - 0.5) * math.tau, (0.5 - points[:, 1] / self.height) * math.pi)

    def nearby(self, points: Points) -> tuple[ViewDirection, Camera]:
        """The view that has some pixels, (n, 2), around its middle, and what is drawn in along it."""
        view = towards(cap_around(self.directions(points)).middle)
        return view, self.camera(view)

    def points(self, directions: Points) -> Points:
        """Pixels of directions, (n, 3) to (n, 2)."""
        longitude, latitude = _angles(np.asarray(directions, np.float64))
        return np.column_stack([(longitude / math.tau + 0.5) * self.width, (0.5 - latitude / math.pi) * self.height])

    def touched(self, where: NDArray[np.bool_], box: Box) -> Points:
        """Directions in which something is set in a box, (n, 3), on a grid that misses nothing larger than its cells."""
        step = max(self.width // GRID, 1)
        tall, across = -(-box.height // step) * step, -(-box.width // step) * step
        padded = np.zeros((tall, across), np.bool_)
        padded[: box.height, : box.width] = where
        rows, columns = np.nonzero(padded.reshape(tall // step, step, across // step, step).any((1, 3)))
        corners = [
            np.column_stack([box.left + step * (columns + right), box.top + step * (rows + below)])
            for right in (0, 1)
            for below in (0, 1)
        ]
        return self.directions(np.vstack(corners))

    def around(self, cap: Cap) -> Box:
        """A box around a cap; as wide as the picture where that reaches a pole or the seam."""
        radius = cap.radius
        x, y, z = cap.middle
        latitude, longitude = math.asin(min(max(-y, -1.0), 1.0)), math.atan2(x, z)
        top = max(math.floor((0.5 - (latitude + radius) / math.pi) * self.height), 0)
        bottom = min(math.ceil((0.5 - (latitude - radius) / math.pi) * self.height), self.height)
        if abs(latitude) + radius >= math.pi / 2:
            return Box(0, top, self.width, bottom)
        half = math.asin(min(math.sin(radius) / math.cos(latitude), 1.0))
        left = math.floor(((longitude - half) / math.tau + 0.5) * self.width)
        right = math.ceil(((longitude + half) / math.tau + 0.5) * self.width)
        if left < 0 or right > self.width:
            return Box(0, top, self.width, bottom)
        return Box(left, top, right, bottom)

    def seen(self, camera: Camera, width: int, height: int, of: tuple[int, int] = (1, 1)) -> Places:
        """Where each sample of a flat picture lies in the wide one, (rows, columns, 2), as OpenCV counts samples.

        Parameters
        ----------
        camera, width, height
            The flat picture, in its pixels.
        of
            How many pixels of both pictures a sample is wide and high: those of chroma are more than one.
        """
        across, down = of
        places = np.empty((-(-height // down), -(-width // across), 2), np.float32)
        size = self.width / across, self.height / down
        _seen(places, camera.turn, camera.focal, camera.middle, LENSES[camera.lens], size, of)
        return places

    def laid(self, box: Box, camera: Camera, of: tuple[int, int] = (1, 1)) -> Places:
        """Where each sample of a box of the wide picture lies in a flat one, (rows, columns, 2), as OpenCV counts samples.

        What the lens cannot see lies far outside. The box lies on whole samples, which are as many pixels as `of` says.
        """
        columns = (np.arange(box.left, box.right, of[0]) + of[0] / 2) / self.width * math.tau - math.pi
        rows = math.pi / 2 - (np.arange(box.top, box.bottom, of[1]) + of[1] / 2) / self.height * math.pi
        places = np.empty((len(rows), len(columns), 2), np.float32)
        across, along = np.stack([np.sin(columns), np.cos(columns)]), np.stack([np.sin(rows), np.cos(rows)])
        _laid(places, across, along, camera.turn, camera.focal, camera.middle, LENSES[camera.lens], of)
        return places


BLOCK = 8  # samples to a side between whose corners the places of others are interpolated
EVEN = (
    0.04  # radians of longitude over a block, up to which that misses no place by more than some hundredths of a pixel
)
FAR = -1e6  # where what cannot be seen is said to lie, in pixels


@nb.njit(cache=True, nogil=True)
def _seen(
    places: Places,
    turn: Matrix,
    focal: float,
    middle: tuple[float, float],
    lens: int,
    size: tuple[float, float],
    of: tuple[int, int],
) -> None:
    wide, high = size[0] / math.tau, size[1] / math.pi
    rows, columns, _ = places.shape
    for top in range(0, rows, BLOCK):
        bottom = min(top + BLOCK, rows) - 1
        for left in range(0, columns, BLOCK):
            right = min(left + BLOCK, columns) - 1
            a, e = _along(top, left, turn, focal, middle, lens, of)
            b, f = _along(top, right, turn, focal, middle, lens, of)
            c, g = _along(bottom, left, turn, focal, middle, lens, of)
            d, h = _along(bottom, right, turn, focal, middle, lens, of)
            even = max(a, b, c, d) - min(a, b, c, d) < EVEN
            for row in range(top, bottom + 1):
                v = (row - top) / max(bottom - top, 1)
                longitude, latitude = a + v * (c - a), e + v * (g - e)
                across = (b + v * (d - b) - longitude) / max(right - left, 1)
                up = (f + v * (h - f) - latitude) / max(right - left, 1)
                for column in range(left, right + 1):
                    if not even:
                        longitude, latitude = _along(row, column, turn, focal, middle, lens, of)
                    places[row, column, 0] = (longitude + math.pi) * wide - 0.5
                    # Beyond the middle of the outermost row there is no other one: the pole.
                    places[row, column, 1] = min(max((math.pi / 2 - latitude) * high - 0.5, 0.0), size[1] - 1.0)
                    longitude, latitude = longitude + across, latitude + up


@nb.njit(cache=True, nogil=True, inline="always")
def _along(
    row: int, column: int, turn: Matrix, focal: float, middle: tuple[float, float], lens: int, of: tuple[int, int]
) -> tuple[float, float]:
    """Longitude and latitude of a sample of a flat picture."""
    u, v = ((column + 0.5) * of[0] - middle[0]) / focal, ((row + 0.5) * of[1] - middle[1]) / focal
    w = 1.0
    if lens == ROUND:
        w = 1.0 - (u * u + v * v) / 4
    elif lens == WIDE:
        level = math.cos(v)
        u, v, w = level * math.sin(u), math.sin(v), level * math.cos(u)
    x = turn[0, 0] * u + turn[1, 0] * v + turn[2, 0] * w
    y = turn[0, 1] * u + turn[1, 1] * v + turn[2, 1] * w
    z = turn[0, 2] * u + turn[1, 2] * v + turn[2, 2] * w
    return math.atan2(x, z), math.atan2(-y, math.sqrt(x * x + z * z))


@nb.njit(cache=True, nogil=True)
def _laid(
    places: Places,
    across: NDArray[np.float64],
    along: NDArray[np.float64],
    turn: Matrix,
    focal: float,
    middle: tuple[float, float],
    lens: int,
    of: tuple[int, int],
) -> None:
    for row in range(places.shape[0]):
        y, level = -along[0, row], along[1, row]
        for column in range(places.shape[1]):
            x, z = level * across[0, column], level * across[1, column]
            ahead = turn[2, 0] * x + turn[2, 1] * y + turn[2, 2] * z
            u = turn[0, 0] * x + turn[0, 1] * y + turn[0, 2] * z
            v = turn[1, 0] * x + turn[1, 1] * y + turn[1, 2] * z
            depth = ahead if lens == STRAIGHT else (1.0 + ahead) / 2 if lens == ROUND else 1.0
            if depth <= BEHIND:
                places[row, column, 0] = places[row, column, 1] = FAR
                continue
            if lens == WIDE:
                u, v = math.atan2(u, ahead), math.atan2(v, math.sqrt(u * u + ahead * ahead))
            places[row, column, 0] = (focal * u / depth + middle[0]) / of[0] - 0.5
            places[row, column, 1] = (focal * v / depth + middle[1]) / of[1] - 0.5
