"""The whole film over HTTP: the same in every shot, how shots stand, who is who, and what is kept of that."""

from __future__ import annotations

import hashlib
import json

import cv2
import numpy as np
import pytest
from skimage.data import cat
from tests.asking import change, work_off
from tests.footage import make_clip, textured
from tests.heads import two_heads

from cravo.core.finders.models import FACES_FAR, has_model
from cravo.core.people.describe import describable
from cravo.store.projects import Unknown

pytestmark = pytest.mark.skipif(
    not (has_model(FACES_FAR) and describable()), reason="the networks could not be installed here"
)


@pytest.fixture(scope="module")
def heads(tmp_path_factory):
    return two_heads(tmp_path_factory.mktemp("heads") / "heads.mp4").read_bytes()


@pytest.fixture
def two_shots(client, stores, heads):
    """Two shots of one clip with two faces each, nothing done yet."""
    medium = client.post("/api/media?name=heads.mp4", content=heads).json()["id"]
    work_off(stores)
    return client.post("/api/projects", json={"name": "film", "media": [medium, medium]}).json()


def lines(client, state):
    return client.get(f"/api/projects/{state['id']}/shots").json()


def in_shots(client, state, **edit):
    shots = [one["shot"] for one in lines(client, state)]
    body = {"seen": state["revision"], "edit": {"do": "in shots", "shots": shots, "edit": {"shot": shots[0], **edit}}}
    return client.post(f"/api/projects/{state['id']}/shots/edit", json=body)


def hide_faces(client, state):
    return in_shots(client, state, do="new found", what="faces", hide=True)


def people(client, state):
    return client.get(f"/api/projects/{state['id']}/people").json()


def latest(client, state):
    return client.get(f"/api/projects/{state['id']}").json()


def choose(client, state, **edit):
    body = {"seen": latest(client, state)["revision"], "edit": {"do": "choose people", **edit}}
    return client.post(f"/api/projects/{state['id']}/changes", json=body)


@pytest.fixture
def compared(client, stores, two_shots):
    state = hide_faces(client, two_shots).json()["state"]
    work_off(stores)
    assert client.post(f"/api/projects/{state['id']}/people/compare").status_code == 201
    work_off(stores)
    return latest(client, state)


def test_faces_are_found_in_every_shot_by_one_edit_and_one_piece_of_work(client, stores, two_shots):
    assert [one["standing"] for one in lines(client, two_shots)] == ["untouched", "untouched"]
    assert all(one["seconds"]["faces"] > 0 for one in lines(client, two_shots))
    begun = hide_faces(client, two_shots).json()
    assert begun["state"]["undo"] == "Find faces in 2 shots"
    (row,) = stores.work.open()
    assert (row["kind"], row["detail"]["ends"]) == ("shots", [30, 60])
    assert [one["found"] for one in lines(client, two_shots)] == [{"faces": False}, {"faces": False}]
    work_off(stores)
    after = stores.work.get(str(row["id"]))
    assert (after["state"], after["done"], after["total"]) == ("done", 60, 60)
    assert [(one["standing"], one["found"]) for one in lines(client, two_shots)] == [("whole", {"faces": True})] * 2


def test_undo_takes_it_back_everywhere_and_stops_the_work_and_redo_goes_on(client, stores, two_shots):
    state = hide_faces(client, two_shots).json()["state"]
    undone = client.post(f"/api/projects/{state['id']}/undo", json={"seen": state["revision"]}).json()
    assert [one["regions"] for one in lines(client, undone)] == [0, 0]
    assert stores.work.open() == []
    redone = client.post(f"/api/projects/{state['id']}/redo", json={"seen": undone["revision"]}).json()
    assert [row["kind"] for row in stores.work.open()] == ["shots"]
    work_off(stores)
    assert [one["found"] for one in lines(client, redone)] == [{"faces": True}] * 2


