"""Borders against scipy and scikit-image: distance, growth, pieces and holes; limits by their formula."""

from __future__ import annotations

import numpy as np
import pytest
from bench.mattes import matte_of
from scipy.ndimage import binary_fill_holes, distance_transform_edt
from skimage.morphology import dilation, erosion

from cravo.core.cutout.frame_mattes import FrameConfidence, FrameMatte
from cravo.core.document import CutOut, Edge, Ellipse, Region, Shot
from cravo.core.footage.picture import Box
from cravo.core.mattes.edge import edged, steadied
from cravo.core.results import MemoryResults


@pytest.fixture
def blob() -> np.ndarray:
    y, x = np.mgrid[:120, :160]
    return (((x - 80) / 40) ** 2 + ((y - 60) / 25) ** 2 < 1).astype(np.float32)


def test_nothing_wanted_is_nothing_done(blob: np.ndarray) -> None:
    assert np.array_equal(edged(blob, Edge(), 0, 1.0), blob)


@pytest.mark.parametrize("by", [3, 8, -4])
def test_growing_is_what_a_disc_does(blob: np.ndarray, by: int) -> None:
    mine = edged(blob, Edge(grow=by), 0, 1.0) > 0.5
    # The border lies half a pixel outside the outermost centres.
    y, x = np.mgrid[-12:13, -12:13]
    its = (dilation if by > 0 else erosion)(blob, np.hypot(x, y) < abs(by) + 0.5) > 0.5
    assert (mine != its).mean() < 0.004


def test_softness_is_a_true_distance(blob: np.ndarray) -> None:
    soft = edged(blob, Edge(soften_in=10, soften_out=10), 0, 1.0)
    inside = blob > 0.5
    far = np.where(inside, distance_transform_edt(inside) - 0.5, 0.5 - distance_transform_edt(~inside))
    assert np.abs(soft - np.clip((far + 10) / 20, 0, 1)).max() < 0.06


def test_half_as_many_pixels_half_the_distance(blob: np.ndarray) -> None:
    wide, narrow = edged(blob, Edge(grow=8), 0, 1.0), edged(blob[::2, ::2], Edge(grow=8), 0, 2.0)
    assert abs(wide.sum() / 4 - narrow.sum()) < 0.03 * narrow.sum()


def test_limits_and_gamma_by_their_formula() -> None:
    ramp = np.linspace(0, 1, 101, dtype=np.float32)[None]
    found = edged(ramp, Edge(low=0.2, high=0.7, gamma=2), 0, 1.0)
    assert np.allclose(found, np.clip((ramp - 0.2) / 0.5, 0, 1) ** 0.5, atol=1e-5)


def test_small_pieces_go_and_small_holes_are_filled(blob: np.ndarray) -> None:
    worn = blob.copy()
    worn[55:60, 70:76] = 0
    worn[50:62, 85:97] = 0
    worn[4:8, 4:8] = 1
    clean = edged(worn, Edge(holes=40, specks=40), 0, 1.0)
    assert clean[5, 5] == 0
    assert clean[57, 72] == 1
    assert clean[55, 90] == 0  # too large a hole
    assert np.array_equal(edged(worn, Edge(holes=1000, specks=40), 0, 1.0) > 0, binary_fill_holes(blob > 0))


def test_the_border_belongs_to_the_region_whatever_it_consists_of() -> None:
    shape = Ellipse(x=80, y=60, rx=40, ry=25, feather_in=0, feather_out=0)
    shot = Shot(name="s", medium="m", start=0, first=0, last=1)

    def area(edge: Edge) -> float:
        region = Region(name="r", parts=[shape], edge=edge)
        return float(matte_of(shot, region, 0, 160, 120).whole(160, 120).sum())

    plain = area(Edge())
    assert area(Edge(grow=5)) == pytest.approx(np.pi * 45 * 30, rel=0.02)
    # Steiner's formula for the parallel of a smooth outline: area - length * d + pi * d * d.
    length = np.pi * (3 * 65 - np.sqrt((3 * 40 + 25) * (40 + 3 * 25)))  # Ramanujan 1914
    assert area(Edge(grow=-5)) == pytest.approx(np.pi * (40 * 25 + 25) - 5 * length, rel=0.025)
    assert area(Edge(invert=True)) == pytest.approx(160 * 120 - plain, rel=1e-4)
    assert area(Edge(soften_in=6, soften_out=6)) == pytest.approx(plain, rel=0.02)


def test_a_trembling_border_is_calmed_and_a_moving_one_stays() -> None:
    y, x = np.mgrid[:160, :360].astype(np.float32)
    random = np.random.default_rng(3)
    tremble = random.normal(0, 1.5, 40)

    def disc(frame: int, extra: float) -> np.ndarray:
        return np.clip(30 + extra - np.hypot(x - 60 - 5 * frame, y - 80) + 0.5, 0, 1).astype(np.float32)

    def error(found: np.ndarray, frame: int) -> float:
        return float(np.abs(found - disc(frame, 0)).sum())

    def around(frame: int, size: list[float]) -> list[tuple[np.ndarray, np.ndarray]]:
        return [(disc(frame - k, size[frame - k]), disc(frame + k, size[frame + k])) for k in (1, 2, 3)]

    shaken = [error(disc(f, tremble[f]), f) for f in range(4, 36)]
    calmed = [error(steadied(disc(f, tremble[f]), around(f, list(tremble)), 1.0), f) for f in range(4, 36)]
    assert np.mean(calmed) < 0.6 * np.mean(shaken)
    moving = steadied(disc(20, 0), around(20, [0.0] * 40), 1.0)
    assert error(moving, 20) < 0.03 * disc(20, 0).sum()


def test_a_steadied_region_looks_at_the_frames_around() -> None:
    class Trembling(MemoryResults):
        """A cut-out whose border jumps to and fro by two pixels."""

        def matte(self, shot: Shot, part: CutOut, frame: int) -> FrameMatte:
            y, x = np.mgrid[:120, :160].astype(np.float32)
            inside = np.hypot(x - 80, y - 60) < (42 if frame % 2 else 40)
            return FrameMatte(Box(0, 0, 160, 120), inside.astype(np.uint8) * 255, FrameConfidence(1.0))

    def areas(steady: int) -> list[float]:
        region = Region(name="it", parts=[CutOut(span=(0, 20))], edge=Edge(steady=steady))
        shot = Shot(name="it", medium="clip", start=0, first=0, last=20, regions=[region])
        mattes = (matte_of(shot, region, f, 160, 120, results=Trembling()) for f in range(6, 12))
        return [float(matte.values.sum()) for matte in mattes]

    assert np.ptp(areas(3)) < 0.5 * np.ptp(areas(0))
