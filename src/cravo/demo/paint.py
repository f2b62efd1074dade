"""Small helpers over Skia for drawing the demo."""

from __future__ import annotations

import math
from functools import cache
from pathlib import Path

import numpy as np
import skia
from numpy.typing import NDArray

Pixels = NDArray[np.uint8]
_FONT = Path("/usr/share/fonts/opentype/league-spartan/LeagueSpartan-Bold.otf")


def colour(text: str, alpha: float = 1.0) -> int:
    """A Skia colour from #rrggbb."""
    return (int(alpha * 255) << 24) | int(text[1:], 16)


def shade(text: str, factor: float) -> str:
    """The colour darker (below 1) or lighter (above 1)."""
    values = (int(text[i : i + 2], 16) for i in (1, 3, 5))
    if factor <= 1:
        mixed = (v * factor for v in values)
    else:
        mixed = (v + (255 - v) * (factor - 1) for v in values)
    return "#" + "".join(f"{min(int(v), 255):02x}" for v in mixed)


def fill(text: str, alpha: float = 1.0, blur: float = 0.0) -> skia.Paint:
    paint = skia.Paint(AntiAlias=True, Color=colour(text, alpha))
    if blur:
        paint.setMaskFilter(skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, blur))
    return paint


def stroke(text: str, width: float, alpha: float = 1.0) -> skia.Paint:
    return skia.Paint(
        AntiAlias=True,
        Color=colour(text, alpha),
        Style=skia.Paint.kStroke_Style,
        StrokeWidth=width,
        StrokeCap=skia.Paint.kRound_Cap,
        StrokeJoin=skia.Paint.kRound_Join,
    )


def down(top: float, bottom: float, *stops: str) -> skia.Paint:
    """A vertical gradient."""
    points = [skia.Point(0, top), skia.Point(0, bottom)]
    return skia.Paint(AntiAlias=True, Shader=skia.GradientShader.MakeLinear(points, [colour(s) for s in stops]))


def across(left: float, right: float, *stops: str) -> skia.Paint:
    """A horizontal gradient."""
    points = [skia.Point(left, 0), skia.Point(right, 0)]
    return skia.Paint(AntiAlias=True, Shader=skia.GradientShader.MakeLinear(points, [colour(s) for s in stops]))


def ball(x: float, y: float, radius: float, *stops: str) -> skia.Paint:
    """A radial gradient, for what is round."""
    shader = skia.GradientShader.MakeRadial(skia.Point(x, y), radius, [colour(s) for s in stops])
    return skia.Paint(AntiAlias=True, Shader=shader)


def polygon(*points: tuple[float, float]) -> skia.Path:
    builder = skia.Path()
    builder.addPoly([skia.Point(*point) for point in points], True)
    return builder


def oval(x: float, y: float, rx: float, ry: float) -> skia.Rect:
    return skia.Rect.MakeLTRB(x - rx, y - ry, x + rx, y + ry)


@cache
def _face() -> skia.Typeface:
    face = skia.Typeface.MakeFromFile(str(_FONT)) if _FONT.is_file() else None
    return face or skia.FontMgr().legacyMakeTypeface("", skia.FontStyle.Bold())


def lettering(canvas: skia.Canvas, text: str, x: float, y: float, size: float, paint: skia.Paint) -> float:
    """Draw text centred on x with its base line at y; returns its width."""
    font = _font(size)
    width = font.measureText(text)
    canvas.drawString(text, x - width / 2, y, font, paint)
    return float(width)


def letters(text: str, x: float, y: float, size: float) -> list[tuple[float, float]]:
    """The corners of what `lettering` draws in capitals, from the upper left one clockwise."""
    font = _font(size)
    half, tall = float(font.measureText(text)) / 2, float(font.getMetrics().fCapHeight)
    return [(x - half, y - tall), (x + half, y - tall), (x + half, y), (x - half, y)]


def _font(size: float) -> skia.Font:
    font = skia.Font(_face(), size)
    font.setSubpixel(True)
    font.setLinearMetrics(True)
    font.setHinting(skia.FontHinting.kNone)
    return font


def empty(width: int, height: int) -> Pixels:
    """A transparent picture, premultiplied BGRA as Skia keeps it here."""
    return np.zeros((height, width, 4), np.uint8)


def canvas_of(pixels: Pixels) -> skia.Canvas:
    info = skia.ImageInfo.Make(pixels.shape[1], pixels.shape[0], skia.kBGRA_8888_ColorType, skia.kPremul_AlphaType)
    return skia.Surface.MakeRasterDirect(info, pixels).getCanvas()


def smooth(t: float) -> float:
    """0..1 with a soft start and end."""
    t = min(max(t, 0.0), 1.0)
    return t * t * (3 - 2 * t)


def bump(frame: float, start: float, rise: float, hold: float, fall: float) -> float:
    """0, softly up to 1, held, softly down again."""
    return smooth((frame - start) / rise) * (1 - smooth((frame - start - rise - hold) / fall))


def wobble(frame: float, seed: int, period: float = 40.0) -> float:
    """Smooth irregular movement in about -1..1, for hands that hold cameras."""
    return sum(
        math.sin(2 * math.pi * frame / (period * k) + seed * 1.7 * (i + 1)) * w
        for i, (k, w) in enumerate(((1.0, 0.5), (0.43, 0.3), (0.19, 0.14), (0.11, 0.06)))
    )
