"""The report of a proof: what was checked, how it is hidden, what is open and what somebody found right. It holds no picture."""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from datetime import UTC, datetime
from html import escape
from pathlib import Path

from pydantic import BaseModel

from cravo.core.document import Accepted, Project, Region
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


class Report(BaseModel):
    """Everything that somebody needs who has to answer for a film."""

    made: datetime
    piece: str
    sources: list[FileSeen]
    result: FileSeen | None
    hidden: list[Hidden]
    filled: list[str] = []  # what is invented in what was taken out
    proof: Proof
    accepted: list[Accepted]
    clean: bool

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
            accepted=project.accepted, clean=proof.clean,
        )  # fmt: skip

    def to_json(self) -> str:
        return self.model_dump_json(indent=1) + "\n"

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
        ]
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
            "<h2>Faces</h2>"
            f"{_table(('face', 'widest', 'frames', '', 'seen on', 'guessed on', 'by hand on', 'bare on'), people)}"
            f"<h2>Looked at and found right</h2>{_table(('what', 'frames', 'by', 'when'), seen)}</html>\n"
        )


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