def test_a_recipe_and_the_looks_of_a_region_go_into_every_shot(client, stores, two_shots):
    recipes = {one["recipe"]["name"]: one["recipe"] for one in client.get("/api/recipes").json()}
    hides = next(one for one in recipes.values() if any(r.get("finds") == "lettering" for r in one["regions"]))
    state = in_shots(client, two_shots, do="apply recipe", frame=0, recipe=hides).json()["state"]
    items = state["document"]["layers"][0]["items"]
    assert [[part["kind"] for region in shot["regions"] for part in region["parts"]] for shot in items] == [
        ["lettering"]
    ] * 2
    first = items[0]
    patch = [{"op": "replace", "path": "/layers/0/items/0/regions/0/inside", "value": [{"kind": "colour"}]}]
    edit = {"seen": state["revision"], "label": "Solid", "patch": patch}
    state = client.post(f"/api/projects/{state['id']}/edits", json=edit).json()
    state = in_shots(client, state, do="same looks", of_shot=first["id"], region=first["regions"][0]["id"]).json()[
        "state"
    ]
    looks = [shot["regions"][0]["inside"] for shot in state["document"]["layers"][0]["items"]]
    assert [[one["kind"] for one in every] for every in looks] == [["colour"], ["colour"]]
    assert looks[0][0]["id"] != looks[1][0]["id"]
    spot = next(one for one in recipes.values() if any(r.get("place") == "spot" for r in one["regions"]))
    refused = in_shots(client, state, do="apply recipe", frame=0, recipe=spot)
    assert refused.status_code == 422
    assert "every shot" in refused.json()["detail"]


def test_the_same_people_of_two_shots_are_one_each_and_one_choice_hides_them_in_both(client, compared):
    who = people(client, compared)
    assert who["described"]
    # The picture and its mirror image are in the picture together: two people, each in both shots.
    assert sorted(len({face["shot"] for face in one["faces"]}) for one in who["persons"]) == [2, 2]
    assert who["unknown"] == []
    chosen, other = who["persons"]
    assert choose(client, compared, persons=[chosen["id"]], hide=True, others=False).status_code == 200
    after = {one["id"]: one for one in people(client, compared)["persons"]}
    assert [face["hidden"] for face in after[chosen["id"]]["faces"]] == [True, True]
    assert [face["hidden"] for face in after[other["id"]]["faces"]] == [False, False]
    parts = [shot["regions"][0]["parts"][0] for shot in latest(client, compared)["document"]["layers"][0]["items"]]
    assert [part["choice"] for part in parts] == ["all but", "all but"]


def test_two_faces_are_told_to_be_one_person(client, compared):
    one, other = (person["faces"][0] for person in people(client, compared)["persons"])
    refs = [{name: face[name] for name in ("shot", "part", "track")} for face in (one, other)]
    body = {"seen": compared["revision"], "one": refs[0], "other": refs[1], "same": True}
    told = client.post(f"/api/projects/{compared['id']}/people/tell", json=body)
    assert told.json()["undo"] == "The same person"
    # In the other shot both are seen at once: whoever is the nearer goes along, the other cannot.
    assert [len(person["faces"]) for person in people(client, compared)["persons"]] == [3, 1]


def test_what_describes_faces_lies_in_one_file_and_nowhere_else(client, stores, compared):
    views = stores.faces.read(compared["id"])
    vectors = [view.vector for every in views.values() for view in every if view.vector is not None]
    assert len(vectors) >= 4
    (file,) = (stores.folder / "faces").iterdir()
    assert file.stat().st_mode & 0o077 == 0
    numbers = [f"{vector[0]:.6f}"[:8] for vector in vectors]
    with stores.database.session() as session:
        tables = [
            row["tablename"]
            for row in session.connection.execute("select tablename from pg_tables where schemaname = 'public'")
        ]
        told = "".join(
            json.dumps([row["line"] for row in session.connection.execute(f"select t::text as line from {table} t")])
            for table in tables
        )
    saved = client.get(f"/api/projects/{compared['id']}/file").text
    for text in (told, saved, json.dumps(latest(client, compared))):
        assert not any(number in text for number in numbers)
    assert not any(holds(path, vectors) for path in stores.folder.rglob("*") if path.is_file() and path != file)


def holds(path, vectors):
    """Whether a file has the numbers of a face anywhere in it, as they lie in memory."""
    content = path.read_bytes()
    return any(
        np.asarray(vector[:4], kind).tobytes() in content for vector in vectors for kind in (np.float32, np.float64)
    )


