"""Borders against scipy and scikit-image: distance, growth, pieces and holes; limits by their formula."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.ndimage import binary_fill_holes, distance_transform_edt
from skimage.morphology import dilation, erosion

from cravo.core.document import Edge, Ellipse, Region, Shot
from cravo.core.geometry.transforms import IDENTITY
from cravo.core.mattes.edge import edged
from cravo.core.mattes.region import region_matte


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
        return float(region_matte(shot, region, 0, lambda motion, frame: IDENTITY, 160, 120).whole(160, 120).sum())

    plain = area(Edge())
    assert area(Edge(grow=5)) == pytest.approx(np.pi * 45 * 30, rel=0.02)
    # Steiner's formula for the parallel of a smooth outline: area - length * d + pi * d * d.
    length = np.pi * (3 * 65 - np.sqrt((3 * 40 + 25) * (40 + 3 * 25)))  # Ramanujan 1914
    assert area(Edge(grow=-5)) == pytest.approx(np.pi * (40 * 25 + 25) - 5 * length, rel=0.025)
    assert area(Edge(invert=True)) == pytest.approx(160 * 120 - plain, rel=1e-4)
    assert area(Edge(soften_in=6, soften_out=6)) == pytest.approx(plain, rel=0.02)
