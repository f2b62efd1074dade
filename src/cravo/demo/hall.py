"""Shot 4: the floor of the depot hall, over which the camera glides; the light of the windows stays in place on it."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo import backdrop
from cravo.demo.figure import HeadPose, Person, draw_shadow, draw_walker, face_truth
from cravo.demo.paint import (
    Pixels,
    ball,
    canvas_of,
    colour,
    down,
    empty,
    fill,
    lettering,
    oval,
    polygon,
    stroke,
    wobble,
)
from cravo.demo.scene import FRAMES, Layer, Scene

FOCAL = 1300.0
EYE = 1.6  # metres above the floor
PITCH = math.radians(17)
DENSITY = 240  # pixels of the drawn floor for each metre
LEFT, RIGHT, NEAR, FAR = -7.5, 8.5, 1.4, 9.4  # metres of the floor that is drawn; the wall stands at its end
WALL = 3.2  # metres of the wall that is drawn
TILE = 0.5
# The lettering in the floor, in metres to the right and ahead, as read from the camera: clockwise from its upper left.
INLAY = np.array([[-1.3, 4.35], [1.3, 4.35], [1.3, 3.75], [-1.3, 3.75]])
VISITOR = Person("visitor", "#d6a27e", "#5a3420", "#8a6a3a", legs="#3a3f4a", long_hair=True, seed=23)


class Hall(Scene):
    name = "hall"
    title = "Hall floor"
    speech = "The floor was laid by the tilers of Ostrelle. Please walk round the emblem."

    def __init__(self) -> None:
        self.layers = [
            Layer("wall", plate=_wall(), carried=lambda t: self.wall(t) @ _scaled()),
            Layer("floor", plate=_floor(), carried=lambda t: self.floor(t) @ _scaled(LEFT, FAR, -1.0)),
            Layer("glare", draw=self._glare),
            Layer("visitor", draw=self._visitor),
        ]

    def floor(self, t: float) -> NDArray[np.float64]:
        """3x3: metres to the right and ahead on the floor to pixels of the picture of frame t."""
        return self._seen(t, np.array([[1, 0, 0], [0, 0, EYE], [0, 1, 0.0]]))

    def wall(self, t: float) -> NDArray[np.float64]:
        """3x3: metres from the upper left of the drawn wall to pixels of the picture of frame t."""
        return self._seen(t, np.array([[1, 0, LEFT], [0, 1, EYE - WALL], [0, 0, FAR]]))

    def _seen(self, t: float, plane: NDArray[np.float64]) -> NDArray[np.float64]:
        share = t / FRAMES
        moved = plane.copy()
        moved[:, 2] -= (1.3 * share + 0.1 * math.sin(t / 23), 0.03 * math.sin(t / 31), 1.1 * share)
        a, b = math.cos(PITCH), math.sin(PITCH)
        tilted = np.array([[1, 0, 0], [0, a, -b], [0, b, a]]) @ moved
        lens = np.array([[FOCAL, 0, 960.0], [0, FOCAL, 540.0], [0, 0, 1]])
        matrix = self.camera(t) @ lens @ tilted
        return matrix / matrix[2, 2]

    def head(self, t: float) -> HeadPose:
        stride = math.sin(t * 0.4)
        return HeadPose(x=420 + 6.4 * t, y=236 + 2 * stride, size=27, yaw=0.7, roll=2 * stride)

    def camera(self, t: float) -> NDArray[np.float64]:
        turn = math.radians(0.35 * wobble(t, 13, 64))
        a, b = math.cos(turn), math.sin(turn)
        shift = 9 * wobble(t, 17, 47), 7 * wobble(t, 18, 41)
        x, y = 960.0, 540.0
        return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])

    def light(self, t: float) -> float:
        return 1.0 - 0.12 * math.exp(-(((t - 95) / 22) ** 2))

    def truth(self, frame: float) -> dict[str, Any]:
        camera, floor = self.camera(frame), self.floor(frame)
        corners = np.column_stack([INLAY, np.ones(4)]) @ floor.T
        return {
            "camera": camera.tolist(),
            "faces": {"visitor": self.seen(face_truth(self.head(frame)), camera)},
            "planes": {"floor": floor.tolist()},
            "signs": {"OSTRELLE": (corners[:, :2] / corners[:, 2:]).tolist()},
        }

    def _glare(self, canvas: skia.Canvas, t: float) -> None:
        """What the windows throw onto the polished tiles: it stays where it is while the floor goes by."""
        for x, width in ((520, 190), (930, 210), (1370, 190)):
            spread = (x - 960) * 0.55
            shape = polygon((x, 330), (x + width, 330), (x + width + spread + 70, 980), (x + spread - 70, 980))
            points = [skia.Point(0, 330), skia.Point(0, 980)]
            tints = [colour("#fff6dc", alpha) for alpha in (0.0, 0.42, 0.16, 0.0)]
            shader = skia.GradientShader.MakeLinear(points, tints)
            blur = skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, 9)
            canvas.drawPath(shape, skia.Paint(AntiAlias=True, Shader=shader, MaskFilter=blur))

    def _visitor(self, canvas: skia.Canvas, t: float) -> None:
        draw_shadow(canvas, self.head(t))
        draw_walker(canvas, VISITOR, self.head(t), t * 0.2, 1.0)


def _scaled(x: float = 0.0, y: float = 0.0, upwards: float = 1.0) -> NDArray[np.float64]:
    """Pixels of a drawing to metres; the floor's drawing has its far edge on top."""
    s = 1 / DENSITY
    return np.array([[s, 0, x], [0, upwards * s, y], [0, 0, 1]])


