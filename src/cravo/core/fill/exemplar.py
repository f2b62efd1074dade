"""Continuing a picture into what nothing shows, with patches from around it.

Begun smoothly on a small picture, then on ever larger ones: every patch of the hole looks for the one that is most like it
(Barnes et al. 2009), and every pixel becomes the mean of what the patches over it say (Wexler, Shechtman, Irani 2007; Newson et
al. 2014), until all of it fits together. Patch after patch from the border inwards (Criminisi, Perez, Toyama 2004) was tried
first: what it takes up once, a piece of a sign, it goes on with.
"""

from __future__ import annotations

import cv2
import numba as nb
import numpy as np
from numpy.typing import NDArray

from cravo.core.fill.grown import grown

Pixels = NDArray[np.uint8] | NDArray[np.uint16]
Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]

BEGIN = 20.0  # pixels of a square as large as what is missing, at which it is begun
LARGEST = 420.0  # of one up to which every pixel looks; what is larger is copied by what a smaller picture says
HALF = 3  # a patch is 7 pixels wide
ROUNDS = 8, 4  # on the smallest picture, and on the largest
AROUND = 1.6, 40  # of what is missing, and pixels at least, that are looked at around it
CHROMA = 2.0  # how much more a difference of colour counts
TEXTURE, TEXTURED = 3.0, 24  # how much one of texture counts, and pixels over which that is told


def continued(picture: Pixels, missing: Mask, known: Mask) -> Pixels:
    """The picture with what is missing continued from what is known.

    Parameters
    ----------
    picture
        Y'CbCr, (height, width, 3).
    missing
        What is to be filled, (height, width).
    known
        What may be copied; apart from `missing`.

    Returns
    -------
    ndarray
        As the picture; the same where nothing can be copied.
    """
    out = picture.copy()
    unit = np.float32(1 if picture.dtype == np.uint8 else 4)
    count, labels, stats, _ = cv2.connectedComponentsWithStats(grown(missing, 12).astype(np.uint8))
    for k in range(1, count):  # those that lie far apart one after the other
        left, top, width, height, _ = stats[k]
        more = max(int(AROUND[0] * np.sqrt(np.count_nonzero(missing & (labels == k)))), AROUND[1])
        part = np.s_[max(top - more, 0) : top + height + more, max(left - more, 0) : left + width + more]
        hole, free = missing[part] & (labels[part] == k), known[part]
        if not free.any() or not hole.any():
            continue
        values = _completed(out[part].astype(np.float32) / unit, hole, free) * unit
        out[part][hole] = np.clip(np.rint(values[hole]), 0, 255 * unit).astype(picture.dtype)
    return out


def _completed(colours: Floats, hole: Mask, free: Mask) -> Floats:
    """A picture of levels at 8 bits with its hole filled."""
    full = np.dstack([colours * np.array([1, CHROMA, CHROMA], np.float32), _texture(colours[..., 0], free)])
    scales = _scales(float(np.sqrt(np.count_nonzero(hole))))
    now: Floats | None = None
    for number, scale in enumerate(scales):
        shown, gone, clear = _smaller(full, hole, free, scale)
        whole = _whole_patches(clear, HALF)
        if not whole.any():
            continue
        if now is None:
            _smoothed(shown, gone, clear)
            from_y, from_x = np.full(gone.shape, -1, np.int32), np.full(gone.shape, -1, np.int32)
        else:
            from_y, from_x = _larger(from_y, from_x, gone.shape)
            shown[gone] = cv2.resize(now, shown.shape[1::-1], interpolation=cv2.INTER_LINEAR)[gone]
            # Copied, not enlarged: what is smooth would be taken for a smooth place.
            there = gone & clear[from_y, from_x]
            shown[there] = shown[from_y[there], from_x[there]]
        depth = cv2.distanceTransform(gone.astype(np.uint8), cv2.DIST_L2, 3)
        _settled(shown, gone, whole, from_y, from_x, depth, ROUNDS[number == len(scales) - 1], HALF, number)
        now = shown
    if now is None:  # there is no whole patch to be copied
        eight = np.clip(colours, 0, 255).astype(np.uint8)
        return cv2.inpaint(eight, (~free).astype(np.uint8), 3, cv2.INPAINT_TELEA).astype(np.float32)
    made: Floats = np.asarray(now[..., :3] / np.array([1, CHROMA, CHROMA], np.float32), np.float32)
    return made if made.shape == colours.shape else _copied(colours, hole, free, from_y, from_x, made)


