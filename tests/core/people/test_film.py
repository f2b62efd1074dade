"""Who is who over the shots of a film: grouped, told, hidden and left."""

from __future__ import annotations

import pytest
from tests.cast import Cast

from cravo.core.commands import ChoosePeople, ForgetPeople, JoinPeople, MoveFace, NamePerson
from cravo.core.commands.people import tell
from cravo.core.document import Faces, FilmPerson, Project, Shot, TrackRef
from cravo.core.errors import BadDocument
from cravo.core.people.film import questions, regroup, sureness

UNSURE = 0.55  # off by so much a face is about as far from others of one person as is asked about


@pytest.fixture
def cast() -> Cast:
    """Anna (1) in three shots, Ben (2) in two, somebody (3) in one, and a face too small to be compared."""
    made = Cast()
    made.shot((1, 0, 99), (2, 0, 99))
    made.shot((2, 0, 60), (1, 10, 99), (None, 0, 99))
    made.shot((3, 0, 99), (1, 0, 99))
    regroup(made.project, made.results, made.views)
    return made


def apply(project: Project, command: object) -> None:
    command.apply(project, lambda shot: None)  # type: ignore[attr-defined]


def seen(person: FilmPerson) -> set[tuple[str, str]]:
    return {(one.shot, one.track) for one in person.seen}


def shots(project: Project) -> list[Shot]:
    return list(project.shots())


def part(shot: Shot) -> Faces:
    return shot.regions[0].parts[0]


def hidden(project: Project) -> list[set[str]]:
    """The numbers of the faces that each shot covers."""
    return [{name for name in ("1", "2", "3") if part(shot).chooses(name)} for shot in project.shots()]


def person_of(project: Project, shot: int, track: str) -> FilmPerson:
    of = shots(project)[shot]
    return project.people.known()[of.id, part(of).id, track]


def test_the_same_faces_in_every_shot_are_one_person(cast: Cast) -> None:
    a, b, c = (shot.id for shot in shots(cast.project))
    assert sorted(map(sorted, map(seen, cast.project.people.persons))) == sorted(
        map(sorted, [{(a, "1"), (b, "2"), (c, "2")}, {(a, "2"), (b, "1")}, {(c, "1")}])
    )
    assert min(sureness(cast.project.people, cast.compared).values()) > 0.99
    assert questions(cast.compared) == []
    assert hidden(cast.project) == [{"1", "2", "3"}] * 3


def test_one_choice_hides_somebody_in_every_shot_and_the_unknown_with_them(cast: Cast) -> None:
    anna = person_of(cast.project, 0, "1")
    apply(cast.project, ChoosePeople(persons=[anna.id], hide=True, others=False, who="Ida"))
    # The third face of the second shot was never compared: it may be her.
    assert hidden(cast.project) == [{"1", "3"}, {"2", "3"}, {"2", "3"}]
    assert person_of(cast.project, 2, "1").by == "Ida"
    apply(cast.project, ChoosePeople(unknown=False))
    assert [sorted(one & {"1", "2"}) for one in hidden(cast.project)] == [["1"], ["2"], ["2"]]
    assert "3" not in hidden(cast.project)[1]


def test_one_choice_leaves_somebody_and_hides_whoever_turns_up_later(cast: Cast) -> None:
    anna = person_of(cast.project, 0, "1")
    apply(cast.project, ChoosePeople(persons=[anna.id], hide=False, others=True))
    assert hidden(cast.project) == [{"2", "3"}, {"1", "3"}, {"1", "3"}]
    assert all(part(shot).choice == "all but" for shot in cast.project.shots())
    # Everybody is hidden again, and so will be who is found tomorrow.
    apply(cast.project, ChoosePeople(persons=[anna.id], hide=True))
    assert all((part(shot).choice, part(shot).chosen) == ("all", []) for shot in cast.project.shots())


def test_who_may_be_somebody_to_hide_is_hidden_until_it_is_told() -> None:
    cast = Cast()
    cast.shot((1, 0, 99))
    cast.shot((1, 0, 99), off=UNSURE)
    regroup(cast.project, cast.results, cast.views)
    (asked_one,) = questions(cast.compared)
    first = person_of(cast.project, 0, "1")
    assert first is not person_of(cast.project, 1, "1")
    apply(cast.project, ChoosePeople(persons=[first.id], hide=True, others=False))
    assert [one & {"1"} for one in hidden(cast.project)] == [{"1"}, {"1"}]
    tell(cast.project.people, asked_one.one, asked_one.other, False)
    regroup(cast.project, cast.results, cast.views)
    assert questions(cast.compared) == []
    assert [one & {"1"} for one in hidden(cast.project)] == [{"1"}, set()]


