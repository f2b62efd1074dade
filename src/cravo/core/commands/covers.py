"""Covering what a check has found open."""

from __future__ import annotations

from collections.abc import Callable
from itertools import count
from typing import ClassVar, Literal

from cravo.core.commands.base import MotionSamplers, ShotCommand
from cravo.core.document import Ellipse, FaceByHand, Faces, Part, Project, Rectangle, Region, Shot, of_model
from cravo.core.errors import BadDocument
from cravo.core.keyframes import Key, Keyed
from cravo.core.review import Gap, Whereabouts

WIDER = 1.25  # of what was found open, that a shape covers


class CoverOpen(ShotCommand):
    """Cover what a check has found open, where it was found.

    A face is set by hand on its track, or on one of its own, of the faces of its region, else of the shot. All else gets
    a shape in its region, which is nothing on all frames but those of the gap.
    """

    do: Literal["cover open"] = "cover open"
    region: str
    gap: Gap
    undo_label: ClassVar[str] = "Cover what was found open"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        region = next((one for one in shot.regions if one.id == self.region), None)
        faces = _faces_of(shot, region) if self.gap.what == "face" else None
        if faces is not None:
            _set_by_hand(faces, self.gap)
        elif region is not None:
            region.parts.append(_shape_over(self.gap))
        else:
            raise BadDocument("The region that should cover it is gone.")


def _faces_of(shot: Shot, region: Region | None) -> Faces | None:
    """The faces of a region, else the first of the shot."""
    regions = [*([] if region is None else [region]), *shot.regions]
    found = (of_model(part, Faces) for one in regions for part in one.parts)
    return next((part for part in found if part is not None), None)


def _set_by_hand(faces: Faces, gap: Gap) -> None:
    taken = {one.track for one in faces.by_hand}
    track = gap.name or next(name for n in count(1) if (name := f"by hand {n}") not in taken)
    frames = {place.frame for place in gap.places}
    others = [one for one in faces.by_hand if one.track != track or one.frame not in frames]
    faces.by_hand = [*others, *(FaceByHand(track=track, **place.model_dump()) for place in gap.places)]
    if faces.choice == "only" and track not in faces.chosen:
        faces.chosen = [*faces.chosen, track]


def _shape_over(gap: Gap) -> Part:
    """A shape that lies on a gap as the check saw it."""

    def keys(of: Callable[[Whereabouts], float]) -> Keyed:
        return Keyed(keys=[Key(frame=place.frame, value=of(place)) for place in gap.places])

    # Nothing before the gap, whole on its frames, nothing after.
    steps = {gap.first - 1: 0.0, gap.first: 1.0, gap.last + 1: 0.0}
    opacity = Keyed(keys=[Key(frame=at, value=value, ease="hold") for at, value in steps.items() if at >= 0])
    model = Ellipse if gap.what == "face" else Rectangle
    return model(
        name=f"Found open, {gap.first} to {gap.last}",
        opacity=opacity,
        x=keys(lambda place: place.x),
        y=keys(lambda place: place.y),
        rx=keys(lambda place: WIDER * place.rx),
        ry=keys(lambda place: WIDER * place.ry),
        rotation=keys(lambda place: place.roll),
        feather_in=0,
        feather_out=4,
    )
