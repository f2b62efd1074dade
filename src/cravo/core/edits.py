"""Changes to a document that need the rules of the job: adding shots, placing shapes, following.

Each takes a document, changes it in place and returns it; what calls it turns the difference into
a patch.
"""

from __future__ import annotations

from itertools import count

import numpy as np

from cravo.core.document import (
    POSE,
    REGION_COLOURS,
    Ellipse,
    Keyed,
    MediumRef,
    Motion,
    Pose,
    Project,
    Region,
    Shot,
    value_at,
    with_key,
)
from cravo.core.errors import BadDocument
from cravo.core.footage.facts import Facts
from cravo.core.geometry.transforms import carry
from cravo.core.mattes.region import Carrier, placed
from cravo.core.stack.plan import Media, length_of

STILL_HELD = 5  # seconds


def add_shot(project: Project, medium: MediumRef, facts: Facts, media: Media) -> Project:
    """Append a clip to the first layer. The first one gives the piece its size and rate."""
    shots = project.layers[0].items
    if not shots:
        project.rate = facts.rate
        project.width, project.height = facts.width & ~1, facts.height & ~1
    start = max((s.start + length_of(s, media(s.medium).facts, project.rate) for s in shots), default=0)
    last = min(facts.frames, round(STILL_HELD * facts.rate)) - 1 if facts.kind == "still" else facts.frames - 1
    shots.append(Shot(name=medium.name, medium=medium.id, start=start, first=0, last=last))
    if all(known.id != medium.id for known in project.media):
        project.media.append(medium)
    return project


def add_region(project: Project, shot_id: str, frame: int, pose: Pose) -> Project:
    """A new region of one ellipse, drawn on a source frame, in the first colour that is free."""
    shot = project.shot(shot_id)
    used = {region.colour for region in shot.regions}
    colour = next((c for c in range(REGION_COLOURS) if c not in used), len(shot.regions) % REGION_COLOURS)
    numbers = {name: with_key(0.0, frame, getattr(pose, name)) for name in POSE}
    names = {region.name for region in shot.regions}
    name = next(text for n in count(1) if (text := f"Region {n}") not in names)
    shot.regions.append(Region(name=name, colour=colour, parts=[Ellipse(**numbers)]))
    return project


def remove_region(project: Project, shot_id: str, region_id: str) -> Project:
    """Take a region away, and with it every motion that nothing rides on any more."""
    shot = project.shot(shot_id)
    shot.regions.remove(shot.region(region_id))
    ridden = {part.rides_on for region in shot.regions for part in region.parts}
    shot.motions = [motion for motion in shot.motions if motion.id in ridden]
    return project


def find_part(shot: Shot, part_id: str) -> Ellipse:
    for region in shot.regions:
        for part in region.parts:
            if part.id == part_id:
                return part
    raise BadDocument("This shape is no longer in the project.")


def place(project: Project, shot_id: str, part_id: str, frame: int, pose: Pose, carrier: Carrier) -> Project:
    """Put a shape somewhere on one frame. Its neighbours blend to it; nothing is followed again."""
    shot = project.shot(shot_id)
    part = find_part(shot, part_id)
    if part.rides_on is not None and shot.motion(part.rides_on) is not None:
        pose = carry(pose, np.asarray(np.linalg.inv(carrier(part.rides_on, frame)), np.float64))
        # A full turn more or less is the same pose; the one closest to its neighbours blends well.
        near = value_at(part.rotation, frame)
        pose.rotation += 360 * round((near - pose.rotation) / 360)
    for name in POSE:
        setattr(part, name, with_key(getattr(part, name), frame, getattr(pose, name)))
    return project


def clear_key(project: Project, shot_id: str, part_id: str, frame: int) -> Project:
    """Take back what was set by hand on one frame; the last key of a shape stays."""
    part = find_part(project.shot(shot_id), part_id)
    for name in POSE:
        number = getattr(part, name)
        if isinstance(number, Keyed):
            keys = [key for key in number.keys if key.frame != frame]
            if keys:
                setattr(part, name, Keyed(keys=keys))
    return project


def want_follow(
    project: Project, shot_id: str, part_id: str, frame: int, span: tuple[int, int], carrier: Carrier
) -> tuple[Project, Motion]:
    """Let a shape ride on a motion that covers at least the span.

    A shape that does not ride yet starts from where it stands on `frame`; a motion that there is
    already keeps its frame and what it has followed, and only reaches further.
    """
    shot = project.shot(shot_id)
    part = find_part(shot, part_id)
    motion = shot.motion(part.rides_on)
    first, last = max(span[0], shot.first), min(span[1], shot.last)
    if motion is not None:
        motion.span = (min(first, motion.span[0]), max(last, motion.span[1]))
        return project, motion
    pose = placed(shot, part, frame, carrier)
    motion = Motion(name=f"Motion of {part.name}", at=frame, area=pose, span=(min(first, frame), max(last, frame)))
    shot.motions.append(motion)
    part.rides_on = motion.id
    for name in POSE:
        setattr(part, name, with_key(0.0, frame, getattr(pose, name)))
    return project, motion
