"""Shot 9: nothing but the evening sky over Ostrelle, for other shots to have behind them."""

from __future__ import annotations

from typing import Any

import numpy as np
import skia
from numpy.typing import NDArray

from cravo.demo.clouds import clouded
from cravo.demo.paint import ball
from cravo.demo.scene import HEIGHT, WIDTH, Layer, Scene

EDGE = 4  # pixels by which the nearer clouds reach beyond the frame, so that they do not thin out at its border
TRAVELS = 640  # pixels that the nearer clouds drift


class Dusk(Scene):
    name = "dusk"
    title = "Evening sky"
    speech = ""

    def __init__(self) -> None:
        far = clouded(WIDTH + TRAVELS, HEIGHT, 81, ("#2c2f63", "#a9576e", "#f6b26a", "#e58a6b"), 0.45)
        near = clouded(
            WIDTH + TRAVELS + 2 * EDGE, HEIGHT + 2 * EDGE, 82, ("#000000", "#000000", "#000000", "#5b4468"), 0.3
        )
        near[..., 3] = _thickness(near)
        near[..., :3] = near[..., :3].astype(np.uint16) * near[..., 3:] // 255
        self.layers = [
            Layer("sky", plate=far, carried=lambda t: _slid(-1.6 * t)),
            Layer("sun", draw=_sun),
            Layer("clouds", plate=near, carried=lambda t: _slid(-EDGE - 3.4 * t, -EDGE)),
        ]

    def camera(self, t: float) -> NDArray[np.float64]:
        return np.eye(3)

    def truth(self, frame: float) -> dict[str, Any]:
        return {"camera": np.eye(3).tolist(), "faces": {}}


def _thickness(clouds: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """How opaque clouds over black are."""
    brightest = clouds[..., :3].max(2).astype(np.float32)
    return np.clip(brightest / brightest.max() * 200, 0, 255).astype(np.uint8)


def _slid(x: float, y: float = 0.0) -> NDArray[np.float64]:
    return np.array([[1, 0, x], [0, 1, y], [0, 0, 1]], np.float64)


def _sun(canvas: skia.Canvas, t: float) -> None:
    y = 800 + 0.35 * t
    for radius, alpha in ((520, 0.35), (210, 0.5)):
        glow = ball(1320, y, radius, "#ffe2a0", "#ffb163", "#f2905a")
        glow.setAlphaf(alpha)
        glow.setMaskFilter(skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, radius / 3))
        canvas.drawCircle(1320, y, radius * 0.7, glow)
    canvas.drawCircle(1320, y, 46, ball(1320, y, 46, "#fff6d0", "#ffe9ac"))
