"""Filling in a spherical clip: across the border of the wide picture, while the camera turns."""

from contextlib import closing

import cv2
import numpy as np
from skimage.metrics import peak_signal_noise_ratio
from tests.footage import make_clip, textured

from cravo.core.document import CutOut, Look, Region, Shot, Sphere
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.stack.clips import Clips
from cravo.core.stack.shots import ShotPictures
from cravo.core.tasks.fill import fill
from cravo.core.timing import Medium, SourceFrame
from cravo.filling import MattesGiven

WIDTH, HEIGHT, FRAMES = 768, 384, 16


def around(picture: np.ndarray, x: float) -> np.ndarray:
    """A wide picture turned by so many pixels."""
    return np.roll(picture, round(x), axis=1)


def scene():
    """Frames, the same without what passes, and its mattes."""
    half = textured(WIDTH // 2, HEIGHT, seed=12)
    ground = np.hstack([half, half[:, ::-1]])
    with_it, clear, mattes = [], [], []
    for frame in range(FRAMES):
        behind = around(ground, 3 * frame)
        matte = np.zeros((HEIGHT, WIDTH), np.uint8)
        cv2.ellipse(matte, (WIDTH // 2, 200), (16, 36), 0, 0, 360, 255, -1, cv2.LINE_AA)
        matte = around(matte, WIDTH // 2 - 90 + 11 * frame)  # over the border half way
        clear.append(behind)
        mattes.append(matte)
        with_it.append(np.where(matte[..., None] > 127, 90, behind).astype(np.uint8))
    return with_it, clear, mattes


def test_what_passes_over_the_border_is_taken_out(tmp_path):
    pictures, clear, mattes = scene()
    path = make_clip(tmp_path / "around.mp4", pictures)
    medium = Medium(path, probe(path))
    region = Region(name="r", parts=[CutOut(span=(0, FRAMES - 1))], inside=[Look(kind="fill", settings={"grow": 2.0})])
    shot = Shot(
        name="s", medium="m", start=0, first=0, last=FRAMES - 1, sphere=Sphere(width=WIDTH, height=HEIGHT), regions=[region]
    )  # fmt: skip
    results = MattesGiven(lambda frame: mattes[frame], FRAMES)
    fill(medium, shot, region, lambda frame: mattes[frame] / np.float32(255), results, lambda done, total: None)
    found, now = results.filled(shot, region)
    assert now
    assert found.whole
    assert len(found.plates) >= 1
    assert all(plate.view is not None for plate in found.plates)
    size = (WIDTH, HEIGHT)
    with closing(Clips(lambda name: medium)) as clips, Reader(path, medium.facts) as reader:
        shots = ShotPictures(size, lambda name: medium, results, clips)
        for frame in (1, 7, 8, 9, FRAMES - 2):
            made = shots.treated(shot, SourceFrame(frame), shots.source(shot, SourceFrame(frame), size)).to_rgb()
            hole = mattes[frame] > 127
            assert peak_signal_noise_ratio(clear[frame][hole], made[hole]) > 26, frame
            # Far away nothing is touched.
            far = cv2.dilate(mattes[frame], np.ones((61, 61), np.uint8)) == 0
            far[:, :80] = far[:, -80:] = False
            assert np.array_equal(made[far], reader.read(frame).to_rgb()[far])
