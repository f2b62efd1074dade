"""Faces against the demo's exact ovals: whether they are covered, needlessly covered, mixed up, and what the proof sees.

A truth frame counts where half of the face lies in the picture and is hidden by nobody nearer. Covered is a face of
which 95 % of the visible oval are, by the cover that a region of faces has by default.
"""

from __future__ import annotations

from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, replace
from functools import cache
from multiprocessing import get_context

import cv2
import numpy as np
from numpy.typing import NDArray

from bench.demo import clip
from bench.mattes import matte_of
from bench.report import Measure, Measures
from cravo.core.document import Faces, Look, Region, Shot
from cravo.core.finders.face_tracks import FaceSearch, FaceTrack
from cravo.core.finders.faces import Oval, Pixels, overlap, search
from cravo.core.finders.found import faces_key
from cravo.core.finders.tracks import find
from cravo.core.footage.reader import rgb_ahead
from cravo.core.proof.cover import covering
from cravo.core.proof.faces import check_source, search_again
from cravo.core.results import MemoryResults
from cravo.demo.make import SCENES
from cravo.demo.paint import empty
from cravo.demo.scene import HEIGHT, WIDTH, Scene

SCENES_WITH_FACES = ("crowd", "yard", "turntable")
CROSSINGS = {"crowd": ("moss_coat", "navy_coat"), "turntable": ("blue_coat", "ochre_coat")}
VISIBLE, COVERED = 0.5, 0.95
PEER = 0.5  # of the picture's size, at which the detector alone looks at each frame
CUTS = (1, 3, 10)  # frames that are taken out of a track on purpose
HEAD = 1.75  # of a face's oval: what may be covered without being needless


@dataclass(frozen=True)
class Truth:
    """A visible face of a frame: its oval, and which of its pixels nobody nearer hides."""

    who: str
    oval: Oval
    share: float  # of the oval that is visible
    where: tuple[slice, slice]  # rows and columns of the picture
    seen: NDArray[np.bool_]  # visible pixels there


def measure() -> Measures:
    recalls: dict[int, list[bool]] = {24: [], 16: []}
    alone: list[bool] = []
    needless, switches = [], 0
    for scene in SCENES_WITH_FACES:
        found, truth = _found(scene), _truth(scene)
        for frame, faces in enumerate(truth):
            matte = _cover(scene, found, frame)
            heads = np.zeros(matte.shape, np.uint8)
            for face in faces:
                _drawn(heads, face.oval, HEAD)
                share = float((matte[face.where] > 0.5)[face.seen].mean())
                for width, hits in recalls.items():
                    if face.share >= VISIBLE and 2 * face.oval.rx >= width:
                        hits.append(share >= COVERED)
            needless.append(float(((matte > 0.5) & (heads == 0)).mean()))
        alone += _alone(scene, truth)
        if scene in CROSSINGS:
            switches += sum(_switches(found, truth, who) for who in CROSSINGS[scene])
    found_ = {
        "faces.recall_24px": Measure(float(np.mean(recalls[24])), "share", 0.99),
        "faces.recall_16px": Measure(float(np.mean(recalls[16])), "share"),
        "faces.false_cover": Measure(float(np.mean(needless)), "share", 0.02, low=True),
        "faces.track_switches": Measure(float(switches), "switches", 0, low=True),
        "peer.detector_only.recall_24px": Measure(float(np.mean(alone)), "share"),
    }
    return found_ | _proof() | _steady()


@cache
def _found(scene: str) -> list[FaceTrack]:
    return find(_pictures(scene), 0, clip(scene).facts.frames - 1)


def _pictures(scene: str) -> Iterator[tuple[int, Pixels]]:
    of = clip(scene)
    return rgb_ahead(of.path, of.facts, range(of.facts.frames))


def _cover(scene: str, tracks: list[FaceTrack], frame: int, size: float = 1.0) -> NDArray[np.float32]:
    """What a region of all faces covers, at the source's size or a smaller one."""
    facts = clip(scene).facts
    part = Faces()
    shot = Shot(name=scene, medium=scene, start=0, first=0, last=facts.frames - 1)
    known = MemoryResults()
    known.put_faces(shot.medium, faces_key(shot, part), tracks)
    width, height = round(facts.width * size), round(facts.height * size)
    region = Region(name="Faces", parts=[part])
    matte = matte_of(shot, region, frame, width, height, 1 / size, results=known)
    return matte.whole(width, height)


@cache
def _truth(scene: str) -> list[list[Truth]]:
    frames = list(range(clip(scene).facts.frames))
    halves = [frames[::2], frames[1::2]]
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        even, odd = pool.map(_seen, [scene] * 2, halves)
    by_frame = dict(zip(halves[0], even, strict=True)) | dict(zip(halves[1], odd, strict=True))
    return [by_frame[frame] for frame in frames]


def _seen(scene: str, frames: list[int]) -> list[list[Truth]]:
    """The visible faces of frames: which pixels of each oval nobody nearer hides."""
    drawn = SCENES[scene]()
    assert isinstance(drawn, Scene)
    return [_visible(drawn, frame) for frame in frames]


