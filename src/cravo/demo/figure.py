"""Drawn people: heads that turn, figures that walk."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
import skia

from cravo.demo.paint import across, ball, down, fill, lettering, oval, polygon, shade, stroke


@dataclass(frozen=True)
class Person:
    """How somebody looks."""

    name: str
    skin: str
    hair: str
    coat: str
    legs: str = "#3b4252"
    long_hair: bool = False
    loose_hair: bool = False
    cap: bool = False
    beard: bool = False
    glasses: bool = False
    seed: int = 1


@dataclass(frozen=True)
class HeadPose:
    """A head in picture pixels: centre of the face, half its width, and how it is turned.

    `yaw` and `pitch` in -1..1 (a third of a right angle each way), `roll` in degrees clockwise,
    `mouth` is how far it is open, 0..1.
    """

    x: float
    y: float
    size: float
    yaw: float = 0.0
    pitch: float = 0.0
    roll: float = 0.0
    mouth: float = 0.0
    blink: float = 0.0
    wind: float = 0.0  # phase of what the wind does to loose hair


FACE_HEIGHT = 1.32  # of the face's half width


def face_truth(pose: HeadPose) -> dict[str, list[float]]:
    """Where face, eyes and mouth are: the oval as x, y, rx, ry, degrees; the others as points."""
    place = _placer(pose)
    x, y = place(0.10 * pose.yaw, 0.0)
    mouth = place(0.42 * pose.yaw, 0.66 + 0.10 * pose.pitch)
    eyes = [place(side * 0.40 + 0.42 * pose.yaw, -0.12 + 0.16 * pose.pitch) for side in (-1, 1)]
    return {
        "oval": [x, y, pose.size * (1 - 0.05 * abs(pose.yaw)), pose.size * FACE_HEIGHT, pose.roll],
        "left_eye": list(eyes[0]),
        "right_eye": list(eyes[1]),
        "mouth": list(mouth),
    }


def _placer(pose: HeadPose):  # type: ignore[no-untyped-def]
    turn = math.radians(pose.roll)
    cos, sin = math.cos(turn) * pose.size, math.sin(turn) * pose.size

    def place(x: float, y: float) -> tuple[float, float]:
        return pose.x + x * cos - y * sin, pose.y + x * sin + y * cos

    return place


def draw_head(canvas: skia.Canvas, who: Person, pose: HeadPose) -> None:
    """Neck up, around the face's centre; a unit is the half width of the face."""
    canvas.save()
    canvas.translate(pose.x, pose.y)
    canvas.rotate(pose.roll)
    canvas.scale(pose.size, pose.size)
    _back_hair(canvas, who, pose)
    if who.loose_hair:
        _loose_hair(canvas, who, pose)
    _skull(canvas, who, pose)
    _features(canvas, who, pose)
    _front_hair(canvas, who, pose)
    if who.cap:
        _cap(canvas, pose)
    canvas.restore()


def _back_hair(canvas: skia.Canvas, who: Person, pose: HeadPose) -> None:
    hair = ball(-0.3, -0.9, 2.4, shade(who.hair, 1.2), who.hair, shade(who.hair, 0.6))
    shift = -0.10 * pose.yaw
    canvas.drawOval(oval(shift, -0.32, 1.13, 1.22), hair)
    if who.long_hair:
        canvas.drawPath(
            polygon(
                (-1.1 + shift, -0.4),
                (1.1 + shift, -0.4),
                (1.25 + shift, 1.5),
                (0.9, 1.75),
                (-0.9, 1.75),
                (-1.25 + shift, 1.5),
            ),
            hair,
        )
        random = np.random.default_rng(who.seed)
        for _ in range(40):
            x = random.uniform(-1.25, 1.25) + shift
            tint = shade(who.hair, random.uniform(0.5, 1.35))
            canvas.drawLine(x * 0.85, -0.6, x, 1.4 + random.uniform(0, 0.5), stroke(tint, 0.04, 0.8))


