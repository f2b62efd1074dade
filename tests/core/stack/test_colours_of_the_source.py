"""A range of colours goes by the untreated picture, whatever regions before it do."""

import numpy as np
from tests.footage import make_clip

from cravo.core.document import Colours, Ellipse, Layer, Look, Project, Region, Shot
from cravo.core.footage.probe import probe
from cravo.core.mattes.colours import picked
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.timing import Medium

WIDTH, HEIGHT = 320, 240


def test_a_colour_that_a_region_before_takes_away_is_still_found(tmp_path):
    picture = np.full((HEIGHT, WIDTH, 3), (60, 90, 120), np.uint8)
    picture[80:160, 100:200] = (200, 30, 40)
    path = make_clip(tmp_path / "scarf.mp4", [picture] * 3)
    medium = Medium(path, probe(path))
    grey = Look(kind="desaturate")
    first = Region(name="grey", parts=[Ellipse(x=150, y=120, rx=140, ry=110)], inside=[grey], outside=[grey])
    shot = Shot(name="s", medium="m", start=0, first=0, last=2, regions=[first])
    project = Project(name="p", width=WIDTH, height=HEIGHT, layers=[Layer(items=[shot])])
    plan = Plan(project, lambda name: medium, MemoryResults())
    plan.frame(0)  # the treated picture is seen, then its colours are picked
    picks = picked(plan.shots.source(shot, 0, (WIDTH, HEIGHT)), (110, 90, 190, 150), True)
    shot.regions.append(Region(name="scarf", parts=[Colours(picks=picks)], inside=[Look(kind="exposure")]))
    for size in ((WIDTH, HEIGHT), (160, 120), (240, 180)):
        plan.frame(0, size)
        whole = plan.shots.matte(shot, shot.regions[1], 0, *size).whole(*size)
        assert abs(float(whole.mean()) - 100 * 80 / (WIDTH * HEIGHT)) < 0.006
    plan.close()
