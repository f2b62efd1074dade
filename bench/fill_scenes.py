"""The demo's scenes with something in them and without it, for filling: what is behind is known to the pixel.

A visitor who crosses the yard, from the hand; the platform with its shadow, from a camera that stands; the shadow of a mast
on cobbles; dirt on the lens while the camera turns over the yard. Kept beside the demo, drawn where they are missing.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from fractions import Fraction
from functools import cache
from multiprocessing import get_context
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import skia
from av.video.frame import VideoFrame
from numpy.typing import NDArray

from cravo.core.files import replacing
from cravo.core.footage.colour import Colour
from cravo.core.footage.formats import Encoding
from cravo.core.footage.picture import from_frame
from cravo.core.footage.writer import Writer
from cravo.core.geometry.transforms import Matrix
from cravo.demo.figure import draw_shadow
from cravo.demo.make import _version
from cravo.demo.paint import Pixels, canvas_of, empty, fill, oval, polygon, wobble
from cravo.demo.platform import Platform
from cravo.demo.scene import HEIGHT, RATE, WIDTH, Layer, Scene
from cravo.demo.yard import Yard
from cravo.store.database import data_folder

DRAWN = 1  # raised when what is drawn here changes
FRAMES = 100
FIRST = 20  # of the demo's frames
SPOTS = ((420, 330, 46, 34), (1130, 560, 38, 44), (1490, 240, 30, 26), (760, 840, 52, 40))
MAST = ((560, 1010), (600, 1010), (1480, 700), (1455, 692))


class StandingPlatform(Platform):
    """The platform from a camera that stands."""

    def camera(self, t: float) -> Matrix:
        return np.eye(3)

    def drift(self, t: float) -> NDArray[np.float64]:
        return np.zeros(2)


class Mast(Yard):
    """The yard with nobody in it, and the shadow of a mast on its cobbles."""

    def __init__(self) -> None:
        super().__init__()
        self.layers = [self.layers[0], Layer("shadow", draw=self._shadow, moves=0.8)]

    def _shadow(self, canvas: skia.Canvas, t: float) -> None:
        canvas.drawPath(polygon(*MAST), fill("#101418", 0.5, 5))


class Lens(Yard):
    """The yard with nobody in it, the camera turning over it, and dirt on its lens."""

    def __init__(self) -> None:
        super().__init__()
        self.layers = [self.layers[0], Layer("spots", draw=self._spots)]

    def drift(self, t: float) -> NDArray[np.float64]:
        return np.array([-150.0 * math.sin((t - 70) / 45), 30 * wobble(t, 9, 80)])

    def moved(self, share: float, t: float) -> Matrix:
        return np.eye(3) if share == 1.0 else super().moved(share, t)

    def _spots(self, canvas: skia.Canvas, t: float) -> None:
        for x, y, rx, ry in SPOTS:
            canvas.drawOval(oval(x, y, rx, ry), fill("#2b2620", 0.9, 5))


@dataclass(frozen=True)
class Case:
    """A scene, what goes, by its layers, and how much of the camera's movement what is behind shows."""

    name: str
    scene: Callable[[], Scene]
    gone: str
    moves: float
    shadow: bool = False  # whether its shadow goes as well, which no mask tells

    @property
    def folder(self) -> Path:
        return data_folder() / "fill" / f"{_version()}-{DRAWN}"

    def path(self, what: str) -> Path:
        return self.folder / f"{self.name}-{what}"

    def without(self) -> Scene:
        scene = self.scene()
        scene.layers = [layer for layer in scene.layers if layer.name != self.gone]
        if self.shadow:
            assert isinstance(scene, Platform)
            kept = scene

            def cart_alone(canvas: skia.Canvas, t: float) -> None:
                x, ground = kept.cart_at(t)
                canvas.drawOval(oval(x, ground, 1.15 * 118.0, 0.1 * 118.0), fill("#101418", 0.45, 6))

            scene.layers[1] = Layer("shadows", draw=cart_alone)
        return scene

    def camera(self, frame: int) -> Matrix:
        """From the picture of a camera at rest to that of a frame, for what is behind."""
        return _scene(self.scene).moved(self.moves, frame + FIRST)


@cache
def _scene(made: Callable[[], Scene]) -> Scene:
    return made()