def _loose_hair(canvas: skia.Canvas, who: Person, pose: HeadPose) -> None:
    """Single strands that the wind lifts off, thin enough to let the background through."""
    random = np.random.default_rng(who.seed + 21)
    shift = -0.10 * pose.yaw
    for _ in range(230):
        around = math.radians(random.uniform(-205, 25))
        root = 0.95 * math.cos(around) + shift, 1.02 * math.sin(around) - 0.3
        length, lag = random.uniform(0.6, 1.6), random.uniform(0, math.tau)
        sway = 0.16 * math.sin(pose.wind + lag) + 0.08 * math.sin(2.3 * pose.wind + 2 * lag)
        blown = -0.55 * pose.yaw + sway
        strand = skia.Path()
        strand.moveTo(*root)
        middle = root[0] * 1.22 + 0.4 * blown, root[1] * 1.05 + 0.35 * length
        tip = root[0] * 1.18 + blown, root[1] + length + 0.12 * math.sin(pose.wind * 1.4 + lag)
        strand.quadTo(*middle, *tip)
        tint = shade(who.hair, random.uniform(0.6, 1.45))
        canvas.drawPath(strand, stroke(tint, random.uniform(0.018, 0.042), random.uniform(0.55, 0.95)))


def _skull(canvas: skia.Canvas, who: Person, pose: HeadPose) -> None:
    light, dark = shade(who.skin, 1.25), shade(who.skin, 0.62)
    for side in (-1, 1):
        seen = 1 - max(0.0, side * pose.yaw) * 1.1
        if seen > 0.15:
            ear = oval(side * (1.0 - 0.05 * abs(pose.yaw)) - 0.12 * pose.yaw, 0.05, 0.17 * seen, 0.30)
            canvas.drawOval(ear, ball(side * 1.0, 0.0, 0.4, who.skin, shade(who.skin, 0.7)))
    face = skia.Path()
    jaw = 0.10 * pose.yaw
    face.moveTo(-0.99, -0.25)
    face.cubicTo(-1.0, -1.55, 1.0, -1.55, 0.99, -0.25)
    face.cubicTo(1.0, 0.55, 0.62 + jaw, 1.30, 0.06 + jaw, 1.32)
    face.cubicTo(-0.62 + jaw, 1.30, -1.0, 0.55, -0.99, -0.25)
    face.close()
    centre = 0.35 * pose.yaw - 0.22
    canvas.drawPath(face, ball(centre, -0.35, 1.9, light, who.skin, shade(who.skin, 0.86), dark))
    canvas.save()
    canvas.clipPath(face, True)
    canvas.drawOval(oval(0.95 + 0.35 * pose.yaw, 0.15, 0.42, 1.3), fill(shade(who.skin, 0.45), 0.40, 0.18))
    canvas.drawOval(oval(0.06 + jaw, 1.36, 0.9, 0.26), fill(shade(who.skin, 0.42), 0.45, 0.12))
    for side in (-1, 1):
        canvas.drawOval(oval(side * 0.48 + 0.42 * pose.yaw, 0.34, 0.24, 0.17), fill("#c9523c", 0.20, 0.09))
    random = np.random.default_rng(who.seed + 7)
    for _ in range(70):
        x, y = random.uniform(-0.95, 0.95), random.uniform(-0.9, 1.15)
        spot = shade(who.skin, random.uniform(0.55, 1.2))
        canvas.drawCircle(x + 0.38 * pose.yaw, y + 0.1 * pose.pitch, random.uniform(0.008, 0.028), fill(spot, 0.5))
    if who.beard:
        beard = skia.Path()
        beard.moveTo(-1.0, 0.15)
        beard.cubicTo(-0.75 + 0.3 * pose.yaw, 0.45, 0.75 + 0.3 * pose.yaw, 0.45, 1.0, 0.15)
        beard.lineTo(1.0, 1.5)
        beard.lineTo(-1.0, 1.5)
        beard.close()
        canvas.drawPath(beard, fill(who.hair, 0.92))
        for _ in range(90):
            x, y = random.uniform(-0.9, 0.9), random.uniform(0.45, 1.2)
            tint = shade(who.hair, random.uniform(0.55, 1.5))
            x += 0.35 * pose.yaw
            canvas.drawLine(x, y, x * 0.97, y + 0.12, stroke(tint, 0.025, 0.8))
    canvas.restore()


