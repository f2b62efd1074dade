"""What a kind of part is and does. A folder of this package is one kind; what a user says of it is in `document.parts`."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, ClassVar, Generic, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray

from cravo.core.document import CombineMode, PartBase, Region, ShapePart, Shot
from cravo.core.finders.face_tracks import FaceObservation
from cravo.core.finders.pieces import Piece
from cravo.core.footage.picture import Box, Picture
from cravo.core.mattes.matte import Matte
from cravo.core.parts.observation import Thing
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.review import SURE, Cover, Gap, ReviewFlag, States, states

P = TypeVar("P", bound=PartBase)
# The opacity that a grey clip shows on one of its frames, at a size (width, height); None beyond its ends.
Films = Callable[[str, int, tuple[int, int]], NDArray[np.float32] | None]
# The untreated picture of a source frame of the shot, at a size.
Pictures = Callable[[int, tuple[int, int]], Picture]
Frames = Iterator[tuple[int, NDArray[np.uint8]]]  # RGB pictures of a clip with their numbers


@dataclass(frozen=True)
class Footage:
    """What a matte may look at of clips."""

    pictures: Pictures
    films: Films


@dataclass(frozen=True)
class PartView:
    """Where a matte is wanted: a frame of a shot, in a picture whose pixels are `pixel` source pixels wide."""

    shot: Shot
    frame: int
    whole: Box
    pixel: float
    results: Results
    footage: Footage

    def at(self, frame: int) -> PartView:
        return replace(self, frame=frame)


class SecondSearch(Protocol):
    """Searches pictures that pass by, so that a clip is decoded once for every search."""

    def watching(self, pictures: Frames) -> Frames:
        """The same pictures, looked at on their way."""

    @property
    def count(self) -> int:
        """How many were found."""

    def check(
        self, shot: Shot, part: Any, size: tuple[int, int], cover: Cover, results: Results
    ) -> tuple[list[Gap], int]:
        """What a part of a shot should cover and does not, and how many are open by choice."""


class PartKind(Generic[P]):
    """What is done with the parts of one kind. What is not said here is so for parts that are simply there."""

    model: ClassVar[type[PartBase]]
    refusal: ClassVar[str] = "This part is not placed by hand."
    cleans_edges: ClassVar[bool] = False  # colours of what goes are taken off the edge of what stays
    covers_faces: ClassVar[bool] = False  # it stands for everybody's face
    # What a user can have found in a shot, by its name: how the part that stands for it begins.
    finds: ClassVar[Mapping[str, Callable[[Shot, CombineMode], PartBase]]] = {}

    def matte(self, part: P, view: PartView) -> Matte:
        """What it covers on a frame, turned round where it is inverted, before its opacity."""
        raise NotImplementedError

    def shapes(self, part: P, shot: Shot, frame: int, results: Results) -> list[ShapePart] | None:
        """The shapes of which it is made on a frame, each hidden by its own measure; None where it is one whole."""
        return None

    def states(self, part: P, shot: Shot, results: Results) -> States:
        """How well each frame of the shot is known."""
        return states(shot, SURE)

    def flags(self, part: P, shot: Shot, region: Region, results: Results) -> list[ReviewFlag]:
        """What somebody should look at."""
        return []

    def missing(self, part: P, shot: Shot, results: Results) -> list[int]:
        """The frames of the shot for which what it needs was never made."""
        return []

    def result_keys(self, part: P, shot: Shot) -> list[str]:
        """The addresses of the results that it is made of."""
        return []

    def faces(self, part: P, shot: Shot, results: Results) -> dict[str, tuple[Mapping[int, FaceObservation], bool]]:
        """Faces that it stands for, by name: where they are, and whether they are to be covered."""
        return {}

    def second_search(self, shot: Shot) -> SecondSearch | None:
        """Another search of the source, by which a proof checks what parts of this kind cover; None where there is none."""
        return None

    def remarks(self, part: P) -> list[str]:
        """What could still tell who somebody is, though all is covered as it is meant to be."""
        return []

    def things(self, part: P, shot: Shot, results: Results) -> list[Thing] | None:
        """What was found for it, the largest first; None before the shot was searched, or where nothing is searched."""
        return None

    def label(self, part: P) -> str:
        """What a report says of it."""
        return part.kind

    def relink(self, part: P, medium: str, to: str) -> None:
        """Put another clip in the place of one that it uses beside its shot's."""


class SearchedKind(PartKind[P]):
    """A kind for which a whole shot is searched as one piece of work."""

    noun: ClassVar[str]  # of what is found, as a user is told

    def search(
        self, part: P, shot: Shot, frames: Frames, begins: Collection[int], results: Results, progress: Progress
    ) -> None:
        """Search the source frames of `span`, and keep what is found; shots within the clip begin on the frames `begins`."""
        raise NotImplementedError

    def span(self, part: P, shot: Shot) -> tuple[int, int]:
        """The frames that are searched: the shot's, or more where it was longer once."""
        raise NotImplementedError

    def join(self, part: P, shot: Shot, pieces: Sequence[Piece], results: Results) -> None:
        """Keep what all pieces of a search found as what the whole found."""
        raise NotImplementedError


def in_piece(part: P, shot: Shot, piece: Piece) -> tuple[P, Shot]:
    """A part and its shot, of which nothing but a piece is searched."""
    return part.model_copy(update={"searched": None}), shot.model_copy(
        update={"first": piece.start, "last": piece.stop}
    )


AnyKind = PartKind[Any]
