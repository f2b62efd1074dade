"""The people of a film: who of the faces that were found is who, as it was told, and what is done with them."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated

from pydantic import Field

from cravo.core.document.base import new_id
from cravo.core.keyframes import Plain

TrackKey = tuple[str, str, str]  # shot, Faces part, name of the track
Id = Annotated[str, Field(min_length=1, max_length=80)]


class TrackRef(Plain):
    """A face over one shot: a track of a Faces part."""

    shot: Id
    part: Id
    track: Id

    @property
    def key(self) -> TrackKey:
        return self.shot, self.part, self.track


class Appearance(TrackRef):
    """Somebody in a shot. `perhaps` names people who this may be as well: nobody has said yet that it is not."""

    perhaps: list[str] = Field(default=[], max_length=100)


class FilmPerson(Plain):
    """Somebody of the film, in all the shots where they are known; `hide` says what is done with them, `by` who said so."""

    id: str = Field(default_factory=new_id)
    name: str = Field(default="", max_length=200)
    hide: bool = True
    by: str = Field(default="", max_length=120)
    seen: list[Appearance] = Field(default=[], max_length=20_000)


class Told(Plain):
    """What somebody said of two faces: the same person, or not."""

    one: TrackRef
    other: TrackRef
    same: bool


class People(Plain):
    """Who is who. `unknown_hidden` is what is done with whom nobody knows: faces too small, or never compared."""

    persons: list[FilmPerson] = Field(default=[], max_length=5000)
    told: list[Told] = Field(default=[], max_length=20_000)
    unknown_hidden: bool = True

    def person(self, person_id: str) -> FilmPerson | None:
        return next((one for one in self.persons if one.id == person_id), None)

    def known(self) -> dict[TrackKey, FilmPerson]:
        """Whose each face is that is known."""
        return {seen.key: person for person in self.persons for seen in person.seen}

    def appearances(self) -> Iterator[tuple[FilmPerson, Appearance]]:
        for person in self.persons:
            for seen in person.seen:
                yield person, seen

    def hidden(self, person: FilmPerson, seen: Appearance) -> bool:
        """Whether a face is hidden: it is left as it is only where everybody who it may be is."""
        others = (self.person(one) for one in seen.perhaps)
        return person.hide or any(self.unknown_hidden if other is None else other.hide for other in others)