def _features(canvas: skia.Canvas, who: Person, pose: HeadPose) -> None:
    canvas.save()
    canvas.translate(0.42 * pose.yaw, 0.16 * pose.pitch)
    squeeze = 1 - 0.22 * abs(pose.yaw)
    dark = shade(who.skin, 0.5)
    for side in (-1, 1):
        near = 1 - 0.25 * max(0.0, side * pose.yaw)
        x = side * 0.40 * squeeze
        canvas.drawOval(oval(x, -0.16, 0.25 * near, 0.17), fill(dark, 0.35, 0.05))
        lid = 0.105 * (1 - pose.blink)
        canvas.drawOval(oval(x, -0.12, 0.19 * near, max(lid, 0.012)), fill("#f4f1ea"))
        if lid > 0.03:
            gaze = 0.05 * pose.yaw
            canvas.drawCircle(x + gaze, -0.12, 0.088, fill("#4a3a28" if who.seed % 2 else "#3e5a6e"))
            canvas.drawCircle(x + gaze, -0.12, 0.043, fill("#0d0b0a"))
            canvas.drawCircle(x + gaze - 0.03, -0.155, 0.022, fill("#ffffff", 0.9))
        lash = skia.Path()
        lash.moveTo(x - 0.2 * near, -0.11)
        lash.quadTo(x, -0.13 - 1.4 * lid, x + 0.2 * near, -0.11)
        canvas.drawPath(lash, stroke(shade(who.hair, 0.5), 0.045))
        brow = skia.Path()
        brow.moveTo(x - 0.24 * near, -0.36)
        brow.quadTo(x, -0.47 - 0.05 * pose.mouth, x + 0.24 * near, -0.37)
        canvas.drawPath(brow, stroke(shade(who.hair, 0.7), 0.085))
    tip = 0.16 * pose.yaw
    nose = skia.Path()
    nose.moveTo(-0.02, -0.2)
    nose.quadTo(0.10 + tip, 0.16, 0.13 + tip, 0.29)
    nose.quadTo(tip, 0.40, -0.13 + tip, 0.29)
    canvas.drawPath(nose, stroke(dark, 0.05, 0.75))
    canvas.drawOval(oval(tip - 0.02, 0.22, 0.10, 0.10), fill(shade(who.skin, 1.45), 0.5, 0.04))
    open_by = 0.04 + 0.20 * pose.mouth
    lips = oval(0.02, 0.66, 0.31 * squeeze, open_by + 0.055)
    canvas.drawOval(lips, fill("#a8503f"))
    canvas.drawOval(oval(0.02, 0.66, 0.26 * squeeze, open_by), fill("#3a1512"))
    if pose.mouth > 0.2:
        canvas.drawRoundRect(
            skia.Rect.MakeLTRB(-0.17 * squeeze, 0.66 - open_by, 0.20 * squeeze, 0.66 - open_by * 0.45),
            0.03,
            0.03,
            fill("#f2ece0"),
        )
    canvas.drawOval(oval(0.02, 0.86, 0.2, 0.05), fill(dark, 0.35, 0.04))
    if who.glasses:
        for side in (-1, 1):
            canvas.drawOval(oval(side * 0.41 * squeeze, -0.1, 0.29, 0.25), stroke("#2a2a30", 0.05))
            canvas.drawOval(oval(side * 0.41 * squeeze, -0.1, 0.27, 0.23), fill("#cfe3ee", 0.14))
        canvas.drawLine(-0.12, -0.12, 0.12, -0.12, stroke("#2a2a30", 0.05))
    canvas.restore()


def _front_hair(canvas: skia.Canvas, who: Person, pose: HeadPose) -> None:
    fringe = skia.Path()
    shift = 0.14 * pose.yaw
    fringe.moveTo(-1.04, -0.05)
    fringe.cubicTo(-1.25, -1.75, 1.25, -1.75, 1.04, -0.05)
    fringe.cubicTo(0.98, -0.55, 0.72 + shift, -0.80, 0.30 + shift, -0.82)
    fringe.cubicTo(-0.1 + shift, -0.70, -0.75 + shift, -0.88, -1.04, -0.05)
    fringe.close()
    canvas.drawPath(fringe, ball(-0.35 + shift, -1.2, 1.5, shade(who.hair, 1.35), who.hair, shade(who.hair, 0.65)))
    random = np.random.default_rng(who.seed + 3)
    canvas.save()
    canvas.clipPath(fringe, True)
    for _ in range(36):
        x = random.uniform(-1.1, 1.1)
        tint = shade(who.hair, random.uniform(0.5, 1.6))
        canvas.drawLine(0.3 * x + shift, -1.4, x + shift, -0.4, stroke(tint, 0.03, 0.7))
    canvas.restore()


