"""Shot 5: a visitor with loose hair walks past a busy wall; a luggage cart rolls by behind her."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo import backdrop
from cravo.demo.figure import HeadPose, Person, draw_shadow, draw_walker, face_truth
from cravo.demo.paint import down, fill, oval, stroke, wobble
from cravo.demo.scene import MARGIN, Layer, Scene, plate_canvas

GROUND = 700.0
CART = 118.0  # half its length
VISITOR = Person("visitor", "#dba583", "#6a3a1e", "#46606b", legs="#3a3540", loose_hair=True, seed=31)


class Platform(Scene):
    name = "platform"
    title = "Platform, loose hair"
    speech = "The luggage goes to the end of the platform. Mind your hats, there is a wind today."

    def __init__(self) -> None:
        self.layers = [
            Layer("wall", plate=_background(), moves=0.75),
            Layer("shadows", draw=self._shadows),
            Layer("cart", draw=self._cart),
            Layer("visitor", draw=self._visitor),
        ]

    def head(self, t: float) -> HeadPose:
        step = math.sin(t * 0.52)
        return HeadPose(
            x=430 + 6.1 * t + 30 * math.sin(t / 25),
            y=330 + 4 * step,
            size=54 + 4 * math.sin(t / 40),
            yaw=0.45 + 0.35 * math.sin(t / 17),
            pitch=0.15 * math.sin(t / 11),
            roll=2.2 * math.sin(t * 0.26),
            mouth=max(0.0, 0.4 * math.sin(t / 3)),
            wind=t / 3.1,
        )

    def cart_at(self, t: float) -> tuple[float, float]:
        """Where the middle of the cart touches the ground."""
        return 1560 - 7.4 * t - 40 * math.sin(t / 30), 838 + 1.2 * math.sin(t * 1.3)

    def camera(self, t: float) -> NDArray[np.float64]:
        turn = math.radians(0.5 * wobble(t, 15, 64))
        a, b = math.cos(turn), math.sin(turn)
        shift = np.array([18 * wobble(t, 16, 52), 12 * wobble(t, 17, 46)]) + self.drift(t)
        x, y = 960.0, 540.0
        return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])

    def drift(self, t: float) -> NDArray[np.float64]:
        return np.array([-70.0 * math.sin((t - 75) / 70), 0.0])

    def light(self, t: float) -> float:
        return 1.0 - 0.12 * math.exp(-(((t - 105) / 20) ** 2))

    def truth(self, frame: float) -> dict[str, Any]:
        camera = self.camera(frame)
        x, y, _ = camera @ (*self.cart_at(frame), 1.0)
        return {
            "camera": camera.tolist(),
            "faces": {"visitor": self.seen(face_truth(self.head(frame)), camera)},
            "cart": [float(x), float(y)],
        }

    def _shadows(self, canvas: skia.Canvas, t: float) -> None:
        x, ground = self.cart_at(t)
        canvas.drawOval(oval(x, ground, 1.15 * CART, 0.1 * CART), fill("#101418", 0.45, 6))
        draw_shadow(canvas, self.head(t))

    def _cart(self, canvas: skia.Canvas, t: float) -> None:
        x, ground = self.cart_at(t)
        backdrop.luggage_cart(canvas, x, ground, CART, x)

    def _visitor(self, canvas: skia.Canvas, t: float) -> None:
        draw_walker(canvas, VISITOR, self.head(t), t * 0.26, 0.9)


def _background() -> NDArray[np.uint8]:
    pixels, canvas = plate_canvas()
    left, right = -MARGIN, 1920 + MARGIN
    backdrop.bricks(canvas, left, -MARGIN, right, GROUND, 20, 51)
    backdrop.lay_ground(pixels, GROUND, MARGIN, 52)
    for i, x in enumerate((-60, 190, 640, 900, 1330, 1590, 1830)):
        backdrop.poster(canvas, x, 170 + 24 * (i % 3), 190, 270, 60 + i)
    canvas.drawRect(skia.Rect.MakeLTRB(left, 96, right, 118), down(96, 118, "#5a616b", "#31363e"))
    backdrop.sign(canvas, 980, 486, 300, 70, "TO THE TRAMS")
    backdrop.sign(canvas, 250, 520, 230, 60, "OSTRELLE", "#f2d27a")
    backdrop.bunting(canvas, -120, 120, 760, 110, 40)
    backdrop.bunting(canvas, 760, 110, 1500, 120, 46)
    backdrop.bunting(canvas, 1500, 120, 2080, 110, 40)
    for i, x in enumerate((80, 560, 1320, 1760)):
        backdrop.shrub(canvas, x, 790, 74 + 6 * (i % 2), 80 + i)
    for x in (700, 1480):  # a bench
        for y in (610, 640, 690):
            canvas.drawRect(skia.Rect.MakeLTRB(x, y, x + 210, y + 16), down(y, y + 16, "#a5743c", "#6b4720"))
        for leg in (x + 14, x + 190):
            canvas.drawLine(leg, 610, leg, 778, stroke("#2b2f33", 9))
    canvas.drawRect(skia.Rect.MakeLTRB(left, 1000, right, 1018), fill("#e9e4d6", 0.85))
    return pixels
