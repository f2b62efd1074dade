"""Taking something out of a clip whose mattes are given, without a server."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import Path

import cv2
import numpy as np

from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte
from cravo.core.document import CutOut, Layer, Look, MediumRef, Project, Region, Shot
from cravo.core.errors import CravoError
from cravo.core.fill.repaint import plate_picture
from cravo.core.footage.facts import Facts
from cravo.core.footage.formats import Encoding, endings, kind_by_ending
from cravo.core.footage.picture import Box
from cravo.core.motion.view import HoldOut
from cravo.core.progress import Progress
from cravo.core.results import MemoryResults
from cravo.core.stack.render import render
from cravo.core.tasks.fill import fill
from cravo.headless import mattes_in, whole_clip

SURE = FrameConfidence(1.0)


class MattesGiven(MemoryResults):
    """Results whose cut-out is what mattes by frame say, 8-bit and of the clip's size; `frames` is the clip's length."""

    def __init__(self, mattes: HoldOut, frames: int) -> None:
        super().__init__()
        self._mattes_of, self._count = mattes, frames

    def marks(self, shot: Shot, part: CutOut) -> Mapping[int, FrameConfidence]:
        return dict.fromkeys(range(self._count), SURE)

    def matte(self, shot: Shot, part: CutOut, frame: int) -> FrameMatte:
        grey = self._mattes_of(frame)
        left, top, width, height = (0, 0, 0, 0) if grey is None else cv2.boundingRect(grey)
        box = Box(left, top, left + width, top + height)
        alpha = np.zeros((0, 0), np.uint8) if grey is None else grey[top : box.bottom, left : box.right]
        return FrameMatte(box, alpha, SURE)


def fill_clip(
    clip: Path,
    mattes: Path,
    grow: float,
    shadow: bool,
    out: Path,
    plates: Path | None,
    say: Callable[[str], None],
    progress: Progress,
    spherical: bool = False,
) -> tuple[int, int]:
    """Write a clip without what mattes cover. Returns the frames in doubt, and those on which something is invented.

    Mattes are 8-bit pictures 000000.png ... at the clip's size; a frame without one stays as it is. The backgrounds that
    were made go as pictures into the folder `plates`, where one is given.
    """
    kind = kind_by_ending(out.suffix)
    if kind is None:
        raise CravoError(f"The name of the new file must end in one of {', '.join(endings())}.")
    medium, shot = whole_clip(clip, spherical)
    facts, part = medium.facts, CutOut(name="Mattes", span=(shot.first, shot.last))
    settings: dict[str, float | str] = {"grow": grow, "shadow": "goes as well" if shadow else "stays"}
    region = Region(name="Mattes", parts=[part], inside=[Look(kind="fill", settings=settings)])
    shot.regions.append(region)
    results = MattesGiven(mattes_in(mattes, facts), facts.frames)
    whole = Box(0, 0, facts.width, facts.height)

    say("Looking at what lies behind ...")
    doubts, invented = fill(
        medium, shot, region, lambda frame: results.matte(shot, part, frame).seen(whole, 1.0), results, progress
    )
    _write_plates(shot, region, results, facts, plates)
    say(f"Writing {out.name} ...")
    project = Project(
        name=clip.stem[:120], width=facts.width, height=facts.height, rate=facts.rate, layers=[Layer(items=[shot])],
        media=[MediumRef(id=shot.medium, name=clip.name)],
    )  # fmt: skip
    render(project, lambda name: medium, results, out, Encoding.model_validate({"kind": kind}), 0, None, progress)
    return doubts, invented


def _write_plates(shot: Shot, region: Region, results: MemoryResults, facts: Facts, folder: Path | None) -> None:
    found = results.filled(shot, region)
    if folder is None or found is None:
        return
    folder.mkdir(parents=True, exist_ok=True)
    for number, plate in enumerate(found[0].plates, 1):
        (folder / f"plate-{number}.png").write_bytes(plate_picture(plate, facts.colour))
