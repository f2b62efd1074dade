"""Shots that show all around the camera."""

from __future__ import annotations

from typing import ClassVar, Literal

from cravo.core.commands.base import MotionSamplers, ShotCommand
from cravo.core.commands.regions import onto_sphere
from cravo.core.document import Project, Sphere, is_shape
from cravo.core.errors import BadDocument


class SetSphere(ShotCommand):
    """Take a shot as spherical, its clip being of that size in pixels, or as a flat one again.

    Shapes stay where they were drawn on the wide picture. Motions cannot: what was tracked on a flat picture, or on
    a sphere, is nothing on the other.
    """

    do: Literal["set sphere"] = "set sphere"
    sphere: Sphere | None
    undo_label: ClassVar[str] = "Spherical or flat"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        shot = project.shot(self.shot)
        if self.sphere == shot.sphere:
            return
        shapes = [part for region in shot.regions for part in region.parts if is_shape(part)]
        if shot.motions or (self.sphere is None and shapes):
            raise BadDocument("Delete its motions and shapes first: they were made on the other kind of picture.")
        shot.sphere = self.sphere
        if self.sphere is None:
            shot.gaze = None
        for shape in shapes:
            onto_sphere(shape, shot, shot.first)
