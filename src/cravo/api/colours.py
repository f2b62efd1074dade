"""Ranges of colours: picking them on the picture, and what the picture has of each."""

from __future__ import annotations

from uuid import UUID

from fastapi import APIRouter

from cravo.api.models.found import PickRequest
from cravo.api.models.projects import ProjectState
from cravo.api.studio import TheStudio
from cravo.core.commands import PickColours
from cravo.core.errors import BadDocument
from cravo.core.mattes.colours import Distribution, distribution, picked
from cravo.core.timing import SourceFrame

router = APIRouter(prefix="/api/projects", tags=["colours"])
SEEN = 480, 270  # pixels of a picture whose colours are counted


@router.post("/{project}/colours/pick")
def pick(project: UUID, wish: PickRequest, studio: TheStudio) -> ProjectState:
    """Take the colours of a place of the untreated picture in, or leave them out."""
    state = studio.state(str(project))
    shot, plan = state.document.shot(wish.shot), studio.plan(state)
    facts = studio.stores.media.get(shot.medium).facts
    picks = picked(plan.shots.source(shot, wish.frame, (facts.width, facts.height)), wish.box, wish.include)
    if not picks:
        raise BadDocument("Pick a colour inside the picture.")
    edit = PickColours(shot=wish.shot, region=wish.region, part=wish.part, picks=picks, how=wish.how)
    return studio.seen(studio.command(project, wish.seen, edit))


@router.get("/{project}/colours/{shot}/distribution")
def shown(project: UUID, shot: str, frame: SourceFrame, studio: TheStudio) -> Distribution:
    """How often hues, saturations and brightnesses are on a source frame, before it is treated."""
    state = studio.state(str(project))
    return distribution(studio.plan(state).shots.source(state.document.shot(shot), frame, SEEN))
