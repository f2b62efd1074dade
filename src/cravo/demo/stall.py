"""Shot 10: the yard after rain, by a spherical camera carried past the cake stall; stall and a visitor cross the seam.

Everything stands on flat boards in metres around the camera: x to the right, y down, z ahead, the ground at 0. A ray goes
through each pixel; what it hits last is painted first.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache, cached_property
from typing import Any

import cv2
import numba as nb
import numpy as np
import skia
from numpy.typing import NDArray

from cravo.core.document import ViewDirection
from cravo.core.geometry.sphere import Wide, angle, turn_of
from cravo.demo import backdrop
from cravo.demo.figure import FOOT, HeadPose, Person, draw_walker, face_truth
from cravo.demo.paint import Pixels, canvas_of, down, empty, fill, lettering, oval, polygon, stroke, wobble
from cravo.demo.scene import Shown

SIZE = Wide(2560, 1280)
EYE = 1.65  # metres above the ground
LAMP = np.array([-1.6, -2.9, 3.2])  # that is mirrored in the wet ground
YARD = 8.0, 12.0  # metres from the middle to the walls, across and along
TALL = 6.0  # metres of the walls
STALL = 1.55, 0.3, 2.6  # metres: its front from the way of the camera, its middle along that, how long it is
TILE = 110  # pixels of a metre of ground
VISITOR = Person("lilac_coat", "#c98f6b", "#3b2620", "#7d6a9c", legs="#30333c", long_hair=True, seed=52)
HEAD = 0.15  # half the width of a face, in metres
FEET = HEAD * (FOOT + 1.75)  # metres from the upper border of her picture
Vector = NDArray[np.float64]


@dataclass(frozen=True)
class Board:
    """A picture on a parallelogram: its upper left corner, and metres along its sides; `paint` draws it at a time."""

    name: str
    corner: Callable[[float], Vector]
    right: Vector
    below: Vector
    paint: Callable[[float], Pixels]


class Stall(Shown):
    name = "stall"
    title = "Yard after rain, all around"
    speech = "Cakes and coffee, just behind the depot. The rain is over."
    spherical = True

    @cached_property
    def _boards(self) -> list[Board]:
        wide, along = YARD
        x_, y_, z_ = np.eye(3)
        front, middle, length = STALL
        near = middle - length / 2
        return [
            Board("wall", _at(-wide, -TALL, along), 2 * wide * x_, TALL * y_, _still(_wall(2 * wide, 3, "WORKSHOP"))),
            Board("wall", _at(wide, -TALL, along), -2 * along * z_, TALL * y_, _still(_wall(2 * along, 5, "OPEN DAY"))),
            Board("wall", _at(wide, -TALL, -along), -2 * wide * x_, TALL * y_, _still(_wall(2 * wide, 7, "DEPOT"))),
            Board("wall", _at(-wide, -TALL, -along), 2 * along * z_, TALL * y_, _still(_wall(2 * along, 9, "TICKETS"))),
            Board("tram", _at(-4.6, -3.2, -5.5), 9.5 * z_, 3.2 * y_, _still(_tram())),
            Board("shadow", _at(-5.9, -0.01, -5.6), 9.7 * z_, 2.2 * x_, _still(_shade(9.7, 2.2))),
            Board("shadow", _at(front - 0.2, -0.01, near - 0.1), (length + 0.2) * z_, 1.8 * x_, _still(_shade(length + 0.2, 1.8))),
            Board("bunting", _at(-wide, -5.4, 5), 2 * wide * x_, 1.6 * y_, _still(_bunting())),
            Board("post", _at(LAMP[0] - 0.25, LAMP[1] - 0.35, LAMP[2]), 0.5 * x_, (0.35 - LAMP[1]) * y_, _still(_lamp())),
            Board("stall", _at(front + 1.4, -2.5, near + length), -length * z_, 2.5 * y_, _still(_cloth())),
            Board("stall", _at(front, -2.5, near + length), 1.4 * x_, 2.5 * y_, _still(_end())),
            Board("stall", _at(front + 1.4, -2.5, near), -1.4 * x_, 2.5 * y_, _still(_end())),
            Board("stall", _at(front, -1.35, near + length), -length * z_, 1.35 * y_, _still(_counter())),
            Board(
                "stall", _at(front + 0.5, -2.75, near + length + 0.15), -(length + 0.3) * z_, 0.5 * y_ - 0.85 * x_,
                _still(_awning()),
            ),
            Board("visitor", self._visitor, -1.9 * z_, 2.0 * y_, self._walker),
        ]  # fmt: skip

    def _visitor(self, t: float) -> Vector:
        """Walks between the camera's way and the stall, towards where that comes from."""
        return np.array([1.12, -FEET + 0.012 * abs(math.sin(0.28 * t)), 2.9 - 0.028 * t])

    def _walker(self, t: float) -> Pixels:
        pixels = empty(1000, 1053)
        draw_walker(canvas_of(pixels), VISITOR, _head(t), 0.28 * t, 0.9)
        return pixels

    def eye(self, t: float) -> tuple[Vector, NDArray[np.float64]]:
        """Where the camera is, and 3x3: directions in the yard to those of the camera. Its front looks to the tram."""
        place = np.array([0.03 * wobble(t, 3, 40), -EYE + 0.025 * math.sin(0.52 * t), -1.9 + 4.0 * t / 150])
        turns = (-90 + 3.0 * wobble(t, 5, 80), 1.6 * wobble(t, 6, 60), 1.4 * wobble(t, 7, 50))
        yaw, pitch, roll = turns
        return place, turn_of(ViewDirection(yaw=yaw, pitch=pitch, roll=roll))

    def seen(self, t: float, spots: Vector) -> Vector:
        """Pixels of the wide picture of places in the yard, (n, 3) to (n, 2)."""
        place, turn = self.eye(t)
        return SIZE.points((np.atleast_2d(spots) - place) @ turn.T)

    def picture(self, frame: int) -> Pixels:
        place, turn = self.eye(frame)
        mirrored = np.array([LAMP[0], -LAMP[1], LAMP[2]]) - place
        total = np.empty((SIZE.height, SIZE.width, 3), np.float32)
        _scenery(total, _rays(), turn, place, _stones(), mirrored / np.linalg.norm(mirrored))
        for board in self._boards:
            box, pixels = self._painted(board, frame)
            under = total[box[0] : box[1], box[2] : box[3]]
            rest = 1 - pixels[:, :, 3:].astype(np.float32) / 255
            under[:] = under * rest + pixels[:, :, :3]
        random = np.random.default_rng(frame + 500)
        total += random.normal(0, 2.0, total.shape[:2]).astype(np.float32)[..., None]
        return np.clip(total, 0, 255).astype(np.uint8)

    def matte(self, frame: int, name: str) -> Pixels:
        seen = np.zeros((SIZE.height, SIZE.width), np.float32)
        for board in self._boards:
            box, pixels = self._painted(board, frame)
            alpha = pixels[:, :, 3].astype(np.float32) / 255
            under = seen[box[0] : box[1], box[2] : box[3]]
            under[:] = under * (1 - alpha) + (alpha if board.name == name else 0)
        return np.rint(seen * 255).astype(np.uint8)

    def truth(self, frame: float) -> dict[str, Any]:
        corner = self._visitor(frame)
        metre = 2.0 / 1053
        face = face_truth(_head(frame))
        x, y, rx, ry, _ = face["oval"]
        spots = [corner + metre * np.array([0, dy, -dx]) for dx, dy in ((x, y), (x - rx, y), (x, y - ry))]
        middle, side, top = (SIZE.directions(self.seen(frame, spot)) for spot in spots)
        size = [float(np.degrees(angle(middle, one)[0])) for one in (side, top)]
        return {
            "faces": {},  # those of flat pictures
            "face": {"direction": middle[0].tolist(), "degrees": size},
            "stones": SIZE.directions(self.seen(frame, STONES)).tolist(),
        }

    def _painted(self, board: Board, t: float) -> tuple[tuple[int, int, int, int], Pixels]:
        """A board as the camera sees it: rows and columns of a box, and its pixels there, multiplied by their opacity."""
        place, turn = self.eye(t)
        corner, paint = board.corner(t), board.paint(t)
        edge = np.linspace(0, 1, 25)
        rim = np.vstack([corner + u * board.right + v * board.below for u in edge for v in edge])
        spots = self.seen(t, rim)
        top, bottom = max(int(spots[:, 1].min()) - 2, 0), min(int(spots[:, 1].max()) + 3, SIZE.height)
        left, right = max(int(spots[:, 0].min()) - 2, 0), min(int(spots[:, 0].max()) + 3, SIZE.width)
        if right - left > SIZE.width / 2:  # across the seam
            left, right = 0, SIZE.width
        rays = _rays()[top:bottom, left:right] @ turn.astype(np.float32)
        normal = np.cross(board.right, board.below)
        with np.errstate(divide="ignore", invalid="ignore"):
            far = np.float32((corner - place) @ normal) / (rays @ normal.astype(np.float32))
            u, v = (
                np.float32((place - corner) @ side) + far * (rays @ side.astype(np.float32))
                for side in (board.right / (board.right @ board.right), board.below / (board.below @ board.below))
            )
        beyond = ~((far > 0) & (u > -0.01) & (u < 1.01) & (v > -0.01) & (v < 1.01))
        u[beyond] = v[beyond] = -1
        tall, across = paint.shape[:2]
        places = [np.asarray(u * across - 0.5, np.float32), np.asarray(v * tall - 0.5, np.float32)]
        return (top, bottom, left, right), cv2.remap(
            _small(board, paint), places[0], places[1], cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT
        )


