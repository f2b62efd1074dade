"""What is found in a shot, and colours that are picked."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from cravo.core.commands.base import MotionSamplers, ShotCommand, find_cut_out, find_part
from cravo.core.commands.regions import free_name, into_region
from cravo.core.document import (
    Colours,
    CombineMode,
    Horizon,
    Look,
    Motion,
    Pick,
    Project,
    Shot,
    of_model,
)
from cravo.core.errors import BadDocument
from cravo.core.mattes.colours import set_limits
from cravo.core.parts.registry import Findable, found_part

MOST_PICKS = 64  # colours of a range


LARGE_CELLS: dict[str, float | str] = {"measured": "across the region", "across": 5.0, "anchor": "region"}


CAMERA = "Camera"


INSET = 0.04  # of a picture's size, that the area which tells the camera's movement keeps from its border
LOW, SOFT_IN, SOFT_OUT = 0.45, 0.04, 0.12  # of a picture's height: where a horizon begins, and how soft it is


class NewFound(ShotCommand):
    """The faces, the lettering or all the people of a shot, as a region of their own or as one more part of a region."""

    do: Literal["new found"] = "new found"
    what: Findable = "faces"
    region: str | None = None
    how: CombineMode = "add"
    hide: bool = False

    @property
    def label(self) -> str:
        return f"Find {self.what}"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        region = into_region(shot, self.region, found_part(self.what, shot, self.how))
        if self.region is None:
            name = region.parts[-1].name
            region.name = free_name(name, {one.name for one in shot.regions if one is not region})
        if self.hide and not region.inside:
            region.inside = [Look(kind="pixelate", settings=dict(LARGE_CELLS))]


def camera_of(shot: Shot, width: int, height: int) -> Motion:
    """The motion of nearly the whole picture, which is the camera's; made where there is none."""
    known = next((one for one in shot.motions if one.name == CAMERA), None)
    if known is not None:
        return known
    x, y = INSET * width, INSET * height
    right, bottom = width - x, height - y
    at = (shot.first + shot.last) // 2
    motion = Motion(name=CAMERA, at=at, area=[(x, y), (right, y), (right, bottom), (x, bottom)], span=(at, at))
    shot.motions.append(motion)
    return motion


class HorizonForSky(ShotCommand):
    """A soft straight edge in the place of a sky that is not found; it moves with the camera, which is to be followed."""

    do: Literal["horizon for sky"] = "horizon for sky"
    part: str
    width: int = Field(ge=16, le=16384)
    height: int = Field(ge=16, le=16384)
    undo_label: ClassVar[str] = "A horizon for the sky"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        find_cut_out(shot, self.part)
        region = next(one for one in shot.regions if any(part.id == self.part for part in one.parts))
        motion = camera_of(shot, self.width, self.height)
        edge = Horizon(
            x=self.width / 2, y=LOW * self.height, feather_in=SOFT_IN * self.height, feather_out=SOFT_OUT * self.height,
            attached_to=motion.id,
        )  # fmt: skip
        region.parts = [edge if part.id == self.part else part for part in region.parts]


class PickColours(ShotCommand):
    """Colours of the picture picked: for a range of their own, as one more part of a region, or for one there is."""

    do: Literal["pick colours"] = "pick colours"
    region: str | None = None
    part: str | None = None
    picks: list[Pick] = Field(min_length=1, max_length=8)
    how: CombineMode = "add"
    undo_label: ClassVar[str] = "Pick a colour"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        if self.part is None:
            into_region(shot, self.region, Colours(how=self.how, picks=self.picks))
            return
        part = _find_colours(shot, self.part)
        part.picks = [*part.picks, *self.picks][-MOST_PICKS:]
        if part.by == "limits":
            set_limits(part)


class TellColours(ShotCommand):
    """How a range of colours is told; limits that nobody has set begin around what was picked."""

    do: Literal["tell colours"] = "tell colours"
    part: str
    by: Literal["likeness", "limits"]
    undo_label: ClassVar[str] = "How a range is told"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        part = _find_colours(project.shot(self.shot), self.part)
        part.by = self.by
        if self.by == "limits" and _limits(part) == _limits(Colours()):
            set_limits(part)


def _find_colours(shot: Shot, part_id: str) -> Colours:
    part = of_model(find_part(shot, part_id), Colours)
    if part is None:
        raise BadDocument("Colours are picked for a range of colours only.")
    return part


def _limits(part: Colours) -> tuple[object, ...]:
    return part.hue, part.hue_reach, part.saturation, part.brightness
