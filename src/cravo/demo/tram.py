"""Shot 3: number 12 passes in perspective, behind a visitor, its windows catching a light that stays in place."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo import backdrop
from cravo.demo.figure import HeadPose, Person, draw_shadow, draw_walker, face_truth
from cravo.demo.paint import canvas_of, down, empty, fill, polygon, wobble
from cravo.demo.scene import MARGIN, Layer, Scene, plate_canvas

FOCAL = 1500.0
LENGTH, HEIGHT = 9.0, 3.0  # metres of the tram's side
DENSITY = 260  # pixels of its drawing for each metre
PASSER = Person("passer", "#c98f6b", "#3a2a20", "#40556e", legs="#2f3138", long_hair=True, seed=17)
# The lettering, in metres along the side and down from its upper edge.
SIGN = np.array([[3.0, 1.88], [6.0, 1.88], [6.0, 2.38], [3.0, 2.38]])


class TramSide(Scene):
    name = "tram"
    title = "Number 12 passing"
    speech = "Number twelve to the turntable. Please stay behind the white line."

    def __init__(self) -> None:
        self.layers = [
            Layer("yard", plate=_background(), moves=0.6),
            Layer("tram", plate=_side(), carried=lambda t: self.side(t) @ _metres()),
            Layer("light", draw=self._light),
            Layer("passer", draw=self._passer),
        ]

    def side(self, t: float) -> NDArray[np.float64]:
        """3x3: metres on the tram's side to pixels of the picture of frame t."""
        turn = math.radians(14 + 14 * t / 150)
        run = 3.4 * t / 150 + 0.15 * math.sin(t / 20)
        along = np.array([math.cos(turn), 0.0, math.sin(turn)])
        origin = np.array([-4.6, -1.75, 6.6]) + run * np.array([0.95, 0.0, -0.12])
        lens = np.array([[FOCAL, 0, 960.0], [0, FOCAL, 540.0], [0, 0, 1]])
        matrix = self.camera(t) @ lens @ np.column_stack([along, [0.0, 1.0, 0.0], origin])
        return matrix / matrix[2, 2]

    def head(self, t: float) -> HeadPose:
        stride = math.sin(t * 0.56)
        return HeadPose(x=2050 - 15.5 * t, y=330 + 5 * stride, size=70, yaw=-0.7, roll=2 * stride, mouth=0.2)

    def camera(self, t: float) -> NDArray[np.float64]:
        turn = math.radians(0.4 * wobble(t, 11, 60))
        a, b = math.cos(turn), math.sin(turn)
        shift = 16 * wobble(t, 7, 50), 11 * wobble(t, 8, 44)
        x, y = 960.0, 540.0
        return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])

    def light(self, t: float) -> float:
        return 1.0 - 0.22 * math.exp(-(((t - 60) / 18) ** 2))

    def truth(self, frame: float) -> dict[str, Any]:
        camera, side = self.camera(frame), self.side(frame)
        corners = np.column_stack([SIGN, np.ones(4)]) @ side.T
        return {
            "camera": camera.tolist(),
            "faces": {"passer": self.seen(face_truth(self.head(frame)), camera)},
            "planes": {"tram": side.tolist()},
            "signs": {"OSTRELLE": (corners[:, :2] / corners[:, 2:]).tolist()},
        }

    def _light(self, canvas: skia.Canvas, t: float) -> None:
        """A reflection of the sky on the tram's side that does not move with it."""
        body = np.array([[0, 0.3, 1], [LENGTH, 0.3, 1], [LENGTH, 2.6, 1], [0, 2.6, 1]])
        corners = body @ (np.linalg.inv(self.camera(t)) @ self.side(t)).T
        canvas.save()
        canvas.clipPath(polygon(*((x / w, y / w) for x, y, w in corners)), True)
        for x, width in ((860, 80), (1000, 26)):
            points = [skia.Point(x, 0), skia.Point(x + width, 0)]
            shader = skia.GradientShader.MakeLinear(points, [0x00FFFFFF, 0x50FFFFFF, 0x00FFFFFF])
            canvas.drawRect(skia.Rect.MakeLTRB(x, 0, x + width, 1080), skia.Paint(AntiAlias=True, Shader=shader))
        canvas.restore()

    def _passer(self, canvas: skia.Canvas, t: float) -> None:
        draw_shadow(canvas, self.head(t))
        draw_walker(canvas, PASSER, self.head(t), t * 0.28, -1.0)


def _metres() -> NDArray[np.float64]:
    """Pixels of the drawn side, its margin left out, to metres."""
    s = 1 / DENSITY
    return np.array([[s, 0, -MARGIN * s], [0, s, -MARGIN * s], [0, 0, 1]])


def _side() -> NDArray[np.uint8]:
    pixels = empty(int(LENGTH * DENSITY) + 2 * MARGIN, int(HEIGHT * DENSITY) + 2 * MARGIN)
    canvas = canvas_of(pixels)
    backdrop.tram_shadow(canvas, MARGIN, MARGIN, LENGTH * DENSITY, HEIGHT * DENSITY)
    backdrop.tram(canvas, MARGIN, MARGIN, LENGTH * DENSITY, HEIGHT * DENSITY, "12", "OSTRELLE")
    return pixels


def _background() -> NDArray[np.uint8]:
    pixels, canvas = plate_canvas()
    backdrop.sky(canvas, -MARGIN, -MARGIN, 1920 + MARGIN, 620)
    backdrop.bricks(canvas, -MARGIN, 90, 1920 + MARGIN, 640, 18, 31)
    for x in (180, 700, 1220, 1740):
        backdrop.arched_gate(canvas, x, 640, 260, 380)
    canvas.drawRect(skia.Rect.MakeLTRB(-MARGIN, 60, 1920 + MARGIN, 96), down(60, 96, "#4a4f5a", "#2f333b"))
    backdrop.lay_ground(pixels, 630, MARGIN, 14)
    backdrop.bunting(canvas, -120, 120, 900, 110, 50)
    backdrop.bunting(canvas, 900, 110, 2060, 130, 60)
    canvas.drawRect(skia.Rect.MakeLTRB(-MARGIN, 1010, 1920 + MARGIN, 1032), fill("#e9e4d6", 0.8))
    return pixels
