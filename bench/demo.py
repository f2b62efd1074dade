"""The demo's clips with their truth, and documents over them, for measurements."""

from __future__ import annotations

import sys
from collections.abc import Collection
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from bench.mattes import tracked
from cravo.core.document import Ellipse, Layer, Look, MediumRef, Motion, Pose, Project, Region, Shot, around
from cravo.core.footage.facts import Facts
from cravo.core.footage.probe import probe
from cravo.core.motion.track import Track
from cravo.core.results import MemoryResults, Results
from cravo.core.timing import Medium
from cravo.demo.make import SCENES, ensure, truth_of
from cravo.store.database import data_folder


@dataclass(frozen=True)
class Clip:
    path: Path
    facts: Facts
    truth: list[dict[str, Any]]

    def face(self, who: str, frame: int, margin: float = 1.0) -> Pose:
        """The truth's face oval, larger by a margin."""
        x, y, rx, ry, rotation = self.truth[frame]["faces"][who]["oval"]
        return Pose(x=x, y=y, rx=rx * margin, ry=ry * margin, rotation=rotation)


def drawn(only: Collection[str] = tuple(SCENES)) -> dict[str, Path]:
    """The demo's clips, those of `only` drawn where they are missing."""
    return ensure(data_folder() / "demo", lambda text: print(text, file=sys.stderr), only)


@cache
def clip(name: str) -> Clip:
    path = drawn((name,))[name]
    return Clip(path, probe(path), truth_of(path))


def followed(of: Clip, motion: Motion) -> Track:
    """The motion followed over its whole span."""
    shot = Shot(name="shot", medium="clip", start=0, first=0, last=of.facts.frames - 1, motions=[motion])
    return tracked(Medium(of.path, of.facts), shot, motion, MemoryResults())


@dataclass(frozen=True)
class Piece:
    """A project over one clip, with what core needs to render it."""

    project: Project
    results: Results
    of: Clip

    def media(self, medium: str) -> Medium:
        return Medium(self.of.path, self.of.facts)


def three_regions(of: Clip, medium: str = "clip") -> Piece:
    """Pixels on the face, blur on the badge, everything outside a third region regraded."""
    at = 0
    face, last = of.face("conductor", at, 1.2), of.facts.frames - 1
    badge = Pose(x=face.x + 180, y=face.y + 440, rx=90, ry=40)
    wide = Pose(x=face.x, y=face.y + 160, rx=330, ry=520)
    motions: list[Motion] = []
    regions: list[Region] = []
    for name, pose, inside, outside in (
        ("Face", face, [Look(kind="pixelate")], []),
        ("Badge", badge, [Look(kind="blur")], []),
        (
            "Conductor",
            wide,
            [],
            [
                Look(kind="exposure", settings={"exposure": -0.7, "contrast": 10.0}),
                Look(kind="balance", settings={"temperature": -25.0, "saturation": -40.0}),
            ],
        ),
    ):
        motion = Motion(name=name, at=at, area=around(pose), span=(0, last))
        numbers = pose.model_dump()
        motions.append(motion)
        regions.append(
            Region(
                name=name,
                colour=len(regions),
                parts=[Ellipse(**numbers, attached_to=motion.id)],
                inside=inside,
                outside=outside,
            )
        )
    shot = Shot(name="shot", medium=medium, start=0, first=0, last=last, regions=regions, motions=motions)
    project = Project(name="bench", layers=[Layer(items=[shot])], media=[MediumRef(id=medium, name="clip.mp4")])
    results = MemoryResults()
    for motion in motions:
        tracked(Medium(of.path, of.facts), shot, motion, results)
    return Piece(project, results, of)
