"""The place: depot, tram, cobbles, sky."""

from __future__ import annotations

import math

import cv2
import numpy as np
import skia

from cravo.demo.paint import (
    Pixels,
    across,
    ball,
    down,
    fill,
    lettering,
    oval,
    polygon,
    shade,
    stroke,
)

BRICK = ("#8c4b3a", "#7d4034", "#96573f", "#a0624a", "#73392f")


def sky(canvas: skia.Canvas, left: float, top: float, right: float, bottom: float) -> None:
    canvas.drawRect(skia.Rect.MakeLTRB(left, top, right, bottom), down(top, bottom, "#4f86c6", "#8fb7de", "#d9e6ee"))
    random = np.random.default_rng(21)
    for _ in range(14):
        x, y = random.uniform(left, right), random.uniform(top, top + (bottom - top) * 0.75)
        for _ in range(9):
            size = random.uniform(30, 100)
            dx, dy = random.normal(0, 110), random.normal(0, 22)
            canvas.drawOval(oval(x + dx, y + dy, size * 1.7, size * 0.55), fill("#ffffff", 0.16, 22))


def bricks(canvas: skia.Canvas, left: float, top: float, right: float, bottom: float, size: float, seed: int) -> None:
    canvas.drawRect(skia.Rect.MakeLTRB(left, top, right, bottom), fill("#5e3a31"))
    random = np.random.default_rng(seed)
    rows = math.ceil((bottom - top) / size)
    canvas.save()
    canvas.clipRect(skia.Rect.MakeLTRB(left, top, right, bottom))
    for row in range(rows):
        y = top + row * size
        x = left - (size * 1.3 if row % 2 else 0)
        while x < right:
            tint = shade(BRICK[random.integers(len(BRICK))], random.uniform(0.85, 1.12))
            canvas.drawRect(skia.Rect.MakeLTRB(x + 1, y + 1, x + size * 2.6 - 1, y + size - 1), fill(tint))
            x += size * 2.6
    canvas.restore()


def arched_gate(canvas: skia.Canvas, x: float, ground: float, width: float, height: float) -> None:
    """A depot door with its stone arch, dark inside."""
    half = width / 2
    stone = skia.Path()
    stone.addRoundRect(skia.Rect.MakeLTRB(x - half - 22, ground - height - 24, x + half + 22, ground), half, half)
    stone.addRect(skia.Rect.MakeLTRB(x - half - 22, ground - height * 0.5, x + half + 22, ground))
    canvas.drawPath(stone, down(ground - height, ground, "#cdbfa6", "#a8987c"))
    inner = skia.Path()
    inner.addRoundRect(skia.Rect.MakeLTRB(x - half, ground - height, x + half, ground), half, half)
    inner.addRect(skia.Rect.MakeLTRB(x - half, ground - height * 0.5, x + half, ground))
    canvas.drawPath(inner, down(ground - height, ground, "#20242c", "#3d3a38"))
    canvas.save()
    canvas.clipPath(inner, True)
    for i in range(4):
        y = ground - height + 60 + i * height * 0.2
        canvas.drawLine(x - half, y, x + half, y - 14, stroke("#59606b", 5, 0.5))
    canvas.drawOval(oval(x, ground - height * 0.55, half * 0.6, 30), fill("#ffd98a", 0.35, 24))
    canvas.restore()


