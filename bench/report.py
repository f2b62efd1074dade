"""Running measurements and printing them: a table for people, one flat JSON object for programs."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path

from bench.demo import drawn


@dataclass(frozen=True)
class Measure:
    """A measured value beside its target; `low` where smaller is better."""

    value: float
    unit: str
    target: float | None = None
    low: bool = False

    @property
    def met(self) -> bool | None:
        if self.target is None:
            return None
        return self.value <= self.target if self.low else self.value >= self.target


Measures = dict[str, Measure]


def groups(name: str) -> dict[str, Callable[[], Measures]]:
    """The measurements of `eval` or `bench`, a module each: bench/eval_*.py, bench/bench_*.py."""
    modules = sorted(path.stem for path in Path(__file__).parent.glob(f"{name}_*.py"))
    return {module.removeprefix(f"{name}_"): import_module(f"bench.{module}").measure for module in modules}


def run(name: str, only: str, as_json: bool) -> None:
    """Take every measurement whose group's name contains `only`; a failed one is absent, and said."""
    drawn()  # all at once, which takes less long than one after the other
    found: Measures = {}
    for group, measure in groups(name).items():
        if only in group:
            print(f"measuring {group} ...", file=sys.stderr, flush=True)
            found |= measure()
    print(_json(found) if as_json else _table(found))


def _json(found: Measures) -> str:
    content = {}
    for key, one in found.items():
        content[key] = {"value": round(one.value, 5), "unit": one.unit}
        if one.target is not None:
            content[key]["target"] = one.target
    return json.dumps(content, indent=1)


def _table(found: Measures) -> str:
    lines = [f"{'measure':40} {'value':>10} {'unit':16} {'target':>10}"]
    for key, one in found.items():
        target = "" if one.target is None else f"{'<=' if one.low else '>='} {one.target:g}"
        mark = {None: "", True: "met", False: "MISSED"}[one.met]
        lines.append(f"{key:40} {one.value:10.4g} {one.unit:16} {target:>10}  {mark}")
    return "\n".join(lines)