def _visible(drawn: Scene, frame: int) -> list[Truth]:
    top = np.zeros((HEIGHT, WIDTH), np.uint8)
    names = [layer.name for layer in drawn.layers]
    for i, layer in enumerate(drawn.layers):
        if layer.plate is not None and i == 0:
            continue
        pixels = empty(WIDTH, HEIGHT)
        drawn._lay(pixels, layer, frame)
        top[pixels[:, :, 3] > 127] = i
    every = []
    for who, face in drawn.truth(frame)["faces"].items():
        oval = Oval(*face["oval"])
        whole = np.zeros((HEIGHT, WIDTH), np.uint8)
        _drawn(whole, oval, 1.0)
        mine = (whole > 0) & (top == names.index(who))
        box = oval.box
        share = mine.sum() / max(np.pi * oval.rx * oval.ry, 1)
        where = (
            slice(max(box.top - 2, 0), max(min(box.bottom + 2, HEIGHT), 0)),
            slice(max(box.left - 2, 0), max(min(box.right + 2, WIDTH), 0)),
        )
        if share > 0.05 and mine[where].size:
            every.append(Truth(who, oval, float(share), where, mine[where].copy()))
    return every


def _drawn(mask: NDArray[np.uint8], oval: Oval, size: float) -> None:
    centre, axes = (round(oval.x * 16), round(oval.y * 16)), (round(oval.rx * size * 16), round(oval.ry * size * 16))
    cv2.ellipse(mask, centre, axes, oval.roll, 0, 360, 1, -1, cv2.LINE_8, 4)


def _alone(scene: str, truth: list[list[Truth]]) -> list[bool]:
    """The detector on each frame by itself, nothing bridged."""
    hits = []
    for frame, picture in _pictures(scene):
        mask = np.zeros(picture.shape[:2], np.uint8)
        for found in search(picture, PEER):
            if found.sure >= Faces().sure:
                _drawn(mask, replace(found.oval, rx=found.oval.rx + 2, ry=found.oval.ry + 2), 1.25)
        for face in truth[frame]:
            if face.share >= VISIBLE and 2 * face.oval.rx >= 24:
                hits.append(float(mask[face.where][face.seen].mean()) >= COVERED)
    return hits


def _switches(tracks: list[FaceTrack], truth: list[list[Truth]], who: str) -> int:
    """How often another track lies on somebody's visible face than before."""
    last, count = None, 0
    for frame, faces in enumerate(truth):
        for face in faces:
            if face.who != who or face.share < VISIBLE:
                continue
            near = [
                (overlap(track.seen[frame].oval, face.oval), track.number) for track in tracks if frame in track.seen
            ]
            share, number = max(near, default=(0.0, 0))
            if share > 0.4:
                count += last is not None and number != last
                last = number
    return count


def _proof() -> Measures:
    """Gaps made on purpose, in each visitor's track: frames taken out, and a cover moved off by half."""
    scene = "crowd"
    facts, tracks = clip(scene).facts, _found(scene)
    shot = Shot(name=scene, medium=scene, start=0, first=0, last=facts.frames - 1)
    again = search_again(shot, _pictures(scene))
    shot.regions.append(Region(name="Faces", parts=[Faces()], inside=[Look(kind="pixelate")]))

    def gaps(changed: list[FaceTrack]) -> list[tuple[int, int]]:
        cover = covering(shot, lambda region, frame: _cover(scene, changed, frame, 0.5), (540, 960))
        known = MemoryResults()
        checked = check_source(shot, again, (facts.width, facts.height), cover, known)
        return [(gap.first, gap.last) for gap in checked.gaps]

    clean = gaps(tracks)
    bare = sum(last - first + 1 for first, last in clean)
    total = sum(seen.how != "guessed" for track in again for seen in track.seen.values())
    noticed = []
    for k, track in enumerate(tracks):
        sure = [f for f, seen in track.seen.items() if seen.how != "guessed"]
        if len(sure) < 40 or track.width < 24:
            continue
        at = sure[len(sure) // 2]
        for count in CUTS:
            left = {f: seen for f, seen in track.seen.items() if not at <= f < at + count}
            noticed.append(_noticed(gaps(_with(tracks, k, left)), at, count))
        off = {
            f: replace(seen, oval=replace(seen.oval, x=seen.oval.x + 1.6 * seen.oval.rx)) if at <= f < at + 10 else seen
            for f, seen in track.seen.items()
        }
        noticed.append(_noticed(gaps(_with(tracks, k, off)), at, 10))
    return {
        "proof.gap_recall": Measure(float(np.mean(noticed)), "share", 1.0),
        "proof.false_gaps": Measure(bare / max(total, 1), "share", 0.01, low=True),
    }


def _with(tracks: list[FaceTrack], k: int, seen: dict) -> list[FaceTrack]:  # type: ignore[type-arg]
    return [replace(track, seen=seen) if i == k else track for i, track in enumerate(tracks)]


def _noticed(gaps: list[tuple[int, int]], at: int, count: int) -> bool:
    return any(first < at + count and last >= at for first, last in gaps)


def _steady() -> Measures:
    """How much a stuck picture trembles against the truth, by second differences: steadied, of as it was found."""
    jitter: dict[bool, list[float]] = {True: [], False: []}
    for scene, who in (("yard", "red_scarf"), ("crowd", "rust_coat")):
        last = clip(scene).facts.frames - 1
        truth = [Oval(*clip(scene).truth[frame]["faces"][who]["oval"]) for frame in range(last + 1)]
        for calm, values in jitter.items():
            tracks = _found(scene) if calm else find(_pictures(scene), 0, last, FaceSearch(calm=False))
            track = max(tracks, key=lambda one: sum(overlap(s.oval, truth[f]) for f, s in one.seen.items()))
            off = [np.subtract(seen.oval.numbers()[:2], truth[f].numbers()[:2]) for f, seen in track.seen.items()]
            values.append(float(np.sqrt((np.diff(off, 2, axis=0) ** 2).mean())))
    return {"steady.jitter_ratio": Measure(float(np.mean(jitter[True]) / np.mean(jitter[False])), "of the unsteadied")}
