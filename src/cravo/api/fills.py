"""Filling regions, and the plates that come of it as pictures."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter, Response

from cravo.api.models.fills import FillRequest, PlateInfo
from cravo.api.models.work import WorkInfo
from cravo.api.studio import TheStudio, download, work_info
from cravo.core.errors import BadDocument
from cravo.core.fill.filled import fill_look
from cravo.core.fill.plate import INVENTED, Plate
from cravo.core.fill.repaint import plate_picture
from cravo.jobs.queue import start
from cravo.store.projects import Unknown

router = APIRouter(prefix="/api/projects", tags=["fills"])


@router.post("/{project}/fills", status_code=201)
def begin(project: UUID, wish: FillRequest, studio: TheStudio) -> WorkInfo:
    """Fill a region with what lies behind it, where that is not done yet."""
    state = studio.state(str(project))
    region = state.document.shot(wish.shot).region(wish.region)
    if fill_look(region) is None:
        raise BadDocument("This region has no Fill among its looks.")
    return work_info(
        start(
            studio.stores, "fill", f"Filling {region.name}", state.id, region.id, shot=wish.shot, region=region.id
        )
    )  # fmt: skip


@router.get("/{project}/fills/{shot}/{region}/plates")
def plates(project: UUID, shot: str, region: str, studio: TheStudio) -> list[PlateInfo]:
    """The backgrounds that were made, one for each stretch of the shot."""
    return [
        PlateInfo(
            first=one.first, last=one.last, width=one.box.width, height=one.box.height,
            invented=bool((one.kinds == INVENTED).any()),
        )
        for one in _plates(project, shot, region, studio)
    ]  # fmt: skip


@router.get("/{project}/fills/{shot}/{region}/plate-{number}.png", response_class=Response)
def plate(project: UUID, shot: str, region: str, number: int, studio: TheStudio) -> Response:
    """One of them as a picture with 16 bits, transparent where nothing is known; painted over it can be used instead."""
    every = _plates(project, shot, region, studio)
    if not 1 <= number <= len(every):
        raise Unknown("This clean plate was not made.")
    state = studio.state(str(project))
    the_shot = state.document.shot(shot)
    colour = studio.stores.media.get(the_shot.medium).facts.colour
    name = f"Clean plate {number} of {the_shot.region(region).name}"
    return download(plate_picture(every[number - 1], colour), name, "png", "image/png")


def _plates(project: UUID, shot: str, region: str, studio: TheStudio) -> tuple[Plate, ...]:
    the_shot = studio.state(str(project)).document.shot(shot)
    found = studio.stores.results.filled(the_shot, the_shot.region(region))
    return () if found is None else found[0].plates
