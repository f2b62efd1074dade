"""What the screen draws of a shape is what the core renders: the same keys, eases, forms and motions."""

import re

import numpy as np
import pytest
from playwright.sync_api import Page, expect
from shapely import LinearRing, hausdorff_distance

from cravo.core.document import Ellipse, Given, Horizon, Motion, Path, Project, Rectangle, Region
from cravo.core.keyframes import Key, Keyed, Point, with_outline
from cravo.core.parts.shapes import drawn
from tests.browser.bench import document, open_demo

LEAN = np.array([[1.02, 0.04, 30], [-0.03, 0.98, 12], [2e-5, -3e-5, 1]])
FIRST = 20


def keyed(*values, eases=("smooth", "linear", "hold", "smooth")):
    frames = (FIRST, FIRST + 9, FIRST + 20, FIRST + 31)
    return Keyed(keys=[Key(frame=f, value=v, ease=e) for f, v, e in zip(frames, values, eases, strict=False)])


def shapes(motion: str):
    """One of each kind, every number of it in motion."""
    place = {"x": keyed(500, 620, 560, 700), "y": keyed(300, 260, 420, 380)}
    size = {"rx": keyed(200, 260, 180, 220), "ry": keyed(120, 90, 160, 140)}
    turned = {"rotation": keyed(0, 30, -20, 50), "shear": keyed(0, 15, -10, 5), "attached_to": motion}
    corners = [Point(x=-1, y=-1), Point(x=1, y=-1), Point(x=1, y=1), Point(x=-1, y=1)]
    pulled = [point.model_copy(update={"x": point.x * 1.3}) for point in corners]
    curved = [Point(x=0, y=-1, before=(-0.5, 0), after=(0.5, 0)), Point(x=1, y=0.6), Point(x=-1, y=0.6, after=(0.1, -0.6))]  # fmt: skip
    bent = [point.model_copy(update={"y": point.y - 0.3}) for point in curved]
    return [
        Ellipse(name="e", **place, **size, **turned, along_out=3.0),
        Rectangle(name="r", **place, **size, **turned, rounding=keyed(0, 40, 25, 60), points=with_outline(with_outline(corners, FIRST, corners), FIRST + 20, pulled)),
        Path(name="p", **place, **size, **turned, points=with_outline(with_outline(curved, FIRST, curved), FIRST + 20, bent)),
        Horizon(name="h", **place, rotation=keyed(0, 30, -20, 50), attached_to=motion),
    ]  # fmt: skip


@pytest.fixture
def geometry(at: Page) -> Project:
    open_demo(at)
    project = Project.model_validate(document(at))
    shot = project.layers[0].items[0]
    given = [
        Given(frame=FIRST + k, matrix=np.linalg.matrix_power(LEAN, k).ravel().tolist() if k < 5 else (LEAN @ LEAN).ravel().tolist())
        for k in range(40)
    ]  # fmt: skip
    motion = Motion(name="m", at=FIRST, area=[(0, 0), (9, 0), (9, 9)], model="perspective", span=(FIRST, FIRST + 39), given=given)  # fmt: skip
    shot.motions = [motion]
    shot.regions = [Region(name=part.kind, parts=[part]) for part in shapes(motion.id)]
    base = re.sub(r"/project/.*", "", at.url)
    state = at.request.post(f"{base}/api/projects/file", data=project.model_dump_json(), headers={"Content-Type": "application/json"}).json()  # fmt: skip
    with at.expect_response(re.compile("/carried/")):
        at.goto(f"{base}/project/{state['id']}")
    expect(at.locator("canvas.frame")).to_be_visible()
    return project


def test_every_shape_lies_on_the_screen_where_it_is_rendered(at: Page, geometry: Project):
    shot = geometry.layers[0].items[0]
    motion = shot.motions[0]
    frame = 0
    for wanted in (FIRST, FIRST + 4, FIRST + 14, FIRST + 25, FIRST + 29):
        while frame < wanted:
            step = 10 if wanted - frame >= 10 else 1
            at.keyboard.press("Shift+ArrowRight" if step == 10 else "ArrowRight")
            frame += step
        expect(at.get_by_text(f"clip frame {wanted}", exact=True)).to_be_visible()
        sampler = np.reshape(next(one.matrix for one in motion.given if one.frame == wanted), (3, 3))
        for region in shot.regions:
            part = region.parts[0]
            path = at.locator(f'[aria-label="{region.name}: {part.name}"] .body').first.get_attribute("d")
            seen = np.array(re.findall(r"-?[\d.]+", path), float).reshape(-1, 2)
            rendered = drawn(part, wanted, sampler)
            if part.kind == "horizon":
                assert np.abs((seen - rendered.point) @ rendered.normal).max() < 1.5, wanted
                continue
            outline = LinearRing(rendered.points)
            assert hausdorff_distance(LinearRing(seen), outline, densify=0.05) < 1.0, (part.kind, wanted)
