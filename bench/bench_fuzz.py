"""The API asked from its own contract, with what fits it and with what does not, for ten minutes (CRAVO_FUZZ_SECONDS).

Half of the bodies are made worse: nested deep, huge and tiny numbers, NaN, characters that cannot be kept. Names of what a
real project has are put in, so that requests get past *not found*. Needs the packages of the tests (schemathesis).
"""

from __future__ import annotations

import json
import os
import random
import sys
import urllib.error
import urllib.parse
import urllib.request
from collections import Counter
from importlib.util import find_spec
from pathlib import Path
from time import monotonic
from typing import Any

from bench.demo import clip
from bench.report import Measure, Measures
from bench.running import ask, running, upload

SECONDS = 600
EXAMPLES = 12  # of an operation in one round
WORSE: list[Any] = [
    10**12, -(10**12), 10**400, 1e308, -1e308, 5e-324, float("nan"), float("inf"), 0, -1, "", "a\x00b", "\ud800", "x" * 100_000,
    None, [], {}, True, [[[[[[0]]]]]], "../../etc/passwd", "٣", "<svg/>",
]  # fmt: skip
ID_FIELDS = ("shot", "region", "part", "motion", "medium", "look", "layer", "stroke", "to", "over")


def measure() -> Measures:
    if find_spec("schemathesis") is None:
        print("the API is not fuzzed: ./cravo test installs what that needs", file=sys.stderr)
        return {}
    film = clip("conductor").path  # found before another data folder is used
    with running() as address:
        pid = json.loads((Path(os.environ["CRAVO_DATA"]) / "running.json").read_text())["processes"]["api"]["pid"]
        fuzz = _Fuzz(address, film)
        fuzz.round(monotonic() + 60)  # everything is loaded, caches are as full as they get
        before = _resident(pid)
        fuzz.round(monotonic() + float(os.environ.get("CRAVO_FUZZ_SECONDS", SECONDS)))
        growth = _resident(pid) - before
    print(f"answers: {dict(fuzz.answers)}", file=sys.stderr)
    for fault in fuzz.faults[:20]:
        print(f"server error: {fault}", file=sys.stderr)
    return {
        "fuzz.requests": Measure(sum(fuzz.answers.values()), "requests"),
        "fuzz.server_errors": Measure(len(fuzz.faults), "answers", 0, low=True),
        "fuzz.memory_growth_mib": Measure(growth, "MiB", 100, low=True),
    }