def tram(canvas: skia.Canvas, left: float, top: float, width: float, height: float, number: str, name: str) -> None:
    """The side of a tram: two bands of paint, windows, lettering, fleet number, wheels."""
    canvas.save()
    canvas.translate(left, top)
    w, h = width, height
    canvas.drawOval(oval(w / 2, h * 1.03, w * 0.52, h * 0.05), fill("#0c0c10", 0.55, 14))
    for x in (0.2, 0.3, 0.7, 0.8):
        canvas.drawCircle(
            w * x, h * 0.95, h * 0.065, ball(w * x - 6, h * 0.93, h * 0.08, "#8a8f98", "#33363d", "#15161a")
        )
    canvas.drawRect(skia.Rect.MakeLTRB(w * 0.1, h * 0.86, w * 0.9, h * 0.93), fill("#26282e"))
    canvas.drawRoundRect(
        skia.Rect.MakeLTRB(w * 0.015, 0, w * 0.985, h * 0.12), 26, 26, down(0, h * 0.12, "#d8d6cd", "#8f9096")
    )
    canvas.drawRoundRect(
        skia.Rect.MakeLTRB(0, h * 0.08, w, h * 0.88), 30, 30, down(h * 0.08, h * 0.88, "#f1e7cf", "#e2d2ae")
    )
    canvas.drawRect(
        skia.Rect.MakeLTRB(0, h * 0.52, w, h * 0.84), down(h * 0.52, h * 0.84, "#a93246", "#8a2237", "#6c182b")
    )
    for y in (0.515, 0.845):
        canvas.drawLine(0, h * y, w, h * y, stroke("#d9b45a", h * 0.012))
    panes = 8
    pane = w * 0.88 / panes
    for i in range(panes):
        x = w * 0.06 + i * pane
        frame = skia.Rect.MakeLTRB(x + pane * 0.06, h * 0.17, x + pane * 0.94, h * 0.47)
        canvas.drawRoundRect(frame, 12, 12, fill("#6e4a2e"))
        glass = skia.Rect.MakeLTRB(x + pane * 0.1, h * 0.185, x + pane * 0.9, h * 0.455)
        canvas.drawRoundRect(glass, 9, 9, down(h * 0.18, h * 0.46, "#9dbdd0", "#4f6c7e", "#2f434f"))
        canvas.drawPath(
            polygon(
                (x + pane * 0.2, h * 0.19),
                (x + pane * 0.42, h * 0.19),
                (x + pane * 0.25, h * 0.45),
                (x + pane * 0.12, h * 0.45),
            ),
            fill("#ffffff", 0.22),
        )
        canvas.drawLine(x + pane * 0.1, h * 0.26, x + pane * 0.9, h * 0.26, stroke("#6e4a2e", 4))
    lettering(canvas, name, w * 0.5, h * 0.735, h * 0.13, fill("#e9cf86"))
    lettering(canvas, number, w * 0.12, h * 0.745, h * 0.16, fill("#f5e7bd"))
    lettering(canvas, number, w * 0.88, h * 0.745, h * 0.16, fill("#f5e7bd"))
    for i in range(60):
        x = w * (i + 0.5) / 60
        canvas.drawCircle(x, h * 0.865, 2.4, fill("#c9b88e"))
        canvas.drawCircle(x, h * 0.865 - 0.8, 1.0, fill("#ffffff", 0.6))
    canvas.restore()