def _at(x: float, y: float, z: float) -> Callable[[float], Vector]:
    return lambda t: np.array([x, y, z], np.float64)


def _still(pixels: Pixels) -> Callable[[float], Pixels]:
    return lambda t: pixels


# Told by the truth: beside the way, where the lamp is never mirrored.
STONES = np.array([[-1.3, 0.0, -1.1], [-0.6, 0.0, -1.1], [-0.6, 0.0, -0.4], [-1.3, 0.0, -0.4]])


def _head(t: float) -> HeadPose:
    size = HEAD * 1053 / 2.0
    return HeadPose(x=500, y=size * 1.75, size=size, yaw=0.5 + 0.2 * math.sin(t / 14), roll=2 * math.sin(0.28 * t))


@cache
def _rays() -> NDArray[np.float32]:
    """The direction of each pixel of the wide picture, (height, width, 3)."""
    rows, columns = np.mgrid[0 : SIZE.height, 0 : SIZE.width] + 0.5
    points = np.column_stack([columns.ravel(), rows.ravel()])
    return SIZE.directions(points).reshape(SIZE.height, SIZE.width, 3).astype(np.float32)


@cache
def _stones() -> Pixels:
    """Paving as it is near, further off, and far: (3, side, side, 3)."""
    stones = np.ascontiguousarray(backdrop.cobbles(2048, 2048, 31)[:, :, :3])
    return np.stack([stones, *(cv2.GaussianBlur(stones, (0, 0), soft) for soft in (2, 6))])


