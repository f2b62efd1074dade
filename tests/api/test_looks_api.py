"""Looks over HTTP: their schemas, recipes, scopes, values, tables and lists; good input and bad."""

import cv2
import numpy as np
import pytest
from tests.asking import change, shot_of, work_off

from cravo.core.grading.files import cdl_xml

CUBE = "LUT_3D_SIZE 2\n" + "\n".join(f"{r} {g} {b * 0.5}" for b in (0, 1) for g in (0, 1) for r in (0, 1))


def region_of(state):
    return shot_of(state)["regions"][0]


def with_looks(client, state, side, *looks):
    path = f"/layers/0/items/0/regions/0/{side}"
    patch = [{"op": "replace", "path": path, "value": list(looks)}]
    body = {"seen": state["revision"], "label": "looks", "patch": patch}
    return client.post(f"/api/projects/{state['id']}/edits", json=body)


def picture_of(client, state, **more):
    jpeg = client.post(f"/api/projects/{state['id']}/picture", json={"frame": 4, "width": 320, "height": 208, **more}).content  # fmt: skip
    return cv2.imdecode(np.frombuffer(jpeg, np.uint8), cv2.IMREAD_COLOR).astype(float)


def test_every_look_says_what_can_be_set(client):
    looks = {look["kind"]: look for look in client.get("/api/facts").json()["looks"]}
    assert {look["group"] for look in looks.values()} == {"Hide", "Colour", "Detail", "Cover"}
    assert looks["exposure"]["graded"]
    assert not looks["blur"]["graded"]
    curve = next(one for one in looks["curves"]["settings"] if one["name"] == "luma")
    assert (curve["type"], curve["default"]) == ("curve", [[0, 0], [0.5, 0.5], [1, 1]])
    assert looks["pixelate"]["settings"][0]["choices"] == ["square", "hexagon", "triangle"]


@pytest.mark.parametrize(
    ("look", "words"),
    [
        ({"kind": "nothing"}, "no look called"),
        ({"kind": "blur", "settings": {"radius": "wide"}}, "wrong type"),
        ({"kind": "pixelate", "settings": {"shape": "star"}}, "cannot be"),
        ({"kind": "colour", "settings": {"colour": "red"}}, "not a colour"),
        ({"kind": "sticker", "settings": {"image": "../../etc/passwd"}}, "names no file"),
        ({"kind": "curves", "settings": {"red": [{"x": 0, "y": 0}, {"x": 0, "y": 1}, {"x": 1, "y": 1}]}}, "three or more"),
        ({"kind": "curves", "settings": {"red": 0.5}}, "wrong type"),
    ],
)  # fmt: skip
def test_looks_that_do_not_fit_are_refused_in_words(client, project, look, words):
    answer = with_looks(client, project, "inside", look)
    assert answer.status_code == 422
    assert words in answer.json()["detail"]
    assert client.get(f"/api/projects/{project['id']}").json()["revision"] == project["revision"]


def test_a_file_that_is_gone_is_said_in_words(client, project):
    state = with_looks(client, project, "inside", {"kind": "lut", "settings": {"table": "a" * 64}}).json()
    answer = client.post(f"/api/projects/{state['id']}/picture", json={"frame": 4, "width": 320, "height": 208})
    assert answer.status_code == 409
    assert answer.json()["detail"].endswith(".")


def test_a_table_lies_on_the_shelf_and_changes_the_picture(client, stores, project):
    medium = client.post("/api/media?name=warm.cube", content=CUBE.encode()).json()["id"]
    work_off(stores)
    entry = next(one for one in client.get("/api/media").json() if one["id"] == medium)
    assert (entry["kind"], entry["codec"], entry["state"]) == ("table", "3D table", "ready")
    refused = client.post("/api/projects", json={"name": "x", "media": [medium]})
    assert refused.status_code == 422
    assert "no picture" in refused.json()["detail"]
    before = picture_of(client, project)
    state = with_looks(client, project, "outside", {"kind": "lut", "settings": {"table": medium}}).json()
    after = picture_of(client, state)
    assert after[:30, :60, 0].mean() == pytest.approx(before[:30, :60, 0].mean() / 2, abs=4)
    assert after[:30, :60, 2].mean() == pytest.approx(before[:30, :60, 2].mean(), abs=4)


def test_a_damaged_table_is_refused(client, stores, project):
    medium = client.post("/api/media?name=bad.cube", content=b"LUT_3D_SIZE 9\n1 2\n").json()["id"]
    work_off(stores)
    entry = next(one for one in client.get("/api/media").json() if one["id"] == medium)
    assert entry["state"] == "refused"
    assert "damaged" in entry["problem"]