def _smoothed(shown: Floats, gone: Mask, clear: Mask) -> None:
    """Begin with what is smooth (Telea 2004), in place."""
    mask = (~clear).astype(np.uint8)
    for k in range(shown.shape[2]):
        plane = np.ascontiguousarray(shown[..., k], np.float32)
        shown[..., k] = np.where(gone, cv2.inpaint(plane, mask, 5, cv2.INPAINT_TELEA), plane)


def _texture(luma: Floats, free: Mask) -> Floats:
    """How rough a picture is around every place, without which flat patches would win (Newson et al. 2014)."""
    inner = ~grown(~free, 2)
    rough = sum(np.abs(cv2.Scharr(luma, cv2.CV_32F, dx, 1 - dx, scale=1 / 32)) for dx in (1, 0))
    size = TEXTURED, TEXTURED
    count = np.maximum(cv2.blur(inner.astype(np.float32), size), 1e-3)
    return np.asarray(TEXTURE * cv2.blur(rough * inner, size) / count, np.float32)


def _scales(side: float) -> list[float]:
    """From the smallest picture to the largest that is worked on."""
    last = min(1.0, LARGEST / side)
    steps = max(int(np.ceil(np.log2(max(side * last / BEGIN, 1)))), 0)
    return [last * 0.5**k for k in range(steps, -1, -1)]


def _smaller(colours: Floats, hole: Mask, free: Mask, scale: float) -> tuple[Floats, Mask, Mask]:
    if scale == 1.0:
        return colours.copy(), hole.copy(), free.copy()
    size = max(round(hole.shape[1] * scale), 4 * HALF), max(round(hole.shape[0] * scale), 4 * HALF)
    share = cv2.resize(free.astype(np.float32), size, interpolation=cv2.INTER_AREA)
    total = cv2.resize(colours * free[..., None], size, interpolation=cv2.INTER_AREA)
    gone = cv2.resize(hole.astype(np.float32), size, interpolation=cv2.INTER_AREA) > 0
    return total / np.maximum(share, 1e-3)[..., None], gone, (share > 0.99) & ~gone


