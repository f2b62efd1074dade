"""Parts of a person: which pixels of a cut-out are head, hair, face, upper clothes, arms, hands or legs.

Points of the pose (see `finders.pose`) give each part a rough place; colours learnt from where a part is for certain
decide between them. Sizes go by the shoulders, or by the trunk where somebody stands sideways.
"""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from cravo.core.cutout.colours import Colours
from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte
from cravo.core.cutout.masks import lab_of
from cravo.core.document import BodyPart
from cravo.core.finders.pose import Pose, pose
from cravo.core.footage.picture import Box

Floats = NDArray[np.float32]
Mask = NDArray[np.bool_]

FOUND = 0.5  # probability of somebody, below which no part is told
WORKED = 320  # pixels of the longer side that are worked on
SIDEWAYS = 0.55  # of the trunk's length, that shoulders are taken to be wide at least
COLOUR = 0.7  # how much colours count beside places
FIRM = 0.12  # of the shoulders, by which a part's place is vague
UNSURE = "The parts of the body are not made out here."
OF: dict[BodyPart, tuple[str, ...]] = {
    "head": ("face", "hair"),
    "hair": ("hair",),
    "face": ("face",),
    "upper clothes": ("trunk", "arms"),
    "arms": ("arms", "hands"),
    "legs": ("legs",),
    "hands": ("hands",),
}
NAMES = ("face", "hair", "trunk", "arms", "hands", "legs")


@dataclass(frozen=True)
class _Place:
    """Where a part is: distance to its core in shoulder widths, below 0 inside, over a picture."""

    far: Floats
    core: float = 0.0  # distance up to which it is there for certain


def piece_of(picture: NDArray[np.uint8], whole: FrameMatte, piece: BodyPart) -> FrameMatte:
    """What is left of a person's matte: one part of the body. A doubt, and nothing, where no body is made out.

    Parameters
    ----------
    picture
        The source frame as RGB, (height, width, 3).
    whole
        The matte of the whole person.
    piece
        The part of the body that is wanted.

    Raises
    ------
    MissingModel
        Where the network of poses is not there.
    """
    if whole.box.empty:
        return whole
    found = pose(picture, whole.box)
    if found.sure < FOUND:
        return FrameMatte(Box(0, 0, 0, 0), np.zeros((0, 0), np.uint8), FrameConfidence(0.0, (UNSURE,)))
    box = whole.box
    labels = labelled(picture[box.top : box.bottom, box.left : box.right], whole.alpha, _moved(found, box))
    wanted = np.isin(labels, [NAMES.index(name) for name in OF[piece]]).astype(np.float32)
    soft = np.clip(cv2.resize(wanted, (box.width, box.height), interpolation=cv2.INTER_LINEAR) * 2 - 0.5, 0, 1)
    return FrameMatte(box, np.rint(whole.alpha * soft).astype(np.uint8), whole.mark)


def labelled(pixels: NDArray[np.uint8], alpha: NDArray[np.uint8], found: Pose) -> NDArray[np.uint8]:
    """For each pixel of a person's box, shrunk, the index in NAMES of the part that it would belong to.

    Parameters
    ----------
    pixels
        What fills the person's box, RGB, (height, width, 3).
    alpha
        Opacity of the person there, (height, width), 0..255.
    found
        The person's pose, in pixels of the box.

    Returns
    -------
    ndarray
        Indices, shrunk to at most `WORKED` pixels on the longer side.
    """
    scale = min(WORKED / max(pixels.shape[:2]), 1.0)
    view = cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA)
    inside = cv2.resize(alpha, view.shape[1::-1], interpolation=cv2.INTER_AREA) > 127
    places = _places(found.points * scale, view.shape[:2])
    lab = lab_of(view)
    scores = []
    for name in NAMES:
        place, colours = places[name], Colours()
        others = np.any([one.far < one.core for other, one in places.items() if other != name], axis=0)
        core = inside & (place.far < place.core) & ~others
        colours.anchor(lab, core, inside & others)
        log_odds = colours.log_odds(lab) if core.any() else np.zeros(view.shape[:2], np.float32)
        scores.append(COLOUR * np.clip(log_odds, -2, 2) - np.maximum(place.far, 0) / FIRM)
    best = np.argmax(scores, axis=0).astype(np.uint8)
    return cv2.medianBlur(best, 5)


