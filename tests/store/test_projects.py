"""Edits, undo and redo on a real database."""

from importlib.resources import files

import pytest
from psycopg.types.json import Jsonb

from cravo.core.commands import NewRegion
from cravo.core.document import Ellipse, Layer, Project, Shot
from cravo.core.errors import BadDocument
from cravo.store.projects import Conflict, Unknown

SHOT = {"name": "s", "medium": "x", "start": 0, "first": 0, "last": 9}


def rename(name):
    return [{"op": "replace", "path": "/name", "value": name}]


def test_undo_and_redo_reach_to_the_start_and_back(stores):
    projects = stores.projects
    state = projects.add(Project(name="0"))
    for i in range(1, 21):
        state = projects.patch(state.id, state.revision, f"edit {i}", rename(str(i)))
    assert (state.document.name, state.undo, state.redo) == ("20", "edit 20", None)
    for i in reversed(range(20)):
        state = projects.undo(state.id, state.revision)
        assert state.document.name == str(i)
    assert (state.undo, state.redo) == (None, "edit 1")
    assert projects.undo(state.id, state.revision).document.name == "0"
    for i in range(1, 21):
        state = projects.redo(state.id, state.revision)
        assert state.document.name == str(i)


def test_a_new_edit_ends_what_could_be_redone(stores):
    projects = stores.projects
    state = projects.add(Project(name="a"))
    state = projects.patch(state.id, state.revision, "b", rename("b"))
    state = projects.undo(state.id, state.revision)
    state = projects.patch(state.id, state.revision, "c", rename("c"))
    assert state.redo is None
    assert projects.undo(state.id, state.revision).document.name == "a"
    assert [row["label"] for row in projects.history(state.id)] == ["c"]


def test_who_has_not_seen_the_last_edit_is_told_and_nothing_is_lost(stores):
    projects = stores.projects
    state = projects.add(Project(name="a"))
    newer = projects.patch(state.id, state.revision, "b", rename("b"))
    for late in (
        lambda: projects.patch(state.id, state.revision, "c", rename("c")),
        lambda: projects.undo(state.id, state.revision),
    ):
        with pytest.raises(Conflict):
            late()
    assert projects.get(state.id).document.name == "b"
    assert projects.patch(state.id, newer.revision, "c", rename("c")).document.name == "c"


def test_an_edit_that_changes_nothing_is_none(stores):
    state = stores.projects.add(Project(name="a"))
    again = stores.projects.patch(state.id, state.revision, "same", rename("a"))
    assert (again.revision, again.undo) == (state.revision, None)


@pytest.mark.parametrize(
    "patch",
    [
        [{"op": "replace", "path": "/nowhere/at/all", "value": 1}],
        [{"op": "sing"}],
        [{"op": "remove", "path": "/name"}],
        [{"op": "add", "path": "/layers/0/items/-", "value": {**SHOT, "first": -4}}],
        [
            {
                "op": "add",
                "path": "/layers/0/items/-",
                "value": {**SHOT, "regions": [{"name": "r", "inside": [{"kind": "magic"}]}]},
            }
        ],
        [{"op": "test", "path": "/name", "value": "other"}],
    ],
)
def test_edits_that_do_not_fit_are_refused_whole(stores, patch):
    state = stores.projects.add(Project(name="a"))
    with pytest.raises(BadDocument):
        stores.projects.patch(state.id, state.revision, "bad", [*rename("half"), *patch])
    assert stores.projects.get(state.id).document.name == "a"


def test_a_change_by_the_rules_is_one_edit(stores):
    state = stores.projects.add(Project(name="a", layers=[Layer(items=[Shot(**SHOT, id="s")])]))
    edit = NewRegion(shot="s", frame=0, part=Ellipse(x=1, y=2, rx=3, ry=4))

    def change(document):
        edit.apply(document, lambda shot: None)
        return document

    state = stores.projects.change(state.id, state.revision, edit.label, change)
    assert len(state.document.shot("s").regions) == 1
    assert stores.projects.undo(state.id, state.revision).document.shot("s").regions == []


def test_what_is_not_there_is_said(stores):
    with pytest.raises(Unknown, match="no such project"):
        stores.projects.get("00000000-0000-0000-0000-000000000000")
    state = stores.projects.add(Project(name="a"))
    stores.projects.remove(state.id)
    with pytest.raises(Unknown):
        stores.projects.get(state.id)


def test_documents_and_edits_from_before_attachments_had_their_name_open_undo_and_redo(stores):
    """The migration on rows as they were written: a shape that was attached, undone and attached again."""
    shape = {"id": "e", "kind": "ellipse", "x": 1, "y": 2, "rides_on": None}
    motion = {"id": "m", "at": 0, "span": [0, 9]}
    shot = SHOT | {"id": "s", "regions": [{"id": "r", "name": "r", "parts": [shape]}], "motions": [motion]}
    old = Project.model_validate(
        {"name": "p", "layers": [{"id": "l", "items": [shot | {"regions": [], "motions": []}]}]}
    )
    state = stores.projects.add(old)
    place = "/layers/0/items/0/regions/0/parts/0/rides_on"
    rows = [
        ([{"op": "replace", "path": place, "value": "m"}], [{"op": "replace", "path": place, "value": None}]),
    ]
    document = old.model_dump(mode="json") | {"cravo": 1}
    document["layers"][0]["items"][0] |= {"regions": [{"id": "r", "name": "r", "parts": [shape | {"rides_on": "m"}]}]}
    document["layers"][0]["items"][0] |= {"motions": [motion]}
    with stores.projects._database.session() as session:
        session.connection.execute("update project set document = %s where id = %s", (Jsonb(document), state.id))
        for number, (patch, inverse) in enumerate(rows, 1):
            session.connection.execute(
                "insert into edit (project, number, label, patch, inverse) values (%s, %s, 'Attach', %s, %s)",
                (state.id, number, Jsonb(patch), Jsonb(inverse)),
            )
        session.connection.execute((files("cravo.store") / "schema/0009.attached.sql").read_text())
    state = stores.projects.get(state.id)
    part = state.document.shot("s").regions[0].parts[0]
    assert part.moves_with == "m"
    state = stores.projects.undo(state.id, state.revision)
    assert state.document.shot("s").regions[0].parts[0].moves_with is None
    state = stores.projects.redo(state.id, state.revision)
    assert state.document.shot("s").regions[0].parts[0].moves_with == "m"