@nb.njit(cache=True)
def _scenery(
    out: NDArray[np.float32], rays: NDArray[np.float32], turn: Vector, place: Vector, stones: Pixels, mirrored: Vector
) -> None:
    """Clouds that break after rain, and wet cobbles; the lamp is mirrored where a mirror would show it."""
    side, across = stones.shape[1] - 1, math.hypot(mirrored[0], mirrored[2])
    for row in range(out.shape[0]):
        for column in range(out.shape[1]):
            ray = rays[row, column]
            x = ray[0] * turn[0, 0] + ray[1] * turn[1, 0] + ray[2] * turn[2, 0]
            y = ray[0] * turn[0, 1] + ray[1] * turn[1, 1] + ray[2] * turn[2, 1]
            z = ray[0] * turn[0, 2] + ray[1] * turn[1, 2] + ray[2] * turn[2, 2]
            if y <= 0.02:
                high = max(-y, 0.0)
                cloud = min(max(0.5 + 0.9 * math.sin(5 * x + 2 * z) * math.sin(7 * z - x) * math.sin(9 * y), 0.0), 1.0)
                cloud *= 0.5 * min(4 * high, 1.0)
                for c in range(3):
                    low, top = (222.0, 214.0, 204.0)[c], (176.0, 140.0, 106.0)[c]
                    out[row, column, c] = (low + (top - low) * math.sqrt(high)) * (1 - cloud) + 238 * cloud
                continue
            far = -place[1] / y
            u, v = ((place[0] + 40 + far * x) * TILE) % side, ((place[2] + 40 + far * z) * TILE) % side
            i, j = int(u), int(v)
            du, dv = u - i, v - j
            level = 0 if far < 3.5 else 1 if far < 9 else 2
            along = (x * mirrored[0] + z * mirrored[2]) / across
            beside = (x * mirrored[2] - z * mirrored[0]) / across / max(math.hypot(x, z), 1e-6)
            lower = math.asin(min(y, 1.0)) - math.asin(mirrored[1])
            glow = math.exp(-((beside / 0.045) ** 2) - (lower / 0.16) ** 2) if along > 0 else 0.0
            sheen = 0.32 * math.exp(-y / 0.25)
            for c in range(3):
                upper = stones[level, j, i, c] * (1 - du) + stones[level, j, i + 1, c] * du
                under = stones[level, j + 1, i, c] * (1 - du) + stones[level, j + 1, i + 1, c] * du
                stone = upper * (1 - dv) + under * dv
                out[row, column, c] = stone * (0.62 - 0.3 * sheen) + 190 * sheen + glow * (150.0, 205.0, 235.0)[c]


