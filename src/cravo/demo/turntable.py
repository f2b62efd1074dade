"""Shot 6: number 7 turns on the turntable, partly behind a lamp post; two visitors cross before it."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo import backdrop
from cravo.demo.figure import HeadPose, Person, draw_shadow, draw_walker, face_truth
from cravo.demo.paint import canvas_of, down, empty, fill, polygon, stroke, wobble
from cravo.demo.scene import MARGIN, Layer, Scene, plate_canvas

FOCAL = 1500.0
LENGTH, WIDTH, TALL = 8.4, 2.3, 3.1  # metres of the tram
DENSITY = 240  # pixels of its drawing for each metre
CENTRE = np.array([0.4, 1.55, 13.5])  # of the turntable, on the ground, in metres from the camera
HORIZON = 556.0
VISITORS = {
    "blue_coat": Person("blue_coat", "#d7a27e", "#4b2d1a", "#33507a", legs="#33343c", long_hair=True, seed=41),
    "ochre_coat": Person("ochre_coat", "#a9714c", "#1c1815", "#a9793a", legs="#3d3a44", beard=True, seed=43),
}

_CORNERS = ((-1, -1), (1, -1), (1, 1), (-1, 1))


class Turntable(Scene):
    name = "turntable"
    title = "Number 7 on the turntable"
    speech = "Number seven turns now. It takes one minute, and four strong arms."

    def __init__(self) -> None:
        self.layers = [
            Layer("yard", plate=_background(), moves=0.7),
            Layer("rails", draw=self._rails),
            Layer("shadows", draw=self._shadows),
            Layer("tram", plate=_side(), carried=lambda t: self.side(t) @ _metres()),
            Layer("tram", plate=_end(), carried=lambda t: self.end(t) @ _metres()),
            Layer("post", draw=lambda canvas, t: backdrop.lamp_post(canvas, 1215, 930, 1500), moves=1.25),
            Layer("ochre_coat", draw=self._walker("ochre_coat", 0.30, -0.9)),
            Layer("blue_coat", draw=self._walker("blue_coat", 0.27, 0.9)),
        ]

    def turn(self, t: float) -> float:
        return math.radians(6 + 36 * t / 150 + 0.8 * math.sin(t / 9))

    def side(self, t: float) -> NDArray[np.float64]:
        """3x3: metres on the tram's side to pixels of the picture of frame t."""
        along, across = self._axes(t)
        corner = CENTRE - along * LENGTH / 2 - across * WIDTH / 2 - np.array([0, TALL, 0])
        return self._seen(t, along, corner)

    def end(self, t: float) -> NDArray[np.float64]:
        """The same for its end, that is nearer to the camera the further it turns."""
        along, across = self._axes(t)
        corner = CENTRE - along * LENGTH / 2 + across * WIDTH / 2 - np.array([0, TALL, 0])
        return self._seen(t, -across, corner)

    def _axes(self, t: float) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        turn = self.turn(t)
        return np.array([math.cos(turn), 0, math.sin(turn)]), np.array([-math.sin(turn), 0, math.cos(turn)])

    def _seen(self, t: float, along: NDArray[np.float64], corner: NDArray[np.float64]) -> NDArray[np.float64]:
        lens = np.array([[FOCAL, 0, 960.0], [0, FOCAL, HORIZON], [0, 0, 1]])
        matrix = self.camera(t) @ lens @ np.column_stack([along, [0.0, 1.0, 0.0], corner])
        return matrix / matrix[2, 2]

    def head(self, who: str, t: float) -> HeadPose:
        if who == "blue_coat":
            x, y, size, gait, yaw = 560 + 5.6 * t, 520.0, 37.0, 0.27, 0.6
        else:
            x, y, size, gait, yaw = 1400 - 6.2 * t, 516.0, 35.0, 0.30, -0.6
        step = math.sin(t * gait * 2)
        return HeadPose(
            x=x,
            y=y + 2.4 * step,
            size=size,
            yaw=yaw + 0.2 * math.sin(t / 13 + len(who)),
            pitch=0.12 * math.sin(t / 10),
            roll=2.0 * math.sin(t * gait),
            mouth=max(0.0, 0.4 * math.sin(t / 2.9 + len(who))),
        )

    def camera(self, t: float) -> NDArray[np.float64]:
        turn = math.radians(0.45 * wobble(t, 19, 58))
        a, b = math.cos(turn), math.sin(turn)
        shift = np.array([17 * wobble(t, 20, 54), 12 * wobble(t, 21, 47)]) + self.drift(t)
        x, y = 960.0, 540.0
        return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])

    def drift(self, t: float) -> NDArray[np.float64]:
        return np.array([36.0 * math.sin((t - 60) / 55), 0.0])

    def light(self, t: float) -> float:
        return 1.0 - 0.14 * math.exp(-(((t - 40) / 16) ** 2))

    def truth(self, frame: float) -> dict[str, Any]:
        camera = self.camera(frame)
        faces = {who: self.seen(face_truth(self.head(who, frame)), camera) for who in VISITORS}
        planes = {"side": self.side(frame).tolist(), "end": self.end(frame).tolist()}
        return {"camera": camera.tolist(), "faces": faces, "planes": planes}

    def _rails(self, canvas: skia.Canvas, t: float) -> None:
        along, across = self._axes(t)
        for side in (-0.75, 0.75):
            ends = [CENTRE + across * side + along * reach for reach in (-LENGTH * 0.58, LENGTH * 0.58)]
            (x0, y0), (x1, y1) = (_on_screen(end) for end in ends)
            canvas.drawLine(x0, y0, x1, y1, stroke("#33363a", 9))
            canvas.drawLine(x0, y0, x1, y1, stroke("#b9bdc2", 4))

    def _shadows(self, canvas: skia.Canvas, t: float) -> None:
        along, across = self._axes(t)
        corners = [CENTRE + along * x * LENGTH / 2 + across * z * WIDTH / 2 for x, z in _CORNERS]
        canvas.drawPath(polygon(*(_on_screen(corner) for corner in corners)), fill("#0c0c10", 0.5, 10))
        for who in VISITORS:
            draw_shadow(canvas, self.head(who, t))

    def _walker(self, who: str, gait: float, heading: float):  # type: ignore[no-untyped-def]
        return lambda canvas, t: draw_walker(canvas, VISITORS[who], self.head(who, t), t * gait, heading)


