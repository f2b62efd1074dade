"""Filling against the exact truth: the same scenes drawn without what is taken out.

Inside the hole, in luma: where other frames show the place (`seen`), and everywhere (`all`). Beside it the same by OpenCV's
`inpaint` frame by frame, and by the middle value over time without and with the pictures laid on each other. What moves
behind, like the luggage cart, no other frame shows in its place; it counts to `all`.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from contextlib import closing
from dataclasses import dataclass, field
from typing import cast

import cv2
import numpy as np
from numpy.typing import NDArray
from skimage.metrics import structural_similarity

from bench.fill_scenes import FRAMES, Case, drawn, mattes, moving_behind, seen_elsewhere
from bench.report import Measure, Measures
from cravo.core.document import CutOut, Look, Region, Shot
from cravo.core.fill.filled import Fill
from cravo.core.fill.grown import grown
from cravo.core.fill.movement import Movement
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import for_opencv
from cravo.core.stack.clips import Clips
from cravo.core.stack.shots import ShotPictures
from cravo.core.tasks.fill import fill
from cravo.core.timing import Medium, SourceFrame
from cravo.filling import MattesGiven

Mask = NDArray[np.bool_]
Luma = NDArray[np.uint8]

EVERY = 10  # frames between two that are compared
GROWN = 4.0  # pixels
OVER = 31  # frames that a middle value is taken of
AHEAD = 6.0  # dB, by which the peers are to be beaten
PEERS = ("inpaint", "median", "aligned")


def measure() -> Measures:
    sums = {case.name: _measured(case) for case in drawn().values()}
    found: Measures = {}
    for name, one in sums.items():
        found |= {f"fill.{name}.{what}": Measure(value, unit) for what, (value, unit) in one.items()}

    def mean(what: str) -> float:
        return float(np.mean([one[what][0] for one in sums.values() if what in one]))

    found["fill.psnr_seen"] = Measure(mean("psnr_seen"), "dB", 34)
    found["fill.ssim_seen"] = Measure(mean("ssim_seen"), "share", 0.95)
    found["fill.psnr_all"] = Measure(mean("psnr_all"), "dB")
    found["fill.flicker_ratio"] = Measure(mean("flicker_ratio"), "to the truth's", 1.2, low=True)
    for peer in PEERS:
        ahead = mean("psnr_seen") - mean(f"{peer}_psnr_seen")
        found[f"fill.ahead_of_{peer}"] = Measure(ahead, "dB", AHEAD)
    return found


@dataclass
class _Errors:
    """Squared errors and structural similarity, added up."""

    squares: defaultdict[str, list[float]] = field(default_factory=lambda: defaultdict(lambda: [0.0, 0.0]))

    def add(self, name: str, made: Luma, truth: Luma, where: Mask) -> None:
        if where.any():
            apart = made[where].astype(np.float64) - truth[where]
            self.squares[name][0] += float((apart**2).sum())
            self.squares[name][1] += apart.size

    def psnr(self, name: str) -> float | None:
        total, count = self.squares[name]
        return None if not count else float(10 * np.log10(255**2 * count / max(total, 1e-9)))


def _measured(case: Case) -> dict[str, tuple[float, str]]:
    medium = Medium(case.path("with.mp4"), probe(case.path("with.mp4")))
    thing, whole = mattes(case)
    holes, size = whole > 5, (medium.facts.width, medium.facts.height)
    shot = Shot(name=case.name, medium="clip", start=0, first=0, last=FRAMES - 1)
    settings: dict[str, float | str] = {"grow": GROWN, "shadow": "goes as well" if case.shadow else "stays"}
    look = Look(kind="fill", settings=settings | {"what": "a shadow" if case.gone == "shadow" else "a thing"})
    region = Region(name="Thing", parts=[CutOut(name="Thing", span=(0, FRAMES - 1))], inside=[look])
    shot.regions.append(region)
    results = MattesGiven(lambda frame: thing[frame], FRAMES)
    fill(medium, shot, region, lambda frame: thing[frame] / np.float32(255), results, lambda done, total: None)
    found = results.filled(shot, region)
    assert found is not None

    errors, alike, flicker = _Errors(), [], []
    with closing(Clips(lambda name: medium, 0)) as clips, Reader(case.path("without.mp4"), medium.facts) as clear:
        pictures = ShotPictures(size, lambda name: medium, results, clips)

        def filled(frame: int) -> Luma:
            source = pictures.source(shot, SourceFrame(frame), size)
            return cast(Luma, pictures.treated(shot, SourceFrame(frame), source).y)

        def truth(frame: int) -> Luma:
            return cast(Luma, clear.read(frame).y)

        peers = _peers(medium, found[0], thing)
        for frame in range(0, FRAMES - 1, EVERY):
            made, wanted, hole = filled(frame), truth(frame), holes[frame]
            seen = seen_elsewhere(case, holes, frame) & ~moving_behind(case, frame)
            errors.add("psnr_seen", made, wanted, seen)
            errors.add("psnr_all", made, wanted, hole)
            if seen.any():
                alike.append(_alike(made, wanted, seen))
            for name, of in peers.items():
                errors.add(f"{name}_psnr_seen", of(frame), wanted, seen)
            flicker.append(_flicker(case, frame, holes, filled, truth))
    own, its = np.sum(flicker, axis=0)
    said = {name: (value, "dB") for name in errors.squares if (value := errors.psnr(name)) is not None}
    if alike:
        said["ssim_seen"] = float(np.mean(alike)), "share"
    return said | {"flicker_ratio": (float(own / its), "to the truth's")}


def _alike(made: Luma, wanted: Luma, where: Mask) -> float:
    x, y, width, height = cv2.boundingRect(where.astype(np.uint8))
    box = Box(x, y, x + width, y + height).grown(8).within(where.shape[1], where.shape[0])
    part = np.s_[box.top : box.bottom, box.left : box.right]
    _, every = structural_similarity(  # type: ignore[no-untyped-call]
        made[part], wanted[part], full=True, data_range=255
    )
    return float(every[where[part]].mean())


def _flicker(
    case: Case, frame: int, holes: NDArray[np.bool_], filled: Callable[[int], Luma], truth: Callable[[int], Luma]
) -> tuple[float, float]:
    """How much what is filled changes to the next frame once movement is taken out, and how much the truth does."""
    way = for_opencv(case.camera(frame + 1) @ np.linalg.inv(case.camera(frame)))
    size = holes.shape[2], holes.shape[1]
    inner = (~grown(~holes[frame], 3)).astype(np.uint8)
    both = (cv2.warpPerspective(inner, way, size, flags=cv2.INTER_NEAREST) > 0) & holes[frame + 1]
    both &= ~moving_behind(case, frame) & ~moving_behind(case, frame + 1)
    changes = []
    for of in (filled, truth):
        moved = cv2.warpPerspective(of(frame), way, size, flags=cv2.INTER_CUBIC)
        changes.append(float(cv2.absdiff(moved, of(frame + 1))[both].astype(np.float64).sum()))
    return changes[0], changes[1]


def _peers(medium: Medium, found: Fill, thing: NDArray[np.uint8]) -> dict[str, Callable[[int], Luma]]:
    """What others would fill a frame with, in luma."""
    reader = Reader(medium.path, medium.facts)
    frames = np.rint(np.linspace(0, FRAMES - 1, OVER)).astype(int)
    every = cast(Luma, np.stack([reader.read(int(frame)).y for frame in frames]))
    still = np.median(every, axis=0).astype(np.uint8)
    movement = Movement(dict(found.steps))

    def inpaint(frame: int) -> Luma:
        hole = grown(thing[frame] > 5, GROWN).astype(np.uint8)
        return np.asarray(cv2.inpaint(reader.read(frame).y.copy(), hole, 5, cv2.INPAINT_TELEA), np.uint8)

    def aligned(frame: int) -> Luma:
        size = medium.facts.width, medium.facts.height
        ways = (for_opencv(movement.between(int(other), frame)) for other in frames)
        laid = (cv2.warpPerspective(one, way, size, borderMode=cv2.BORDER_REPLICATE) for one, way in zip(every, ways, strict=True))  # fmt: skip
        return np.median(np.stack(list(laid)), axis=0).astype(np.uint8)

    return {"inpaint": inpaint, "median": lambda frame: still, "aligned": aligned}