def test_it_is_deleted_at_a_press_and_what_is_hidden_stays(client, stores, compared):
    chosen = people(client, compared)["persons"][0]
    state = choose(client, compared, persons=[chosen["id"]], hide=False).json()
    body = {"seen": state["revision"]}
    after = client.post(f"/api/projects/{compared['id']}/people/forget", json=body).json()
    assert list((stores.folder / "faces").iterdir()) == []
    who = people(client, compared)
    assert (who["described"], who["persons"]) == (False, [])
    assert sorted(face["hidden"] for face in who["unknown"]) == [False, False, True, True]
    one, other = ({name: face[name] for name in ("shot", "part", "track")} for face in who["unknown"][:2])
    body = {"seen": after["revision"], "one": one, "other": other, "same": True}
    refused = client.post(f"/api/projects/{compared['id']}/people/tell", json=body)
    assert (refused.status_code, refused.json()["detail"]) == (
        400, "What tells faces apart was deleted. Compare the faces once more.",
    )  # fmt: skip


def test_it_is_deleted_with_its_project(client, stores, compared):
    assert client.delete(f"/api/projects/{compared['id']}").status_code == 204
    assert list((stores.folder / "faces").iterdir()) == []


def test_a_project_that_goes_while_its_faces_are_compared_leaves_nothing(client, stores, two_shots, monkeypatch):
    state = hide_faces(client, two_shots).json()["state"]
    work_off(stores)
    client.post(f"/api/projects/{state['id']}/people/compare")
    write = stores.faces.write

    def deleted_meanwhile(project, views):
        client.delete(f"/api/projects/{project}")
        write(project, views)

    monkeypatch.setattr(type(stores.faces), "write", lambda self, project, views: deleted_meanwhile(project, views))
    work_off(stores)
    with pytest.raises(Unknown):
        stores.projects.get(state["id"])
    assert list((stores.folder / "faces").iterdir()) == []


def test_faces_are_compared_only_where_some_were_looked_for(client, two_shots):
    refused = client.post(f"/api/projects/{two_shots['id']}/people/compare")
    assert (refused.status_code, refused.json()["detail"]) == (
        400, "No faces were looked for in this film yet. Hide the faces of every shot first.",
    )  # fmt: skip
    assert choose(client, two_shots, persons=["nobody"], hide=True).status_code == 422


@pytest.fixture
def signs(client, stores, tmp_path):
    """Two clips that show a sign, and one that does not; it is marked in the first, and hidden there."""
    media = []
    for number, corners in enumerate(
        ([(60, 40), (300, 60), (290, 220), (70, 210)], [(120, 90), (210, 84), (214, 150), (122, 156)], None)
    ):
        clip = make_clip(tmp_path / f"{number}.mp4", [hung(corners, frame, number) for frame in range(14)])
        media.append(client.post(f"/api/media?name={number}.mp4", content=clip.read_bytes()).json()["id"])
    work_off(stores)
    state = client.post("/api/projects", json={"name": "signs", "media": media}).json()
    points = [{"x": x, "y": y} for x, y in ((-1, -1), (1, -0.8), (0.9, 0.9), (-0.9, 0.8))]
    path = {"kind": "path", "name": "Path", "x": 180, "y": 130, "rx": 120, "ry": 90, "points": points}
    state = change(client, state, do="new region", frame=0, part=path).json()
    patch = [{"op": "add", "path": "/layers/0/items/0/regions/0/inside", "value": [{"kind": "colour"}]}]
    body = {"seen": state["revision"], "label": "Solid", "patch": patch}
    return client.post(f"/api/projects/{state['id']}/edits", json=body).json()


def hung(corners, frame, seed):
    """A picture with a sign in it that goes to the right by a pixel a frame."""
    picture = textured(400, 240, 20 + seed)
    if corners is None:
        return picture
    sign = cat()
    own = np.array([(0, 0), (451, 0), (451, 300), (0, 300)], np.float32)
    onto = cv2.getPerspectiveTransform(own, np.array(corners, np.float32) + np.array([frame, 0], np.float32))
    mask = cv2.warpPerspective(np.ones((300, 451), np.uint8), onto, (400, 240)) > 0
    picture[mask] = cv2.warpPerspective(cv2.GaussianBlur(sign, (0, 0), 1), onto, (400, 240))[mask]
    return picture


