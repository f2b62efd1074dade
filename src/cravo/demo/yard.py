"""Shot 2: the depot yard from the hand; three visitors, one of them passing behind a post."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo import backdrop
from cravo.demo.figure import HeadPose, Person, draw_shadow, draw_walker, face_truth
from cravo.demo.paint import across, fill, wobble
from cravo.demo.scene import MARGIN, Layer, Scene, plate_canvas

HORIZON = 560.0
POST_X = 1010.0
POST_MOVES = 1.35

VISITORS = {
    "red_scarf": Person("red_scarf", "#e0b08e", "#8a4a24", "#7f3340", long_hair=True, seed=4),
    "grey_coat": Person("grey_coat", "#c48a64", "#2a2422", "#5d6670", legs="#2b2d36", beard=True, seed=9),
    "green_coat": Person("green_coat", "#8a5a3c", "#1d1816", "#3f6b54", legs="#5a4a3a", glasses=True, seed=12),
}


class Yard(Scene):
    name = "yard"
    title = "Depot yard, visitors"
    speech = "Mind the rails, please. The next tram leaves from the turntable in five minutes."

    def __init__(self) -> None:
        self.layers = [
            Layer("yard", plate=background(), moves=0.8),
            Layer("green_coat", draw=self._walker("green_coat")),
            Layer("grey_coat", draw=self._walker("grey_coat")),
            Layer("post", draw=lambda canvas, t: backdrop.lamp_post(canvas, POST_X, 985, 1500), moves=POST_MOVES),
            Layer("red_scarf", draw=self._walker("red_scarf")),
        ]

    def head(self, who: str, t: float) -> HeadPose:
        if who == "grey_coat":  # walks to the right, behind the post
            x, size, gait = 690 + 4.6 * t, 37.0, 0.30
            turn = 0.65 + 0.2 * math.sin(t / 12)
        elif who == "green_coat":  # stands further off, looks about
            x, size, gait = 1480 - 0.9 * t, 27.0, 0.12
            turn = -0.4 + 0.75 * math.sin(t / 19)
        else:  # comes towards the camera, to the left
            x, size, gait = 640 - 1.9 * t, 48.0 + 0.075 * t, 0.26
            turn = -0.35 + 0.3 * math.sin(t / 15)
        step = math.sin(t * gait * 2)
        y = {"grey_coat": 470.0, "green_coat": 500.0, "red_scarf": 420.0 - 0.15 * t}[who]
        return HeadPose(
            x=x,
            y=y + 2.6 * step * size / 40,
            size=size,
            yaw=turn,
            pitch=0.15 * math.sin(t / 9 + len(who)),
            roll=2.5 * math.sin(t * gait),
            mouth=max(0.0, 0.5 * math.sin(t / 2.7 + len(who))),
        )

    def camera(self, t: float) -> NDArray[np.float64]:
        turn = math.radians(0.55 * wobble(t, 5, 70))
        zoom = 1.0 + 0.008 * wobble(t, 6, 90)
        a, b = zoom * math.cos(turn), zoom * math.sin(turn)
        shift = np.array([22 * wobble(t, 3, 55), 15 * wobble(t, 4, 48)]) + self.drift(t)
        x, y = 960.0, 540.0
        return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])

    def drift(self, t: float) -> NDArray[np.float64]:
        return np.array([-60.0 * math.sin((t - 75) / 60), 0.0])

    def light(self, t: float) -> float:
        return 1.0 - 0.10 * math.exp(-(((t - 95) / 22) ** 2))

    def truth(self, frame: float) -> dict[str, Any]:
        camera = self.camera(frame)
        return {
            "camera": camera.tolist(),
            "faces": {who: self.seen(face_truth(self.head(who, frame)), camera) for who in VISITORS},
        }

    def _walker(self, who: str):  # type: ignore[no-untyped-def]
        gait = {"grey_coat": 0.30, "green_coat": 0.06, "red_scarf": 0.26}[who]
        heading = {"grey_coat": 1.0, "green_coat": -0.3, "red_scarf": -0.8}[who]

        def draw(canvas: skia.Canvas, t: float) -> None:
            head = self.head(who, t)
            draw_shadow(canvas, head)
            draw_walker(canvas, VISITORS[who], head, t * gait, heading)
            if who == "red_scarf":
                canvas.drawRoundRect(
                    skia.Rect.MakeLTRB(
                        head.x - head.size * 0.9,
                        head.y + head.size * 1.2,
                        head.x + head.size * 0.9,
                        head.y + head.size * 1.9,
                    ),
                    20,
                    20,
                    across(head.x - head.size, head.x + head.size, "#e2384a", "#c41f36", "#8d1426"),
                )

        return draw


def background() -> NDArray[np.uint8]:
    pixels, canvas = plate_canvas()
    backdrop.sky(canvas, -MARGIN, -MARGIN, 1920 + MARGIN, HORIZON)
    for i in range(5):  # the town behind
        x = -100 + i * 470
        canvas.drawRect(
            skia.Rect.MakeLTRB(x, 330 - 30 * (i % 3), x + 380, HORIZON), fill(("#9aa6ad", "#8d98a3", "#a7a59f")[i % 3])
        )
        for j in range(6):
            canvas.drawRect(skia.Rect.MakeLTRB(x + 30 + j * 58, 370, x + 58 + j * 58, 420), fill("#5d6a78", 0.8))
    backdrop.lay_ground(pixels, HORIZON - 6, MARGIN, 8)
    backdrop.bricks(canvas, 820, 190, 1920 + MARGIN, HORIZON + 8, 15, 6)
    for x in (1000, 1330, 1660):
        backdrop.arched_gate(canvas, x, HORIZON + 8, 210, 290)
    roof = skia.Path()
    roof.addPoly(
        [
            skia.Point(780, 196),
            skia.Point(1080, 70),
            skia.Point(1380, 196),
            skia.Point(1680, 70),
            skia.Point(2000, 196),
            skia.Point(2100, 210),
            skia.Point(780, 210),
        ],
        True,
    )
    canvas.drawPath(roof, fill("#4a4f5a"))
    for i in range(22):
        canvas.drawLine(800 + i * 60, 205, 800 + i * 60, 196, fill("#32363f"))
    backdrop.sign(canvas, 1060, 214, 220, 52, "WORKSHOP")
    backdrop.sign(canvas, 1395, 214, 200, 52, "OPEN DAY", "#f2d27a")
    backdrop.tram_shadow(canvas, -140, 300, 800, 330)
    backdrop.tram(canvas, -140, 300, 800, 330, "12", "OSTRELLE")
    backdrop.bunting(canvas, 560, 180, 1300, 150, 50)
    backdrop.bunting(canvas, 1300, 150, 2080, 190, 60)
    for x, y, size in ((760, 560, 34), (720, 585, 42), (1790, 590, 50)):
        canvas.drawRect(skia.Rect.MakeLTRB(x, y - size, x + size * 1.5, y + size), fill("#8a6b45"))
        canvas.drawLine(x, y, x + size * 1.5, y, fill("#5d4630"))
    return pixels
