"""What this Cravo is and how it does, and what is sent along with a fault: no pictures, no names."""

from __future__ import annotations

import os
import platform
import re
import shutil
from collections import Counter
from datetime import UTC, datetime
from importlib.metadata import Distribution, distributions
from pathlib import Path

import psycopg
from fastapi import APIRouter
from fastapi.responses import JSONResponse

from cravo import __version__
from cravo.api.models.looks import LookKind, LookSetting
from cravo.api.models.system import About, Diagnostics, Facts, FormatInfo, Health, MachineInfo, NetworkInfo, PackageInfo
from cravo.api.studio import TheStudio
from cravo.core.finders.models import SUFFIX, models_folder, providers
from cravo.core.footage.formats import FORMATS
from cravo.core.looks import kinds
from cravo.core.stack.views import REGION_COLOURS
from cravo.store.database import data_folder

FAULTS = 20  # of the latest, from each log
# Where in the code a fault was, and of which kind it is; what it says besides may name a file.
_FRAME = re.compile(r'^\s*File "(?:[^"]*/)?((?:cravo|site-packages|python3[.\d]*)/[^"]+)", line (\d+), in (\S+)$')
_KIND = re.compile(r"^([A-Za-z_][\w.]*(?:Error|Exception|Exit|Interrupt))\b")
_PLAIN = re.compile(r"^[A-Z][\w .+()-]{0,40}$")  # a licence in a word, not its whole text

router = APIRouter(prefix="/api", tags=["facts"])


@router.get("/health")
def health(studio: TheStudio) -> Health:
    """Whether every part of Cravo is alive, for the screens and the launcher."""
    try:
        return Health(database=True, workers=studio.stores.work.workers())
    except psycopg.Error:
        return Health(database=False, workers=0)


@router.get("/facts")
def facts(studio: TheStudio) -> Facts:
    every = [
        LookKind(
            kind=name,
            label=kind.label,
            group=kind.group,
            about=kind.about,
            strength=kind.strength,
            only_inside=kind.only_inside,
            graded=kind.grade is not None,
            settings=[LookSetting(name=key, **setting.model_dump()) for key, setting in kind.settings.items()],
        )
        for name, kind in kinds().items()
    ]
    formats = [
        FormatInfo(
            kind=kind,
            label=one.label,
            film=one.film is not None,
            single=one.single,
            quality=one.quality,
            depth=one.depth,
            alphas=one.alphas,
        )
        for kind, one in FORMATS.items()
    ]
    return Facts(
        version=__version__,
        demo=bool(studio.demo_clips),
        showpiece=studio.shows_layers,
        looks=every,
        formats=formats,
        region_colours=list(REGION_COLOURS),
    )


@router.get("/about")
def about() -> About:
    """Version and licence of Cravo, and of everything that it runs with."""
    runs_on, problem = providers()
    return About(
        version=__version__, licence="GPL-3.0-or-later", packages=_packages(), networks=_networks(),
        runs_on=[name.removesuffix(SUFFIX) for name in runs_on], problem=problem,
    )  # fmt: skip


@router.get("/diagnostics")
def diagnostics(studio: TheStudio) -> JSONResponse:
    """A file to send along with a fault. It holds no picture, no text and no name that somebody gave."""
    folder = data_folder()
    found = Diagnostics(
        made=datetime.now(UTC),
        version=__version__,
        machine=_machine(folder),
        packages={one.name: one.version for one in _packages()},
        networks={one.name: one.size for one in _networks()},
        clips=[_footage(row) for row in studio.stores.media.every()],
        parts=_parts(studio),
        work=studio.stores.work.counted(),
        faults={log.stem: _faults(log.read_text(errors="replace")) for log in sorted(folder.glob("*.log"))},
    )
    headers = {"Content-Disposition": 'attachment; filename="cravo-diagnostics.json"'}
    return JSONResponse(found.model_dump(mode="json"), headers=headers)


def _packages() -> list[PackageInfo]:
    found = {
        one.name: PackageInfo(name=one.name, version=one.version, licence=_licence(one))
        for one in distributions()
        if one.name != "cravo"
    }
    return [found[name] for name in sorted(found, key=str.lower)]


def _licence(package: Distribution) -> str:
    """As the package states it: by its expression, its classifiers, or in a word."""
    said = package.metadata.json
    if said.get("license_expression"):
        return str(said["license_expression"])
    classified = [one.rsplit(" :: ", 1)[1] for one in said.get("classifier", ()) if one.startswith("License ::")]
    if classified:
        return ", ".join(classified)
    text = str(said.get("license", "")).strip()
    return text if _PLAIN.match(text) else "see the package"


def _networks() -> list[NetworkInfo]:
    files = sorted(path for path in models_folder().glob("*") if path.suffix in (".onnx", ".tflite"))
    return [NetworkInfo(name=path.name, size=path.stat().st_size) for path in files]


def _machine(folder: Path) -> MachineInfo:
    return MachineInfo(
        system=platform.platform(),
        python=platform.python_version(),
        cores=os.cpu_count() or 1,
        memory=os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES"),
        free=shutil.disk_usage(folder).free,
    )


def _footage(row: dict[str, object]) -> dict[str, object]:
    """What a clip is like; not what it is called, nor what it shows."""
    facts = row["facts"] if isinstance(row["facts"], dict) else {}
    told = ("kind", "width", "height", "turn", "depth", "codec", "container", "rate", "variable", "sound")
    return {"state": row["state"], "bytes": row["bytes"], "frames": row["times"]} | {
        key: facts.get(key) for key in told
    }


def _parts(studio: TheStudio) -> dict[str, int]:
    """How many parts of each kind all projects have."""
    projects = (studio.stores.projects.get(str(row["id"])).document for row in studio.stores.projects.every())
    regions = (region for project in projects for shot in project.shots() for region in shot.regions)
    return dict(Counter(part.kind for region in regions for part in region.parts))


def _faults(text: str) -> list[list[str]]:
    """Where in the code each fault of a log was, the latest last."""
    found: list[list[str]] = []
    open_ = False
    for line in text.splitlines():
        if line.startswith("Traceback"):
            found.append([])
            open_ = True
        elif open_ and (frame := _FRAME.match(line)):
            found[-1].append(f"{frame[1]}:{frame[2]} {frame[3]}")
        elif open_ and (kind := _KIND.match(line)):
            found[-1].append(kind[1])
            open_ = False
    return found[-FAULTS:]
