"""Protecting many clips: each in a project of its own, found, written and checked without a press in between."""

from __future__ import annotations

from fastapi import APIRouter

from cravo.api.layers import ready
from cravo.api.models.protected import ProtectedFilm, ProtectRequest
from cravo.api.studio import Studio, TheStudio, work_info
from cravo.core import arrange
from cravo.core.commands import NewFound
from cravo.core.document import Project
from cravo.core.footage.formats import Encoding
from cravo.core.motion.sampling import sampler_of
from cravo.core.proof.report import Report
from cravo.jobs.queue import start
from cravo.store.database import Row
from cravo.store.work import Frozen

router = APIRouter(prefix="/api/protected", tags=["protected"])


@router.post("", status_code=201)
def begin(wish: ProtectRequest, studio: TheStudio) -> list[ProtectedFilm]:
    """A project for each clip; what is to be hidden is found, the film written and checked, one clip after the other."""
    media = [ready(studio, medium) for medium in dict.fromkeys(wish.media)]  # refused before anything is begun
    return [_film(_begun(studio, medium.id, medium.name, wish.what)) for medium in media]


@router.get("")
def every(studio: TheStudio) -> list[ProtectedFilm]:
    """Every clip that was protected so, or is to be; what needs a look most comes first, what is under way last."""
    films = [_film(row) for row in studio.stores.work.protected()]
    return sorted(films, key=_need)


def _begun(studio: Studio, medium: str, name: str, what: list[str]) -> Row:
    stem = name.rpartition(".")[0] or name
    document = Project(name=stem[:120])
    media = studio.stores.media.get
    arrange.add_shot(document, ready(studio, medium), media(medium).facts, media)
    (shot,) = document.shots()
    for one in dict.fromkeys(what):
        edit = NewFound(shot=shot.id, what=one, hide=True)
        edit.apply(document, lambda of: sampler_of(of, studio.stores.results.track))
    state = studio.stores.projects.add(document)
    frozen = Frozen(state.revision, state.document)
    row = start(
        studio.stores, "protect", f"Protecting {stem}", state.id, f"protecting {state.id}", frozen,
        name=f"{stem}{Encoding().ending}", revision=state.revision, encoding=Encoding().model_dump(),
    )  # fmt: skip
    return row | {"project_name": state.document.name}


def _film(row: Row) -> ProtectedFilm:
    told = row["detail"].get("report")
    proof = None if told is None else Report.model_validate(told).proof
    return ProtectedFilm(
        project=row["project"], name=row["project_name"], work=work_info(row),
        clean=None if proof is None else proof.clean,
        gaps=0 if proof is None else len(proof.gaps), remarks=0 if proof is None else len(proof.remarks),
    )  # fmt: skip


def _need(film: ProtectedFilm) -> tuple[int, int, int, str]:
    order = {"failed": 0, "stopped": 0, "done": 2 if film.clean else 1}
    return order.get(film.work.state, 3), -film.gaps, -film.remarks, film.name