def test_an_answer_joins_two_people_and_they_are_not_asked_about_again() -> None:
    cast = Cast()
    cast.shot((1, 0, 99))
    cast.shot((1, 0, 99), off=UNSURE)
    regroup(cast.project, cast.results, cast.views)
    apply(cast.project, NamePerson(person=person_of(cast.project, 0, "1").id, name=" Anna "))
    (asked,) = questions(cast.compared)
    assert 0 < asked.likely < 0.5
    tell(cast.project.people, asked.one, asked.other, True)
    regroup(cast.project, cast.results, cast.views)
    assert [(one.name, len(one.seen)) for one in cast.project.people.persons] == [("Anna", 2)]
    assert questions(cast.compared) == []


def test_a_face_that_is_moved_stays_where_it_was_put(cast: Cast) -> None:
    ben, shot = person_of(cast.project, 0, "2"), shots(cast.project)[2]
    stranger = TrackRef(shot=shot.id, part=part(shot).id, track="1")
    apply(cast.project, MoveFace(face=stranger, to=ben.id))
    assert (shot.id, "1") in seen(person_of(cast.project, 0, "2"))
    regroup(cast.project, cast.results, cast.views)
    assert (shot.id, "1") in seen(person_of(cast.project, 0, "2"))
    apply(cast.project, MoveFace(face=stranger))
    regroup(cast.project, cast.results, cast.views)
    assert seen(person_of(cast.project, 2, "1")) == {(shot.id, "1")}


def test_a_face_that_cannot_be_compared_stays_with_whom_it_was_given_to(cast: Cast) -> None:
    shot = shots(cast.project)[1]
    small = TrackRef(shot=shot.id, part=part(shot).id, track="3")
    anna = person_of(cast.project, 0, "1")
    apply(cast.project, ChoosePeople(persons=[anna.id], hide=False))
    assert hidden(cast.project)[1] == {"1", "3"}
    apply(cast.project, MoveFace(face=small, to=anna.id))
    assert hidden(cast.project)[1] == {"1"}
    regroup(cast.project, cast.results, cast.views)
    assert (shot.id, "3") in seen(person_of(cast.project, 0, "1"))


def test_two_people_are_joined_and_hidden_where_one_of_them_was(cast: Cast) -> None:
    one, other = person_of(cast.project, 0, "1"), person_of(cast.project, 2, "1")
    apply(cast.project, ChoosePeople(persons=[one.id], hide=False))
    apply(cast.project, JoinPeople(person=other.id, into=one.id))
    assert len(cast.project.people.persons) == 2
    assert hidden(cast.project) == [{"1", "2", "3"}] * 3
    with pytest.raises(BadDocument, match="no longer in the project"):
        apply(cast.project, JoinPeople(person=other.id, into=one.id))
    with pytest.raises(BadDocument, match="Choose two people"):
        apply(cast.project, JoinPeople(person=one.id, into=one.id))


def test_a_track_that_a_hiding_broke_is_one_again_but_not_over_a_cut() -> None:
    cast = Cast()
    cast.shot((1, 0, 40), (1, 60, 99), x=200)
    cast.shot((1, 0, 40), (1, 60, 99), x=200)
    cast.shot((1, 0, 10), (1, 95, 99), x=200)  # too long a time for one hiding
    cuts = {shots(cast.project)[1].id: [50]}
    regroup(cast.project, cast.results, cast.views, lambda shot: cuts.get(shot.id, ()))
    assert [part(shot).joins for shot in cast.project.shots()] == [[("1", "2")], [], []]
    assert [len(one.seen) for one in cast.project.people.persons] == [5]


def test_what_is_forgotten_leaves_what_is_hidden(cast: Cast) -> None:
    apply(cast.project, ChoosePeople(persons=[person_of(cast.project, 0, "1").id], hide=True, others=False))
    before = hidden(cast.project)
    apply(cast.project, ForgetPeople())
    assert cast.project.people.persons == []
    assert hidden(cast.project) == before
