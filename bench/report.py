"""Running measurements and printing them: a table for people, one flat JSON object for programs."""

from __future__ import annotations

import json
import os
import platform
import re
import subprocess
import sys
from dataclasses import asdict, dataclass
from datetime import UTC, datetime
from importlib import import_module
from pathlib import Path

from bench.demo import drawn
from bench.memory import peak
from cravo.core.files import write

MOST_MEMORY = 3072  # MiB that a group may take


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


def groups(name: str) -> list[str]:
    """The measurements of `eval` or `bench`, a module each: bench/eval_*.py, bench/bench_*.py."""
    return sorted(path.stem.removeprefix(f"{name}_") for path in Path(__file__).parent.glob(f"{name}_*.py"))


def run(name: str, only: str, as_json: bool) -> Measures:
    """Take and print every measurement whose group's name contains `only`, each group in a process of its own.

    One that fails is absent, and said; what one leaves in memory is no burden for the next.
    """
    drawn()  # all at once, which takes less long than one after the other
    found: Measures = {}
    most = 0.0
    for group in groups(name):
        if only in group:
            print(f"measuring {group} ...", file=sys.stderr, flush=True)
            measures, took = _apart(name, group)
            found |= measures
            most = max(most, took)
    if most:
        found[f"{name}.memory_mib"] = Measure(most, "MiB", MOST_MEMORY, low=True)
    print(shown(found, as_json))
    return found


def _apart(name: str, group: str) -> tuple[Measures, float]:
    """The measures of a group, and the most memory that they took."""
    code = f"from bench.report import one; one({name!r}, {group!r})"
    done = subprocess.run(
        [sys.executable, "-c", code], cwd=Path(__file__).parents[1], stdout=subprocess.PIPE, text=True
    )
    if done.returncode:
        print(f"{group} could not be measured", file=sys.stderr)
        return {}, 0.0
    said = json.loads(done.stdout.splitlines()[-1])
    return {key: Measure(**values) for key, values in said["measures"].items()}, said["memory"]


def one(name: str, group: str) -> None:
    """In a process of its own: take the measurements of a group, and say them as the last line."""
    measures = import_module(f"bench.{name}_{group}").measure()
    print(json.dumps({"measures": {key: asdict(value) for key, value in measures.items()}, "memory": peak()}))


def write_figures(found: Measures, command: str, path: Path) -> None:
    """Put a table into a page of figures, in the place of the one that the same command made before."""
    title = f"## `{command}`"
    day, where = datetime.now(UTC).strftime("%Y-%m-%d"), _machine()
    rows = [
        f"| {key} | {one.value:.4g} {one.unit} | {'' if one.target is None else ('≤ ' if one.low else '≥ ') + f'{one.target:g}'} | "
        f"{ {None: '', True: 'met', False: '**missed**'}[one.met] } |"
        for key, one in found.items()
    ]
    table = [title, "", f"{day}, {where}.", "", "| measure | value | target | |", "|---|---|---|---|", *rows, ""]
    text = path.read_text() if path.is_file() else "# Figures\n"
    sections = re.split(r"^(?=## )", text, flags=re.M)
    kept = [one.rstrip() + "\n" for one in sections if not one.startswith(f"{title}\n")]
    write(path, "\n".join([*kept, "\n".join(table)]))


def _machine() -> str:
    """What was measured on, in a few words."""
    lines = Path("/proc/cpuinfo").read_text().splitlines() if Path("/proc/cpuinfo").is_file() else []
    model = next((line.split(":", 1)[1].strip() for line in lines if line.startswith("model name")), platform.machine())
    memory = os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES") / (1 << 30)
    return f"{os.cpu_count()} cores ({model}), {memory:.0f} GiB, Python {platform.python_version()}"


def shown(found: Measures, as_json: bool) -> str:
    return _json(found) if as_json else _table(found)


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