def _floor() -> Pixels:
    width, height = int((RIGHT - LEFT) * DENSITY), int((FAR - NEAR) * DENSITY)
    pixels = empty(width, height)
    canvas = canvas_of(pixels)
    canvas.drawRect(skia.Rect.MakeWH(width, height), fill("#6d5f52"))
    random = np.random.default_rng(41)
    size = TILE * DENSITY
    tints = (("#b9a88c", "#ad9b80", "#c4b498"), ("#7a4a40", "#6c4038", "#87564a"))
    for row in range(math.ceil(height / size)):
        for column in range(math.ceil(width / size)):
            tint = tints[(row + column) % 2][random.integers(3)]
            box = skia.Rect.MakeXYWH(column * size + 2, row * size + 2, size - 4, size - 4)
            canvas.drawRoundRect(box, 4, 4, fill(tint))
            for _ in range(14):  # wear
                x, y = box.left() + random.uniform(6, size - 10), box.top() + random.uniform(6, size - 10)
                canvas.drawOval(oval(x, y, random.uniform(1, 5), random.uniform(1, 4)), fill("#3a3028", 0.35))
    x, y = -LEFT * DENSITY, (FAR - 4.05) * DENSITY
    canvas.drawOval(oval(x, y, 1.75 * DENSITY, 1.15 * DENSITY), fill("#e3d6b8"))
    for inset in (0.08, 0.2):
        canvas.drawOval(
            oval(x, y, (1.75 - inset) * DENSITY, (1.15 - inset) * DENSITY), stroke("#7a2a35", 0.04 * DENSITY)
        )
    lettering(canvas, "OSTRELLE", x, y + 0.2 * DENSITY, 0.6 * DENSITY, fill("#6f1f30"))
    lettering(canvas, "TRAMWAY · 1903", x, y + 0.72 * DENSITY, 0.26 * DENSITY, fill("#4a4038"))
    lettering(canvas, "12", x, y - 0.5 * DENSITY, 0.42 * DENSITY, fill("#4a4038"))
    noise = np.random.default_rng(42).normal(0, 5, (height, width, 1)).astype(np.float32)
    pixels[:, :, :3] = np.clip(pixels[:, :, :3] + noise, 0, 255).astype(np.uint8)
    # What lies far off is seen much flatter than it is drawn, and would flicker.
    far = np.linspace(1, 0, height, dtype=np.float32)[:, None, None] ** 2
    soft = cv2.GaussianBlur(pixels, (0, 0), sigmaX=1.2, sigmaY=3.5)
    return _ended((pixels * (1 - far) + soft * far).astype(np.uint8))


def _wall() -> Pixels:
    width, height = int((RIGHT - LEFT) * DENSITY), int(WALL * DENSITY)
    pixels = empty(width, height)
    canvas = canvas_of(pixels)
    backdrop.bricks(canvas, 0, 0, width, height, 20, 51)
    canvas.drawRect(
        skia.Rect.MakeLTRB(0, height - 0.35 * DENSITY, width, height), down(height - 84, height, "#3d4a4a", "#29322f")
    )
    for metres in np.arange(1.0, RIGHT - LEFT, 2.6):
        x = float(metres * DENSITY)
        window = skia.Rect.MakeLTRB(x, 0.1 * DENSITY, x + 1.5 * DENSITY, 2.3 * DENSITY)
        canvas.drawRect(window, ball(x + 180, 200, 520, "#fffbe8", "#e9eef0", "#b9cbd6"))
        for share in (0.0, 0.25, 0.5, 0.75, 1.0):
            bar = x + share * 1.5 * DENSITY
            canvas.drawLine(bar, window.top(), bar, window.bottom(), stroke("#2f3836", 9))
        for share in (0.0, 0.33, 0.66, 1.0):
            bar = window.top() + share * window.height()
            canvas.drawLine(window.left(), bar, window.right(), bar, stroke("#2f3836", 9))
    return _ended(pixels)


def _ended(pixels: Pixels) -> Pixels:
    """The same with a rim of nothing: beyond it something else is seen."""
    pixels[[0, -1]] = 0
    pixels[:, [0, -1]] = 0
    return pixels
