"""Finding the faces or the lettering of a shot as a job."""

from __future__ import annotations

from typing import Any

from cravo.core.document import Faces, Lettering
from cravo.core.edits import find_part
from cravo.core.errors import CravoError
from cravo.core.finders.found import faces_key, searched, signs_key, wanted
from cravo.core.finders.signs import find_signs
from cravo.core.finders.tracks import find as find_faces
from cravo.core.footage.reader import rgb_ahead
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def find(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot and part; what is known already is not searched again."""
    detail = row["detail"]
    shot = stores.projects.get(str(row["project"])).document.shot(detail["shot"])
    part = find_part(shot, detail["part"])
    medium = stores.media.get(shot.medium)
    if not isinstance(part, Faces | Lettering):
        raise CravoError("What was to be found was deleted meanwhile.")
    first, last = searched(shot, part)
    frames = rgb_ahead(medium.path, medium.facts, range(first, last + 1))
    if isinstance(part, Faces):
        faces = stores.results.faces(shot, part)
        if faces is None:
            faces = find_faces(frames, first, last, wanted(part), stage)
            stores.results.put_faces(shot.medium, faces_key(shot, part), faces)
        return {"found": len(faces)}
    signs = stores.results.lines(shot, part)
    if signs is None:
        signs = find_signs(frames, first, last, stage)
        stores.results.put_lines(shot.medium, signs_key(shot, part), signs)
    return {"found": len(signs)}
