"""Mattes as files: read back by a zip reader and by a decoder of their own."""

from __future__ import annotations

import zipfile
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from tests.footage import make_clip, numbered

from cravo.core.document import Ellipse, Layer, MatteClip, Project, Region, Shot
from cravo.core.errors import CravoError
from cravo.core.footage.probe import probe
from cravo.core.results import MemoryResults
from cravo.core.stack.matte_files import Form, write_mattes
from cravo.core.stack.plan import Plan
from cravo.core.timing import Medium

FRAMES = 8


@pytest.fixture
def clip(tmp_path: Path) -> Path:
    return make_clip(tmp_path / "clip.mp4", [numbered(i, 160, 90) for i in range(FRAMES)])


def _written(clip: Path, out: Path, form: Form) -> int:
    facts = probe(clip)
    keys = {"keys": [{"frame": 0, "value": 40.0}, {"frame": FRAMES - 1, "value": 110.0}]}
    oval = Ellipse(name="oval", x=keys, y=45, rx=20, ry=20)  # type: ignore[arg-type]
    region = Region(name="oval", parts=[oval])
    shot = Shot(name="clip", medium="clip", start=0, first=1, last=FRAMES - 2, regions=[region])
    project = Project(name="p", rate=facts.rate, width=160, height=90, layers=[Layer(items=[shot])])
    plan = Plan(project, lambda name: Medium(clip, facts), MemoryResults())
    told: list[tuple[int, int]] = []
    count = write_mattes(plan, shot, region, facts, form, out, lambda done, total: told.append((done, total)))
    assert told[-1] == (FRAMES - 2, FRAMES - 2)
    plan.close()
    return count


def test_a_film_read_as_a_part_covers_what_was_written(clip: Path, tmp_path: Path) -> None:
    film = tmp_path / "mattes.mp4"
    _written(clip, film, "film")
    media = {name: Medium(path, probe(path)) for name, path in (("clip", clip), ("film", film))}
    part = MatteClip(medium="film", shift=1)
    region = Region(name="read", parts=[part])
    shot = Shot(name="clip", medium="clip", start=0, first=0, last=FRAMES - 1, regions=[region])
    project = Project(name="p", rate=media["clip"].facts.rate, width=160, height=90, layers=[Layer(items=[shot])])
    plan = Plan(project, media.__getitem__, MemoryResults())
    for frame, middle in ((1, 49.5), (FRAMES - 2, 99.5)):
        matte = plan.shots.matte(shot, region, frame, 160, 90).whole(160, 90)
        assert _middle(matte) == pytest.approx(middle, abs=0.6)
        assert matte.max() > 0.97
        assert matte[:4].max() < 0.03
    assert plan.shots.matte(shot, region, 0, 160, 90).empty
    half = plan.shots.matte(shot, region, 1, 80, 44).whole(80, 44)
    assert _middle(half) == pytest.approx(24.5, abs=0.6)
    part.invert = True
    assert plan.shots.matte(shot, region, 1, 160, 90).whole(160, 90)[45, 49] < 0.03
    plan.close()


def _middle(matte: np.ndarray) -> float:
    return float(np.average(np.arange(matte.shape[1]), weights=matte.sum(0)))


def test_pictures_are_named_by_source_frame_and_exact(clip: Path, tmp_path: Path) -> None:
    assert _written(clip, tmp_path / "mattes.zip", "pictures") == FRAMES - 2
    with zipfile.ZipFile(tmp_path / "mattes.zip") as found:
        assert found.namelist() == [f"{frame:06}.png" for frame in range(1, FRAMES - 1)]
        first, last = (
            cv2.imdecode(np.frombuffer(found.read(name), np.uint8), cv2.IMREAD_UNCHANGED)
            for name in (found.namelist()[0], found.namelist()[-1])
        )
    assert first.shape == (90, 160)
    assert first.max() == 255
    assert first.min() == 0
    assert _middle(first) == pytest.approx(49.5, abs=0.6)
    assert _middle(last) == pytest.approx(99.5, abs=0.6)


def test_a_film_shows_white_inside_and_black_outside(clip: Path, tmp_path: Path) -> None:
    _written(clip, tmp_path / "mattes.mp4", "film")
    with av.open(str(tmp_path / "mattes.mp4")) as found:
        pictures = [frame.to_ndarray(format="gray") for frame in found.decode(video=0)]
    assert len(pictures) == FRAMES - 2
    middle = pictures[2]
    where = round(_middle(middle.astype(float) - middle.min()))
    assert middle[45, where] >= 250
    assert middle[5, 5] <= 4


def test_a_folder_that_is_not_there_gives_a_sentence(clip: Path, tmp_path: Path) -> None:
    with pytest.raises(CravoError, match="could not be written"):
        _written(clip, tmp_path / "nowhere" / "mattes.zip", "pictures")
