"""Model files: what they are, where they lie, and the runtimes that run them.

Networks come out of published packages at setup (`cravo.model_files`), are checked by digest and never committed.
A user may put further `.onnx` files into the same folder.
"""

from __future__ import annotations

import os
from functools import lru_cache
from pathlib import Path

import onnxruntime

from cravo.core.errors import CravoError

MATTING = "matting.onnx"


class MissingModel(CravoError):
    """A network that is not on this machine."""


def models_folder() -> Path:
    """Where model files lie: CRAVO_MODELS, else the user's share folder (root: /var/lib/cravo-models)."""
    given = os.environ.get("CRAVO_MODELS")
    if given:
        return Path(given).absolute()
    return Path("/var/lib/cravo-models") if os.geteuid() == 0 else Path.home() / ".local/share/cravo-models"


def has_model(name: str) -> bool:
    return (models_folder() / name).is_file()


def network(name: str) -> onnxruntime.InferenceSession:
    """A network of the models folder, opened once; raises MissingModel with its name."""
    path = models_folder() / name
    if not path.is_file():
        raise MissingModel(f"The network {name} is not installed. Run ./cravo models to install it.")
    return opened(path, path.stat().st_mtime_ns)


@lru_cache(maxsize=6)
def opened(path: Path, stamp: int) -> onnxruntime.InferenceSession:
    """A network that runs on one core: clips and spans are worked on side by side instead."""
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.log_severity_level = 3
    try:
        return onnxruntime.InferenceSession(path, options, providers=["CPUExecutionProvider"])
    except Exception as error:  # the runtime has exceptions of its own for each way in which a file is wrong
        raise CravoError(f"{path.name} is not a network that Cravo can run.") from error