def _places(points: NDArray[np.float64], shape: tuple[int, int]) -> dict[str, _Place]:
    """The place of each part, by the points of a pose."""
    shoulders, hips = points[11:13], points[23:25]
    middle, seat = shoulders.mean(0), hips.mean(0)
    trunk = float(np.linalg.norm(middle - seat))
    size = max(float(np.linalg.norm(shoulders[0] - shoulders[1])), SIDEWAYS * trunk, 4.0)
    eyes, mouth = points[[2, 5]].mean(0), points[9:11].mean(0)
    down = mouth - eyes
    height = max(float(np.linalg.norm(down)), 1.0)
    width = max(float(np.linalg.norm(points[7] - points[8])), height)
    centre = (eyes + mouth) / 2
    face = _oval(shape, centre, down, (0.5 * width, 1.35 * height))
    head = _oval(shape, centre - 0.55 * down, down, (0.95 * width, 2.9 * height))
    line = (shoulders[0], shoulders[1], hips[0], hips[1])
    arms = [(points[a], points[b]) for a, b in ((11, 13), (13, 15), (12, 14), (14, 16))]
    hands = [(points[15], points[[17, 19]].mean(0)), (points[16], points[[18, 20]].mean(0))]
    legs = [(points[a], points[b]) for a, b in ((25, 27), (27, 31), (26, 28), (28, 32))]
    thighs = [(points[a] * 0.4 + points[b] * 0.6, points[b]) for a, b in ((23, 25), (24, 26))]
    return {
        "face": _Place(face * width / size, -0.08),
        # Hair is what of the head is not the face: it begins above the brow, and beside the face.
        "hair": _Place(np.maximum(head * width, (0.05 - face) * width) / size, -0.02),
        "trunk": _Place(_polygon(shape, line, 0.12 * size) / size, -0.1),
        "arms": _Place(_capsules(shape, arms, 0.13 * size) / size, -0.06),
        "hands": _Place(_capsules(shape, hands, 0.14 * size) / size, -0.05),
        "legs": _Place(_capsules(shape, legs + thighs, 0.16 * size) / size, -0.02),
    }


def _oval(
    shape: tuple[int, int], centre: NDArray[np.float64], down: NDArray[np.float64], half: tuple[float, float]
) -> Floats:
    """About the distance to an oval whose long axis lies along `down`, in units of its width, below 0 inside."""
    y, x = np.indices(shape, np.float32) + 0.5
    along = down / max(float(np.linalg.norm(down)), 1e-6)
    u = ((x - centre[0]) * along[1] - (y - centre[1]) * along[0]) / half[0]
    v = ((x - centre[0]) * along[0] + (y - centre[1]) * along[1]) / half[1]
    return np.asarray((np.hypot(u, v) - 1) / 2, np.float32)


def _capsules(
    shape: tuple[int, int], lines: list[tuple[NDArray[np.float64], NDArray[np.float64]]], radius: float
) -> Floats:
    """Distance to the nearest of some thick lines, below 0 inside."""
    blank = np.ones(shape, np.uint8)
    for one, other in lines:
        cv2.line(blank, np.rint(one).astype(int).tolist(), np.rint(other).astype(int).tolist(), 0, 1)
    return np.asarray(cv2.distanceTransform(blank, cv2.DIST_L2, 5) - radius, np.float32)


def _polygon(shape: tuple[int, int], corners: tuple[NDArray[np.float64], ...], grow: float) -> Floats:
    """Distance to the trunk, from the shoulders to the hips, below 0 inside."""
    mask = np.zeros(shape, np.uint8)
    hull = cv2.convexHull(np.array(corners, np.float32))
    cv2.fillConvexPoly(mask, np.rint(hull).astype(np.int32), 1)
    outside = cv2.distanceTransform(1 - mask, cv2.DIST_L2, 5) if not mask.all() else np.zeros(shape, np.float32)
    return np.asarray(outside - cv2.distanceTransform(mask, cv2.DIST_L2, 5) - grow, np.float32)


def _moved(found: Pose, box: Box) -> Pose:
    return Pose(found.points - (box.left, box.top), found.seen, found.sure)
