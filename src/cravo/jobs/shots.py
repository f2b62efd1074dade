"""What was added to many shots at once, found or followed in one shot after the other."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from cravo.core.commands import find_part
from cravo.core.document import PartBase, Project, Shot
from cravo.core.errors import BadDocument, CravoError, Stopped
from cravo.core.progress import Progress
from cravo.jobs.find import find_in
from cravo.jobs.follow import follow_motion
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def shots(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds parts, pairs of a shot and a part, and `ends`, the frames that are done with each of them.

    What one shot fails at keeps nothing from the others; it is told at the end.
    """
    detail, project = row["detail"], str(row["project"])
    total = detail["ends"][-1]
    problems: list[str] = []
    last: dict[str, Any] = {}
    for (shot_id, part_id), (begin, end) in zip(detail["parts"], pairwise([0, *detail["ends"]]), strict=True):
        document = stores.projects.get(project).document
        found = _there(document, shot_id, part_id)
        if found is None:
            continue
        shot, part = found
        progress = _within(stage, begin, end, total)
        try:
            motion = shot.motion(part.moves_with)
            if motion is not None:
                follow_motion(stores, document, shot, motion, motion.span, progress)
            else:
                last = find_in(stores, shot, part, progress)
        except Stopped:
            raise
        except CravoError as error:
            problems.append(f"{shot.name}: {error}")
        stage(end, total)
    if problems:
        raise CravoError(f"Not everything was found. {' '.join(problems[:5])}")
    return {name: last[name] for name in ("what", "pace") if name in last}


def _within(stage: Progress, begin: int, end: int, total: int) -> Progress:
    """How far one shot is, as frames of all of them."""
    return lambda done, of: stage(begin + (end - begin) * done // max(of, 1), total)


def _there(document: Project, shot_id: str, part_id: str) -> tuple[Shot, PartBase] | None:
    """A shot and a part of it, where both are still in the project."""
    try:
        shot = document.shot(shot_id)
        return shot, find_part(shot, part_id)
    except BadDocument:
        return None
