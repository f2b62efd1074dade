"""The report of a proof: what was checked, how it is hidden, what is open and what somebody found right. It holds no picture.

It is sealed: a digest of all that it says, of the sources, the project and the result, lies with it, so that whoever gets
it can see that nothing of it was changed, and whether a file is the one that was checked. The seal does not say who made it.
"""

from __future__ import annotations

import hashlib
import json
import re
from collections.abc import Sequence
from datetime import UTC, datetime
from html import escape
from pathlib import Path

from pydantic import BaseModel, ValidationError

from cravo.core.document import Accepted, Project, Region
from cravo.core.errors import CravoError
from cravo.core.looks import kind_of, values_at
from cravo.core.parts.registry import kind_of as part_kind_of
from cravo.core.proof.cover import meant_to_hide
from cravo.core.proof.sequence import Proof


class FileSeen(BaseModel):
    """A file by its name and what is in it."""

    name: str
    sha256: str


class Hidden(BaseModel):
    """A region that hides something: of what, in which shot, and by which looks with which settings."""

    shot: str
    region: str
    parts: list[str]
    looks: list[str]


class OfFilm(BaseModel):
    """Somebody of the film by their number: in which shots, on how many frames, and what was done with them."""

    number: int
    shots: list[str]
    frames: int
    hidden: bool
    bare: int
    by: str = ""


class Report(BaseModel):
    """Everything that somebody needs who has to answer for a film. `project` is a digest of it (SHA-256), as `seal` is of the report."""

    made: datetime
    piece: str
    sources: list[FileSeen]
    result: FileSeen | None
    hidden: list[Hidden]
    filled: list[str] = []  # what is invented in what was taken out
    proof: Proof
    accepted: list[Accepted]
    clean: bool
    project: str = ""
    people: list[OfFilm] = []
    asked: str = ""  # what it was made by, where that was a command
    seal: str = ""

    @classmethod
    def of(
        cls,
        project: Project,
        proof: Proof,
        sources: list[FileSeen],
        result: FileSeen | None,
        filled: Sequence[str] = (),
    ) -> Report:
        hidden = [
            Hidden(
                shot=shot.name,
                region=region.name,
                parts=[part_kind_of(part).label(part) for part in region.parts],
                looks=_looks(region),
            )
            for shot in project.shots()
            for region in shot.regions
            if meant_to_hide(region)
        ]
        return cls(
            made=datetime.now(UTC), piece=project.name, sources=sources, result=result, hidden=hidden, filled=list(filled), proof=proof,
            accepted=project.accepted, clean=proof.clean, project=project_digest(project), people=_of_film(project, proof),
        )  # fmt: skip

    def sealed(self) -> Report:
        """The same with its seal."""
        return self.model_copy(update={"seal": self._digest()})

    @property
    def intact(self) -> bool:
        """Whether nothing of it was changed since it was sealed."""
        return bool(self.seal) and self.seal == self._digest()

    def _digest(self) -> str:
        plain = self.model_dump(mode="json", exclude={"seal"})
        return hashlib.sha256(json.dumps(plain, sort_keys=True, separators=(",", ":")).encode()).hexdigest()

    def to_json(self) -> str:
        return self.sealed().model_dump_json(indent=1) + "\n"

    def to_html(self) -> str:
        """A page that stands by itself."""
        proof = self.proof
        facts = [("Film", self.piece), *(("Source", f"{one.name}, SHA-256 {one.sha256}") for one in self.sources)]
        checked = "not checked" if self.result is None else f"{self.result.name}, SHA-256 {self.result.sha256}"
        facts += [
            ("Result", checked),
            ("Made", self.made.strftime("%Y-%m-%d %H:%M UTC")),
            (
                "Second search",
                f"{proof.found_again} people, {proof.faces} faces and {proof.lines} lines, frame by frame",
            ),
            ("Left open by choice", str(proof.left_open)),
            ("Project", f"SHA-256 {self.project}"),
            ("Seal of this report", f"SHA-256 {self._digest()}"),
        ]
        film = [
            (f"Person {one.number}", ", ".join(one.shots), str(one.frames), "hidden" if one.hidden else "left open by choice",
             one.by or ("" if one.hidden else "not said"), str(one.bare))
            for one in self.people
        ]  # fmt: skip
        gaps = [
            (gap.shot_name, "Face" if gap.what == "face" else "Line", gap.name or "not found before", _frames(gap.first, gap.last),
             str(gap.frame), f"{gap.covered:.0%}", f"{gap.place.x:.0f}, {gap.place.y:.0f}, {2 * gap.place.rx:.0f} wide")
            for gap in proof.gaps
        ]  # fmt: skip
        hidden = [(one.shot, one.region, ", ".join(one.parts), "; ".join(one.looks)) for one in self.hidden]
        people = [
            (one.name, f"{one.width:.0f} px", _frames(one.first, one.last), "covered" if one.covered else "open by choice",
             str(one.found), str(one.guessed), str(one.by_hand), str(one.bare))
            for one in proof.people
        ]  # fmt: skip
        seen = [(one.reason, _frames(one.first, one.last), one.who or "not said", one.when) for one in self.accepted]
        verdict = "Nothing is open." if self.clean else _count(len(proof.gaps), len(proof.remarks))
        return (
            "<!doctype html><html lang=en><meta charset=utf-8><title>Proof</title>"
            "<style>body{font:15px sans-serif;max-width:64em;margin:2em auto;padding:0 1em}"
            "td,th{text-align:left;padding:.2em 1em .2em 0;vertical-align:top;overflow-wrap:anywhere}</style>"
            f"<h1>Proof of {escape(self.piece)}</h1><p><strong>{verdict}</strong></p>{_table((), facts)}"
            f"<h2>Open</h2>{_table(('shot', '', 'which', 'frames', 'worst', 'covered', 'where'), gaps)}"
            f"<h2>Could still identify</h2>{_table((), [(one.reason,) for one in proof.remarks])}"
            f"<h2>How it is hidden</h2>{_table(('shot', 'region', 'of', 'looks'), hidden)}"
            f"<h2>Invented</h2>{_table((), [(one,) for one in self.filled])}"
            f"<h2>People of the film</h2>{_table(('', 'shots', 'frames', '', 'by', 'bare on'), film)}"
            "<h2>Faces</h2>"
            f"{_table(('face', 'widest', 'frames', '', 'seen on', 'guessed on', 'by hand on', 'bare on'), people)}"
            f"<h2>Looked at and found right</h2>{_table(('what', 'frames', 'by', 'when'), seen)}"
            f'<script type="application/json" id="report">{_for_page(self.to_json())}</script></html>\n'
        )


