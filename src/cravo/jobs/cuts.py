"""Finding the cuts in a shot, and splitting it there."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from cravo.core import arrange
from cravo.core.footage.cuts import cuts
from cravo.core.footage.reader import rgb_ahead
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def find_cuts(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds the shot."""
    project, shot_id, media = str(row["project"]), row["detail"]["shot"], stores.media.get
    shot = stores.projects.get(project).document.shot(shot_id)
    medium, total = media(shot.medium), shot.last - shot.first + 1

    def counted() -> Iterator[tuple[int, NDArray[np.uint8]]]:
        for frame, picture in rgb_ahead(medium.path, medium.facts, range(shot.first, shot.last + 1)):
            stage(frame - shot.first + 1, total)
            yield frame, picture

    found = list(cuts(counted()))
    if found:
        stores.projects.change(project, None, "Split at cuts", lambda old: arrange.split_at(old, shot_id, found, media))
    return {"cuts": len(found)}
