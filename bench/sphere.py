"""The yard all around: its cobbles tracked as a plane with the stall held out, and a soft circle of them brightened."""

from __future__ import annotations

import numpy as np

from bench.demo import Clip, Piece, clip
from cravo.core.document import Ellipse, Layer, Look, MediumRef, Motion, Project, Rectangle, Region, Shot, Sphere
from cravo.core.geometry.sphere import Points, Wide, cap_around, towards
from cravo.core.keyframes import Point
from cravo.core.mattes.matte import Matte
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.tasks.track import track
from cravo.core.timing import Medium, SourceFrame

SCENE = "stall"
AT = 75  # the frame on which all of it is drawn
SOFT = 60.0  # pixels


def stones(of: Clip) -> Points:
    """Directions of the corners of a square of cobbles, (frames, 4, 3)."""
    return np.array([frame["stones"] for frame in of.truth])


def project(of: Clip, medium: str = SCENE) -> Project:
    """Not tracked yet."""
    wide = Wide(of.facts.width, of.facts.height)
    last, square = of.facts.frames - 1, stones(of)[AT]
    view = towards(cap_around(square).middle)
    spots = wide.camera(view).points(square)
    motion = Motion(name="Cobbles", at=AT, area=spots.tolist(), model="perspective", span=(0, last), view=view)
    middle, size = spots.mean(0), float(np.ptp(spots[:, 0])) / 2
    circle = Ellipse(
        x=middle[0], y=middle[1], rx=size, ry=0.7 * size, feather_in=SOFT / 2, feather_out=SOFT,
        attached_to=motion.id, view=view,
    )  # fmt: skip
    bright = Look(kind="exposure", settings={"exposure": 0.8})
    behind = towards(np.array([0.0, 0.1, -1.0]))
    corners = [Point(x=x, y=y) for x, y in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
    half = of.facts.height / 2
    stall = Region(
        name="Stall", parts=[Rectangle(x=half, y=half, rx=0.7 * half, ry=0.5 * half, points=corners, view=behind)]
    )
    motion.hold_outs = [stall.id]
    shot = Shot(
        name="Yard", medium=medium, start=0, first=0, last=last, motions=[motion],
        sphere=Sphere(width=wide.width, height=wide.height),
        regions=[stall, Region(name="Circle", colour=1, parts=[circle], inside=[bright])],
    )  # fmt: skip
    return Project(
        name="Yard", rate=of.facts.rate, width=wide.width, height=wide.height,
        media=[MediumRef(id=medium, name=of.path.name)], layers=[Layer(name="Film", items=[shot])],
    )  # fmt: skip


def piece() -> Piece:
    of = clip(SCENE)
    made, results = project(of), MemoryResults()
    medium, shot = Medium(of.path, of.facts), next(iter(made.shots()))
    plan = Plan(made, lambda name: medium, results)

    def held(region: Region, frame: SourceFrame) -> Matte:
        return plan.shots.matte(shot, region, frame, made.width, made.height)

    track(medium, shot, shot.motions[0], shot.motions[0].span, results, held, lambda done, total: None)
    plan.close()
    return Piece(made, results, of)
