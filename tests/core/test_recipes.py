"""Recipes: those that ship, keeping one's own, what they make of a shot; fades; grades as files."""

import numpy as np
import PyOpenColorIO as OCIO
import pytest

from cravo.core.commands import ApplyRecipe, Fade
from cravo.core.document import Ellipse, Look, Project, Region, Shot
from cravo.core.errors import BadDocument, BadFootage, CravoError
from cravo.core.footage.probe import probe
from cravo.core.grading.files import cdl_xml, cube_of, read_cdl
from cravo.core.keyframes import Key, Keyed, value_at
from cravo.core.looks.chain import graded, steps_at
from cravo.core.recipes import built_in, read_recipe, recipe_of

CARRIERS = lambda shot: lambda motion, frame: np.eye(3)  # noqa: E731


def a_project():
    region = Region(name="Face", parts=[Ellipse(name="e", x=400, y=300, rx=80, ry=100)])
    project = Project(name="p")
    project.layers[0].items = [Shot(name="s", medium="m", start=0, first=0, last=99, regions=[region])]
    return project, project.layers[0].items[0], region


def apply(recipe, **more):
    project, shot, region = a_project()
    ApplyRecipe(shot=shot.id, frame=10, recipe=recipe, region=region.id, **more).apply(project, CARRIERS)
    return shot, shot.region(region.id)


@pytest.mark.parametrize("name", list(built_in()))
def test_every_recipe_that_ships_can_be_applied(name):
    recipe = built_in()[name]
    shot, _ = apply(recipe, spot=(900, 200))
    assert recipe.about.endswith(".")
    looks = [look for one in shot.regions for look in one.inside + one.outside]
    assert len(looks) == sum(len(one.inside + one.outside) for one in recipe.regions)
    assert len({look.id for look in looks}) == len(looks)
    if recipe.then:
        assert recipe.then in built_in()


def test_a_recipe_around_a_spot_lays_its_shapes_there_and_lets_them_ride():
    shot, _ = apply(built_in()["lamp"], spot=(900, 200), width=960)
    lamp = shot.regions[-1]
    core, cone = lamp.parts
    assert (core.x, core.y) == pytest.approx((900, 200))
    assert value_at(core.rx, 10) == pytest.approx(23)
    assert value_at(cone.y, 10) == pytest.approx(200 + 85)
    assert core.attached_to == cone.attached_to == shot.motions[0].id
    assert shot.motions[0].at == 10


def test_what_covers_everything_comes_before_the_lamps():
    project, shot, _ = a_project()
    for name in ("lamp", "evening", "lamp"):
        ApplyRecipe(shot=shot.id, frame=0, recipe=built_in()[name], spot=(50, 50)).apply(project, CARRIERS)
    assert [region.name for region in shot.regions] == ["Evening", "Face", "Lamp", "Lamp 2"]


def test_recipes_that_need_something_say_so():
    project, shot, _ = a_project()
    for name, words in (("only-this", "Select the region"), ("lamp", "Click the spot")):
        with pytest.raises(BadDocument, match=words):
            ApplyRecipe(shot=shot.id, frame=0, recipe=built_in()[name]).apply(project, CARRIERS)


def test_ones_own_recipe_is_kept_as_it_is_on_a_frame():
    _, _, region = a_project()
    with pytest.raises(BadDocument, match="no look yet"):
        recipe_of(region, "mine", 5)
    radius = Keyed(keys=[Key(frame=0, value=0), Key(frame=10, value=40)])
    region.inside = [Look(kind="blur", strength=0.5, settings={"radius": radius})]
    kept = read_recipe(recipe_of(region, "mine", 5).model_dump_json())
    assert kept.regions[0].inside[0].settings == {"radius": 20, "measured": "in pixels"}
    assert kept.regions[0].inside[0].strength == 0.5
    assert kept.regions[0].parts == []


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("{", "not JSON"),
        ("[]", "not valid"),
        ('{"name": "x", "regions": []}', "not valid"),
        ('{"name": "x", "regions": [{"inside": [{"kind": "magic"}]}]}', "no look called"),
        ('{"name": "x", "regions": [{"inside": [{"kind": "blur", "settings": {"radius": "big"}}]}]}', "wrong type"),
    ],
)
def test_files_that_are_no_recipe_are_refused_in_words(text, words):
    with pytest.raises(BadDocument, match=words):
        read_recipe(text)


