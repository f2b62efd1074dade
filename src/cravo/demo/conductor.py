"""Shot 1: the conductor talks to the camera, turns, leans in, and steps half out of the picture."""

from __future__ import annotations

import math
from typing import Any

import cv2
import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo import backdrop
from cravo.demo.figure import HeadPose, Person, draw_bust, face_truth
from cravo.demo.paint import bump, wobble
from cravo.demo.scene import MARGIN, Layer, Scene, plate_canvas

CONDUCTOR = Person("conductor", skin="#d9a07c", hair="#4b3a30", coat="#26324f", cap=True, beard=True, seed=3)
SIZE = 118.0  # half width of the face, at rest


class Conductor(Scene):
    name = "conductor"
    title = "Conductor, open day"
    speech = (
        "Welcome to the open day of the tramway of Ostrelle. "
        "Come closer, and I will show you how number seven is driven."
    )

    def __init__(self) -> None:
        self.layers = [
            Layer("depot", plate=_background(), moves=0.7),
            Layer("conductor", draw=lambda canvas, t: draw_bust(canvas, CONDUCTOR, self.head(t))),
        ]

    def head(self, t: float) -> HeadPose:
        lean = bump(t, 53, 16, 4, 16)
        leave = bump(t, 92, 23, 5, 23)
        nod = math.sin(t / 6.3)
        yaw = 0.95 * bump(t, 10, 10, 5, 10) - 0.75 * bump(t, 34, 8, 3, 9) + 0.12 * math.sin(t / 9)
        return HeadPose(
            x=990 + 26 * math.sin(t / 17) + 30 * yaw - 10 * lean + 905 * leave,
            y=430 + 7 * nod + 118 * lean,
            size=SIZE * (1 + 1.05 * lean),
            yaw=yaw + 0.35 * leave,
            pitch=0.25 * nod + 0.35 * lean,
            roll=3.5 * math.sin(t / 13) + 9 * yaw * 0.4 + 7 * leave,
            mouth=max(0.0, math.sin(t * 0.95) * 0.55 + math.sin(t * 0.37) * 0.45),
            blink=1.0 if int(t) % 41 in (7, 8) else 0.0,
        )

    def camera(self, t: float) -> NDArray[np.float64]:
        shift = 7 * wobble(t, 1, 60), 5 * wobble(t, 2, 55)
        return np.array([[1, 0, shift[0]], [0, 1, shift[1]], [0, 0, 1]])

    def light(self, t: float) -> float:
        return 1.0 + 0.05 * math.sin(t / 31)

    def truth(self, frame: float) -> dict[str, Any]:
        camera = self.camera(frame)
        return {
            "camera": camera.tolist(),
            "faces": {"conductor": self.seen(face_truth(self.head(frame)), camera)},
        }


def _background() -> NDArray[np.uint8]:
    pixels, canvas = plate_canvas()
    backdrop.bricks(canvas, -MARGIN, -MARGIN, 1920 + MARGIN, 1080 + MARGIN, 30, 4)
    backdrop.arched_gate(canvas, 1610, 900, 420, 700)
    backdrop.tram_shadow(canvas, -420, 130, 1700, 860)
    backdrop.tram(canvas, -420, 130, 1700, 860, "7", "TRAMWAY OF OSTRELLE")
    backdrop.bunting(canvas, -200, 30, 900, 20, 60)
    backdrop.bunting(canvas, 900, 20, 2100, 60, 70)
    backdrop.sign(canvas, 1360, 250, 300, 120, "DEPOT 2")
    glow = skia.Paint(AntiAlias=True)
    glow.setShader(skia.GradientShader.MakeRadial(skia.Point(300, 60), 1500, [0x40FFE9B8, 0x00FFE9B8]))
    canvas.drawRect(skia.Rect.MakeLTRB(-MARGIN, -MARGIN, 2080, 1240), glow)
    # The lens is focused on the conductor.
    soft = cv2.GaussianBlur(pixels, (0, 0), 5.0)
    soft[:, :, :3] = (soft[:, :, :3] * 0.88).astype(np.uint8)
    return soft
