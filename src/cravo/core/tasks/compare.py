"""Describing the faces of a film, so that they can be compared."""

from __future__ import annotations

from collections.abc import Sequence

from cravo.core.document import Project, Shot
from cravo.core.finders.found import faces_key, people
from cravo.core.footage.reader import rgb_ahead
from cravo.core.people.describe import BestViews, FaceView
from cravo.core.people.film import Views, faces_parts, film_tracks, vectors_of
from cravo.core.progress import Progress
from cravo.core.results import Results
from cravo.core.timing import Media


def describe_faces(media: Media, project: Project, results: Results, known: Views, progress: Progress) -> Views:
    """The best views of every face of a film, described; those that were described before are not done again.

    Parameters
    ----------
    media
        The clips.
    project, results
        The film, and the faces that were found in it.
    known
        What was described before.
    progress
        Told after each face; may raise `Stopped`, after which nothing is kept.

    Returns
    -------
    dict
        Views by the address of the search that found the faces, what was known among them where it is still used.

    Raises
    ------
    MissingModel
        Where the networks are not installed.
    """
    tracks = film_tracks(project, results)
    described = vectors_of(project, tracks, known).keys()
    views: dict[str, list[FaceView]] = {}
    done = 0
    for shot, part in faces_parts(project):
        key = faces_key(shot, part)
        views.setdefault(key, list(known.get(key, ())))
        found = people(part, results.faces(shot, part) or ())
        open_ones = [BestViews(seen) for name, seen in found.items() if (shot.id, part.id, name) not in described]
        _show(media, shot, open_ones)
        for one in open_ones:
            views[key] += one.described()
            done += 1
            progress(done, max(len(tracks) - len(described), done))
    return views


def _show(media: Media, shot: Shot, views: Sequence[BestViews]) -> None:
    """Show the pictures of a shot to those who pick views of it, each decoded once."""
    wanted = sorted({frame for one in views for frame in one.frames})
    if wanted:
        medium = media(shot.medium)
        for frame, picture in rgb_ahead(medium.path, medium.facts, wanted):
            for one in views:
                one.show(frame, picture)
