"""What people duplicate a shot for, each set up in one step: something behind what was cut out of it, or before.

Cutting out is a look: *transparent* outside of the region, on a copy of the shot or on the shot itself.
"""

from __future__ import annotations

from typing import Literal

from cravo.core.arrange import duplicate, layer_of, put
from cravo.core.commands.finds import camera_of
from cravo.core.document import (
    Attachment,
    Look,
    MediumRef,
    Original,
    Placing,
    Project,
    Region,
    Shot,
    Solid,
    Title,
)
from cravo.core.errors import BadDocument
from cravo.core.timing import Media, length_of, span_of

ARRIVES = 1.0  # seconds by which somebody comes before the background does
MATCHED = 0.35  # how much the land takes on the light of another sky, to begin with
GREY = "#4a4f5a"
Purpose = Literal["text behind", "replace behind", "background apart", "arrive first"]


def text_behind(project: Project, shot_id: str, region_id: str, media: Media) -> Project:
    """A title between the shot and a copy of it that shows the region alone."""
    shot, upper = _copied(project, shot_id, region_id)
    layer = project.layers.index(layer_of(project, upper))
    title = Title(start=shot.start, length=len(span_of(shot, media, project.rate)), size=project.height / 5)
    return put(project, title, layer)


def replace_behind(project: Project, shot_id: str, region_id: str, media: Media, beneath: Shot | None) -> Project:
    """The shot shows the region alone; a clip, or a colour, lies beneath it."""
    shot = project.shot(shot_id)
    _clear(shot.region(region_id), "outside")
    length = len(span_of(shot, media, project.rate))
    under = beneath or Solid(start=shot.start, length=length, colour=GREY)
    return put(project, under, project.layers.index(layer_of(project, shot)))


def background_apart(project: Project, shot_id: str, region_id: str) -> Project:
    """The region on a copy above, so that the shot beneath it can be treated as a whole."""
    shot, _ = _copied(project, shot_id, region_id)
    shot.region(region_id).on = False
    fresh = Region(name="Background", colour=shot.region(region_id).colour)
    shot.regions.append(fresh)
    return project


def arrive_first(project: Project, shot_id: str, region_id: str, media: Media) -> Project:
    """The region alone to begin with; what is around it comes in over a second."""
    shot, _ = _copied(project, shot_id, region_id)
    shot.fade_in = min(round(ARRIVES * project.rate), len(span_of(shot, media, project.rate)) - 1)
    return project


def exchange_sky(project: Project, shot_id: str, region_id: str, medium: MediumRef, media: Media) -> Project:
    """Another sky: the region lets through a clip beneath, which moves with the camera; the land takes on its light."""
    shot = project.shot(shot_id)
    _clear(shot.region(region_id), "inside")
    facts = media(shot.medium).facts
    motion = camera_of(shot, facts.width, facts.height)
    sky = filling(project, shot, medium, media)
    sky.attached_to = Attachment(shot=shot.id, motion=motion.id)
    shot.light = shot.light.model_copy(update={"match": shot.light.match or MATCHED})
    return put(project, sky, project.layers.index(layer_of(project, shot)))


def filling(project: Project, shot: Shot, medium: MediumRef, media: Media) -> Shot:
    """A clip that fills the frame as long as a shot lasts: a picture held, a clip as slow as it takes."""
    facts, length = media(medium.id).facts, len(span_of(shot, media, project.rate))
    if all(one.id != medium.id for one in project.media):
        project.media.append(medium)
    scale = max(project.width / facts.width, project.height / facts.height)
    fits = min(project.width / facts.width, project.height / facts.height)
    place = Placing(scale=round(scale / fits, 4))
    made = Shot(
        name=medium.name, medium=medium.id, start=shot.start, first=0, last=facts.frames - 1, place=place,
        mirrored=True, sound=False,
    )  # fmt: skip
    if facts.kind == "still" or facts.frames == 1:
        made.last, made.held = 0, length
        return made
    whole = length_of(made, facts, project.rate)
    if whole < length:
        made.speed = max(int(100 * whole / length) / 100, 0.1)
    else:
        made.last = max(round(facts.frames * length / whole) - 1, 0)
    if length_of(made, facts, project.rate) < length:
        made.held = length  # too short to last that long: its first frame stands
    return made


def _clear(region: Region, side: Literal["inside", "outside"]) -> None:
    """Let what is beneath be seen on one side of a region."""
    if not region.parts:
        raise BadDocument("Draw the region first, or let it be found.")
    looks: list[Look] = getattr(region, side)
    if not any(one.kind == "transparent" for one in looks):
        setattr(region, side, [*looks, Look(kind="transparent")])


def _copied(project: Project, shot_id: str, region_id: str) -> tuple[Shot, Shot]:
    """The shot, and a copy above it that shows a region alone."""
    shot = project.shot(shot_id)
    index = shot.regions.index(shot.region(region_id))
    upper = duplicate(project, shot_id)
    assert isinstance(upper, Shot)
    upper.name = f"{shot.regions[index].name} of {shot.name}"[:200]
    _clear(upper.regions[index], "outside")
    # What is put right on one of them is right on both.
    if shot.regions[index].same_as is None:
        upper.regions[index].same_as = Original(shot=shot.id, region=shot.regions[index].id)
    return shot, upper
