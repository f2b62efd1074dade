"""Horizons."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import ShapePart, Shot, Spot
from cravo.core.document.parts.horizon import Horizon
from cravo.core.errors import BadDocument
from cravo.core.geometry.transforms import Matrix
from cravo.core.mattes.matte import Matte
from cravo.core.motion.sampling import sampler_of
from cravo.core.parts.around import camera_of, carried_around, wide_of
from cravo.core.parts.horizon.drawing import drawn, half_around
from cravo.core.parts.kind import PartView
from cravo.core.parts.shapes import Drawn, ShapeKind, feathers_at
from cravo.core.results import Results
from cravo.core.shapes.falloff import Feathers

FAR = 20_000.0  # pixels to which the covered side is drawn


class HorizonKind(ShapeKind[Horizon]):
    model = Horizon

    def drawn(self, part: Horizon, frame: int, matrix: Matrix, feathers: Feathers) -> Drawn:
        return drawn(part, frame, matrix, feathers)

    def curves(self, part: Horizon, frame: int) -> NDArray[np.float64]:
        pose = part.pose_at(frame)
        turn = math.radians(pose.rotation)
        along, up = np.array([math.cos(turn), math.sin(turn)]), np.array([math.sin(turn), -math.cos(turn)])
        point = np.array([pose.x, pose.y])
        corners = np.array(
            [point - FAR * along, point + FAR * along, point + FAR * (along + up), point + FAR * (up - along)]
        )
        return np.hstack([corners, np.zeros((4, 4))])

    def around(self, part: Horizon, view: PartView) -> Matte:
        """Half of the sphere: its edge is a great circle."""
        camera, wide = camera_of(view.shot, part.view), wide_of(view.shot)
        carrier = carried_around(view.shot, part.attached_to, view.frame, sampler_of(view.shot, view.results.track))
        pose = part.pose_at(view.frame)
        turn = math.radians(pose.rotation)
        along = np.array([[pose.x, pose.y], [pose.x + math.cos(turn), pose.y + math.sin(turn)]])
        here, there = camera.directions(along) @ carrier.T
        return Matte(view.whole, half_around(np.cross(there, here), feathers_at(part, view.frame), wide, view.whole))

    def shapes(self, part: Horizon, shot: Shot, frame: int, results: Results) -> list[ShapePart] | None:
        """It has no size by which it could be measured."""
        return None

    def area(self, part: Horizon, frame: int) -> list[Spot]:
        raise BadDocument(
            "A horizon has no area to follow. Draw an area with texture, and attach the horizon to its motion."
        )


KIND = HorizonKind()