def test_a_look_fades_in_and_out():
    project, shot, region = a_project()
    look = Look(kind="desaturate", strength=0.8)
    region.outside = [look]
    Fade(shot=shot.id, region=region.id, look=look.id, way="in", frame=20, length=25).apply(project, CARRIERS)
    strength = region.outside[0].strength
    assert [round(value_at(strength, f), 3) for f in (0, 20, 32, 45, 80)] == [0, 0, 0.384, 0.8, 0.8]
    Fade(shot=shot.id, region=region.id, look=look.id, way="out", frame=60, length=10).apply(project, CARRIERS)
    strength = region.outside[0].strength
    assert [round(value_at(strength, f), 3) for f in (20, 45, 60, 65, 70, 90)] == [0, 0.8, 0.8, 0.4, 0, 0]
    with pytest.raises(BadDocument, match="no longer"):
        Fade(shot=shot.id, region=region.id, look="none", way="in", frame=0, length=9).apply(project, CARRIERS)


def by_ocio(path, rgb):
    config = OCIO.Config.CreateRaw()
    out = np.array(rgb, np.float32, order="C")
    config.getProcessor(OCIO.FileTransform(src=str(path))).getDefaultCPUProcessor().applyRGB(out)
    return out


@pytest.mark.parametrize("size", [17, 33, 65])
def test_a_chain_of_looks_becomes_a_table_that_others_read(tmp_path, size):
    looks = [Look(kind="exposure", settings={"exposure": -0.5}), Look(kind="balance", settings={"saturation": 30.0}, strength=0.5)]  # fmt: skip
    grade = graded(steps_at(looks, 0), lambda name: tmp_path)
    path = tmp_path / "t.cube"
    path.write_text(cube_of(grade, 'a "title"', size))
    rgb = np.random.default_rng(3).random((500, 3)).astype(np.float32)
    assert np.abs(by_ocio(path, rgb) - grade(rgb)).max() < 0.5 / size
    assert probe(path).codec == "3D table"
    assert probe(path).width == size


def test_a_damaged_table_is_refused_in_words(tmp_path):
    path = tmp_path / "t.cube"
    path.write_text("LUT_3D_SIZE 9\n0 0 0\n")
    with pytest.raises(BadFootage, match="damaged"):
        probe(path)


def a_list(slope, offset, power, saturation):
    rows = {"slope": slope, "offset": offset, "power": power}
    settings = {
        f"{name}_{c}": v for name, row in rows.items() for c, v in zip(("red", "green", "blue"), row, strict=True)
    }
    return settings | {"saturation": saturation}


def test_a_colour_decision_list_goes_out_and_comes_back(tmp_path):
    text = cdl_xml(a_list([1.1, 1, 0.9], [0.01, 0, -0.02], [1.2, 1, 0.8], 0.9), "Tram <1>")
    back = read_cdl(text)
    assert [back[f"slope_{c}"] for c in ("red", "green", "blue")] == pytest.approx([1.1, 1, 0.9])
    assert [back[f"power_{c}"] for c in ("red", "green", "blue")] == pytest.approx([1.2, 1, 0.8])
    assert back["saturation"] == pytest.approx(0.9)
    path = tmp_path / "t.cdl"
    path.write_text(text)
    found = OCIO.CDLTransform.CreateFromFile(str(path), "Tram-1")  # what another program finds by its id
    assert found.getOffset() == pytest.approx([0.01, 0, -0.02])
    single = '<ColorCorrection id="a"><SOPNode><Slope>2 1 1</Slope><Offset>0 0 0</Offset><Power>1 1 1</Power></SOPNode></ColorCorrection>'
    assert read_cdl(single)["slope_red"] == 2


@pytest.mark.parametrize("text", ["", "<html/>", "<ColorDecisionList/>", '<!DOCTYPE x [<!ENTITY a "b">]><ColorDecisionList/>', "<ColorCorrection>"])  # fmt: skip
def test_files_that_are_no_list_are_refused_in_words(text):
    with pytest.raises(CravoError, match=r"(read|file)\.$"):
        read_cdl(text)