def cobbles(width: int, height: int, seed: int) -> Pixels:
    """Paving seen from above, for laying into perspective; (height, width, 4)."""
    random = np.random.default_rng(seed)
    ground = np.full((height, width, 4), (62, 66, 70, 255), np.uint8)
    size = 34
    for row in range(height // size + 1):
        x = -(size // 2) * (row % 2)
        while x < width:
            stone = int(random.integers(34, 52))
            tone = random.normal(118, 16)
            tint = (tone * 0.93, tone * 0.98, tone * 1.02, 255)
            cv2.rectangle(
                ground, (x + 3, row * size + 3), (x + stone - 3, row * size + size - 4), tint, -1, cv2.LINE_AA
            )
            cv2.line(
                ground,
                (x + 5, row * size + 5),
                (x + stone - 6, row * size + 5),
                tuple(min(v * 1.22, 255) for v in tint),
                2,
                cv2.LINE_AA,
            )
            x += stone
    noise = random.normal(0, 7, (height, width, 1))
    ground[:, :, :3] = np.clip(ground[:, :, :3] + cv2.GaussianBlur(noise, (0, 0), 1.2)[:, :, None] * 2, 0, 255)
    return ground


def lay_ground(pixels: Pixels, horizon: float, origin: int, seed: int) -> None:
    """Cobbles and rails from the horizon down, in perspective, onto a plate."""
    height, width = pixels.shape[:2]
    top = int(horizon + origin)
    above = cobbles(1600, 1800, seed)
    for x in (620, 940):
        cv2.rectangle(above, (x - 9, 0), (x + 9, 1800), (70, 74, 78, 255), -1)
        cv2.rectangle(above, (x - 4, 0), (x + 4, 1800), (186, 190, 196, 255), -1)
    corners = np.array([[0, 0], [1600, 0], [1600, 1800], [0, 1800]], np.float32)
    middle = width / 2
    onto = np.array(
        [[middle - 620, top], [middle + 620, top], [middle + 2600, height], [middle - 2600, height]], np.float32
    )
    ground = cv2.warpPerspective(
        above,
        cv2.getPerspectiveTransform(corners, onto),
        (width, height),
        flags=cv2.INTER_AREA,
        borderMode=cv2.BORDER_REFLECT,
    )
    fade = np.clip((np.arange(height) - top) / max(height - top, 1), 0, 1)[:, None, None]
    shaded = ground[:, :, :3] * (0.86 + 0.22 * fade)
    pixels[top:, :, :3] = np.clip(shaded, 0, 255).astype(np.uint8)[top:]
    pixels[top:, :, 3] = 255


def bunting(canvas: skia.Canvas, x0: float, y0: float, x1: float, y1: float, sag: float) -> None:
    """Small flags on a line: it is the open day."""
    tints = ("#c8414f", "#e6b84a", "#3f7aa8", "#f0e9da", "#4f8f6a")
    line = skia.Path()
    line.moveTo(x0, y0)
    line.quadTo((x0 + x1) / 2, (y0 + y1) / 2 + 2 * sag, x1, y1)
    canvas.drawPath(line, stroke("#3a342e", 2.5))
    count = int(abs(x1 - x0) / 46)
    for i in range(count):
        t = (i + 0.5) / count
        x = (1 - t) ** 2 * x0 + 2 * t * (1 - t) * (x0 + x1) / 2 + t**2 * x1
        y = (1 - t) ** 2 * y0 + 2 * t * (1 - t) * ((y0 + y1) / 2 + 2 * sag) + t**2 * y1
        canvas.drawPath(polygon((x - 15, y), (x + 15, y + 1), (x + 1, y + 36)), fill(tints[i % len(tints)]))


def lamp_post(canvas: skia.Canvas, x: float, ground: float, height: float) -> None:
    canvas.drawRect(
        skia.Rect.MakeLTRB(x - 13, ground - height, x + 13, ground),
        across(x - 13, x + 13, "#1c2a26", "#4c6a60", "#16211e"),
    )
    canvas.drawRoundRect(
        skia.Rect.MakeLTRB(x - 30, ground - 120, x + 30, ground + 6),
        10,
        10,
        across(x - 30, x + 30, "#1c2a26", "#55756a", "#16211e"),
    )
    for y in (0.3, 0.55, 0.8):
        canvas.drawRoundRect(
            skia.Rect.MakeLTRB(x - 19, ground - height * y - 7, x + 19, ground - height * y + 7),
            6,
            6,
            across(x - 19, x + 19, "#22332e", "#618278", "#1a2622"),
        )


def sign(
    canvas: skia.Canvas, x: float, y: float, width: float, height: float, text: str, board: str = "#f3ecd8"
) -> None:
    canvas.drawRoundRect(skia.Rect.MakeLTRB(x + 4, y + 6, x + width + 4, y + height + 6), 8, 8, fill("#000000", 0.3, 6))
    canvas.drawRoundRect(skia.Rect.MakeLTRB(x, y, x + width, y + height), 8, 8, fill(board))
    canvas.drawRoundRect(skia.Rect.MakeLTRB(x + 5, y + 5, x + width - 5, y + height - 5), 6, 6, stroke("#7d2032", 3))
    lettering(canvas, text, x + width / 2, y + height * 0.64, height * 0.4, fill("#3a2226"))