def test_a_sign_is_found_in_the_other_shots_taken_and_followed(client, stores, signs):
    first = signs["document"]["layers"][0]["items"][0]
    body = {"shot": first["id"], "region": first["regions"][0]["id"]}
    assert client.get(f"/api/projects/{signs['id']}/alike").json() is None
    assert client.post(f"/api/projects/{signs['id']}/alike", json=body).status_code == 201
    work_off(stores)
    found = client.get(f"/api/projects/{signs['id']}/alike").json()
    (one,) = found["finds"]
    assert (one["shot_name"], one["taken"]) == ("1.mp4", False)
    assert one["x"] == pytest.approx(168 + one["sequence_frame"] - 14, abs=8)
    taken = client.post(
        f"/api/projects/{signs['id']}/alike/take", json={"seen": signs["revision"], "numbers": [0]}
    ).json()
    assert taken["state"]["undo"] == "The same in 1 shots"
    shot = taken["state"]["document"]["layers"][0]["items"][1]
    assert [look["kind"] for look in shot["regions"][0]["inside"]] == ["colour"]
    work_off(stores)
    lane = client.get(f"/api/projects/{signs['id']}/lanes/{shot['id']}").json()
    assert {run["state"] for run in lane["regions"][0]["runs"]} <= {"sure", "set"}
    assert [one["taken"] for one in client.get(f"/api/projects/{signs['id']}/alike").json()["finds"]] == [True]
    refused = client.post(f"/api/projects/{signs['id']}/alike/take", json={"seen": 99, "numbers": [7]})
    assert refused.status_code == 404


def test_what_is_too_plain_to_be_recognised_is_said(client, stores, project):
    shot = project["document"]["layers"][0]["items"][0]
    region = shot["regions"][0]["id"]
    tiny = [
        {"op": "replace", "path": "/layers/0/items/0/regions/0/parts/0/rx", "value": 3},
        {"op": "replace", "path": "/layers/0/items/0/regions/0/parts/0/ry", "value": 3},
    ]
    state = client.post(
        f"/api/projects/{project['id']}/edits", json={"seen": project["revision"], "label": "Tiny", "patch": tiny}
    ).json()
    row = client.post(f"/api/projects/{state['id']}/alike", json={"shot": shot["id"], "region": region}).json()
    work_off(stores)
    assert "too little on Region 1 to recognise it by" in client.get(f"/api/work/{row['id']}").json()["problem"]


def test_clips_are_protected_from_beginning_to_end_each_in_a_project_of_its_own(client, stores, heads, tmp_path):
    quiet = make_clip(tmp_path / "quiet.mp4", [textured(160, 96, 3)] * 6)
    media = [
        client.post(f"/api/media?name={name}", content=content).json()["id"]
        for name, content in (("visitors.mp4", heads), ("quiet.mp4", quiet.read_bytes()))
    ]
    work_off(stores)
    assert client.post("/api/protected", json={"media": [*media, "nothing"]}).status_code == 404
    assert client.get("/api/projects").json() == []
    begun = client.post("/api/protected", json={"media": media, "what": ["faces", "plates"]}).json()
    assert [one["name"] for one in begun] == ["visitors", "quiet"]
    work_off(stores)
    films = {one["name"]: one for one in client.get("/api/protected").json()}
    assert {one["work"]["state"] for one in films.values()} == {"done"}
    assert films["quiet"]["clean"] is True
    one = films["visitors"]
    proof = client.get(f"/api/projects/{one['project']}/proof").json()
    assert (proof["file"], proof["stale"], one["gaps"]) == ("visitors.mp4", False, len(proof["proof"]["gaps"]))
    assert [person["covered"] for person in proof["proof"]["people"]] == [True, True]
    file = client.get(f"/api/exports/{one['work']['id']}/file")
    report = client.get(f"/api/projects/{one['project']}/proof/report.json").json()
    assert report["result"]["sha256"] == hashlib.sha256(file.content).hexdigest()
    assert client.delete(f"/api/projects/{one['project']}").status_code == 204
    assert [film["name"] for film in client.get("/api/protected").json()] == ["quiet"]
    assert client.get(f"/api/exports/{one['work']['id']}/file").status_code == 404