def _shade(metres: float, tall: float) -> Pixels:
    pixels, canvas = _blank(metres, tall, 60)
    canvas.drawOval(oval(metres * 50, tall * 50, metres * 44, tall * 36), fill("#08090b", 0.62, 14))
    return pixels


def _small(board: Board, paint: Pixels) -> Pixels:
    """A board's picture, softened by about what a pixel of the sphere covers of it."""
    metres = float(np.linalg.norm(board.right))
    coarse = paint.shape[1] / metres * 2.2 / SIZE.focal / 2  # at some two metres
    return cv2.GaussianBlur(paint, (0, 0), coarse) if coarse > 0.4 else paint


def _blank(metres: float, tall: float, density: int) -> tuple[Pixels, skia.Canvas]:
    pixels = empty(round(metres * density), round(tall * density))
    canvas = canvas_of(pixels)
    canvas.scale(density / 100, density / 100)
    return pixels, canvas


def _wall(metres: float, seed: int, word: str) -> Pixels:
    """Bricks with gates; a hundredth of a metre is one."""
    pixels, canvas = _blank(metres, TALL, 70)
    wide = metres * 100
    backdrop.bricks(canvas, 0, 0, wide, TALL * 100, 9, seed)
    canvas.drawRect(skia.Rect.MakeLTRB(0, 0, wide, 26), down(0, 26, "#5a606b", "#3d414a"))
    for k in range(3):
        x = wide * (k + 0.5) / 3
        if k != 1:
            backdrop.arched_gate(canvas, x, TALL * 100, 220, 300)
        else:
            for side in (-110, 110):
                canvas.drawRoundRect(skia.Rect.MakeLTRB(x + side - 60, 290, x + side + 60, 480), 6, 6, fill("#d8cdb6"))
                pane = skia.Rect.MakeLTRB(x + side - 50, 300, x + side + 50, 470)
                canvas.drawRect(pane, down(300, 470, "#8fb0c4", "#4d6878", "#31444f"))
    backdrop.sign(canvas, wide / 2 - 170, 130, 340, 80, word)
    return pixels


def _tram() -> Pixels:
    pixels, canvas = _blank(9.5, 3.2, 130)
    backdrop.tram(canvas, 0, 0, 950, 320, "12", "OSTRELLE")
    return pixels


