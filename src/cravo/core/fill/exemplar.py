"""Continuing a picture into what nothing shows: patches from around it, those first whose borders say most.

Criminisi, Perez, Toyama 2004: *Region filling and object removal by exemplar-based image inpainting*. Done on a smaller
picture; what is kept is from where each pixel comes, so that the full picture is copied with all its detail.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

Pixels = NDArray[np.uint8] | NDArray[np.uint16]
Floats = NDArray[np.float32]

SIDE = 110.0  # pixels of a square as large as what is missing, that it is worked at no larger than
HALF_PATCH = 4  # a patch is 9 pixels wide
AROUND = 1.3, 60  # of what is missing, and pixels at least, how far patches are looked for


def continued(picture: Pixels, missing: NDArray[np.bool_], known: NDArray[np.bool_]) -> Pixels:
    """The picture with what is missing continued from what is known.

    Parameters
    ----------
    picture
        (height, width, 3).
    missing
        What is to be filled, (height, width).
    known
        What may be copied; apart from `missing`.

    Returns
    -------
    ndarray
        As the picture; the same where nothing can be copied.
    """
    if not missing.any() or not known.any():
        return picture
    scale = min(1.0, SIDE / float(np.sqrt(np.count_nonzero(missing))))
    height, width = missing.shape
    small = max(round(width * scale), 24), max(round(height * scale), 24)
    colours = cv2.resize(picture, small, interpolation=cv2.INTER_AREA).astype(np.float32)
    if picture.dtype == np.uint16:
        colours /= 4.0
    gone = cv2.resize(missing.astype(np.float32), small, interpolation=cv2.INTER_AREA) > 0
    free = (cv2.resize(known.astype(np.float32), small, interpolation=cv2.INTER_AREA) > 0.99) & ~gone
    if not free.any():
        return picture
    reach = max(int(AROUND[0] * np.sqrt(np.count_nonzero(gone))), AROUND[1])
    from_y, from_x = _filled(colours, gone, free, HALF_PATCH, reach)
    return _copied(picture, missing, known, from_y, from_x)


def _copied(
    picture: Pixels,
    missing: NDArray[np.bool_],
    known: NDArray[np.bool_],
    from_y: NDArray[np.int32],
    from_x: NDArray[np.int32],
) -> Pixels:
    """What is missing, from as far away as the small picture says."""
    height, width = missing.shape
    tall, wide = from_y.shape
    y, x = np.nonzero(missing)
    cy, cx = np.minimum(y * tall // height, tall - 1), np.minimum(x * wide // width, wide - 1)
    dy = np.rint((from_y[cy, cx] - cy) * (height / tall)).astype(int)
    dx = np.rint((from_x[cy, cx] - cx) * (width / wide)).astype(int)
    sy, sx = np.clip(y + dy, 0, height - 1), np.clip(x + dx, 0, width - 1)
    out = picture.copy()
    out[y, x] = picture[sy, sx]
    # A pixel at the rim may come from beside what is known.
    bad = np.zeros_like(missing)
    bad[y, x] = ~known[sy, sx]
    if bad.any():
        bad |= ~known & ~missing  # which holds no picture either
        eight = out if out.dtype == np.uint8 else (out >> 2).astype(np.uint8)
        mended = cv2.inpaint(eight, bad.astype(np.uint8), 3, cv2.INPAINT_TELEA)
        out[bad] = mended[bad] if out.dtype == np.uint8 else mended[bad].astype(np.uint16) << 2
    return out


@nb.njit(cache=True)
def _filled(colours, gone, free, half, reach):  # type: ignore[no-untyped-def]
    """From where each pixel of a small picture comes, rows and columns."""
    height, width = gone.shape
    from_y = np.empty((height, width), np.int32)
    from_x = np.empty((height, width), np.int32)
    confidence = np.zeros((height, width), np.float32)
    for y in range(height):
        for x in range(width):
            from_y[y, x], from_x[y, x] = y, x
            confidence[y, x] = 0.0 if gone[y, x] else 1.0
    whole = _whole_patches(free, half)
    left = 0
    for y in range(height):
        for x in range(width):
            left += gone[y, x]
    while left > 0:
        py, px = _first(colours, gone, confidence, half)
        if py < 0:
            break
        sy, sx = _best(colours, gone, whole, py, px, half, reach)
        if sy < 0:
            sy, sx = _best(colours, gone, whole, py, px, half, height + width)
        if sy < 0:
            break
        total, count = 0.0, 0
        for dy in range(-half, half + 1):
            for dx in range(-half, half + 1):
                y, x = py + dy, px + dx
                if 0 <= y < height and 0 <= x < width:
                    total += confidence[y, x]
                    count += 1
        sure = total / count
        for dy in range(-half, half + 1):
            for dx in range(-half, half + 1):
                y, x = py + dy, px + dx
                if 0 <= y < height and 0 <= x < width and gone[y, x]:
                    from_y[y, x], from_x[y, x] = sy + dy, sx + dx
                    for c in range(3):
                        colours[y, x, c] = colours[sy + dy, sx + dx, c]
                    confidence[y, x] = sure
                    gone[y, x] = False
                    left -= 1
    return from_y, from_x


@nb.njit(cache=True)
def _whole_patches(free, half):  # type: ignore[no-untyped-def]
    height, width = free.shape
    whole = np.zeros((height, width), np.bool_)
    for y in range(half, height - half):
        for x in range(half, width - half):
            good = True
            for dy in range(-half, half + 1):
                for dx in range(-half, half + 1):
                    if not free[y + dy, x + dx]:
                        good = False
                        break
                if not good:
                    break
            whole[y, x] = good
    return whole


@nb.njit(cache=True)
def _first(colours, gone, confidence, half):  # type: ignore[no-untyped-def]
    """The place of the border that is filled next: much of its patch is known, and a line runs into it."""
    height, width = gone.shape
    best, by, bx = -1.0, -1, -1
    for y in range(height):
        for x in range(width):
            if not gone[y, x]:
                continue
            edge = (
                (y > 0 and not gone[y - 1, x])
                or (y + 1 < height and not gone[y + 1, x])
                or (x > 0 and not gone[y, x - 1])
                or (x + 1 < width and not gone[y, x + 1])
            )
            if not edge:
                continue
            sure, count = 0.0, 0
            ny, nx = 0.0, 0.0
            slope, gy, gx = -1.0, 0.0, 0.0
            for dy in range(-half, half + 1):
                for dx in range(-half, half + 1):
                    v, u = y + dy, x + dx
                    if not (0 <= v < height and 0 <= u < width):
                        continue
                    sure += confidence[v, u]
                    count += 1
                    if gone[v, u]:
                        ny += dy
                        nx += dx
                        continue
                    inside = 0 < v < height - 1 and 0 < u < width - 1
                    if inside and not (gone[v - 1, u] or gone[v + 1, u] or gone[v, u - 1] or gone[v, u + 1]):
                        sy = (colours[v + 1, u, 0] - colours[v - 1, u, 0]) * 0.5
                        sx = (colours[v, u + 1, 0] - colours[v, u - 1, 0]) * 0.5
                        if sy * sy + sx * sx > slope:
                            slope, gy, gx = sy * sy + sx * sx, sy, sx
            norm = np.sqrt(ny * ny + nx * nx)
            data = 0.05
            if norm > 0 and slope > 0:
                data += abs(-gy * nx + gx * ny) / (norm * 255.0)
            value = sure / count * data
            if value > best:
                best, by, bx = value, y, x
    return by, bx


@nb.njit(cache=True)
def _best(colours, gone, whole, py, px, half, reach):  # type: ignore[no-untyped-def]
    """The middle of the patch that is most like what is known of the one at a place; nearer ones before others."""
    height, width = gone.shape
    best, by, bx = 1e30, -1, -1
    for y in range(max(py - reach, half), min(py + reach + 1, height - half)):
        for x in range(max(px - reach, half), min(px + reach + 1, width - half)):
            if not whole[y, x]:
                continue
            apart = 0.02 * np.sqrt((y - py) * (y - py) + (x - px) * (x - px))
            for dy in range(-half, half + 1):
                for dx in range(-half, half + 1):
                    v, u = py + dy, px + dx
                    if 0 <= v < height and 0 <= u < width and not gone[v, u]:
                        for c in range(3):
                            d = colours[v, u, c] - colours[y + dy, x + dx, c]
                            apart += d * d
                if apart >= best:
                    break
            if apart < best:
                best, by, bx = apart, y, x
    return by, bx