def test_a_colour_chain_goes_out_as_a_table_and_a_list(client, project):
    cdl = {"id": "list", "kind": "cdl", "settings": {"slope_red": 1.5}}
    state = with_looks(client, project, "inside", {"kind": "exposure", "settings": {"exposure": -1.0}}, cdl).json()
    place = f"/api/projects/{state['id']}/grade/{shot_of(state)['id']}/{region_of(state)['id']}"
    answer = client.get(f"{place}/inside.cube?size=17&frame=4")
    assert "LUT_3D_SIZE 17" in answer.text
    last = np.array(answer.text.strip().splitlines()[-1].split(), float)
    assert last == pytest.approx([1.5 * 2 ** (-1 / 1.83), 2 ** (-1 / 1.83), 2 ** (-1 / 1.83)], abs=1e-3)
    assert client.get(f"{place}/inside.cube?size=18").status_code == 400
    assert "no colour look" in client.get(f"{place}/outside.cube").json()["detail"]
    assert client.get(f"{place}/above.cube").status_code == 404
    listed = f"/api/projects/{state['id']}/cdl/{shot_of(state)['id']}/{region_of(state)['id']}"
    text = client.get(f"{listed}/list.cdl").text
    assert "<Slope>1.5 1 1</Slope>" in text
    assert client.get(f"{listed}/none.cdl").status_code == 404
    back = client.post("/api/cdl", json={"text": text}).json()
    assert back["slope_red"] == 1.5
    assert client.post("/api/cdl", json={"text": "<x/>"}).status_code == 422
    assert client.post("/api/cdl", json={"text": cdl_xml(back, "&<>")}).status_code == 200


def test_recipes_are_kept_handed_on_applied_and_forgotten(client, project):
    state = with_looks(client, project, "outside", {"kind": "desaturate"}).json()
    shot, region = shot_of(state)["id"], region_of(state)["id"]
    body = {"project": state["id"], "shot": shot, "region": region, "name": "Grey around"}
    kept = client.post("/api/recipes", json=body).json()
    text = client.get(f"/api/recipes/{kept['id']}.json").text
    again = client.post("/api/recipes", json={"text": text}).json()
    assert again["recipe"] == kept["recipe"]
    every = client.get("/api/recipes").json()
    assert [one["id"] for one in every if one["own"]] == [kept["id"], again["id"]]
    made = change(client, state, do="apply recipe", frame=4, recipe=again["recipe"], region=region).json()
    assert [look["kind"] for look in region_of(made)["outside"]] == ["desaturate", "desaturate"]
    assert made["undo"] == "Grey around"
    for one in (kept, again):
        assert client.delete(f"/api/recipes/{one['id']}").status_code == 204
    assert client.delete(f"/api/recipes/{kept['id']}").status_code == 404
    assert client.get(f"/api/recipes/{kept['id']}.json").status_code == 404
    for wrong in ({}, {"text": "no"}, {**body, "name": " "}, {**body, "region": "none"}):
        answer = client.post("/api/recipes", json=wrong)
        assert answer.status_code in (400, 422)
        assert answer.json()["detail"].endswith(".")


def test_a_recipe_can_be_seen_before_it_is_chosen(client, project):
    recipe = next(one for one in client.get("/api/recipes").json() if one["id"] == "evening")["recipe"]
    edit = {"do": "apply recipe", "shot": shot_of(project)["id"], "frame": 4, "recipe": recipe, "width": 320}
    dark = picture_of(client, project, trial={"patch": [], "edit": edit})
    assert dark.mean() < 0.7 * picture_of(client, project).mean()
    assert client.get(f"/api/projects/{project['id']}").json()["revision"] == project["revision"]


@pytest.mark.parametrize("kind", ["waveform", "parade", "vectorscope", "histogram"])
def test_scopes_of_the_whole_and_of_the_region(client, project, kind):
    ask = lambda **more: client.post(  # noqa: E731
        f"/api/projects/{project['id']}/scope",
        json={"kind": kind, "picture": {"frame": 4, "width": 320, "height": 208}, **more},
    )
    whole = cv2.imdecode(np.frombuffer(ask().content, np.uint8), cv2.IMREAD_COLOR)
    alone = cv2.imdecode(np.frombuffer(ask(region=region_of(project)["id"]).content, np.uint8), cv2.IMREAD_COLOR)
    assert whole.shape == alone.shape
    assert (whole != alone).any()


def test_the_value_under_the_pointer(client, project):
    wish = {"picture": {"frame": 4, "width": 320, "height": 208}, "x": 0.1, "y": 0.1}
    value = client.post(f"/api/projects/{project['id']}/value", json=wish).json()
    shown = picture_of(client, project)[20, 32, ::-1]
    assert value["rgb8"] == pytest.approx(shown, abs=14)  # JPEG lies between
    assert client.post(f"/api/projects/{project['id']}/value", json={**wish, "x": 7}).status_code == 422


def test_curves_as_they_are_drawn(client):
    straight = client.post("/api/curve", json={"points": [[0, 0], [0.5, 0.5], [1, 1]]}).json()
    assert straight == pytest.approx(np.linspace(0, 1, len(straight)), abs=1e-3)
    around = client.post("/api/curve", json={"points": [[0.2, 1], [0.5, 0], [0.8, 0]], "around": True}).json()
    assert around[0] == pytest.approx(around[-1])
    assert client.post("/api/curve", json={"points": [[0, 0], [0.5, 0.5], [0.5, 1]]}).status_code == 422


def test_a_look_fades_and_what_is_transparent_lies_on_a_chequer(client, project):
    state = with_looks(client, project, "inside", {"id": "gone", "kind": "transparent"}).json()
    shown = picture_of(client, state)
    middle = shown[95:105, 145:155]
    assert np.ptp(middle.mean((0, 1))) < 3  # grey
    state = change(client, state, do="fade", region=region_of(state)["id"], look="gone", way="in", frame=4, length=8).json()  # fmt: skip
    assert np.abs(picture_of(client, state)[95:105, 145:155] - picture_of(client, project)[95:105, 145:155]).max() < 60
    assert [key["value"] for key in region_of(state)["inside"][0]["strength"]["keys"]] == [0, 1]
