"""Shot 8: a tilt over the depot roofs; branches, wires, flags and birds before a bright sky."""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Any

import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo import backdrop
from cravo.demo.clouds import clouded
from cravo.demo.paint import Pixels, across, canvas_of, down, empty, fill, oval, polygon, shade, smooth, stroke, wobble
from cravo.demo.scene import HEIGHT, WIDTH, Layer, Scene

ABOVE, BELOW, BESIDE = 620, 420, 200  # pixels that a plate reaches beyond the frame at rest
TREE = 1640.0, 1240.0  # where its trunk comes out of the ground
TILT = 300.0  # pixels that the camera looks up
FEEDER = ((-200, 300), (420, 395), (1180, 360), (2120, 250))  # masts that carry wires, and where


class Roofs(Scene):
    name = "roofs"
    title = "Over the depot roofs"
    speech = "From up here the old roofs, and the wires of eighteen ninety nine. What a sky today."

    def __init__(self) -> None:
        self.layers = [
            Layer("sky", plate=_sky(), carried=self._sky_at),
            Layer("birds", draw=_birds),
            Layer("town", plate=_town(), carried=lambda t: self._at(t, 0.45)),
            Layer("depot", plate=_depot(), carried=lambda t: self._at(t, 0.8)),
            Layer("flag", draw=_flag, moves=0.8),
            Layer("tree", plate=_tree(), carried=self._tree_at),
            Layer("wires", plate=_wires(), carried=lambda t: self._at(t, 1.3)),
        ]

    def camera(self, t: float) -> NDArray[np.float64]:
        turn = math.radians(0.45 * wobble(t, 25, 66))
        a, b = math.cos(turn), math.sin(turn)
        up = TILT * (smooth(t / 85) - 0.75 * smooth((t - 100) / 50)) - 90
        shift = np.array([16 * wobble(t, 26, 54), up + 11 * wobble(t, 27, 47)]) + self.drift(t)
        x, y = WIDTH / 2, HEIGHT / 2
        return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])

    def drift(self, t: float) -> NDArray[np.float64]:
        return np.array([-46.0 * math.sin((t - 75) / 62), 0.0])

    def light(self, t: float) -> float:
        return 1.0 - 0.08 * math.exp(-(((t - 60) / 24) ** 2))

    def truth(self, frame: float) -> dict[str, Any]:
        return {"camera": self.camera(frame).tolist(), "far": self.moved(0.0, frame).tolist(), "faces": {}}

    def _at(self, t: float, share: float) -> NDArray[np.float64]:
        return self.moved(share, t) @ _moved(-BESIDE, -ABOVE)

    def _sky_at(self, t: float) -> NDArray[np.float64]:
        return self.moved(0.0, t) @ _moved(0.35 * t - BESIDE, -ABOVE)

    def _tree_at(self, t: float) -> NDArray[np.float64]:
        """The wind leans it a little about its foot."""
        y = TREE[1]
        lean = 0.006 * math.sin(t / 9) + 0.003 * math.sin(t / 4.3)
        sway = np.array([[1, -lean, lean * y], [0, 1, 0], [0, 0, 1]], np.float64)
        return self.moved(1.0, t) @ sway @ _moved(-BESIDE, -ABOVE)


def _moved(x: float, y: float) -> NDArray[np.float64]:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1]], np.float64)


def _plate() -> tuple[Pixels, skia.Canvas]:
    pixels = empty(WIDTH + 2 * BESIDE, HEIGHT + ABOVE + BELOW)
    canvas = canvas_of(pixels)
    canvas.translate(BESIDE, ABOVE)
    return pixels, canvas


def _sky() -> Pixels:
    pixels, _ = _plate()
    pixels[:] = clouded(pixels.shape[1], pixels.shape[0], 71, ("#3f7cc4", "#86b4e0", "#e3ecef", "#e9eef0"))
    return pixels


def _birds(canvas: skia.Canvas, t: float) -> None:
    for i, (x, y, speed) in enumerate(((240, -40, 5.2), (330, -75, 5.0), (980, 60, -4.1), (150, 10, 4.7))):
        at, beat = x + speed * t, math.sin(t * 0.9 + 2 * i)
        up = y + 8 * math.sin(t / 13 + i)
        wings = skia.Path()
        wings.moveTo(at - 17, up - 8 * beat)
        wings.quadTo(at - 7, up - 4, at, up)
        wings.quadTo(at + 7, up - 4, at + 17, up - 8 * beat)
        canvas.drawPath(wings, stroke("#2b3036", 4.0))


