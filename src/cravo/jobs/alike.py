"""Looking for a thing that was marked in one shot in all the others, as a job."""

from __future__ import annotations

from contextlib import closing
from typing import Any

from cravo.core.commands import AlikeFind
from cravo.core.document import Project, Region, Shot
from cravo.core.errors import CravoError
from cravo.core.finders.alike import Sample, outline_of
from cravo.core.geometry.transforms import apply
from cravo.core.stack.plan import Plan
from cravo.core.tasks.alike import find_alike
from cravo.core.timing import SourceFrame
from cravo.jobs.stage import Stage, Stores, await_results
from cravo.store.database import Row


def alike(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    """`detail` holds shot and region; it then holds what was found, which somebody has still to accept."""
    detail = row["detail"]
    document = stores.projects.get(str(row["project"])).document
    shot = document.shot(detail["shot"])
    region = shot.region(detail["region"])
    await_results(stores, document, [region])
    sample = _marked(stores, document, shot, region)
    # What lies all around is not flat.
    others = [one for one in document.shots() if one.id != shot.id and one.sphere is None]
    total, done = sum(one.last - one.first + 1 for one in others), 0
    finds: list[AlikeFind] = []
    for one in others:
        medium = stores.media.get(one.medium)
        for frame, found in find_alike(medium, one, sample, lambda n, of, since=done: stage(since + n, total)):  # type: ignore[misc]
            points = [(round(float(x), 2), round(float(y), 2)) for x, y in apply(found.matrix, sample.outline)]
            finds.append(AlikeFind(shot=one.id, frame=frame, points=points, sure=round(found.sure, 3)))
        done += one.last - one.first + 1
    return {"finds": [one.model_dump() for one in finds]}


def _marked(stores: Stores, document: Project, shot: Shot, region: Region) -> Sample:
    """What a region covers, on the first frame on which something of it was set by hand."""
    facts = stores.media.get(shot.medium).facts
    keyed = [frame for part in region.parts for frame in part.keyed_frames() if shot.first <= frame <= shot.last]
    frame = SourceFrame(min(keyed, default=shot.first))
    with closing(Plan(document, stores.media.get, stores.results)) as plan:
        size = facts.width, facts.height
        matte = plan.shots.matte(shot, region, frame, *size).whole(*size)
        outline = outline_of((matte * 255).astype("uint8"))
        if outline is None:
            raise CravoError(f"{region.name} covers nothing on frame {frame}, on which it was marked.")
        sample = Sample(plan.shots.source(shot, frame, size).to_rgb(), outline)
    if not sample.telling:
        raise CravoError(f"There is too little on {region.name} to recognise it by: it is too small, or too plain.")
    return sample
