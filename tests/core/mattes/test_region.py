"""Parts of a region combine as sets do, soft edges included."""

import numpy as np
import pytest
from bench.mattes import matte_of
from hypothesis import given
from hypothesis import strategies as some

from cravo.core.document import Ellipse, Horizon, Rectangle, Region, Shot

WIDTH, HEIGHT = 160, 90
within = some.floats(-30, 190)
size = some.floats(4, 90)
soft = some.floats(0, 25)


@some.composite
def shapes(draw, **fixed):
    kind = draw(some.sampled_from([Ellipse, Rectangle, Horizon]))
    numbers = {"x": draw(within), "y": draw(within), "rx": draw(size), "ry": draw(size), "rotation": draw(some.floats(-90, 90))}  # fmt: skip
    return kind(**numbers, feather_in=draw(soft), feather_out=draw(soft), **{"opacity": draw(some.sampled_from([1.0, 0.6])), **fixed})  # fmt: skip


def covered(*parts):
    region = Region(name="r", parts=list(parts))
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, regions=[region])
    return matte_of(shot, region, 0, WIDTH, HEIGHT).whole(WIDTH, HEIGHT)


def how(part, word, invert=False):
    return part.model_copy(update={"how": word, "invert": invert})


def same(a, b):
    return np.allclose(a, b, atol=2e-6)


@given(a=shapes(), b=shapes())
def test_union_intersection_and_difference_of_soft_sets(a, b):
    one, other = covered(a), covered(b)
    assert same(covered(a, how(b, "add")), np.maximum(one, other))
    assert same(covered(a, how(b, "intersect")), np.minimum(one, other))
    assert same(covered(a, how(b, "subtract")), np.minimum(one, 1 - other))


@given(a=shapes(), b=shapes(), c=shapes())
def test_the_laws_of_sets(a, b, c):
    assert same(covered(a, b), covered(b, a))
    assert same(covered(a, how(b, "intersect")), covered(b, how(a, "intersect")))
    assert same(covered(a, a), covered(a))
    assert same(
        covered(a, how(b, "intersect"), how(c, "intersect")), covered(c, how(b, "intersect"), how(a, "intersect"))
    )
    # What is taken away twice is gone once; taking away b and c is taking away their union.
    assert same(covered(a, how(b, "subtract"), how(b, "subtract")), covered(a, how(b, "subtract")))
    union = np.maximum(covered(b), covered(c))
    assert same(covered(a, how(b, "subtract"), how(c, "subtract")), np.minimum(covered(a), 1 - union))


@given(a=shapes(opacity=1.0), b=shapes(opacity=1.0))
def test_de_morgan_by_inverted_parts(a, b):
    neither = covered(how(a, "add", True), how(b, "intersect", True))
    assert same(neither, 1 - covered(a, b))


@given(a=shapes())
def test_a_first_part_that_does_not_add_works_on_the_whole_picture(a):
    assert same(covered(how(a, "subtract")), 1 - covered(a))
    assert same(covered(how(a, "intersect")), covered(a))


def test_opacity_and_inverting_of_a_shape():
    oval = Ellipse(x=80, y=45, rx=30, ry=20, feather_in=0, feather_out=0, opacity=0.4)
    values = covered(oval)
    assert values[45, 80] == pytest.approx(0.4)
    assert covered(how(oval, "add", True))[2, 2] == pytest.approx(0.4)
    assert covered(how(oval, "add", True))[45, 80] == 0