def _on_screen(point: NDArray[np.float64]) -> tuple[float, float]:
    return 960.0 + FOCAL * point[0] / point[2], HORIZON + FOCAL * point[1] / point[2]


def _metres() -> NDArray[np.float64]:
    """Pixels of a drawn side, its margin left out, to metres."""
    s = 1 / DENSITY
    return np.array([[s, 0, -MARGIN * s], [0, s, -MARGIN * s], [0, 0, 1]])


def _side() -> NDArray[np.uint8]:
    pixels = empty(int(LENGTH * DENSITY) + 2 * MARGIN, int(TALL * DENSITY) + 2 * MARGIN)
    backdrop.tram(canvas_of(pixels), MARGIN, MARGIN, LENGTH * DENSITY, TALL * DENSITY, "7", "OSTRELLE")
    return pixels


def _end() -> NDArray[np.uint8]:
    pixels = empty(int(WIDTH * DENSITY) + 2 * MARGIN, int(TALL * DENSITY) + 2 * MARGIN)
    canvas = canvas_of(pixels)
    canvas.translate(MARGIN, MARGIN)
    backdrop.tram_end(canvas, WIDTH * DENSITY, TALL * DENSITY, "7")
    return pixels


def _background() -> NDArray[np.uint8]:
    pixels, canvas = plate_canvas()
    left, right = -MARGIN, 1920 + MARGIN
    backdrop.sky(canvas, left, -MARGIN, right, HORIZON)
    for i in range(6):  # the town behind
        x = -160 + i * 400
        canvas.drawRect(
            skia.Rect.MakeLTRB(x, 260 - 34 * (i % 3), x + 330, HORIZON), fill(("#8d98a3", "#a7a59f", "#9aa6ad")[i % 3])
        )
        for j in range(5):
            canvas.drawRect(skia.Rect.MakeLTRB(x + 30 + j * 58, 310, x + 58 + j * 58, 360), fill("#56636f", 0.8))
    backdrop.bricks(canvas, left, 330, right, HORIZON + 20, 14, 71)
    for x in (120, 420, 1500, 1800):
        backdrop.arched_gate(canvas, x, HORIZON + 20, 170, 190)
    canvas.drawRect(skia.Rect.MakeLTRB(left, 318, right, 340), down(318, 340, "#4a4f5a", "#2f333b"))
    backdrop.lay_ground(pixels, HORIZON + 16, MARGIN, 72)
    disc = [CENTRE + 5.4 * np.array([math.cos(a), 0, math.sin(a)]) for a in np.linspace(0, math.tau, 72)]
    canvas.drawPath(polygon(*(_on_screen(point) for point in disc)), fill("#4d5358"))
    canvas.drawPath(polygon(*(_on_screen(point) for point in disc)), stroke("#2a2e32", 10))
    backdrop.sign(canvas, 560, 380, 210, 56, "TURNTABLE")
    backdrop.sign(canvas, 1260, 380, 190, 56, "OPEN DAY", "#f2d27a")
    backdrop.bunting(canvas, -140, 250, 700, 230, 50)
    backdrop.bunting(canvas, 700, 230, 1500, 250, 60)
    backdrop.bunting(canvas, 1500, 250, 2080, 230, 40)
    for i, x in enumerate((250, 960, 1660)):
        backdrop.shrub(canvas, x, 640, 46, 90 + i)
    return pixels