def read_report(text: str) -> Report:
    """A report as it was written, as data or as a page.

    Raises
    ------
    CravoError
        Where it is none.
    """
    found = re.search(r'<script type="application/json" id="report">(.*?)</script>', text, re.DOTALL)
    try:
        return Report.model_validate_json(found.group(1).replace("<\\/", "</") if found else text)
    except ValidationError:
        raise CravoError("This is not a report of a proof.") from None


def verified(report: Report, file: Path) -> str | None:
    """What is against a file being the one that a report is of; None where nothing is."""
    if not report.seal:
        return "This report has no seal: it was made by an earlier version."
    if not report.intact:
        return "This report was changed after it was made."
    if report.result is None:
        return "This report is of a project, not of a file: nothing was exported when it was made."
    if file_seen(file, file.name).sha256 != report.result.sha256:
        return f"This is not the file that was checked, which was {report.result.name}."
    return None


def project_digest(project: Project) -> str:
    """The SHA-256 of all that a project says."""
    plain = project.model_dump(mode="json")
    return hashlib.sha256(json.dumps(plain, sort_keys=True, separators=(",", ":")).encode()).hexdigest()


def _of_film(project: Project, proof: Proof) -> list[OfFilm]:
    names = {shot.id: shot.name for shot in project.shots()}
    made = []
    for number in sorted({one.person for one in proof.people if one.person is not None}):
        here = [one for one in proof.people if one.person == number]
        made.append(
            OfFilm(
                number=number, shots=[names[shot] for shot in dict.fromkeys(one.shot for one in here)],
                frames=sum(one.found + one.guessed + one.by_hand for one in here), hidden=all(one.covered for one in here),
                bare=sum(one.bare for one in here), by=next((one.by for one in here if one.by), ""),
            )
        )  # fmt: skip
    return made


def _for_page(text: str) -> str:
    """JSON within a page, where nothing of it may end the element that holds it."""
    return text.replace("</", "<\\/")


def file_seen(path: Path, name: str) -> FileSeen:
    with path.open("rb") as file:
        return FileSeen(name=name, sha256=hashlib.file_digest(file, "sha256").hexdigest())


def _count(gaps: int, remarks: int) -> str:
    said = [
        f"{count} {what if count == 1 else what + 's'}" for count, what in ((gaps, "gap"), (remarks, "remark")) if count
    ]
    return f"Open: {' and '.join(said)}."


def _frames(first: int, last: int) -> str:
    return str(first) if first == last else f"{first} to {last}"


def _looks(region: Region) -> list[str]:
    said = []
    for look in region.inside:
        if look.on:
            values = {name: value for name, value in values_at(look, 0).items() if isinstance(value, int | float | str)}
            settings = ", ".join(
                f"{name} {value:g}" if isinstance(value, int | float) else f"{name} {value}"
                for name, value in values.items()
            )
            said.append(f"{kind_of(look).label}: {settings}" if settings else kind_of(look).label)
    return said


def _table(head: tuple[str, ...], lines: Sequence[tuple[str, ...]]) -> str:
    if not lines:
        return "<p>None.</p>"
    top = f"<tr>{''.join(f'<th>{escape(text)}</th>' for text in head)}</tr>" if head else ""
    rows = "".join("<tr>" + "".join(f"<td>{escape(text)}</td>" for text in line) + "</tr>" for line in lines)
    return f"<table>{top}{rows}</table>"