def _town() -> Pixels:
    """Roofs and a church far off, pale with haze."""
    pixels, canvas = _plate()
    random = np.random.default_rng(72)
    for row, (tint, ground) in enumerate((("#c3bdb3", 600), ("#b5a899", 660))):
        x = -220.0
        while x < 2150:
            wide, tall = random.uniform(90, 190), random.uniform(50, 150)
            top, shown = ground - tall, random.uniform(0.9, 1.06)
            canvas.drawRect(skia.Rect.MakeLTRB(x, top, x + wide, ground + 400), fill(shade(tint, shown)))
            roof = polygon((x - 6, top + 3), (x + wide / 2, top - wide * 0.32), (x + wide + 6, top + 3))
            canvas.drawPath(roof, fill(shade(("#a58379", "#947468", "#8b8a90")[int(x) % 3], shown)))
            for i in range(int(wide // 34)):
                at = x + 16 + 34 * i
                canvas.drawRect(skia.Rect.MakeLTRB(at, top + 24, at + 12, top + 42), fill("#78808a", 0.8))
            x += wide * random.uniform(0.8, 1.05)
        if row == 0:
            canvas.drawRect(skia.Rect.MakeLTRB(508, 330, 570, 700), fill("#b9ae9f"))
            canvas.drawPath(polygon((500, 332), (539, 130), (578, 332)), fill("#7d9688"))
            canvas.drawCircle(539, 372, 15, fill("#ece6d6"))
    canvas.drawRect(skia.Rect.MakeLTRB(-300, 640, 2300, 1600), fill("#a39a8c"))
    return pixels


def _depot() -> Pixels:
    """Saw-tooth roofs with skylights that mirror the sky, chimneys, and a white gable."""
    pixels, canvas = _plate()
    for i in range(5):
        left = -260 + i * 330
        ridge, eaves = 505 - 8 * (i % 2), 690
        slope = polygon((left, eaves), (left + 90, ridge), (left + 330, eaves))
        canvas.drawPath(slope, down(ridge, eaves, "#6d5a52", "#54453f"))
        canvas.save()
        canvas.clipPath(slope, True)
        for k in range(14):
            at = left + 100 + 16 * k
            canvas.drawLine(at, ridge, at - 4, eaves, stroke("#3f332e", 2, 0.7))
        canvas.restore()
        canvas.drawPath(polygon((left, eaves), (left + 90, ridge), (left + 104, ridge + 8), (left + 24, eaves)), fill("#e9e5da"))  # fmt: skip
        for k in range(3):
            a, b = k / 3 + 0.05, k / 3 + 0.29
            pane = polygon(
                *(
                    (left + 10 + 84 * share + shift, eaves - 8 - 172 * share)
                    for share, shift in ((a, 0), (b, 0), (b, 10), (a, 10))
                )
            )
            canvas.drawPath(pane, down(ridge, eaves, "#8fb4d6", "#c9d9e2"))
    backdrop.bricks(canvas, -300, 690, 1400, 1500, 17, 73)
    for x, top in ((330, 380), (960, 410)):
        backdrop.bricks(canvas, x, top, x + 66, 700, 14, 74)
        canvas.drawRect(skia.Rect.MakeLTRB(x - 8, top - 14, x + 74, top + 8), fill("#4b332b"))
        for pot in (x + 12, x + 40):
            canvas.drawRect(skia.Rect.MakeLTRB(pot, top - 44, pot + 16, top - 12), across(pot, pot + 16, "#b56a48", "#7d4430"))  # fmt: skip
    gable = polygon((1380, 1500), (1380, 470), (1620, 300), (1860, 470), (1860, 1500))
    canvas.drawPath(gable, down(300, 900, "#f4f3ee", "#dcdcd6"))
    canvas.drawPath(polygon((1350, 486), (1620, 288), (1890, 486), (1890, 462), (1620, 262), (1350, 462)), fill("#7c3f33"))  # fmt: skip
    for x in (1460, 1700):
        canvas.drawRect(skia.Rect.MakeLTRB(x, 560, x + 84, 700), fill("#cfd3cf"))
        canvas.drawRect(skia.Rect.MakeLTRB(x + 7, 567, x + 77, 693), down(560, 700, "#a9c6de", "#5d7688"))
        canvas.drawLine(x + 42, 567, x + 42, 693, stroke("#e8e8e2", 5))
    backdrop.sign(canvas, 1490, 430, 260, 62, "OSTRELLE")
    backdrop.bricks(canvas, 1860, 640, 2200, 1500, 17, 75)
    canvas.drawRect(skia.Rect.MakeLTRB(1856, 620, 2200, 646), fill("#5a4a44"))
    canvas.drawLine(700, 700, 700, 150, stroke("#d9d6cc", 8))  # the flag's pole
    canvas.drawCircle(700, 148, 8, fill("#d9b45a"))
    return pixels


def _flag(canvas: skia.Canvas, t: float) -> None:
    """A flag in two colours, waving."""
    for y0, y1, tint in ((158, 250, "#f0e9da"), (158, 204, "#c8414f")):
        cloth = skia.Path()
        places = [(704 + 11 * i, 7 * math.sin(i / 2.4 - t / 3.2) * min(i / 6, 1)) for i in range(16)]
        cloth.moveTo(places[0][0], y0)
        for x, wave in places[1:]:
            cloth.lineTo(x, y0 + wave)
        for x, wave in reversed(places):
            cloth.lineTo(x, y1 + wave)
        cloth.close()
        canvas.drawPath(cloth, across(704, 870, shade(tint, 0.85), tint, shade(tint, 0.8)))


def _tree() -> Pixels:
    """A tall tree in its first leaves: sky shows between its branches."""
    pixels, canvas = _plate()
    random = np.random.default_rng(76)

    def branch(x: float, y: float, angle: float, length: float, width: float, depth: int) -> None:
        tip_x, tip_y = x + length * math.sin(angle), y - length * math.cos(angle)
        bent = random.normal(0, 0.1) * length
        line = skia.Path()
        line.moveTo(x, y)
        line.quadTo((x + tip_x) / 2 + bent, (y + tip_y) / 2, tip_x, tip_y)
        canvas.drawPath(line, stroke(shade("#4a3d33", random.uniform(0.82, 1)), width))
        if depth == 0:
            for _ in range(random.integers(1, 4)):
                dx, dy, size = *random.normal(0, 11, 2), random.uniform(5, 10)
                canvas.drawOval(oval(tip_x + dx, tip_y + dy, size, size * 0.62), fill(shade("#5d7d3a", random.uniform(0.7, 1.4))))  # fmt: skip
            return
        for _ in range(3 if depth > 2 else random.integers(2, 4)):
            turn = angle + random.normal(0, 0.5)
            branch(tip_x, tip_y, turn * 0.96, length * random.uniform(0.68, 0.84), max(width * 0.66, 1.6), depth - 1)

    branch(*TREE, -0.05, 330, 40, 7)
    return pixels


def _wires() -> Pixels:
    """Two wires with their droppers over the roofs, on masts."""
    pixels, canvas = _plate()
    for (x0, y0), (x1, y1) in pairwise(FEEDER):
        for lift, sag, width in ((0, 34, 5.0), (-64, 62, 3.4)):
            wire = skia.Path()
            wire.moveTo(x0, y0 + lift)
            wire.quadTo((x0 + x1) / 2, (y0 + y1) / 2 + lift + 2 * sag, x1, y1 + lift)
            canvas.drawPath(wire, stroke("#22262b", width))
        for k in range(1, 6):
            share = k / 6
            x, y = x0 + share * (x1 - x0), y0 + share * (y1 - y0)
            hang = 4 * share * (1 - share)
            canvas.drawLine(x, y - 64 + 62 * hang, x, y + 34 * hang, stroke("#2c3036", 2.2))
    for x, y in FEEDER[1:3]:
        canvas.drawRect(skia.Rect.MakeLTRB(x - 9, y - 110, x + 9, 1500), across(x - 9, x + 9, "#2b3a36", "#5a766c", "#1e2926"))  # fmt: skip
        canvas.drawLine(x - 90, y - 82, x + 90, y - 82, stroke("#2c3a36", 8))
        for side in (-70, 70):
            canvas.drawRoundRect(skia.Rect.MakeLTRB(x + side - 7, y - 80, x + side + 7, y - 56), 5, 5, fill("#7a4a34"))
    return pixels
