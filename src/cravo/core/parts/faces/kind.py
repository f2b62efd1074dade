"""The faces of a shot: found, put right by hand, chosen, covered one by one."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from itertools import combinations

from cravo.core.document import Region, ShapePart, Shot
from cravo.core.document.parts.faces import Faces
from cravo.core.finders.face_tracks import FaceObservation, arrays_of, between_faces, lie_on, meetings
from cravo.core.finders.faces_around import find_faces_around
from cravo.core.finders.found import covers, faces_key, people, searched, wanted
from cravo.core.finders.pieces import Piece, joined
from cravo.core.finders.tracks import find, numbered
from cravo.core.mattes.matte import Matte
from cravo.core.parts.around import upright
from cravo.core.parts.kind import Frames, PartView, SearchedKind, in_piece
from cravo.core.parts.observation import Thing
from cravo.core.parts.shapes import covered_by
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.review import EMPTY, GUESS, SET, SURE, ReviewFlag, States, Whereabouts, guessed, states, stretches
from cravo.core.timing import SourceFrame

CROSSES = 0.3  # overlap of two faces


class FacesKind(SearchedKind[Faces]):
    model = Faces
    refusal = "What was found is chosen and set right in its list."
    noun = "faces"
    covers_faces = True
    finds = {"faces": lambda shot, how: Faces(how=how)}

    def matte(self, part: Faces, view: PartView) -> Matte:
        return covered_by(self.shapes(part, view.shot, view.frame, view.results), part.invert, view)

    def shapes(self, part: Faces, shot: Shot, frame: int, results: Results) -> list[ShapePart]:
        shapes = list(covers(part, results.faces(shot, part) or (), frame))
        return shapes if shot.sphere is None else [upright(shape, shot) for shape in shapes]

    def states(self, part: Faces, shot: Shot, results: Results) -> States:
        """Where nobody is there nothing is missing."""
        found = results.faces(shot, part)
        if found is None:
            return states(shot, EMPTY)
        every = [arrays_of(seen) for name, seen in people(part, found).items() if part.chooses(name)]
        by_hand = [(SET, one.of("set")) for one in every]
        return states(shot, SURE, *by_hand, *((GUESS, one.of("guessed")) for one in every))

    def flags(self, part: Faces, shot: Shot, region: Region, results: Results) -> list[ReviewFlag]:
        """Where somebody chosen is guessed at, or two come so near to each other that they may have been taken for each other."""
        found = people(part, results.faces(shot, part) or ())
        every = {name: seen for name, seen in found.items() if part.chooses(name)}
        points = []
        for name, seen in every.items():
            for first, last in stretches(arrays_of(seen).of("guessed")):
                reason = f"Face {name} is not seen here: it goes on as it went, or between where it was seen."
                points.append(guessed(region.id, first, last, reason))
                points[-1].place = _place(seen, points[-1].frame)
        for (name, one), (other, two) in combinations(every.items(), 2):
            for first, last in stretches(meetings(arrays_of(one), arrays_of(two), CROSSES)):
                reason = f"Faces {name} and {other} cross here: they may have been taken for each other."
                middle = SourceFrame((first + last) // 2)
                flag = ReviewFlag(region=region.id, frame=middle, first=first, last=last, reason=reason, risk=0.6)
                flag.place = _place(one, middle)
                points.append(flag)
        return points

    def missing(self, part: Faces, shot: Shot, results: Results) -> list[int]:
        return [] if results.faces(shot, part) is not None else list(range(shot.first, shot.last + 1))

    def result_keys(self, part: Faces, shot: Shot) -> list[str]:
        return [faces_key(shot, part)]

    def faces(self, part: Faces, shot: Shot, results: Results) -> dict[str, tuple[Mapping[int, FaceObservation], bool]]:
        found = people(part, results.faces(shot, part) or ())
        return {name: (seen, part.chooses(name)) for name, seen in found.items()}

    def remarks(self, part: Faces) -> list[str]:
        if part.covers not in ("eyes", "mouth"):
            return []
        what = "eyes are" if part.covers == "eyes" else "mouth is"
        return [f"only the {what} covered. Nobody is unknown by that alone."]

    def things(self, part: Faces, shot: Shot, results: Results) -> list[Thing] | None:
        found, locked = results.faces(shot, part), {one.track for one in part.locked}
        if found is None:
            return None
        return [
            Thing(name, "", max(2 * one.oval.rx for one in seen.values()), seen, part.chooses(name), name in locked)
            for name, seen in people(part, found).items()
        ]

    def label(self, part: Faces) -> str:
        return (
            f"faces ({part.choice}; sure from {part.sure:g}, smallest {part.smallest:g} px; the {part.covers},"
            f" margin {part.margin:g} px)"
        )

    def search(
        self, part: Faces, shot: Shot, frames: Frames, begins: Collection[int], results: Results, progress: Progress
    ) -> None:
        span, settings = self.span(part, shot), wanted(part)
        if shot.sphere is None:
            found = find(frames, *span, settings, progress, begins)
        else:
            found = find_faces_around(frames, shot.sphere, *span, settings, progress, begins)
        results.put_faces(shot.medium, faces_key(shot, part), found)

    def span(self, part: Faces, shot: Shot) -> tuple[int, int]:
        return searched(shot, part)

    def join(self, part: Faces, shot: Shot, pieces: Sequence[Piece], results: Results) -> None:
        found = []
        for piece in pieces:
            own, within = in_piece(part, shot, piece)
            found.append(results.faces(within, own) or ())
        people = joined(pieces, found, lie_on, between_faces)
        results.put_faces(shot.medium, faces_key(shot, part), numbered([one.seen for one in people]))


def _place(seen: Mapping[int, FaceObservation], frame: int) -> Whereabouts:
    oval = seen[frame].oval
    return Whereabouts(frame=frame, x=oval.x, y=oval.y, rx=oval.rx, ry=oval.ry, roll=oval.roll)


KIND = FacesKind()
