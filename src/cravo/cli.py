"""The command line. `./cravo` installs what is missing and then comes here."""

from __future__ import annotations

import argparse
import asyncio
import ctypes
import gc
import json
import os
import sys
from contextlib import suppress
from pathlib import Path
from typing import Any

from cravo import __version__, clip_commands
from cravo.clip_commands import Commands, say
from cravo.core.errors import CravoError

ROOT = Path(__file__).resolve().parents[2]
ARENAS = -8, 2  # M_ARENA_MAX of glibc's malloc.h: with one for each thread, memory that is freed stays with the process
LARGE = (
    -3,
    4 << 20,
)  # M_MMAP_THRESHOLD, bytes: it would else grow, and large pictures, too, would leave gaps in the heap
ASIDE = 10  # by which long work stands back behind what is in front of the screen
SELDOM = 100_000, 20, 100  # new objects, and rounds, after which Python looks for circles among them
PRIVATE = 0o077  # what is written by a running Cravo is for its user alone


def main(arguments: list[str] | None = None) -> int:
    options = _parser().parse_args(arguments)
    with suppress(AttributeError):  # where the C library is another one
        for option in (ARENAS, LARGE):
            ctypes.CDLL(None).mallopt(*option)
    try:
        return options.run(options) or 0
    except CravoError as error:
        print(f"cravo: {error}", file=sys.stderr)
        return 1
    except KeyboardInterrupt:
        print("cravo: stopped.", file=sys.stderr)
        return 130


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(prog="cravo", description=__doc__)
    parser.add_argument("--version", action="version", version=f"cravo {__version__}")
    commands = Commands(parser)
    _for_the_application(commands)
    clip_commands.add_to(commands)
    _for_measuring(commands)
    return parser


def _for_the_application(commands: Commands) -> None:
    commands.add("demo", _demo, "Start Cravo, print the address, and draw the demo footage meanwhile.")
    commands.add("start", _start, "Start Cravo and print the address.")
    commands.add("stop", _stop, "Stop what was started.")
    serve = commands.add("serve", _serve, "Run the API in the foreground.")
    serve.add_argument("--host", default="127.0.0.1")
    serve.add_argument("--port", type=int, default=8470)
    work = commands.add("worker", _worker, "Run one worker in the foreground; any number may run, on any machine.")
    work.add_argument("--lanes", nargs="+", choices=["now", "soon", "all", "aside"], default=["now", "soon", "all", "aside"],
                      help="what it does at once: what somebody waits for, exports as well, searches as well, the demo's clips")  # fmt: skip
    commands.add("prepare", _prepare, "Bring the database up to date; start and demo do it by themselves.")
    keep = commands.add("supervise", _supervise, "Keep the API and two workers alive; what ./cravo start runs.")
    keep.add_argument("--host", default="127.0.0.1")
    keep.add_argument("--port", type=int, default=8470)
    keep.add_argument("--owned", action="store_true", help="keep our own database alive as well")
    _for_keeping(commands)
    commands.add("openapi", _openapi, "Print the contract of the API.")
    commands.add("models", _models, "Install the networks that are missing.")


def _for_keeping(commands: Commands) -> None:
    backup = commands.add("backup", _backup, "Write everything that Cravo keeps into one file, while it runs.")
    backup.add_argument("file", type=Path, metavar="FILE")
    backup.add_argument("--media", action="store_true", help="clips and exports as well")
    back = commands.add(
        "restore", _restore, "Put a backup into an empty data folder (CRAVO_DATA), while Cravo is stopped."
    )
    back.add_argument("file", type=Path, metavar="FILE")
    check = commands.add(
        "check", _check, "Compare the database with the data folder; ends with 1 where they do not agree."
    )
    check.add_argument("--mend", action="store_true", help="put right what can be put right")


def _for_measuring(commands: Commands) -> None:
    quality = commands.add("eval", _eval, "Quality against the exact truth of the demo.")
    speed = commands.add("bench", _bench, "Speed, side by side.")
    for one in (quality, speed):
        one.add_argument("--json", action="store_true", help="one flat object on standard output")
        one.add_argument("--figures", type=Path, metavar="FILE.md", help="put the table into this page as well")
        one.add_argument("--only", default="", metavar="WORD", help="only groups whose name contains this")
    quality.add_argument(
        "--plot", type=Path, metavar="FILE.svg", help="how far doubts on real pictures are to be believed"
    )
    speed.add_argument("--plot", type=Path, metavar="FILE.svg", help="what frames and treated area cost")
    speed.add_argument("--beside", metavar="REF", help="this Cravo beside another revision of it, on the same clips")


def _demo(options: argparse.Namespace) -> None:
    import urllib.request

    from cravo.running import start

    os.umask(PRIVATE)
    address = start(say)
    print(f"Cravo is ready: {address}", flush=True)
    with urllib.request.urlopen(
        urllib.request.Request(f"{address}/api/media/demo?draw=true", method="POST"), timeout=60
    ):
        pass


def _start(options: argparse.Namespace) -> None:
    from cravo.running import start

    os.umask(PRIVATE)
    print(f"Cravo is ready: {start(say)}")


