"""Tracks of faces on a real database: they come back as they were, in another process, and go with their clip."""

import numpy as np
from tests.store.test_mattes import add

from cravo.core.document import Faces, Lettering, Shot
from cravo.core.finders.face_tracks import FaceObservation, FaceTrack
from cravo.core.finders.faces import Oval
from cravo.core.finders.found import faces_key, signs_key
from cravo.core.finders.signs import LineObservation, SignTrack
from cravo.jobs.stage import open_stores


def some(shift=0.0):
    return [
        FaceTrack(
            1, {f: FaceObservation(Oval(10.5 + f + shift, 20, 8, 11, -3.25), "found", 0.875) for f in range(3, 7)}
        ),
        FaceTrack(2, {9: FaceObservation(Oval(1, 2, 3, 4), "guessed", 0.3)}),
    ]


def test_tracks_come_back_in_another_process(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = Shot(name="s", medium=medium, start=0, first=0, last=9), Faces()
    assert stores.results.faces(shot, part) is None
    stores.results.put_faces(medium, faces_key(shot, part), some())
    fresh = open_stores(stores.database.url, stores.folder)
    assert fresh.results.faces(shot, part) == some()
    assert stores.results.faces(shot, part) == some()
    fresh.database.close()


def test_what_is_read_is_as_new_as_its_stamp(stores, tmp_path):
    """Or a picture drawn from what was before is kept as the one of now: bare, while its lane is solid."""
    medium = add(stores, tmp_path)
    shot, part = Shot(name="s", medium=medium, start=0, first=0, last=9), Faces()
    reader = type(stores.results)(stores.database, stores.folder)
    assert reader.faces(shot, part) is None
    stores.results.put_faces(medium, faces_key(shot, part), some())  # no news of it has come to the reader yet
    made = [(stamp, reader.faces(shot, part)) for _, stamp in reader.stamps(shot, part)]
    assert made in ([(-1, None)], [(1, some())])


def test_a_second_search_takes_the_place_of_the_first(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = Shot(name="s", medium=medium, start=0, first=0, last=9), Faces()
    stores.results.put_faces(medium, faces_key(shot, part), some())
    before = stores.results.stamps(shot, part)
    stores.results.put_faces(medium, faces_key(shot, part), some(5.0)[:1])
    assert stores.results.stamps(shot, part) != before
    assert stores.results.faces(shot, part) == some(5.0)[:1]
    stores.results.put_faces(medium, faces_key(shot, part), [])
    assert stores.results.faces(shot, part) == []


def test_unprotected_faces_do_not_outlive_their_clip(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = Shot(name="s", medium=medium, start=0, first=0, last=9), Faces()
    stores.results.put_faces(medium, faces_key(shot, part), some())
    stores.media.remove(medium)
    with stores.database.session() as session:
        assert session.rows("results", "faces", key=faces_key(shot, part)) == []


def test_lines_come_back_with_their_words_and_corners(stores, tmp_path):
    medium = add(stores, tmp_path)
    shot, part = Shot(name="s", medium=medium, start=0, first=0, last=9), Lettering()
    corners = np.array([[1.25, 2], [30, 2.5], [30, 9], [1, 9]])
    made = SignTrack(1, "TO THE TRAMS", {f: LineObservation(corners + f, "followed", 0.5) for f in range(3)})
    assert stores.results.lines(shot, part) is None
    stores.results.put_lines(medium, signs_key(shot, part), [made])
    (found,) = stores.results.lines(shot, part)
    assert (found.number, found.words, sorted(found.seen)) == (1, "TO THE TRAMS", [0, 1, 2])
    assert np.array_equal(found.seen[2].corners, corners + 2)
    assert stores.results.stamps(shot, part)[0][1] >= 0
