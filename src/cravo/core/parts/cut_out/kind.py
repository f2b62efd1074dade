"""Cut-outs: what strokes mean, propagated over time."""

from __future__ import annotations

from collections.abc import Callable

from cravo.core.cutout.frame_mattes import SURE as SURE_ENOUGH
from cravo.core.cutout.frame_mattes import keys
from cravo.core.document import CombineMode, Region, Shot
from cravo.core.document.parts.cut_out import CutOut, SubjectKind
from cravo.core.mattes.matte import NOTHING, Matte, in_picture
from cravo.core.parts.kind import PartKind, PartView
from cravo.core.results import Results
from cravo.core.review import EMPTY, GUESS, SET, SURE, ReviewFlag, States, states, stretches
from cravo.core.timing import SourceFrame


def _unasked(name: str, sort: SubjectKind) -> Callable[[Shot, CombineMode], CutOut]:
    return lambda shot, how: CutOut(name=name, how=how, sort=sort, span=(shot.first, shot.last))


class CutOutKind(PartKind[CutOut]):
    model = CutOut
    refusal = "A cut-out is not placed by hand. Draw a stroke where it is wrong."
    cleans_edges = True
    finds = {"people": _unasked("Everyone", "everyone"), "sky": _unasked("Sky", "sky")}

    def matte(self, part: CutOut, view: PartView) -> Matte:
        """What it covers; nothing where it has not been propagated to."""
        found = view.results.matte(view.shot, part, view.frame)
        if found is None:
            return NOTHING
        box = view.whole
        if not part.invert:
            box = in_picture(found.box, view.pixel).even().within(box.right, box.bottom)
        if box.empty:
            return NOTHING
        matte = Matte(box, found.seen(box, view.pixel))
        return matte.inverted() if part.invert else matte

    def states(self, part: CutOut, shot: Shot, results: Results) -> States:
        marks = results.marks(shot, part)
        by_hand = (frame for frame in part.keyed_frames() if frame in marks)
        provisional = (frame for frame, mark in marks.items() if mark.provisional)
        return states(shot, EMPTY, (SURE, marks), (SET, by_hand), (GUESS, provisional))

    def flags(self, part: CutOut, shot: Shot, region: Region, results: Results) -> list[ReviewFlag]:
        """Where it is unsure; frames with strokes or a lock were looked at."""
        marks = results.marks(shot, part)
        looked_at = set(part.keyed_frames()) | set(part.locked)
        weak = [
            frame
            for frame in sorted(marks)
            if shot.first <= frame <= shot.last
            and (frame not in looked_at or marks[frame].provisional)
            and marks[frame].confidence < SURE_ENOUGH
        ]
        found = []
        for first, last in stretches(weak):
            worst = min(range(first, last + 1), key=lambda f: marks[f].confidence)
            reason, risk = " ".join(marks[worst].reasons), 1 - marks[worst].confidence
            found.append(
                ReviewFlag(region=region.id, frame=SourceFrame(worst), first=first, last=last, reason=reason, risk=risk)
            )
        return found

    def missing(self, part: CutOut, shot: Shot, results: Results) -> list[int]:
        marks = results.marks(shot, part)
        frames = range(shot.first, shot.last + 1)
        return [frame for frame in frames if frame not in marks or marks[frame].provisional]

    def result_keys(self, part: CutOut, shot: Shot) -> list[str]:
        return sorted(keys(shot, part))

    def label(self, part: CutOut) -> str:
        return f"cut-out ({part.sort})"


KIND = CutOutKind()
