"""The report of a whole film: people by number, what was left open and by whom; and its seal."""

from __future__ import annotations

from pathlib import Path

import pytest
from tests.cast import Cast

from cravo.core.commands import ChoosePeople, NamePerson
from cravo.core.errors import CravoError
from cravo.core.people.film import regroup
from cravo.core.proof.report import FileSeen, Report, file_seen, read_report, verified
from cravo.core.proof.sequence import Person, Proof


@pytest.fixture
def report(tmp_path: Path) -> Report:
    """Of two shots with two people, of whom Ida left one as they are."""
    cast = Cast()
    cast.shot((1, 0, 99), (2, 0, 49))
    cast.shot((1, 20, 99))
    regroup(cast.project, cast.results, cast.views)
    known = cast.project.people.known()
    first = next(iter(known.values()))
    for command in (
        NamePerson(person=first.id, name="Anna Secret"),
        ChoosePeople(persons=[first.id], hide=False, who="Ida"),
    ):
        command.apply(cast.project, lambda shot: None)  # type: ignore[arg-type, return-value]
    numbers = {one.id: number for number, one in enumerate(cast.project.people.persons, 1)}
    people = [
        Person(
            shot=shot, region="r", name=track, width=60, first=0, last=99, covered=person.hide, found=40, guessed=2,
            by_hand=1, person=numbers[person.id], by="" if person.hide else person.by,
        )
        for (shot, _, track), person in known.items()
    ]  # fmt: skip
    film = tmp_path / "film.mp4"
    film.write_bytes(b"a film")
    return Report.of(
        cast.project, Proof(people=people), [FileSeen(name="a.mp4", sha256="0")], file_seen(film, "film.mp4")
    )


def test_people_are_numbers_in_it_with_their_shots_and_who_decided(report: Report) -> None:
    told = [(one.number, one.shots, one.frames, one.hidden, one.by) for one in report.people]
    assert told == [(1, ["Shot 1", "Shot 2"], 86, False, "Ida"), (2, ["Shot 1"], 43, True, "")]
    page = report.to_html()
    assert "Person 1" in page
    assert "left open by choice" in page
    for text in (page, report.to_json()):
        assert "Secret" not in text


@pytest.mark.parametrize("end", ["json", "html"])
def test_its_seal_holds_until_something_of_it_or_of_its_film_is_changed(
    report: Report, end: str, tmp_path: Path
) -> None:
    text = report.to_html() if end == "html" else report.to_json()
    film = tmp_path / "film.mp4"
    assert verified(read_report(text), film) is None
    assert (
        verified(read_report(text.replace('"by": "Ida"', '"by": "Udo"')), film)
        == "This report was changed after it was made."
    )
    film.write_bytes(b"another film")
    assert verified(read_report(text), film) == "This is not the file that was checked, which was film.mp4."


def test_what_has_no_seal_or_no_film_says_so(report: Report, tmp_path: Path) -> None:
    film = tmp_path / "film.mp4"
    assert "no seal" in str(verified(report, film))
    bare = report.model_copy(update={"result": None}).sealed()
    assert "of a project, not of a file" in str(verified(bare, film))
    with pytest.raises(CravoError, match="not a report"):
        read_report("<html>nothing</html>")
