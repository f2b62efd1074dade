"""Titles drawn: shaped and broken into lines in either writing direction, with what the chosen face lacks from others."""

from __future__ import annotations

import json
from dataclasses import replace
from functools import cache, lru_cache
from importlib.resources import files
from pathlib import Path
from unicodedata import bidirectional

import numpy as np
import skia
from numpy.typing import NDArray
from skia import textlayout

from cravo.core.document import Family, Title
from cravo.core.footage.picture import Picture
from cravo.core.geometry.transforms import Matrix
from cravo.core.keyframes import value_at
from cravo.core.stack.compose import from_rgb, plain

# Package, and its files: regular and bold. All of them are under the SIL Open Font License.
FACES: dict[Family, tuple[str, str, str]] = {
    "Manrope": ("font_manrope", "Manrope-Regular.ttf", "Manrope-ExtraBold.ttf"),
    "Source Sans": ("font_source_sans_pro", "SourceSansPro-Regular.ttf", "SourceSansPro-Bold.ttf"),
    "Source Serif": ("font_source_serif_pro", "SourceSerifPro-Regular.ttf", "SourceSerifPro-Bold.ttf"),
    "Amatic": ("font_amatic_sc", "AmaticSC-Regular.ttf", "AmaticSC-Bold.ttf"),
}
OTHERS = [  # Debian's: scripts that the faces above lack, and emoji
    Path("/usr/share/fonts/truetype/dejavu/DejaVuSans-Bold.ttf"),
    Path("/usr/share/fonts/truetype/noto/NotoColorEmoji.ttf"),
]
ALIGNED = {
    "left": textlayout.TextAlign.kLeft,
    "middle": textlayout.TextAlign.kCenter,
    "right": textlayout.TextAlign.kRight,
}
CACHE_SIZE = 6  # titles
STYLE = {
    "text", "family", "bold", "size", "colour", "align", "tracking", "leading", "outline", "outline_colour", "shadow",
    "width",
}  # fmt: skip
SHADOW_SOFT, SHADOW_FALL = 0.06, 0.05  # of the size: how soft a shadow is, and how far below it lies


def drawn(title: Title, at: int, matrix: Matrix, width: int, height: int, across: int) -> Picture:
    """A title on its frame `at`, transparent around the letters, 8 bit.

    `matrix` takes pixels of the sequence, counted from the middle of the title, to those of the picture. The sequence is
    `across` pixels wide. The last few are kept: most titles are the same on every frame.
    """
    still = title.model_copy(update={"size": value_at(title.size, at), "tracking": value_at(title.tracking, at)})
    style = still.model_dump_json(include=STYLE)
    return _drawn(style, matrix.astype(np.float32).tobytes(), width, height, across)


@lru_cache(maxsize=CACHE_SIZE)
def _drawn(style: str, matrix: bytes, width: int, height: int, across: int) -> Picture:
    title = Title.model_validate({"start": 0, "length": 1, **json.loads(style)})
    pixels = np.zeros((height, width, 4), np.uint8)
    info = skia.ImageInfo.Make(width, height, skia.kRGBA_8888_ColorType, skia.kPremul_AlphaType)
    canvas = skia.Surface.MakeRasterDirect(info, pixels).getCanvas()
    canvas.concat(skia.Matrix(np.frombuffer(matrix, np.float32).tolist()))
    wide = title.width * across
    body = _paragraph(title, None)
    body.layout(wide)
    left, top = -wide / 2, -body.Height / 2
    size = float(value_at(title.size, 0))
    if title.shadow:
        under = skia.Paint(AntiAlias=True, Color=skia.ColorSetA(skia.ColorBLACK, round(255 * title.shadow)))
        under.setMaskFilter(skia.MaskFilter.MakeBlur(skia.kNormal_BlurStyle, SHADOW_SOFT * size))
        _painted(_paragraph(title, under), canvas, wide, left, top + SHADOW_FALL * size)
    if title.outline:
        around = skia.Paint(
            AntiAlias=True, Color=_colour(title.outline_colour), Style=skia.Paint.kStroke_Style,
            StrokeWidth=2 * title.outline, StrokeJoin=skia.Paint.kRound_Join,
        )  # fmt: skip
        _painted(_paragraph(title, around), canvas, wide, left, top)
    body.paint(canvas, left, top)
    return _straight(pixels)


def _painted(paragraph: textlayout.Paragraph, canvas: skia.Canvas, wide: float, left: float, top: float) -> None:
    paragraph.layout(wide)
    paragraph.paint(canvas, left, top)


def _paragraph(title: Title, paint: skia.Paint | None) -> textlayout.Paragraph:
    size = max(value_at(title.size, 0), 1.0)
    style = textlayout.TextStyle()
    style.setFontFamilies([_name(title.family, title.bold), *(path.stem for path in OTHERS)])
    style.setFontSize(size)
    style.setLetterSpacing(value_at(title.tracking, 0) / 100 * size)
    style.setHeight(title.leading)
    style.setHeightOverride(True)
    style.setColor(_colour(title.colour))
    if paint is not None:
        style.setForegroundPaint(paint)
    lines = textlayout.ParagraphStyle()
    lines.setTextStyle(style)
    lines.setTextAlign(ALIGNED[title.align])
    builder = textlayout.ParagraphBuilder.make(lines, _faces(), skia.Unicodes.ICU.Make())
    builder.pushStyle(style)
    builder.addText("\n".join(map(_directed, title.text.splitlines() or [""])))
    return builder.Build()


def _directed(line: str) -> str:
    """A line whose first letter is of a script that is written from the right runs that way as a whole."""
    strong = (bidirectional(letter) for letter in line)
    return f"\u202b{line}\u202c" if next((one for one in strong if one in ("L", "R", "AL")), "L") != "L" else line


def _name(family: Family, bold: bool) -> str:
    return f"{family} bold" if bold else family


@cache
def _faces() -> textlayout.FontCollection:
    provider = textlayout.TypefaceFontProvider()
    for family, (package, regular, bold) in FACES.items():
        for name, file in ((_name(family, False), regular), (_name(family, True), bold)):
            face = skia.Typeface.MakeFromFile(str(files(package) / "files" / file))
            if face is not None:
                provider.registerTypeface(face, name)
    for path in OTHERS:
        face = skia.Typeface.MakeFromFile(str(path)) if path.is_file() else None
        if face is not None:
            provider.registerTypeface(face, path.stem)
    collection = textlayout.FontCollection()
    collection.setDefaultFontManager(provider)
    return collection


def _colour(text: str) -> int:
    return 0xFF000000 | int(text[1:], 16)


def _straight(pixels: NDArray[np.uint8]) -> Picture:
    """Premultiplied R'G'B' and opacity as a picture with straight colours."""
    alpha = pixels[..., 3]
    share = np.maximum(alpha, 1).astype(np.float32)[..., None]
    rgb = np.minimum(pixels[..., :3].astype(np.float32) * (65535 / share), 65535)
    like = replace(plain(2, 2, None, (0, 0, 0), True), shifts=(0, 0))
    return from_rgb(np.rint(rgb).astype(np.uint16), like).with_alpha(np.ascontiguousarray(alpha))
