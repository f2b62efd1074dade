"""What pictures say about a face from frame to frame: where points of it go, and its colours."""

from __future__ import annotations

import math

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.finders.faces import Oval, Pixels

PATCH = 24.0  # half width of a face, in pixels, where points of it are followed
GRID = 7  # points across a face
FEWEST = 10  # points that must agree
BACK = 0.8  # pixels by which a point may miss where it came from


def moved(before: Pixels, now: Pixels, oval: Oval, path: tuple[int, Oval] | None) -> tuple[Oval, float, Oval] | None:
    """Where a face went from one grey picture to the next, and the share of points that agree; None where too few do.

    The third is where the path goes on that the points of it led so far, whatever was set right meanwhile.

    Parameters
    ----------
    before, now
        Grey pictures of one size.
    oval
        The face on the first of them.
    path
        The number of the track's stretch, and where its points have led so far.

    Returns
    -------
    tuple or None
        Where the face is, the share of its points that agree (0..1), and where the path goes on.
    """
    scale = min(PATCH / max(oval.rx, 1.0), 2.0)
    half = 2.2 * max(oval.rx, oval.ry)
    side = max(round(2 * half * scale), 16)
    onto = np.array([[scale, 0, side / 2 - scale * oval.x], [0, scale, side / 2 - scale * oval.y]])
    flags = cv2.INTER_AREA if scale < 1 else cv2.INTER_LINEAR
    one, other = (
        cv2.warpAffine(grey, onto, (side, side), flags=flags, borderMode=cv2.BORDER_REPLICATE) for grey in (before, now)
    )
    turn = math.radians(oval.roll)
    u, v = np.meshgrid(np.linspace(-0.8, 0.8, GRID), np.linspace(-0.85, 0.85, GRID))
    inside = np.hypot(u, v) < 0.95
    u, v = u[inside] * oval.rx * scale, v[inside] * oval.ry * scale
    points = np.stack([u * math.cos(turn) - v * math.sin(turn), u * math.sin(turn) + v * math.cos(turn)], -1) + side / 2
    real = points / scale + (oval.x - side / 2 / scale, oval.y - side / 2 / scale)
    height, width = before.shape
    points = points[(real > 1).all(1) & (real[:, 0] < width - 1) & (real[:, 1] < height - 1)].astype(np.float32)
    if len(points) < FEWEST:
        return None
    went, good, _ = cv2.calcOpticalFlowPyrLK(one, other, points[:, None], None, winSize=(13, 13), maxLevel=2)
    back, fine, _ = cv2.calcOpticalFlowPyrLK(other, one, went, None, winSize=(13, 13), maxLevel=2)
    kept = (good.ravel() > 0) & (fine.ravel() > 0) & (np.linalg.norm(back[:, 0] - points, axis=1) < BACK)
    if np.count_nonzero(kept) < FEWEST:
        return None
    matrix, agreed = cv2.estimateAffinePartial2D(points[kept], went[kept, 0], ransacReprojThreshold=2.0)
    if matrix is None or agreed.sum() < FEWEST:
        return None
    grows = math.hypot(matrix[0, 0], matrix[1, 0])
    if not 0.85 < grows < 1.18:
        return None
    x, y = (matrix[:, :2] @ (side / 2, side / 2) + matrix[:, 2] - side / 2) / scale
    roll = oval.roll + math.degrees(math.atan2(matrix[1, 0], matrix[0, 0]))
    went_to = Oval(oval.x + x, oval.y + y, oval.rx * grows, oval.ry * grows, roll)
    last = oval if path is None else path[1]
    led = Oval(last.x + x, last.y + y, last.rx * grows, last.ry * grows, last.roll + roll - oval.roll)
    return went_to, float(agreed.sum() / len(points)), led


def colours_of(picture: Pixels, oval: Oval) -> NDArray[np.float32]:
    """Colours of a face and of the clothes below it, as histograms side by side.

    Parameters
    ----------
    picture
        RGB, (height, width, 3).
    oval
        The face, in pixels of the picture.

    Returns
    -------
    ndarray
        (1024,), 512 bins of L*a*b* for each; they add up to one.
    """
    height, width = picture.shape[:2]
    parts = []
    for box in (
        (oval.x - 0.8 * oval.rx, oval.y - 0.9 * oval.ry, oval.x + 0.8 * oval.rx, oval.y + 0.9 * oval.ry),
        (oval.x - 1.1 * oval.rx, oval.y + 1.9 * oval.ry, oval.x + 1.1 * oval.rx, oval.y + 3.4 * oval.ry),
    ):
        left, right = (int(np.clip(v, 0, width)) for v in (box[0], box[2]))
        top, bottom = (int(np.clip(v, 0, height)) for v in (box[1], box[3]))
        counts = np.full((8, 8, 8), 1e-3, np.float32)
        if right - left > 1 and bottom - top > 1:
            lab = cv2.cvtColor(np.ascontiguousarray(picture[top:bottom, left:right]), cv2.COLOR_RGB2LAB)
            counts = (
                counts + cv2.calcHist([lab], [0, 1, 2], None, [8, 16, 16], [0, 256, 64, 192, 64, 192])[:, 4:12, 4:12]
            )
        parts.append(counts.ravel() / counts.sum())
    return np.asarray(np.concatenate(parts) / 2, np.float32)


def likeness(one: NDArray[np.float32], other: NDArray[np.float32]) -> float:
    """Of two histograms, 0..1 (Bhattacharyya 1943).

    Parameters
    ----------
    one, other
        (n,), each of which adds up to one.
    """
    return float(np.sqrt(one * other).sum())
