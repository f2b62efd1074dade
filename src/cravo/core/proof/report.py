"""The report of a check: what was hidden, how, and what is open. It holds no picture."""

from __future__ import annotations

from datetime import UTC, datetime
from html import escape

from pydantic import BaseModel

from cravo.core.finders.tracks import FaceTrack
from cravo.core.footage.facts import Facts
from cravo.core.proof.faces import Checked, Gap, Left


class Person(BaseModel):
    """A face that was found, and on how many frames it is guessed at."""

    number: int
    width: float
    first: int
    last: int
    frames: int
    guessed: int


class Report(BaseModel):
    """What was checked, with what it was done, and what is open."""

    made: datetime
    source: str
    result: str
    source_sha256: str
    result_sha256: str
    hidden: list[str]
    looks: str
    people: list[Person]
    searched_again: int
    face_frames: int
    left_open_by_choice: int
    gaps: list[Gap]
    left: list[Left]
    metadata: list[str]
    clean: bool

    @classmethod
    def of(
        cls,
        source: str,
        result: str,
        source_sha256: str,
        result_sha256: str,
        hidden: list[str],
        looks: str,
        tracks: list[FaceTrack],
        checked: Checked,
        left: list[Left],
        facts: Facts,
    ) -> Report:
        people = [
            Person(
                number=track.number, width=round(track.width, 1), first=track.first, last=track.last,
                frames=len(track.seen), guessed=sum(seen.how == "guessed" for seen in track.seen.values()),
            )
            for track in tracks
        ]  # fmt: skip
        metadata = list(facts.warnings)
        return cls(
            made=datetime.now(UTC), source=source, result=result, source_sha256=source_sha256,
            result_sha256=result_sha256, hidden=hidden, looks=looks, people=people, searched_again=checked.people,
            face_frames=checked.frames, left_open_by_choice=checked.by_choice, gaps=checked.gaps, left=left,
            metadata=metadata, clean=not checked.gaps and not left,
        )  # fmt: skip

    def to_json(self) -> str:
        return self.model_dump_json(indent=1) + "\n"

    def to_html(self) -> str:
        """A page that stands by itself."""
        verdict = "No face is open." if self.clean else f"{len(self.gaps)} gaps and {len(self.left)} remarks are open."
        gaps = _table(
            ("frames", "worst", "covered", "where"),
            [
                (f"{gap.first} to {gap.last}", str(gap.frame), f"{gap.covered:.0%}",
                 f"{gap.face[0]:.0f}, {gap.face[1]:.0f}, {2 * gap.face[2]:.0f} wide")
                for gap in self.gaps
            ],
        )  # fmt: skip
        people = _table(
            ("face", "widest", "frames", "guessed at"),
            [
                (str(one.number), f"{one.width:.0f} px", f"{one.first} to {one.last}", str(one.guessed))
                for one in self.people
            ],
        )
        left = _table(("frame", "what"), [(str(one.frame), one.reason) for one in self.left])
        facts = _table(
            ("", ""),
            [
                ("Source", f"{self.source}, SHA-256 {self.source_sha256}"),
                ("Result", f"{self.result}, SHA-256 {self.result_sha256}"),
                ("Hidden", f"{', '.join(self.hidden)}, with {self.looks}"),
                ("Made", self.made.strftime("%Y-%m-%d %H:%M UTC")),
                ("Second search", f"{self.searched_again} people on {self.face_frames} frames, counted one by one"),
                ("Left open by choice", str(self.left_open_by_choice)),
            ],
        )
        return (
            "<!doctype html><html lang=en><meta charset=utf-8><title>Proof</title>"
            "<style>body{font:15px sans-serif;max-width:60em;margin:2em auto;padding:0 1em}"
            "td,th{text-align:left;padding:.2em 1em .2em 0;vertical-align:top}</style>"
            f"<h1>Proof of {escape(self.result)}</h1><p><strong>{verdict}</strong></p>{facts}"
            f"<h2>Gaps</h2>{gaps}<h2>What may still be recognised</h2>{left}<h2>Faces found</h2>{people}</html>\n"
        )


def _table(head: tuple[str, ...], lines: list[tuple[str, ...]]) -> str:
    if not lines:
        return "<p>None.</p>"
    top = "".join(f"<th>{escape(text)}</th>" for text in head) if any(head) else ""
    rows = "".join("<tr>" + "".join(f"<td>{escape(text)}</td>" for text in line) + "</tr>" for line in lines)
    return f"<table><tr>{top}</tr>{rows}</table>"