def _cap(canvas: skia.Canvas, pose: HeadPose) -> None:
    shift = 0.20 * pose.yaw
    crown = skia.Path()
    crown.moveTo(-1.16, -0.72)
    crown.cubicTo(-1.45, -1.55, -0.7, -1.78, 0.0 + shift, -1.80)
    crown.cubicTo(0.7, -1.78, 1.45, -1.55, 1.16, -0.72)
    crown.close()
    canvas.drawPath(crown, down(-1.8, -0.7, "#3a4a6e", "#1d2742"))
    band = skia.Rect.MakeLTRB(-1.14, -0.98, 1.14, -0.66)
    canvas.drawRoundRect(band, 0.1, 0.1, across(-1.1, 1.1, "#7d2032", "#b23a48", "#6a1a2a"))
    canvas.drawLine(-1.12, -0.97, 1.12, -0.97, stroke("#d9b45a", 0.035))
    canvas.drawLine(-1.12, -0.68, 1.12, -0.68, stroke("#d9b45a", 0.035))
    peak = skia.Path()
    peak.moveTo(-0.98, -0.68)
    peak.quadTo(shift * 1.6, -0.28 + 0.1 * pose.pitch, 0.98, -0.68)
    peak.quadTo(shift, -0.60, -0.98, -0.68)
    canvas.drawPath(peak, down(-0.7, -0.35, "#0c0e14", "#3b4150"))
    badge = 0.55 * pose.yaw
    canvas.drawCircle(badge, -1.20, 0.24, ball(badge - 0.08, -1.28, 0.34, "#fff0b8", "#d9a93c", "#8a6418"))
    canvas.drawCircle(badge, -1.20, 0.17, stroke("#6b4a10", 0.03))
    lettering(canvas, "O", badge, -1.11, 0.26, fill("#6b2030"))


def draw_bust(canvas: skia.Canvas, who: Person, pose: HeadPose, sway: float = 0.0) -> None:
    """Shoulders and chest in uniform, then the head; for somebody close to the camera."""
    canvas.save()
    canvas.translate(pose.x - 0.25 * pose.yaw * pose.size + sway, pose.y)
    canvas.scale(pose.size, pose.size)
    neck = skia.Path()
    neck.addPoly([skia.Point(-0.55, 0.7), skia.Point(0.55, 0.7), skia.Point(0.72, 1.9), skia.Point(-0.72, 1.9)], True)
    canvas.drawPath(neck, across(-0.6, 0.7, shade(who.skin, 0.85), shade(who.skin, 0.7), shade(who.skin, 0.45)))
    body = skia.Path()
    body.moveTo(-0.62, 1.50)
    body.cubicTo(-1.4, 1.75, -2.5, 1.85, -2.75, 3.0)
    body.lineTo(-3.1, 9.0)
    body.lineTo(3.1, 9.0)
    body.lineTo(2.75, 3.0)
    body.cubicTo(2.5, 1.85, 1.4, 1.75, 0.62, 1.50)
    body.quadTo(0.0, 2.3, -0.62, 1.50)
    body.close()
    canvas.drawPath(body, across(-2.9, 2.9, shade(who.coat, 1.22), who.coat, shade(who.coat, 0.55)))
    canvas.save()
    canvas.clipPath(body, True)
    random = np.random.default_rng(who.seed + 11)
    for _ in range(160):
        x, y = random.uniform(-2.9, 2.9), random.uniform(1.6, 6.0)
        canvas.drawLine(
            x,
            y,
            x + random.uniform(-0.05, 0.05),
            y + 0.2,
            stroke(shade(who.coat, random.uniform(0.6, 1.35)), 0.02, 0.35),
        )
    for side in (-1, 1):
        canvas.drawLine(side * 1.75, 2.3, side * 1.9, 6.0, stroke(shade(who.coat, 0.5), 0.06, 0.7))
    canvas.restore()
    shirt = polygon((-0.55, 1.62), (0.0, 3.0), (0.55, 1.62), (0.3, 1.95), (-0.3, 1.95))
    canvas.drawPath(shirt, fill("#e9e6dc"))
    canvas.drawPath(polygon((-0.16, 2.0), (0.16, 2.0), (0.22, 2.9), (0.0, 3.1), (-0.22, 2.9)), fill("#8f2438"))
    for side in (-1, 1):
        lapel = polygon(
            (side * 0.62, 1.5), (side * 1.15, 2.0), (side * 0.75, 2.5), (side * 0.05, 3.4), (side * 0.02, 3.0)
        )
        canvas.drawPath(lapel, fill(shade(who.coat, 1.12 if side < 0 else 0.75)))
    for row in range(4):
        for side in (-1, 1):
            x, y = side * 0.45, 3.55 + row * 0.62
            canvas.drawCircle(x, y, 0.11, ball(x - 0.03, y - 0.04, 0.14, "#fff0b8", "#c9962e", "#7a5412"))
    canvas.drawRoundRect(skia.Rect.MakeLTRB(1.0, 2.95, 2.0, 3.32), 0.05, 0.05, fill("#ece2c4"))
    lettering(canvas, "OSTRELLE", 1.5, 3.20, 0.19, fill("#3a2a20"))
    canvas.drawOval(oval(0.0, 1.45, 0.62, 0.28), fill("#1a0f0c", 0.45, 0.12))
    canvas.restore()
    draw_head(canvas, who, pose)


