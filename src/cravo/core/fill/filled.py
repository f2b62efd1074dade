"""What is kept of a fill: the plates of a shot, how they lie in its frames, and what made them."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from cravo.core.document import Look, Region, Shot, digest
from cravo.core.fill.clip import FilledClip, Glance
from cravo.core.fill.laying import FrameFill
from cravo.core.fill.movement import Step
from cravo.core.fill.plate import FlatView, Plate

FILLER = 1  # raised when the answers change, so that old plates are not mixed in
LOOK = "fill"


@dataclass(frozen=True)
class Fill:
    """Plates with the frames they serve, from the first to the last of `span`; `glances` and `steps` are what the first
    look at each frame told."""

    plates: tuple[Plate, ...] = ()
    frames: Mapping[int, FrameFill] = field(default_factory=dict)
    glances: Mapping[int, Glance] = field(default_factory=dict)
    steps: Mapping[int, Step] = field(default_factory=dict)
    span: tuple[int, int] = (0, -1)

    @property
    def whole(self) -> bool:
        """Whether every frame of its span is filled."""
        return bool(self.frames) and all(frame in self.frames for frame in range(self.span[0], self.span[1] + 1))


def fill_look(region: Region) -> Look | None:
    """The look of a region that fills it, where one is on."""
    return next((look for look in region.inside if look.kind == LOOK and look.on), None)


def fill_key(shot: Shot, region: Region) -> str | None:
    """The name of what fills a region: exactly what affects it; None where no look fills it."""
    look = fill_look(region)
    if look is None:
        return None
    moves = {getattr(part, "attached_to", None) for part in region.parts}
    motions = [one.model_dump(mode="json", exclude={"name", "span"}) for one in shot.motions if one.id in moves]
    parts = [part.model_dump(mode="json", exclude={"name"}) for part in region.parts]
    settings = [look.model_dump(mode="json")["settings"].get(name) for name in ("what", "grow", "shadow")]
    sphere = [] if shot.sphere is None else ["on a sphere"]
    edge = region.edge.model_dump(mode="json")
    return digest("fill", FILLER, shot.medium, parts, motions, edge, settings, *sphere)


def joined(fills: Sequence[Fill], span: tuple[int, int]) -> Fill:
    """Fills of several stretches of a shot as one."""
    found = Fill(span=span)
    for one in fills:
        found = Fill(
            found.plates + one.plates, {**found.frames, **one.frames}, {**found.glances, **one.glances},
            {**found.steps, **one.steps}, span,
        )  # fmt: skip
    return found


def known_of(fill: Fill, clip: FilledClip, view: FlatView | None) -> Fill:
    """What is known of a stretch of it; nothing where that was seen along another view."""
    plates = tuple(plate for plate in fill.plates if plate.view == view and plate.at in clip.frames)
    if view is not None and not plates:
        return Fill()
    frames, glances, steps = (
        {frame: one for frame, one in every.items() if frame in clip.frames}
        for every in (fill.frames, fill.glances, fill.steps)
    )
    return Fill(plates, frames, glances, steps, (clip.first, clip.last))  # type: ignore[arg-type]


def unfilled(shot: Shot, fill: Fill | None) -> list[int]:
    """The frames of a shot that are not filled."""
    frames = range(shot.first, shot.last + 1)
    return [frame for frame in frames if fill is None or frame not in fill.frames]


def fill_line(shot: Shot, region: Region) -> str:
    """What stays the same when a region is changed: under it the fill from before is found."""
    return digest("filled", shot.medium, region.id)
