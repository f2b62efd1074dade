"""Work that files from elsewhere may break: done in a process of its own, with limits on memory and time."""

from __future__ import annotations

import json
import resource
import subprocess
import sys
from collections.abc import Callable
from typing import Any

from cravo.core.errors import BadFootage, CravoError

SECONDS = 300
MEMORY = 4 << 30


def limited(module: str, *arguments: str, content: bytes | None = None) -> Any:
    """What a module, run with arguments and `content` as its input, answers through `answer`.

    Raises BadFootage with a sentence of its own, or one of ours where it ended without any.
    """
    command = [sys.executable, "-m", module, *arguments]
    try:
        done = subprocess.run(command, input=content, capture_output=True, timeout=SECONDS, check=False)
    except subprocess.TimeoutExpired:
        raise BadFootage("Reading the file took too long and was stopped.") from None
    try:
        said = json.loads(done.stdout)
    except ValueError:
        raise BadFootage("The file is damaged in a way that cannot be read.") from None
    if "problem" in said:
        raise BadFootage(said["problem"])
    return said["answer"]


def answer(work: Callable[[], Any]) -> None:
    """In the process itself: do the work within the limits, and print what comes of it as JSON."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    try:
        said = {"answer": work()}
    except CravoError as error:
        said = {"problem": str(error)}
    except MemoryError:
        said = {"problem": "The file asks for more memory than it may take."}
    print(json.dumps(said))