def _bunting() -> Pixels:
    pixels, canvas = _blank(2 * YARD[0], 1.6, 90)
    canvas.scale(0.8, 0.8)
    backdrop.bunting(canvas, 0, 20, 2 * YARD[0] * 125, 20, 55)
    return pixels


def _lamp() -> Pixels:
    pixels, canvas = _blank(0.5, 0.35 - LAMP[1], 260)
    tall = (0.35 - LAMP[1]) * 100
    canvas.drawRect(skia.Rect.MakeLTRB(22, 40, 28, tall), fill("#22332e"))
    canvas.drawRoundRect(skia.Rect.MakeLTRB(19, tall - 40, 31, tall), 3, 3, fill("#2c4039"))
    canvas.drawOval(oval(25, 27, 25, 25), fill("#ffe7b0", 0.5, 9))
    canvas.drawPath(polygon((12, 14), (38, 14), (33, 42), (17, 42)), fill("#fff4d6"))
    canvas.drawPath(polygon((9, 14), (25, 2), (41, 14)), fill("#22332e"))
    return pixels


def _cloth() -> Pixels:
    pixels, canvas = _blank(STALL[2], 2.5, 160)
    canvas.drawRect(skia.Rect.MakeLTRB(0, 0, 260, 250), down(0, 250, "#e9dfc9", "#cbbd9f"))
    for k in range(9):
        canvas.drawLine(29 * k + 12, 0, 29 * k + 9, 250, stroke("#a89a7c", 1.4, 0.6))
    lettering(canvas, "OSTRELLE", 130, 70, 34, fill("#8d2237"))
    return pixels


def _end() -> Pixels:
    pixels, canvas = _blank(1.4, 2.5, 160)
    canvas.drawRect(skia.Rect.MakeLTRB(0, 115, 140, 250), down(115, 250, "#b9863f", "#8f642c"))
    for x in (4, 136):
        canvas.drawLine(x, 0, x, 250, stroke("#6e4a2e", 7))
    return pixels


def _counter() -> Pixels:
    """Boards, a name, and cakes on top of it."""
    pixels, canvas = _blank(STALL[2], 1.35, 240)
    canvas.drawRect(skia.Rect.MakeLTRB(0, 35, 260, 135), down(35, 135, "#c8923f", "#9a6a2b"))
    for y in (60, 85, 110):
        canvas.drawLine(0, y, 260, y, stroke("#7d5523", 1.6))
    canvas.drawRect(skia.Rect.MakeLTRB(-2, 30, 262, 38), fill("#e8d9b8"))
    canvas.drawRoundRect(skia.Rect.MakeLTRB(50, 55, 210, 115), 8, 8, fill("#f3ecd8"))
    lettering(canvas, "CAKES", 130, 103, 46, fill("#8d2237"))
    for x, tint, icing in (
        (35, "#8a5a34", "#f6d5dc"),
        (95, "#d9a860", "#fff6e4"),
        (160, "#6b3d28", "#f2e2c0"),
        (225, "#c98f4e", "#d8e8c8"),
    ):
        canvas.drawOval(oval(x, 29, 25, 4), fill("#eceff0"))
        canvas.drawRoundRect(skia.Rect.MakeLTRB(x - 18, 10, x + 18, 29), 4, 4, fill(tint))
        canvas.drawRoundRect(skia.Rect.MakeLTRB(x - 19, 5, x + 19, 16), 5, 5, fill(icing))
        canvas.drawCircle(x, 5, 3, fill("#c8313f"))
    return pixels


def _awning() -> Pixels:
    long = STALL[2] + 0.3
    pixels, canvas = _blank(long, 1.0, 160)
    for k in range(10):
        left, right = long * 10 * k, long * 10 * (k + 1)
        canvas.drawRect(skia.Rect.MakeLTRB(left, 0, right, 86), fill(("#b83247", "#f4ead2")[k % 2]))
        canvas.drawOval(oval((left + right) / 2, 86, (right - left) / 2, 12), fill(("#a32a3f", "#e6dabd")[k % 2]))
    return pixels
