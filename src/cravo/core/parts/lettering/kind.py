"""The lettering of a shot: lines of text, found, chosen, covered one by one."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from cravo.core.document import Region, ShapePart, Shot
from cravo.core.document.parts.lettering import Lettering
from cravo.core.finders.found import covers_of_lines, lines_of, searched, signs_key
from cravo.core.finders.lettering import Line, Pixels, search_lines
from cravo.core.finders.pieces import Piece
from cravo.core.finders.signs import find_signs, joined_signs
from cravo.core.finders.signs_around import find_signs_around
from cravo.core.mattes.matte import Matte
from cravo.core.parts.kind import Frames, PartView, SearchedKind, SecondSearch, in_piece
from cravo.core.parts.lettering.again import LinesAgain
from cravo.core.parts.observation import Thing
from cravo.core.parts.shapes import covered_by
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.review import EMPTY, GUESS, SURE, ReviewFlag, States, guessed, states, stretches


class LetteringKind(SearchedKind[Lettering]):
    model = Lettering
    refusal = "What was found is chosen and set right in its list."
    noun = "lettering"
    one = "Line"
    finds = {"lettering": lambda shot, how: Lettering(how=how)}

    def look(self, picture: Pixels, sure: float, finer: float) -> list[Line]:
        """The lines of one picture."""
        return search_lines(picture, sure, finer)

    def matte(self, part: Lettering, view: PartView) -> Matte:
        return covered_by(self.shapes(part, view.shot, view.frame, view.results), part.invert, view)

    def shapes(self, part: Lettering, shot: Shot, frame: int, results: Results) -> list[ShapePart]:
        return list(covers_of_lines(part, results.lines(shot, part) or (), frame, shot.sphere))

    def states(self, part: Lettering, shot: Shot, results: Results) -> States:
        """Where there are no lines nothing is missing."""
        found = results.lines(shot, part)
        if found is None:
            return states(shot, EMPTY)
        seen = (track.seen.items() for track in lines_of(part, found))
        return states(shot, SURE, (GUESS, (frame for one in seen for frame, line in one if line.how == "guessed")))

    def flags(self, part: Lettering, shot: Shot, region: Region, results: Results) -> list[ReviewFlag]:
        """Where a line is guessed at."""
        points = []
        for track in lines_of(part, results.lines(shot, part) or ()):
            for first, last in stretches(f for f, one in track.seen.items() if one.how == "guessed"):
                reason = f"{self.one} {track.number} ({track.words}) is not followed here: it stays where it was."
                points.append(guessed(region.id, first, last, reason))
        return points

    def missing(self, part: Lettering, shot: Shot, results: Results) -> list[int]:
        return [] if results.lines(shot, part) is not None else list(range(shot.first, shot.last + 1))

    def result_keys(self, part: Lettering, shot: Shot) -> list[str]:
        return [signs_key(shot, part)]

    def second_search(self, shot: Shot) -> SecondSearch | None:
        return LinesAgain(shot.first, shot.last, self.look)

    def things(self, part: Lettering, shot: Shot, results: Results) -> list[Thing] | None:
        found = results.lines(shot, part)
        if found is None:
            return None
        covered = {track.number for track in lines_of(part, found)}
        return [
            Thing(str(track.number), track.words, track.height, track.seen, track.number in covered) for track in found
        ]

    def label(self, part: Lettering) -> str:
        words = f", with the words {part.words}" if part.words else ""
        return f"{self.noun} ({part.choice}, from {part.smallest:g} px{words}; margin {part.margin:g} px)"

    def search(
        self, part: Lettering, shot: Shot, frames: Frames, begins: Collection[int], results: Results, progress: Progress
    ) -> None:
        span = self.span(part, shot)
        if shot.sphere is None:
            found = find_signs(frames, *span, progress, self.look, begins)
        else:
            found = find_signs_around(frames, shot.sphere, *span, progress, self.look, begins)
        results.put_lines(shot.medium, signs_key(shot, part), found)

    def span(self, part: Lettering, shot: Shot) -> tuple[int, int]:
        return searched(shot, part)

    def join(self, part: Lettering, shot: Shot, pieces: Sequence[Piece], results: Results) -> None:
        found = []
        for piece in pieces:
            own, within = in_piece(part, shot, piece)
            found.append(results.lines(within, own) or ())
        results.put_lines(shot.medium, signs_key(shot, part), joined_signs(pieces, found))


KIND = LetteringKind()
