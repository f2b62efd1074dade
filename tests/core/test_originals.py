"""A region that is the same as another one, and what lies behind: corrections reach the copy, lengths stay."""

import pytest
from tests.core.test_arrange import media, piece, shot

from cravo.core import arrange, behind
from cravo.core.document import Attachment, Ellipse, MediumRef, Motion, Region
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.validation import validated


def copied():
    """A shot with a followed region, and its copy with a title between them."""
    motion = Motion(at=0, area=[(0.0, 0.0), (9.0, 0.0), (9.0, 9.0)], span=(0, 9))
    region = Region(name="r", parts=[Ellipse(x=20, y=20, rx=9, ry=9, attached_to=motion.id)])
    below = shot("a", 0, 0, 99, regions=[region], motions=[motion])
    project = behind.text_behind(piece(below), below.id, region.id, media)
    upper = next(one for one in project.shots() if one.id != below.id)
    return project, below.id, upper.id


def test_what_is_put_right_on_a_shot_is_right_on_its_copy():
    project, below, upper = copied()
    part = project.shot(below).regions[0].parts[0]
    part.x = 33.0
    project.shot(below).motions[0].model = "affine"
    project = validated(project.model_dump(mode="json"))
    copy = project.shot(upper)
    assert copy.regions[0].parts[0].x == 33
    ridden = copy.motion(copy.regions[0].parts[0].attached_to)
    assert ridden is not None
    assert ridden.model == "affine"
    assert copy.regions[0].outside[0].kind == "transparent"  # its looks are its own


def test_a_copy_whose_original_is_gone_or_that_was_parted_stays_as_it_is():
    project, below, upper = copied()
    project.shot(below).regions.clear()
    project = validated(project.model_dump(mode="json"))
    assert project.shot(upper).regions[0].same_as is None
    assert project.shot(upper).regions[0].parts[0].x == 20


@pytest.mark.parametrize("speed", [2.0, 4.0, 0.5])
def test_another_sky_lasts_as_long_however_fast_it_is(speed):
    below = shot("a", 0, 0, 49, regions=[Region(name="Sky", parts=[Ellipse(x=9, y=9, rx=9, ry=9)])])
    project = piece(below)
    project = behind.exchange_sky(project, below.id, below.regions[0].id, MediumRef(id="a", name="sky.mp4"), media)
    sky = next(one for one in project.shots() if one.id != below.id)
    plan = Plan(project, media, MemoryResults())
    before = len(plan.span(sky))
    arrange.set_pace(project, sky.id, speed, False, media)
    whole = media("a").facts.frames
    assert abs(len(plan.span(sky)) - min(before, whole / speed)) <= 1
    assert isinstance(sky.attached_to, Attachment)
