"""Drawing a clip of the demo as a job, and reading it."""

from __future__ import annotations

import signal
import subprocess
import sys
from typing import Any

from cravo.core.errors import CravoError
from cravo.demo.make import SCENES, clips_in
from cravo.demo.scene import FRAMES
from cravo.jobs.ingest import ingest
from cravo.jobs.stage import Stage, Stores
from cravo.store.database import Row


def draw(stores: Stores, row: Row, stage: Stage) -> dict[str, Any] | None:
    name = row["detail"]["clip"]
    path = clips_in(stores.folder / "demo")[name]
    if not path.is_file():
        path.parent.mkdir(parents=True, exist_ok=True)
        # In a process of its own: drawing is all Python, and would hold up what else this worker does.
        with subprocess.Popen(
            [sys.executable, "-m", "cravo.demo.make", str(path)], stdout=subprocess.PIPE, text=True
        ) as drawing:
            assert drawing.stdout is not None
            try:
                for line in drawing.stdout:
                    stage(int(line), FRAMES)
            except BaseException:
                drawing.send_signal(signal.SIGINT)  # so that it takes away what it has begun
                raise
        if drawing.returncode:
            raise CravoError(f"{SCENES[name].title} could not be drawn.")
    medium = stores.media.add_file(path, f"{SCENES[name].title}.mp4")
    return None if stores.media.complete(medium) else ingest(stores, row | {"subject": medium["id"]}, stage)
