"""The people of a film: what is done with them, what they are called, and who is who where somebody says so."""

from __future__ import annotations

from typing import ClassVar, Literal

from pydantic import Field

from cravo.core.commands.base import Command, MotionSamplers
from cravo.core.document import Appearance, FilmPerson, People, Project, Told, TrackKey, TrackRef
from cravo.core.errors import BadDocument
from cravo.core.people.choices import settle


class ChoosePeople(Command):
    """Hide some people, or leave them as they are; all `others` as well where that is said, and whom nobody knows.

    `who` decides it: a report names them.
    """

    do: Literal["choose people"] = "choose people"
    persons: list[str] = Field(default=[], max_length=5000)
    hide: bool = True
    others: bool | None = None
    unknown: bool | None = None
    who: str = Field(default="", max_length=120)

    @property
    def label(self) -> str:
        if not self.persons:
            return "Hide the unknown" if self.unknown else "Leave the unknown"
        return ("Hide" if self.hide else "Leave") + (" one person" if len(self.persons) == 1 else " people")

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        people = project.people
        for person in self.persons:
            _decide(_person(people, person), self.hide, self.who)
        for one in people.persons if self.others is not None else ():
            if one.id not in self.persons:
                _decide(one, bool(self.others), self.who)
        if self.unknown is not None:
            people.unknown_hidden = self.unknown
        settle(project)


class NamePerson(Command):
    do: Literal["name person"] = "name person"
    person: str
    name: str = Field(max_length=200)
    undo_label: ClassVar[str] = "Name a person"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        _person(project.people, self.person).name = self.name.strip()


class JoinPeople(Command):
    """Two people are one."""

    do: Literal["join people"] = "join people"
    person: str
    into: str
    undo_label: ClassVar[str] = "Join two people"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        people = project.people
        gone, stays = _person(people, self.person), _person(people, self.into)
        if gone is stays:
            raise BadDocument("Choose two people to be joined.")
        tell(people, gone.seen[0], stays.seen[0], True)
        stays.seen = [*stays.seen, *gone.seen]
        stays.name = stays.name or gone.name
        stays.hide = stays.hide or gone.hide
        people.persons = [one for one in people.persons if one is not gone]
        _forget_doubts(people, gone.id, stays.id)
        settle(project)


class MoveFace(Command):
    """A face of a shot belongs to somebody else; to nobody of the list where `to` is not said."""

    do: Literal["move face"] = "move face"
    face: TrackRef
    to: str | None = None
    undo_label: ClassVar[str] = "Move a face"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        people = project.people
        before = people.known().get(self.face.key)
        to = FilmPerson() if self.to is None else _person(people, self.to)
        if before is to:
            return
        people.told = [one for one in people.told if self.face.key not in (one.one.key, one.other.key)]
        if before is not None:
            before.seen = [one for one in before.seen if one.key != self.face.key]
            to.hide = to.hide if self.to else before.hide
            if before.seen:
                tell(people, self.face, before.seen[0], False)
        if to.seen:
            tell(people, self.face, to.seen[0], True)
        to.seen = [*to.seen, Appearance(**self.face.model_dump(include={"shot", "part", "track"}))]
        people.persons = [one for one in people.persons if one.seen and one is not to] + [to]
        settle(project)


class ForgetPeople(Command):
    """Nobody is known any more. What is hidden stays hidden."""

    do: Literal["forget people"] = "forget people"
    undo_label: ClassVar[str] = "Forget who is who"

    def apply(self, project: Project, samplers: MotionSamplers) -> None:
        project.people = People()


def tell(people: People, one: TrackRef, other: TrackRef, same: bool) -> None:
    """Note what somebody said of two faces; it takes back what was said of the two before."""
    pair = {one.key, other.key}
    kept = [said for said in people.told if {said.one.key, said.other.key} != pair]
    people.told = [*kept, Told(one=_plain(one.key), other=_plain(other.key), same=same)]


def _decide(person: FilmPerson, hide: bool, who: str) -> None:
    if person.hide != hide:
        person.hide, person.by = hide, who


def _plain(key: TrackKey) -> TrackRef:
    return TrackRef(shot=key[0], part=key[1], track=key[2])


def _forget_doubts(people: People, gone: str, into: str) -> None:
    """Nobody may be somebody who is one with them by now."""
    for person, seen in people.appearances():
        named = [into if one == gone else one for one in seen.perhaps]
        seen.perhaps = sorted({one for one in named if one != person.id})


def _person(people: People, person_id: str) -> FilmPerson:
    person = people.person(person_id)
    if person is None:
        raise BadDocument("This person is no longer in the project.")
    return person