def _stop(options: argparse.Namespace) -> None:
    from cravo.running import stop

    stop(say)


def _serve(options: argparse.Namespace) -> None:
    import uvicorn

    from cravo.api.app import create_app
    from cravo.api.guard import access_key_for
    from cravo.jobs.memory import API, bound, watch
    from cravo.jobs.stage import open_stores

    os.umask(PRIVATE)
    key = access_key_for(options.host)
    app = create_app(open_stores(_database()), key)
    watch(bound("CRAVO_API_MEMORY", API), lambda: os._exit(1))  # it is started anew at once, and nothing is in it alone
    # Documents are made of very many objects, hardly any of them in circles: looking for those often costs more than an edit.
    gc.freeze()
    gc.set_threshold(*SELDOM)
    uvicorn.run(app, host=options.host, port=options.port, log_level="warning", ws_max_size=1 << 20)


def _worker(options: argparse.Namespace) -> None:
    os.nice(ASIDE)
    from cravo.jobs.queue import LANES, run_worker

    os.umask(PRIVATE)
    asyncio.run(run_worker(_database(), lanes=[LANES[name] for name in options.lanes]))


def _prepare(options: argparse.Namespace) -> None:
    from cravo.jobs.tables import prepare
    from cravo.store.database import migrate

    url = _database()
    migrate(url)
    prepare(url)


def _supervise(options: argparse.Namespace) -> None:
    from cravo.supervising import supervise

    os.umask(PRIVATE)
    supervise(options.host, options.port, options.owned)


def _database() -> str:
    from cravo.running import database_url

    return database_url(say)


def _backup(options: argparse.Namespace) -> None:
    from cravo.running import at_hand
    from cravo.store.backup import back_up
    from cravo.store.database import data_folder, migrate

    os.umask(PRIVATE)
    with at_hand(say) as url:
        migrate(url)
        made = back_up(url, data_folder(), options.file, options.media, say)
    print(f"{options.file}: {len(made.digests)} parts, {'with' if made.media else 'without'} clips and exports.")


def _restore(options: argparse.Namespace) -> None:
    from cravo.jobs.tables import prepare
    from cravo.running import at_hand, runs
    from cravo.store.backup import restore
    from cravo.store.database import data_folder

    os.umask(PRIVATE)
    if runs():
        raise CravoError("Cravo is running on this data folder: ./cravo stop comes first.")
    with at_hand(say) as url:
        made = restore(url, data_folder(), options.file, say)
        prepare(url)
    print(f"Restored what was kept on {made.made:%Y-%m-%d %H:%M} UTC. ./cravo start shows it.")


def _check(options: argparse.Namespace) -> int:
    from cravo.jobs.tables import prepare
    from cravo.running import at_hand
    from cravo.store.database import migrate

    with at_hand(say) as url:
        migrate(url)
        prepare(url)
        left = _checked(url, options.mend)
    print(
        "Everything agrees."
        if not left
        else f"{left} left." + ("" if options.mend else " --mend puts right what can be.")
    )
    return 1 if left else 0


def _checked(url: str, mend: bool) -> int:
    """Say every fault, and mend it where that is wanted and possible; returns how many are left."""
    from cravo.jobs.queue import start
    from cravo.jobs.stage import open_stores
    from cravo.store.checking import faults

    stores, left = open_stores(url), 0
    try:
        for fault in faults(stores.database, stores.folder, stores.media, lambda one, name: start(stores, "ingest", f"Reading {name}", None, one)):  # fmt: skip
            mended = mend and fault.mend is not None
            if mended and fault.mend is not None:
                fault.mend()
            left += not mended
            print(f"{'mended: ' if mended else ''}{fault.what}")
    finally:
        stores.database.close()
    return left


def _openapi(options: argparse.Namespace) -> None:
    from cravo.api.app import contract

    print(json.dumps(contract(), indent=1))


def _models(options: argparse.Namespace) -> None:
    from cravo.model_files import install

    install(say)


def _eval(options: argparse.Namespace) -> None:
    sys.path.insert(0, str(ROOT))
    from bench import plots, report

    found = report.run("eval", options.only, options.json)
    if options.plot:
        plots.write_reliability(found, options.plot)
    _keep_figures(found, "eval", options)


def _bench(options: argparse.Namespace) -> None:
    sys.path.insert(0, str(ROOT))
    from bench import beside, plots, report

    if options.beside:
        found = beside.run(options.beside, options.only, options.json)
    else:
        found = report.run("bench", "linear" if options.plot else options.only, options.json)
    if options.plot:
        plots.write_costs(found, options.plot)
    _keep_figures(found, "bench", options)


def _keep_figures(found: dict[str, Any], name: str, options: argparse.Namespace) -> None:
    from bench import report

    if options.figures:
        more = [f"--only {options.only}"] if options.only else []
        more += [f"--beside {options.beside}"] if getattr(options, "beside", None) else []
        report.write_figures(found, " ".join(["./cravo", name, *more]), options.figures)


if __name__ == "__main__":
    sys.exit(main())
