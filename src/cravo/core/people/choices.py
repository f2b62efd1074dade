"""What is done with whom, written into the parts of faces that cover them."""

from __future__ import annotations

from typing import Literal

from cravo.core.document import Faces, Project, TrackKey, of_model


def settle(project: Project) -> None:
    """Make every part of faces cover whom it should.

    Faces that nobody knows stay as they were chosen in their shot, unless that does not go with what is done with the
    unknown. Where those are hidden a part covers all but some, so that whoever turns up later is hidden, too.
    """
    known: dict[TrackKey, bool] = {
        seen.key: project.people.hidden(one, seen) for one, seen in project.people.appearances()
    }
    named = {key[:2] for key in known}
    wanted: Literal["all but", "only"] = "all but" if project.people.unknown_hidden else "only"
    for shot in project.shots():
        for part in (of_model(one, Faces) for region in shot.regions for one in region.parts):
            if part is None or ((shot.id, part.id) not in named and wanted == "all but"):
                continue
            here = {track: hidden for (of, at, track), hidden in known.items() if (of, at) == (shot.id, part.id)}
            others = [name for name in part.chosen if name not in here and part.choice == wanted]
            named_here = [track for track, hidden in here.items() if hidden == (wanted == "only")]
            part.choice, part.chosen = wanted, sorted({*others, *named_here})
            if wanted == "all but" and not part.chosen:
                part.choice = "all"
