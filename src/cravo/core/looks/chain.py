"""Several looks one after the other."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import groupby
from pathlib import Path
from threading import Lock

import numpy as np
from cachetools import LRUCache

from cravo.core.document import Look
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Picture
from cravo.core.grading.tables import Table, applied, chained, compiled
from cravo.core.keyframes import value_at
from cravo.core.looks import kind_of, values_at
from cravo.core.looks.kind import Kind, Site, Values
from cravo.core.mattes.blend import lay_evenly
from cravo.core.ocio import Grade

TABLES = 12  # kept
Open = Callable[[str], Path]


@dataclass(frozen=True)
class Step:
    """A look as it is on one frame."""

    kind: Kind
    values: Values
    strength: float
    name: str

    @property
    def key(self) -> str:
        return json.dumps([self.name, self.values, self.strength], default=np.ndarray.tolist)


def steps_at(looks: Sequence[Look], frame: int) -> list[Step]:
    """The looks that do something on a frame."""
    return [
        Step(kind_of(look), values_at(look, frame), min(value_at(look.strength, frame), 1.0), look.kind)
        for look in acting(looks, frame)
    ]


def acting(looks: Sequence[Look], frame: int) -> list[Look]:
    """The same, as the document has them."""
    return [look for look in looks if look.on and value_at(look.strength, frame) > 0]


def reach(steps: Sequence[Step], site: Site) -> float:
    """How many source pixels around an area affect it."""
    return sum(step.kind.reach(step.values, site) for step in steps)


def treated(picture: Picture, steps: Sequence[Step], site: Site) -> Picture:
    """The picture after all of the steps; it shows `site.box`. Planes that no step changes are shared."""
    for graded, group in groupby(steps, lambda step: step.kind.grade is not None):
        if graded:
            picture = applied(_table(tuple(group), picture.colour, site.path), picture)
            continue
        for step in group:
            assert step.kind.apply is not None
            new = step.kind.apply(picture, step.values, site)
            if step.strength < 1 and new is not picture:
                mixed = picture.copy() if new.a is None else picture.copy().with_opacity()
                lay_evenly(mixed, new, step.strength)
                new = mixed
            picture = new
    return picture


def graded(steps: Sequence[Step], path: Open) -> Grade:
    """What those steps that treat each colour on its own do to R'G'B', exactly."""
    return chained([(step.kind.grade(step.values, path), step.strength) for step in steps if step.kind.grade])


_tables: LRUCache[tuple[object, ...], Table] = LRUCache(TABLES)
_lock = Lock()


def _table(steps: tuple[Step, ...], colour: Colour, path: Open) -> Table:
    key = (colour, *(step.key for step in steps))
    with _lock:
        found = _tables.get(key)
    if found is not None:
        return found
    table = compiled(graded(steps, path), colour)
    with _lock:
        _tables[key] = table
    return table
