"""A film with faces that were found and described, made up: who is who is known."""

from __future__ import annotations

import numpy as np

from cravo.core.document import Faces, Look, Project, Region, Shot
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key
from cravo.core.people.describe import FaceView
from cravo.core.people.film import Comparison, compare
from cravo.core.results import MemoryResults

FRAMES = 100
FAR = 0.7  # between two people


def vector(who: int, off: float = 0.0) -> np.ndarray:
    """What describes somebody; two of one person are `off` apart, at most sqrt(2) times that."""
    made = np.zeros(128, np.float32)
    made[who] = FAR / np.sqrt(2)
    made[100 + who] = off
    return made


class Cast:
    """Shots with people in them, each from one frame to another; where they are told apart by nothing but a name."""

    def __init__(self) -> None:
        self.project = Project(name="Open day")
        self.results = MemoryResults()
        self.views: dict[str, list[FaceView]] = {}

    @property
    def compared(self) -> Comparison:
        return compare(self.project, self.results, self.views)

    def shot(self, *people: tuple[int | None, int, int], off: float = 0.0, x: float | None = None) -> Shot:
        """A shot with faces (who, first, last), numbered from 1 in that order; None is too small to be compared."""
        number = len(self.project.layers[0].items)
        shot = Shot(name=f"Shot {number + 1}", medium=f"clip {number}", start=number * FRAMES, first=0, last=FRAMES - 1)
        part = Faces()
        shot.regions.append(Region(name="Faces", parts=[part], inside=[Look(kind="pixelate")]))
        tracks, views = [], []
        for place, (who, first, last) in enumerate(people):
            oval = Oval(100 + 150 * place if x is None else x, 100, 30, 40)
            seen = {frame: FaceObservation(oval, "found", 0.9) for frame in range(first, last + 1)}
            tracks.append(FaceTrack(place + 1, seen))
            if who is not None:
                views.append(FaceView((first + last) // 2, oval, vector(who, off)))
        key = faces_key(shot, part)
        self.results.put_faces(shot.medium, key, tracks)
        self.views[key] = views
        self.project.layers[0].items.append(shot)
        return shot