class _Fuzz:
    def __init__(self, address: str, film: Path) -> None:
        self._address, self._film = address, film
        self._medium = upload(address, film)
        self._random = random.Random(7)
        self._strategies: list[Any] = []
        self._project, self._ids = "", dict[str, list[str]]()
        self.answers: Counter[int] = Counter()
        self.faults: list[str] = []

    def round(self, until: float) -> None:
        """Ask every operation of the contract, again and again."""
        import schemathesis
        from hypothesis import HealthCheck, Phase, given, settings

        if not self._strategies:  # making them takes longer than asking
            schema = schemathesis.openapi.from_url(f"{self._address}/openapi.json")
            self._strategies = [found.ok().as_strategy() for found in schema.get_all_operations()]  # type: ignore[union-attr]
        while monotonic() < until:
            for strategy in self._random.sample(self._strategies, len(self._strategies)):
                if monotonic() > until:
                    return
                self._renew()

                @settings(
                    max_examples=EXAMPLES, database=None, deadline=None, phases=[Phase.generate],
                    suppress_health_check=list(HealthCheck),
                )  # fmt: skip
                @given(case=strategy)
                def tried(case: Any) -> None:
                    self._ask(case)

                tried()

    def _renew(self) -> None:
        """A project with a region, made anew: what was done to the last one does not matter."""
        if self._project:
            self._send("DELETE", f"/api/projects/{self._project}", None)
            if not any(one["id"] == self._medium for one in json.loads(ask(self._address, "/api/media"))):
                self._medium = upload(self._address, self._film)
        state = json.loads(ask(self._address, "/api/projects", {"name": "fuzz", "media": [self._medium]}))
        shot = state["document"]["layers"][0]["items"][0]["id"]
        part = {"kind": "ellipse", "x": 800, "y": 400, "rx": 90, "ry": 120}
        edit = {"do": "new region", "shot": shot, "frame": 3, "part": part}
        body = {"seen": state["revision"], "edit": edit}
        state = json.loads(ask(self._address, f"/api/projects/{state['id']}/changes", body))
        region = state["document"]["layers"][0]["items"][0]["regions"][0]
        self._project = state["id"]
        self._ids = {
            "shot": [shot], "region": [region["id"]], "part": [region["parts"][0]["id"]], "medium": [self._medium],
            "layer": [state["document"]["layers"][0]["id"]], "to": [self._medium], "over": [shot],
        }  # fmt: skip

    def _ask(self, case: Any) -> None:
        path = case.path
        for name, value in (case.path_parameters or {}).items():
            known = [self._project] if name == "project" else self._ids.get(name)
            given = known[0] if known and self._random.random() < 0.9 else value
            path = path.replace("{" + name + "}", urllib.parse.quote(str(given).encode(errors="replace"), safe=""))
        query = {name: value for name, value in (case.query or {}).items() if value is not None}
        if query:
            path += "?" + urllib.parse.urlencode({k: str(v).encode(errors="replace") for k, v in query.items()})
        body = None
        if case.method.upper() in ("POST", "PUT", "PATCH"):
            body = self._filled(case.body if isinstance(case.body, (dict, list, str, int, float)) else {})
            if self._random.random() < 0.5:
                body = self._worse(body)
        self._send(case.method.upper(), path, body)

    def _filled(self, body: Any) -> Any:
        """With the names of what there is."""
        if isinstance(body, dict):
            return {
                key: self._ids[key][0]
                if key in ID_FIELDS and key in self._ids and isinstance(value, str) and self._random.random() < 0.9
                else self._random.choice([1, 1, 1, value])
                if key == "seen"
                else self._filled(value)
                for key, value in body.items()
            }
        return [self._filled(one) for one in body] if isinstance(body, list) else body

    def _worse(self, body: Any) -> Any:
        """One value of it exchanged for something unfit."""
        if isinstance(body, dict) and body:
            key = self._random.choice(list(body))
            return {**body, key: self._worse(body[key])}
        if isinstance(body, list) and body:
            at = self._random.randrange(len(body))
            return [*body[:at], self._worse(body[at]), *body[at + 1 :]]
        return self._random.choice(WORSE)

    def _send(self, method: str, path: str, body: Any) -> None:
        text = None
        if body is not None:
            text = json.dumps(body)
            if self._random.random() < 0.02:
                text = text.replace("0", "[" * 100_000 + "]" * 100_000, 1)
        wanted = urllib.request.Request(
            self._address + path, data=None if text is None else text.encode(), method=method
        )
        wanted.add_header("Content-Type", "application/json")
        try:
            with urllib.request.urlopen(wanted, timeout=120) as answer:
                answer.read(1 << 20)
                status = answer.status
        except urllib.error.HTTPError as error:
            status = error.code
            if status >= 500:
                self.faults.append(f"{status} {method} {path[:300]} {(text or '')[:600]}")
        except (OSError, ValueError) as error:
            # An address that no client can send is no fault of the server's; one that breaks off is.
            status = 0 if isinstance(error, ValueError) else 599
            if status:
                self.faults.append(f"{error} {method} {path[:300]} {(text or '')[:600]}")
        self.answers[status] += 1


def _resident(pid: int) -> float:
    """MiB of a process that are in memory."""
    pages = int(Path(f"/proc/{pid}/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / (1 << 20)