FOOT = 9.6  # of a standing figure below the middle of its face, in half widths of the face


def draw_shadow(canvas: skia.Canvas, head: HeadPose) -> None:
    """What lies on the ground below a figure; no part of it."""
    at = oval(head.x + 0.3 * head.size, head.y + (FOOT + 0.05) * head.size, 2.2 * head.size, 0.35 * head.size)
    canvas.drawOval(at, fill("#101418", 0.45, 0.2 * head.size))


def draw_walker(canvas: skia.Canvas, who: Person, head: HeadPose, stride: float, heading: float) -> None:
    """A whole figure around its head; `stride` is the phase of the step, `heading` -1..1 across the picture."""
    canvas.save()
    canvas.translate(head.x, head.y)
    canvas.scale(head.size, head.size)
    hip, foot, knee = 5.2, FOOT, 7.4
    swing = math.sin(stride)
    for side in (-1, 1):
        step = swing * side * 1.15 * heading
        lift = max(0.0, math.cos(stride) * side) * 0.35
        leg = skia.Path()
        leg.moveTo(side * 0.45, hip)
        leg.lineTo(side * 0.42 + step * 0.55, knee - lift * 0.3)
        leg.lineTo(side * 0.42 + step, foot - lift)
        tint = shade(who.legs, 0.75 if side < 0 else 1.0)
        canvas.drawPath(leg, stroke(tint, 0.86))
        canvas.drawOval(oval(side * 0.42 + step + 0.2 * heading, foot - lift, 0.55, 0.24), fill("#1d1a1c"))
    coat = skia.Path()
    coat.moveTo(-0.5, 1.25)
    coat.cubicTo(-1.5, 1.5, -1.75, 2.0, -1.6, 3.4)
    coat.lineTo(-1.35, hip + 0.9)
    coat.lineTo(1.35, hip + 0.9)
    coat.lineTo(1.6, 3.4)
    coat.cubicTo(1.75, 2.0, 1.5, 1.5, 0.5, 1.25)
    coat.close()
    back_arm = skia.Path()
    back_arm.moveTo(1.25, 1.9)
    back_arm.quadTo(1.75 - swing * 0.5, 3.4, 1.45 - swing * 1.1 * heading, 4.9)
    canvas.drawPath(back_arm, stroke(shade(who.coat, 0.6), 0.72))
    canvas.drawPath(coat, across(-1.7, 1.7, shade(who.coat, 1.2), who.coat, shade(who.coat, 0.6)))
    canvas.save()
    canvas.clipPath(coat, True)
    random = np.random.default_rng(who.seed + 5)
    for _ in range(60):
        x, y = random.uniform(-1.7, 1.7), random.uniform(1.4, 6.0)
        canvas.drawLine(x, y, x, y + 0.5, stroke(shade(who.coat, random.uniform(0.6, 1.4)), 0.06, 0.5))
    canvas.drawLine(0.0, 1.6, 0.0, 6.2, stroke(shade(who.coat, 0.5), 0.09))
    canvas.restore()
    arm = skia.Path()
    arm.moveTo(-1.3, 1.9)
    arm.quadTo(-1.7 + swing * 0.5, 3.4, -1.4 + swing * 1.1 * heading, 4.9)
    canvas.drawPath(arm, stroke(shade(who.coat, 1.05), 0.72))
    canvas.drawCircle(-1.4 + swing * 1.1 * heading, 5.05, 0.34, fill(who.skin))
    canvas.drawPath(polygon((-0.45, 0.8), (0.45, 0.8), (0.5, 1.6), (-0.5, 1.6)), fill(shade(who.skin, 0.7)))
    canvas.drawLine(-0.55, 1.5, 0.55, 1.5, stroke(shade(who.coat, 1.4), 0.3))
    canvas.restore()
    draw_head(canvas, who, head)
