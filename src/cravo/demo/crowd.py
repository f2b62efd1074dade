"""Shot 7: six visitors in the yard, near and far; two cross, one comes in by half, one bends; signs and a badge."""

from __future__ import annotations

import math
from typing import Any

import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo.figure import HeadPose, Person, draw_shadow, draw_walker, face_truth
from cravo.demo.paint import bump, fill, lettering, letters, stroke, wobble
from cravo.demo.scene import Layer, Scene
from cravo.demo.yard import background

# From the farthest to the nearest, as they are drawn.
VISITORS = {
    "far_ochre": Person("far_ochre", "#d9a37c", "#4a2c1a", "#b07f34", seed=41),
    "plum_coat": Person("plum_coat", "#8f5f42", "#1b1512", "#6c3f63", legs="#39343c", seed=42),
    "moss_coat": Person("moss_coat", "#e2b592", "#8d5a2b", "#566b3a", legs="#4c4238", long_hair=True, seed=43),
    "navy_coat": Person("navy_coat", "#c48a64", "#30241c", "#2f4266", legs="#282b33", beard=True, seed=44),
    "rust_coat": Person("rust_coat", "#e0b08e", "#6a3a1e", "#a2492e", legs="#3d3a44", glasses=True, seed=45),
    "teal_coat": Person("teal_coat", "#b97f5b", "#201a18", "#2f6d70", legs="#2c2f36", cap=True, seed=46),
}
GAIT = {"far_ochre": 0.2, "plum_coat": 0.24, "moss_coat": 0.28, "navy_coat": 0.3, "rust_coat": 0.1, "teal_coat": 0.0}
HEADING = {"far_ochre": 0.8, "plum_coat": -0.8, "moss_coat": 1.0, "navy_coat": -1.0, "rust_coat": 0.3, "teal_coat": 0.3}
# Lettering of the plate: text, middle, base line, size.
PAINTED = {
    "WORKSHOP": ("WORKSHOP", 1170.0, 247.28, 20.8),
    "OPEN DAY": ("OPEN DAY", 1495.0, 247.28, 20.8),
    "OSTRELLE": ("OSTRELLE", 260.0, 542.55, 42.9),
    "fleet number": ("12", 564.0, 545.85, 52.8),
}
BADGE = "GUIDE 4"


class Crowd(Scene):
    name = "crowd"
    title = "Depot yard, six visitors"
    speech = "Please stay behind the white line. My name is on the badge, ask me anything you like."

    def __init__(self) -> None:
        self.layers = [
            Layer("yard", plate=background(), moves=0.8),
            *(Layer(who, draw=self._walker(who)) for who in VISITORS),
        ]

    def head(self, who: str, t: float) -> HeadPose:
        place = {
            "far_ochre": (1150 + 1.1 * t, 556.0, 10.5),
            "plum_coat": (1870 - 1.6 * t, 545.0, 15.0),
            "moss_coat": (560 + 4.9 * t, 480.0, 31.0),
            "navy_coat": (1230 - 4.3 * t, 470.0, 35.0),
            # Leans down to tie a shoe, and comes up again.
            "rust_coat": (1560 - 0.6 * t, 430.0 + 150 * bump(t, 45, 22, 16, 24), 54.0),
            # Stands half outside, then leans in.
            "teal_coat": (-14 + 190 * bump(t, 38, 30, 60, 30), 330.0 + 30 * bump(t, 38, 30, 60, 30), 98.0),
        }[who]
        x, y, size = place
        bends = bump(t, 45, 22, 16, 24) if who == "rust_coat" else 0.0
        return HeadPose(
            x=x,
            y=y + 0.065 * size * math.sin(2 * GAIT[who] * t),
            size=size,
            yaw=0.55 * math.sin(t / 21 + len(who)) + 0.3 * HEADING[who],
            pitch=min(0.15 * math.sin(t / 9 + len(who)) + 0.8 * bends, 1.0),
            roll=2.0 * math.sin(GAIT[who] * t) + 16 * bends,
            mouth=max(0.0, 0.5 * math.sin(t / 2.9 + len(who))),
        )

    def camera(self, t: float) -> NDArray[np.float64]:
        turn = math.radians(0.4 * wobble(t, 25, 66))
        a, b = math.cos(turn), math.sin(turn)
        shift = np.array([16 * wobble(t, 26, 57), 11 * wobble(t, 27, 49)]) + self.drift(t)
        x, y = 960.0, 540.0
        return np.array([[a, -b, x - a * x + b * y + shift[0]], [b, a, y - b * x - a * y + shift[1]], [0, 0, 1]])

    def drift(self, t: float) -> NDArray[np.float64]:
        return np.array([-24.0 * math.sin((t - 75) / 60), 0.0])

    def light(self, t: float) -> float:
        return 1.0 - 0.10 * math.exp(-(((t - 110) / 20) ** 2))

    def truth(self, frame: float) -> dict[str, Any]:
        camera, still = self.camera(frame), self.moved(0.8, frame)
        signs = {name: _carried(still, letters(*painted)) for name, painted in PAINTED.items()}
        signs[BADGE] = _carried(camera, letters(*self._badge(frame)))
        return {
            "camera": camera.tolist(),
            "faces": {who: self.seen(face_truth(self.head(who, frame)), camera) for who in VISITORS},
            "signs": signs,
        }

    def _badge(self, t: float) -> tuple[str, float, float, float]:
        """The lettering on the coat: text, middle, base line, size."""
        head = self.head("rust_coat", t)
        return BADGE, head.x - 0.25 * head.size, head.y + 2.74 * head.size, 0.32 * head.size

    def _walker(self, who: str):  # type: ignore[no-untyped-def]
        def draw(canvas: skia.Canvas, t: float) -> None:
            head = self.head(who, t)
            draw_shadow(canvas, head)
            draw_walker(canvas, VISITORS[who], head, t * GAIT[who], HEADING[who])
            if who == "rust_coat":
                text, x, y, size = self._badge(t)
                board = skia.Rect.MakeLTRB(x - 2.3 * size, y - 1.2 * size, x + 2.3 * size, y + 0.5 * size)
                canvas.drawRoundRect(board, 4, 4, fill("#f6f1e2"))
                canvas.drawRoundRect(board, 4, 4, stroke("#7d2032", 1.5))
                lettering(canvas, text, x, y, size, fill("#2a2226"))

        return draw


def _carried(matrix: NDArray[np.float64], corners: list[tuple[float, float]]) -> list[list[float]]:
    points = np.column_stack([np.array(corners), np.ones(len(corners))]) @ matrix.T
    return (points[:, :2] / points[:, 2:]).tolist()
