"""The check before export as a job: every shot that hides something is searched again."""

from __future__ import annotations

from typing import Any

from cravo.core.document import Faces, Project, Region, Shot, digest
from cravo.core.footage.reader import rgb_ahead
from cravo.core.proof.faces import HIDING, Checked, check_looks, check_source, cover_of, search_again
from cravo.core.stack.plan import Plan
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def proof(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """The work's detail then holds what was found, and `of`: the state of the piece that it is about."""
    document = stores.projects.get(str(row["project"])).document
    shots = [shot for shot in document.shots() if any(_hides(region) for region in shot.regions)]
    total = sum(shot.last - shot.first + 1 for shot in shots)
    plan = Plan(document, stores.media.get, stores.samples.track, faces=stores.found, mattes=stores.mattes)
    found: dict[str, Any] = {
        "of": piece_state(document),
        "gaps": [],
        "remarks": [],
        "people": 0,
        "frames": 0,
        "open": 0,
    }
    before = 0
    try:
        for shot in shots:
            checked = _checked(stores, plan, shot, lambda done, _, since=before: stage(since + done, total))
            before += shot.last - shot.first + 1
            for gap in checked.gaps:
                found["gaps"].append(
                    gap.model_dump() | {"shot": shot.id, "piece_frame": plan.piece_frame(shot, gap.frame)}
                )
            found["people"] += checked.people
            found["frames"] += checked.frames
            found["open"] += checked.by_choice
            found["remarks"] += _remarks(stores, plan, shot, checked)
    finally:
        plan.close()
    return found


def piece_state(document: Project) -> str:
    """A name that changes with everything that is seen and heard, and with nothing else."""
    return digest("proof", document.model_dump_json(include={"layers", "media", "width", "height", "rate"}))


def _hides(region: Region) -> bool:
    return region.on and any(look.on and look.kind in HIDING for look in region.inside)


def _checked(stores: Stores, plan: Plan, shot: Shot, progress: Any) -> Checked:
    medium = stores.media.get(shot.medium)
    again = search_again(shot, rgb_ahead(medium.path, medium.facts, range(shot.first, shot.last + 1)), progress)
    size = (medium.facts.width, medium.facts.height)
    return check_source(shot, again, size, cover_of(plan, shot, medium.facts), stores.found)


def _remarks(stores: Stores, plan: Plan, shot: Shot, checked: Checked) -> list[dict[str, Any]]:
    """What covers might not hide for good, and a voice that is heard as it is."""
    lines: list[dict[str, Any]] = []
    frame = plan.piece_frame(shot, shot.first)
    for region in shot.regions:
        parts = [part for part in region.parts if isinstance(part, Faces)]
        widest = [track.width for part in parts for track in stores.found.tracks(shot, part) or ()]
        if parts and _hides(region):
            lines += [
                {"shot": shot.id, "region": region.id, "piece_frame": frame, "reason": f"{region.name}: {one.reason}"}
                for one in check_looks(region, max(widest, default=0.0))
            ]
    if checked.frames and shot.sound and not shot.voice and stores.media.get(shot.medium).facts.sound:
        reason = f"The voices in {shot.name} are heard as they are. Make them lower, or take the sound off."
        lines.append({"shot": shot.id, "region": None, "piece_frame": frame, "reason": reason})
    return lines