def _larger(from_y: NDArray[np.int32], from_x: NDArray[np.int32], shape: tuple[int, ...]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:  # fmt: skip
    """From where each pixel comes, on a larger picture."""
    tall, wide = from_y.shape
    y, x = np.indices(shape)
    cy, cx = np.minimum(y * tall // shape[0], tall - 1), np.minimum(x * wide // shape[1], wide - 1)
    up, across = shape[0] / tall, shape[1] / wide
    own_y = np.rint(y + (from_y[cy, cx] - cy) * up).astype(np.int32)
    own_x = np.rint(x + (from_x[cy, cx] - cx) * across).astype(np.int32)
    return np.clip(own_y, 0, shape[0] - 1), np.clip(own_x, 0, shape[1] - 1)


def _copied(
    colours: Floats, hole: Mask, free: Mask, from_y: NDArray[np.int32], from_x: NDArray[np.int32], small: Floats
) -> Floats:
    """What is missing of a large picture, from as far away as a smaller one says; where that is not known, as that shows it."""
    from_y, from_x = _larger(from_y, from_x, hole.shape)
    out = cv2.resize(small, hole.shape[::-1], interpolation=cv2.INTER_LINEAR)
    there = hole & free[from_y, from_x]
    out[there] = colours[from_y[there], from_x[there]]
    return out


@nb.njit(cache=True)
def _settled(colours, gone, whole, from_y, from_x, depth, rounds, half, seed):  # type: ignore[no-untyped-def]
    """Let every patch over the hole look for its like, and every pixel be what they say, in place, some rounds."""
    height, width = gone.shape
    np.random.seed(seed + 1)
    over = np.zeros((height, width), np.bool_)
    for y in range(half, height - half):
        for x in range(half, width - half):
            for dy in range(-half, half + 1):
                for dx in range(-half, half + 1):
                    if gone[y + dy, x + dx]:
                        over[y, x] = True
    sources = np.argwhere(whole)
    apart = np.full((height, width), np.float32(1e30))
    for y in range(height):
        for x in range(width):
            if over[y, x]:
                sy, sx = from_y[y, x], from_x[y, x]
                if sy < 0 or not whole[sy, sx]:
                    pick = sources[np.random.randint(len(sources))]
                    from_y[y, x], from_x[y, x] = pick[0], pick[1]
    for number in range(rounds):
        for y in range(height):
            for x in range(width):
                if over[y, x]:
                    apart[y, x] = _apart(colours, y, x, from_y[y, x], from_x[y, x], half, 1e30)
        for turn in range(2):
            _look(colours, over, whole, from_y, from_x, apart, half, turn == 1)
        _say(colours, gone, over, from_y, from_x, apart, depth, half, number == rounds - 1)


@nb.njit(cache=True)
def _apart(colours, y, x, sy, sx, half, limit):  # type: ignore[no-untyped-def]
    """How unlike two patches are; given up where it is more than the limit."""
    total = np.float32(0)
    for dy in range(-half, half + 1):
        for dx in range(-half, half + 1):
            for c in range(colours.shape[2]):
                d = colours[y + dy, x + dx, c] - colours[sy + dy, sx + dx, c]
                total += d * d
        if total > limit:
            return total
    return total


@nb.njit(cache=True)
def _look(colours, over, whole, from_y, from_x, apart, half, back):  # type: ignore[no-untyped-def]
    """Each patch tries what its neighbours found, and places at random ever nearer to what it has."""
    height, width = over.shape
    step = 1 if back else -1
    for i in range(height):
        y = height - 1 - i if back else i
        for j in range(width):
            x = width - 1 - j if back else j
            if not over[y, x]:
                continue
            for k in range(2):
                ny, nx = (y + step, x) if k == 0 else (y, x + step)
                if not (0 <= ny < height and 0 <= nx < width) or not over[ny, nx]:
                    continue
                sy, sx = from_y[ny, nx] - (step if k == 0 else 0), from_x[ny, nx] - (step if k == 1 else 0)
                if 0 <= sy < height and 0 <= sx < width and whole[sy, sx]:
                    found = _apart(colours, y, x, sy, sx, half, apart[y, x])
                    if found < apart[y, x]:
                        apart[y, x], from_y[y, x], from_x[y, x] = found, sy, sx
            reach = max(height, width)
            while reach >= 1:
                sy = from_y[y, x] + np.random.randint(-reach, reach + 1)
                sx = from_x[y, x] + np.random.randint(-reach, reach + 1)
                if 0 <= sy < height and 0 <= sx < width and whole[sy, sx]:
                    found = _apart(colours, y, x, sy, sx, half, apart[y, x])
                    if found < apart[y, x]:
                        apart[y, x], from_y[y, x], from_x[y, x] = found, sy, sx
                reach //= 2


@nb.njit(cache=True)
def _say(colours, gone, over, from_y, from_x, apart, depth, half, last):  # type: ignore[no-untyped-def]
    """Every missing pixel becomes what the patches over it say, those more that fit and that lie near the border."""
    height, width = gone.shape
    fits = np.sort(apart.ravel()[over.ravel()])
    usual = np.float32(fits[int(0.75 * (len(fits) - 1))] + 1.0)
    sharp = np.float32(8.0 if last else 2.0)
    said = np.zeros(colours.shape, np.float32)
    for y in range(height):
        for x in range(width):
            if not gone[y, x]:
                continue
            total = np.float32(0)
            for dy in range(-half, half + 1):
                for dx in range(-half, half + 1):
                    qy, qx = y + dy, x + dx
                    if 0 <= qy < height and 0 <= qx < width and over[qy, qx]:
                        weight = np.exp(-sharp * apart[qy, qx] / (2 * usual)) * np.float32(1.3) ** (-depth[qy, qx])
                        weight += np.float32(1e-12)
                        sy, sx = from_y[qy, qx] - dy, from_x[qy, qx] - dx
                        for c in range(colours.shape[2]):
                            said[y, x, c] += weight * colours[sy, sx, c]
                        total += weight
            for c in range(colours.shape[2]):
                said[y, x, c] = said[y, x, c] / total if total > 0 else colours[y, x, c]
    for y in range(height):
        for x in range(width):
            if gone[y, x]:
                for c in range(colours.shape[2]):
                    colours[y, x, c] = said[y, x, c]


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
