"""A second project of the demo: what skies and layers are for, set up over its clips, to be cut out and followed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path

from cravo.core import arrange, behind
from cravo.core.commands import find_cut_out
from cravo.core.document import (
    CutOut,
    Light,
    MediumRef,
    Motion,
    Placing,
    Project,
    Region,
    Shot,
    Stroke,
    Title,
    of_model,
)
from cravo.core.recipes import built_in, fresh
from cravo.core.timing import Media
from cravo.demo.make import truth_of

CLIPS = ("roofs", "dusk", "platform", "conductor")  # that it is made of
BODY = 4.5  # of a face's half height, that a line down somebody goes below it


def showpiece(clips: Mapping[str, Path], refs: Mapping[str, MediumRef], media: Media) -> Project:
    """The roofs at dusk, under another sky, a title behind a visitor, the conductor before another background."""
    project = Project(name="Evening at Ostrelle")
    for name in ("roofs", "roofs", "platform", "conductor"):
        arrange.add_shot(project, refs[name], media(refs[name].id).facts, media)
    dusk, other, visitor, conductor = list(project.shots())
    _at_dusk(dusk)
    behind.exchange_sky(project, other.id, _sky(other).id, refs["dusk"], media)

    region = _cut_out(visitor, "Visitor", _down(clips["platform"], "visitor", 75))
    behind.text_behind(project, visitor.id, region.id, media)
    title = next(one for one in project.items() if isinstance(one, Title))
    title.text, title.size, title.place, title.fade_in = "OPEN DAY", 330.0, Placing(y=40), 15

    region = _cut_out(conductor, "Conductor", _down(clips["conductor"], "conductor", 40))
    find_cut_out(conductor, region.parts[0].id).fine = True
    beneath = behind.filling(project, conductor, refs["dusk"], media)
    behind.replace_behind(project, conductor.id, region.id, media, beneath)
    conductor.light = Light(match=0.5)
    return project


def to_be_done(project: Project) -> Iterator[tuple[Shot, CutOut | Motion]]:
    """What is to be cut out and followed of it; copies of a shot show what is found for the shot itself."""
    known: set[str] = set()
    for shot in project.shots():
        parts = [of_model(part, CutOut) for region in shot.regions for part in region.parts]
        for part in (part for part in parts if part is not None):
            what = f"{shot.medium} {part.sort} {[stroke.points for stroke in part.strokes]}"
            if what not in known:
                known.add(what)
                yield shot, part
        yield from ((shot, motion) for motion in shot.motions)


def _sky(shot: Shot) -> Region:
    region = Region(name="Sky", parts=[CutOut(name="Sky", sort="sky", span=(shot.first, shot.last))])
    shot.regions.append(region)
    return region


def _at_dusk(shot: Shot) -> None:
    region, (recipe,) = _sky(shot), built_in()["dusk"].regions
    region.edge = recipe.edge or region.edge
    region.inside, region.outside = [*map(fresh, recipe.inside)], [*map(fresh, recipe.outside)]


def _cut_out(shot: Shot, name: str, stroke: Stroke) -> Region:
    region = Region(name=name, parts=[CutOut(sort="person", strokes=[stroke], span=(shot.first, shot.last))])
    shot.regions.append(region)
    return region


def _down(clip: Path, who: str, frame: int) -> Stroke:
    """A line from somebody's brow down the body."""
    x, y, _, tall, _ = truth_of(clip)[frame]["faces"][who]["oval"]
    return Stroke(frame=frame, points=[(x, y - 0.3 * tall), (x, y + tall), (x, y + BODY * tall)], width=12)
