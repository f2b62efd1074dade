"""A patch whose source leaves the picture is said, on the frames on which it does."""

from cravo.core.document import Ellipse, Look, Region, Shot
from cravo.core.geometry.transforms import IDENTITY, similarity
from cravo.core.keyframes import Key, Keyed
from cravo.core.stack.patches import patch_flags

SIZE = (320, 180)


def frames(region, sampler=lambda motion, frame: IDENTITY):
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, regions=[region])
    return [(one.first, one.last) for one in patch_flags(shot, region, sampler, SIZE)]


def region(x, **settings):
    part = Ellipse(x=x, y=90, rx=20, ry=20)
    return Region(name="r", parts=[part], inside=[Look(kind="patch", settings=settings)])


def test_a_source_within_the_picture_is_no_doubt():
    assert frames(region(100, across=60.0, down=0.0)) == []


def test_a_source_beyond_the_border_is_one_on_every_frame():
    assert frames(region(100, across=250.0)) == [(0, 9)]
    assert frames(region(100, across=0.0, down=-80.0)) == [(0, 9)]


def test_it_is_one_only_where_the_shape_has_carried_it_out():
    moving = region(100, across=60.0)
    moving.parts[0].x = Keyed(keys=[Key(frame=0, value=100), Key(frame=9, value=280)])
    ((first, last),) = frames(moving)
    assert 0 < first < 9
    assert last == 9


def test_another_look_or_one_that_is_off_says_nothing():
    off = region(100, across=250.0)
    off.inside[0].on = False
    assert frames(off) == []
    off.inside[0].on, off.inside[0].kind, off.inside[0].settings = True, "blur", {}
    assert frames(off) == []


def test_a_still_sampler_is_what_a_shape_without_motion_has():
    assert frames(region(100, across=60.0), lambda motion, frame: similarity(1, 0, (0, 0), (500, 0))) == []
