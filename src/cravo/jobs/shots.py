"""What was added to many shots at once, found or followed shot by shot, by whoever is free."""

from __future__ import annotations

from itertools import pairwise
from typing import Any

from cravo.core.commands import find_part
from cravo.core.document import PartBase, Project, Shot
from cravo.core.errors import BadDocument, CravoError, Stopped
from cravo.core.progress import Progress
from cravo.jobs.find import find_in
from cravo.jobs.follow import follow_motion
from cravo.jobs.parts import NotMine, assist, share
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row
from cravo.store.parts import Claim, Part


def shots(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds parts, pairs of a shot and a part, and `ends`, the frames that are done with each of them.

    What one shot fails at keeps nothing from the others; it is told at the end.
    """
    work, project, ends = str(row["id"]), str(row["project"]), row["detail"]["ends"]
    problems: list[str] = []
    last: dict[str, Any] = {}

    def make(claim: Claim, progress: Progress) -> str:
        nonlocal last
        try:
            last = _done(stores, project, claim.about, progress) or last
        except (NotMine, Stopped):
            raise
        except CravoError as error:
            problems.append(f"{_name(stores, project, claim.about)}: {error}")
        return claim.about

    about = [f"{shot} {part}" for shot, part in row["detail"]["parts"]]
    entered = [Part(begin, end - 1, what) for what, (begin, end) in zip(about, pairwise([0, *ends]), strict=True)]
    try:
        share(stores, work, "search", entered, make, lambda done: stage(done, ends[-1]))
    finally:
        stores.parts.forget(work)
    if problems:
        raise CravoError(f"Not everything was found. {' '.join(problems[:5])}")
    return {name: last[name] for name in ("what", "pace") if name in last}


def help_with_shots(stores: Stores, row: Row) -> None:
    """Do one of the shots; what it fails at is left to whoever has begun, who tells it."""

    def make(claim: Claim, progress: Progress) -> str:
        _done(stores, str(row["project"]), claim.about, progress)
        return claim.about

    assist(stores, str(row["id"]), "search", make)


def _done(stores: Stores, project: str, about: str, progress: Progress) -> dict[str, Any]:
    """Find or follow one part in its shot; nothing where it was deleted."""
    document = stores.projects.get(project).document
    found = _there(document, about)
    if found is None:
        return {}
    shot, part = found
    motion = shot.motion(part.moves_with)
    if motion is None:
        return find_in(stores, shot, part, progress)
    follow_motion(stores, document, shot, motion, motion.span, progress)
    return {}


def _name(stores: Stores, project: str, about: str) -> str:
    found = _there(stores.projects.get(project).document, about)
    return "A shot" if found is None else found[0].name


def _there(document: Project, about: str) -> tuple[Shot, PartBase] | None:
    """A shot and a part of it, where both are still in the project."""
    shot_id, part_id = about.split(" ")
    try:
        shot = document.shot(shot_id)
        return shot, find_part(shot, part_id)
    except BadDocument:
        return None
