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


def tram_shadow(canvas: skia.Canvas, left: float, top: float, width: float, height: float) -> None:
    """What lies on the ground below a tram; no part of it."""
    at = oval(left + width / 2, top + height * 1.03, width * 0.52, height * 0.05)
    canvas.drawOval(at, fill("#0c0c10", 0.55, 14))


def tram(canvas: skia.Canvas, left: float, top: float, width: float, height: float, number: str, name: str) -> None:
    """The side of a tram: two bands of paint, windows, lettering, fleet number, wheels."""
    canvas.save()
    canvas.translate(left, top)
    w, h = width, height
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


def tram_end(canvas: skia.Canvas, width: float, height: float, number: str) -> None:
    """The driver's end of a tram, from 0, 0."""
    w, h = width, height
    canvas.drawRect(skia.Rect.MakeLTRB(w * 0.12, h * 0.86, w * 0.88, h * 0.95), fill("#1d1f24"))
    canvas.drawRoundRect(
        skia.Rect.MakeLTRB(w * 0.02, 0, w * 0.98, h * 0.12), 20, 20, down(0, h * 0.12, "#c4c2b9", "#7d7e84")
    )
    body = skia.Rect.MakeLTRB(0, h * 0.08, w, h * 0.88)
    canvas.drawRoundRect(body, 30, 30, down(h * 0.08, h * 0.88, "#d9cfb6", "#c2b38d"))
    canvas.drawRect(
        skia.Rect.MakeLTRB(0, h * 0.52, w, h * 0.84), down(h * 0.52, h * 0.84, "#8e2a3c", "#6f1c2c", "#551422")
    )
    for y in (0.515, 0.845):
        canvas.drawLine(0, h * y, w, h * y, stroke("#b8984c", h * 0.012))
    for x in (0.09, 0.38, 0.67):
        frame = skia.Rect.MakeLTRB(w * x, h * 0.17, w * (x + 0.24), h * 0.47)
        canvas.drawRoundRect(frame, 10, 10, fill("#5c3d26"))
        frame.inset(w * 0.02, h * 0.015)
        canvas.drawRoundRect(frame, 8, 8, down(h * 0.18, h * 0.46, "#86a5b8", "#3f5765", "#26353f"))
    lettering(canvas, number, w * 0.5, h * 0.145, h * 0.055, fill("#20242c"))
    canvas.drawCircle(w * 0.5, h * 0.66, h * 0.062, ball(w * 0.48, h * 0.64, h * 0.08, "#fff6d8", "#e9d28a", "#7c6a3c"))
    canvas.drawCircle(w * 0.5, h * 0.66, h * 0.066, stroke("#3a2a18", h * 0.012))
    lettering(canvas, number, w * 0.5, h * 0.81, h * 0.09, fill("#f0dfae"))


def luggage_cart(canvas: skia.Canvas, x: float, ground: float, size: float, rolled: float) -> None:
    """A low cart with cases on it; `size` is its half length, `rolled` how far it has come."""
    canvas.save()
    canvas.translate(x, ground)
    canvas.scale(size, size)
    canvas.drawRect(skia.Rect.MakeLTRB(-1.0, -0.42, 1.0, -0.28), down(-0.42, -0.28, "#b98a4e", "#7c5628"))
    canvas.drawLine(-1.0, -0.35, 1.0, -0.35, stroke("#5d3d1a", 0.012))
    handle = skia.Path()
    handle.moveTo(0.95, -0.4)
    handle.lineTo(1.12, -1.25)
    handle.lineTo(1.0, -1.3)
    canvas.drawPath(handle, stroke("#2e3a38", 0.06))
    cases = (
        (-0.92, -0.40, 0.85, 0.50, "#8c3f2e"),
        (-0.02, -0.40, 0.86, 0.36, "#2f5d62"),
        (-0.75, -0.90, 0.62, 0.30, "#c9a14a"),
        (0.08, -0.76, 0.62, 0.42, "#5a4632"),
    )
    for left, foot, width, height, tint in cases:
        box = skia.Rect.MakeLTRB(left, foot - height, left + width, foot)
        canvas.drawRoundRect(box, 0.06, 0.06, down(foot - height, foot, shade(tint, 1.2), tint, shade(tint, 0.6)))
        for share in (0.22, 0.78):
            band = left + width * share
            canvas.drawLine(band, foot - height + 0.02, band, foot - 0.02, stroke(shade(tint, 0.5), 0.05))
        canvas.drawRoundRect(
            skia.Rect.MakeLTRB(left + width * 0.4, foot - height - 0.05, left + width * 0.6, foot - height + 0.03),
            0.02,
            0.02,
            stroke(shade(tint, 0.45), 0.03),
        )
    for hub in (-0.66, 0.66):
        canvas.drawCircle(hub, -0.2, 0.2, ball(hub - 0.05, -0.25, 0.25, "#5b6066", "#26292e", "#121316"))
        canvas.drawCircle(hub, -0.2, 0.07, fill("#c9a14a"))
        for i in range(5):
            turn = rolled / (0.2 * size) + i * math.tau / 5
            canvas.drawLine(
                hub, -0.2, hub + 0.17 * math.cos(turn), -0.2 + 0.17 * math.sin(turn), stroke("#8a8f95", 0.025)
            )
    canvas.restore()


def poster(canvas: skia.Canvas, x: float, y: float, width: float, height: float, seed: int) -> None:
    """A bill on a wall: bands, a disc, lines of small print."""
    random = np.random.default_rng(seed)
    tints = ("#c8414f", "#e6b84a", "#3f7aa8", "#f0e9da", "#4f8f6a", "#6b4a8a", "#22303c")
    paper, band, disc = (tints[i] for i in random.choice(len(tints), 3, replace=False))
    canvas.drawRect(skia.Rect.MakeLTRB(x, y, x + width, y + height), fill(paper))
    canvas.drawRect(skia.Rect.MakeLTRB(x, y + height * 0.1, x + width, y + height * 0.3), fill(band))
    canvas.drawCircle(x + width * random.uniform(0.3, 0.7), y + height * 0.5, width * 0.26, fill(disc))
    for i in range(7):
        line = y + height * (0.72 + 0.035 * i)
        canvas.drawLine(x + width * 0.1, line, x + width * random.uniform(0.5, 0.9), line, stroke("#22262c", 2.4, 0.8))
    canvas.drawRect(skia.Rect.MakeLTRB(x, y, x + width, y + height), stroke("#2c2420", 4))


def shrub(canvas: skia.Canvas, x: float, ground: float, size: float, seed: int) -> None:
    """A tub with leaves in it."""
    random = np.random.default_rng(seed)
    tub = polygon(
        (x - size * 0.5, ground - size * 0.6),
        (x + size * 0.5, ground - size * 0.6),
        (x + size * 0.38, ground),
        (x - size * 0.38, ground),
    )
    for _ in range(260):
        around, away = random.uniform(0, math.tau), size * random.uniform(0, 0.8) ** 0.7
        leaf = oval(
            x + away * math.cos(around), ground - size * 1.25 + 0.9 * away * math.sin(around), size * 0.09, size * 0.05
        )
        canvas.save()
        canvas.rotate(random.uniform(-70, 70), leaf.centerX(), leaf.centerY())
        canvas.drawOval(leaf, fill(shade("#4f7a3c", random.uniform(0.45, 1.4))))
        canvas.restore()
    canvas.drawPath(tub, across(x - size * 0.5, x + size * 0.5, "#a0624a", "#7d4034", "#4a261e"))