CASES = (
    Case("yard", Yard, "grey_coat", 0.8),
    Case("platform", StandingPlatform, "visitor", 1.0, shadow=True),
    Case("mast", Mast, "shadow", 0.8),
    Case("lens", Lens, "spots", 0.8),
)


@cache
def drawn() -> dict[str, Case]:
    """The cases, what is missing of them drawn."""
    missing = [one.name for one in CASES if not one.path("mattes.npz").is_file()]
    if missing:
        jobs = [(name, what) for name in missing for what in ("with", "without")]
        with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
            list(pool.map(_draw, *zip(*jobs, strict=True)))
            list(pool.map(_mattes, missing))
    return {one.name: one for one in CASES}


def mattes(case: Case) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """What goes, and that with its shadow: opacity of every frame, (FRAMES, HEIGHT, WIDTH)."""
    with np.load(case.path("mattes.npz")) as found:
        return found["thing"], found["hole"]


def _case(name: str) -> Case:
    return next(one for one in CASES if one.name == name)


def _draw(name: str, what: str) -> None:
    case = _case(name)
    case.folder.mkdir(parents=True, exist_ok=True)
    scene = case.scene() if what == "with" else case.without()
    with replacing(case.path(f"{what}.mp4")) as part:
        write_film(part, lambda frame: scene.picture(frame + FIRST), FRAMES)


def _mattes(name: str) -> None:
    case = _case(name)
    scene = case.scene()
    thing = np.stack([scene.matte(frame + FIRST, case.gone) for frame in range(FRAMES)])
    hole = thing
    if case.shadow:
        assert isinstance(scene, Platform)
        hole = np.maximum(thing, np.stack([_shadow(scene, frame + FIRST) for frame in range(FRAMES)]))
    with replacing(case.path("mattes.npz")) as part, part.open("wb") as file:
        np.savez_compressed(file, thing=thing, hole=hole)


def _shadow(scene: Platform, frame: int) -> Pixels:
    pixels = empty(WIDTH, HEIGHT)
    draw_shadow(canvas_of(pixels), scene.head(frame))
    return pixels[:, :, 3]


def write_film(path: Path, picture: Callable[[int], Pixels], frames: int, **encoding: Any) -> None:
    """Drawn B, G, R pictures as a clip, in the demo's own coding."""
    colour, writer = Colour(matrix="bt709", full_range=False), None
    for frame in range(frames):
        yuv = VideoFrame.from_ndarray(picture(frame), format="bgr24").reformat(
            format="yuv420p", src_colorspace=colour.scaler_space, dst_colorspace=colour.scaler_space,
            src_color_range=2, dst_color_range=1,
        )  # fmt: skip
        one = from_frame(yuv, colour)
        if writer is None:
            writer = Writer(
                path, Fraction(RATE), one, Encoding(quality=17, preset="veryfast", key_every=12), sound=False
            )
        writer.write(one)
    assert writer is not None
    writer.finish()


def moving_behind(case: Case, frame: int) -> NDArray[np.bool_]:
    """Where something else moves that is not taken out, roughly, (HEIGHT, WIDTH)."""
    where = np.zeros((HEIGHT, WIDTH), np.uint8)
    if case.scene is StandingPlatform:
        scene = _scene(case.scene)
        assert isinstance(scene, Platform)
        x, ground = scene.cart_at(frame + FIRST)
        cv2.rectangle(where, (round(x - 170), round(ground - 150)), (round(x + 170), round(ground + 25)), 1, -1)
    return where > 0


def seen_elsewhere(case: Case, holes: NDArray[np.bool_], frame: int) -> NDArray[np.bool_]:
    """Where a frame's hole shows what some other frame shows, (HEIGHT, WIDTH); holes are those of all frames."""
    if case.gone == "shadow":
        return np.zeros((HEIGHT, WIDTH), bool)
    back = np.linalg.inv(case.camera(frame))
    seen = np.zeros((HEIGHT, WIDTH), bool)
    for other in range(0, FRAMES, 4):
        way = np.linalg.inv(case.camera(other) @ back)
        clear = (~holes[other]).astype(np.uint8)
        clear[[0, -1]] = clear[:, [0, -1]] = 0
        seen |= cv2.warpPerspective(clear, way, (WIDTH, HEIGHT), flags=cv2.INTER_NEAREST) > 0
    return seen & holes[frame]
