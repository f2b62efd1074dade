"""Spherical clips from file to file: recognised, refused, edited by commands, exported, protected without a server."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import cv2
import numpy as np
import pytest

from cravo.api.models.pictures import PictureRequest
from cravo.api.studio import all_around as looked_around
from cravo.core.arrange import add_shot
from cravo.core.commands import AddTracker, Attach, NewMotion, NewRegion, SetSphere
from cravo.core.document import Ellipse, Gaze, Lettering, Look, MediumRef, Project, Region, Shot, Sphere, ViewDirection
from cravo.core.errors import BadDocument, BadFootage
from cravo.core.exchange import read_motion
from cravo.core.footage import spherical
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader, rgb_ahead
from cravo.core.geometry.sphere import Camera, angle, towards, turn_of
from cravo.core.keyframes import Key, Keyed
from cravo.core.motion.sampling import MotionSampler
from cravo.core.parts.kind import Footage
from cravo.core.parts.region import region_matte
from cravo.core.proof.faces import check_source, search_again
from cravo.core.proof.sequence import prove_file
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.tasks.search import search
from cravo.core.timing import Medium
from cravo.core.validation import validated
from cravo.demo.stall import Stall
from tests.footage import make_clip, textured
from tests.spheres import FRAMES, WIDE, stones

SPHERE = Sphere(width=1280, height=640)


def project_of(path: Path) -> tuple[Project, Medium]:
    facts = probe(path)
    medium = Medium(path, facts)
    project = Project(name="p", media=[])
    return add_shot(project, MediumRef(id="m", name=path.name), facts, lambda of: medium), medium


def still(shot: Shot) -> MotionSampler:
    return lambda motion, frame: np.eye(3)


def test_a_file_says_that_it_is_spherical_to_us_and_to_ffprobe(all_around: Path) -> None:
    assert probe(all_around).spherical
    command = ["ffprobe", "-v", "error", "-show_streams", "-of", "json", str(all_around)]
    said = json.loads(subprocess.run(command, capture_output=True, check=True).stdout)["streams"][0]["side_data_list"]
    assert [(one["side_data_type"], one["projection"]) for one in said] == [("Spherical Mapping", "equirectangular")]
    project, _ = project_of(all_around)
    assert next(iter(project.shots())).sphere == SPHERE


@pytest.mark.parametrize("ending", ["mp4", "mov"])
def test_marking_a_file_changes_no_picture_and_no_sound(tmp_path: Path, ending: str) -> None:
    path = make_clip(tmp_path / f"film.{ending}", [textured(320, 160, i) for i in range(6)], tone=440.0)

    def hashes():
        return subprocess.run(
            ["ffmpeg", "-v", "error", "-i", str(path), "-f", "framemd5", "-"], capture_output=True, check=True
        ).stdout

    before = hashes()
    spherical.say_spherical(path)
    assert probe(path).spherical
    assert hashes() == before


def test_what_is_no_single_equirectangular_picture_is_refused_or_taken_as_flat(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = make_clip(tmp_path / "two eyes.mp4", [textured(320, 160, i) for i in range(3)])
    eyes = spherical._box(b"st3d", bytes(4), b"\1")  # one above the other
    monkeypatch.setattr(spherical, "SV3D", eyes + spherical.SV3D)
    spherical.say_spherical(path)
    with pytest.raises(BadFootage, match="a picture for each eye"):
        probe(path)
    monkeypatch.undo()
    tall = make_clip(tmp_path / "tall.mp4", [textured(320, 240, i) for i in range(3)])
    spherical.say_spherical(tall)
    assert not probe(tall).spherical
    assert any("not twice as wide as high" in warning for warning in probe(tall).warnings)
    matroska = make_clip(tmp_path / "film.mkv", [textured(320, 160, i) for i in range(3)])
    with pytest.raises(BadFootage, match="Only MP4 and MOV"):
        spherical.say_spherical(matroska)


def test_a_shot_becomes_spherical_and_flat_again() -> None:
    shot = Shot(name="s", start=0, medium="m", first=0, last=9)
    project = Project(name="p", layers=[{"items": [shot.model_dump()]}])
    shot = next(iter(project.shots()))
    NewRegion(shot=shot.id, frame=0, part=Ellipse(x=1000, y=160, rx=80, ry=40)).apply(project, still)
    SetSphere(shot=shot.id, sphere=SPHERE).apply(project, still)
    part = shot.regions[0].parts[0]
    # It lies where it was drawn: a quarter of the width is a right angle, a quarter of the height 45 degrees.
    assert part.view is not None
    assert part.view.yaw == pytest.approx((1000 / 1280 - 0.5) * 360)
    assert part.view.pitch == pytest.approx(45)
    pose = part.pose_at(0)
    assert (pose.x, pose.y, pose.ry) == pytest.approx((320, 320, 40))
    assert pose.rx == pytest.approx(80 * np.cos(np.pi / 4))
    with pytest.raises(BadDocument, match="Delete its motions and shapes first"):
        SetSphere(shot=shot.id, sphere=None).apply(project, still)
    shot.regions.clear()
    SetSphere(shot=shot.id, sphere=None).apply(project, still)
    assert shot.sphere is None


def test_a_document_that_mixes_flat_and_spherical_is_refused() -> None:
    part = Ellipse(x=10, y=10, rx=5, ry=5, view=ViewDirection())
    shot = Shot(name="Yard", start=0, medium="m", first=0, last=9, regions=[Region(name="r", parts=[part])])
    raw = Project(name="p", layers=[{"items": [shot.model_dump()]}]).model_dump(mode="json")
    with pytest.raises(BadDocument, match="Yard is a flat shot"):
        validated(raw)
    raw["layers"][0]["items"][0]["sphere"] = {"width": 1280, "height": 720}
    with pytest.raises(BadDocument, match="twice as wide as high"):
        validated(raw)


def test_motions_and_trackers_drawn_along_different_views_come_together() -> None:
    shot = Shot(name="s", start=0, medium="m", first=0, last=9, sphere=SPHERE)
    project = Project(name="p", layers=[{"items": [shot.model_dump()]}])
    shot = next(iter(project.shots()))
    one, other = ViewDirection(yaw=170), ViewDirection(yaw=-160, pitch=10)
    NewMotion(shot=shot.id, frame=0, tracker=(320, 320), view=one).apply(project, still)
    motion = shot.motions[0]
    AddTracker(shot=shot.id, motion=motion.id, frame=0, spot=(320, 320), view=other).apply(project, still)
    camera = WIDE.camera(one)
    spots = np.array([(tracker.x, tracker.y) for tracker in motion.trackers])
    wanted = np.array(
        [
            (
                np.sin(np.radians(yaw)) * np.cos(np.radians(pitch)),
                -np.sin(np.radians(pitch)),
                np.cos(np.radians(yaw)) * np.cos(np.radians(pitch)),
            )
            for yaw, pitch in ((170, 0), (-160, 10))
        ]
    )
    assert np.degrees(angle(camera.directions(spots), wanted)).max() < 1e-6
    with pytest.raises(BadDocument, match="too far around"):
        AddTracker(shot=shot.id, motion=motion.id, frame=0, spot=(320, 320), view=ViewDirection(yaw=0)).apply(
            project, still
        )
    # A shape that is attached to it lies in its flat picture, and where it was.
    NewRegion(shot=shot.id, frame=0, part=Ellipse(x=320, y=320, rx=20, ry=20, view=other)).apply(project, still)
    part = shot.regions[0].parts[0]
    Attach(shot=shot.id, part=part.id, motion=motion.id, frame=0).apply(project, still)
    assert part.view == one
    pose = part.pose_at(0)
    assert np.degrees(angle(camera.directions(np.array([[pose.x, pose.y]]))[0], wanted[1])) < 1e-6
    # An area that is drawn on the wide picture gets a view of its own.
    NewMotion(shot=shot.id, frame=0, area=[(1200, 300), (1270, 300), (1270, 340)]).apply(project, still)
    assert shot.motions[1].view is not None
    assert shot.motions[1].view.yaw == pytest.approx((1246.7 / 1280 - 0.5) * 360, abs=1)


def test_an_export_keeps_what_it_is_and_a_gaze_makes_it_flat(all_around: Path, tmp_path: Path) -> None:
    project, medium = project_of(all_around)
    media = lambda of: medium  # noqa: E731
    render(project, media, MemoryResults(), tmp_path / "wide.mp4", last=3)
    assert probe(tmp_path / "wide.mp4").spherical

    # The cobbles are turned to, from straight ahead on the first frame to the middle of the picture on the fourth.
    to = towards(stones(3).mean(0))
    keyed = lambda value: Keyed(keys=[Key(frame=0, value=0), Key(frame=3, value=value)])  # noqa: E731
    shot = next(iter(project.shots()))
    shot.gaze = Gaze(yaw=keyed(to.yaw), pitch=keyed(to.pitch), field=60)
    shot.regions.append(
        Region(
            name="Stones",
            parts=[Ellipse(x=320, y=320, rx=30, ry=30, feather_in=1, feather_out=1, view=to)],
            inside=[Look(kind="exposure", settings={"exposure": 3.0})],
        )
    )
    project.width, project.height = 640, 360
    out = tmp_path / "flat.mp4"
    render(project, media, MemoryResults(), out, last=3)
    facts = probe(out)
    assert (facts.width, facts.height, facts.spherical) == (640, 360, False)
    with Reader(out, facts) as reader:
        last = reader.read(3).y.astype(float)
    assert last[170:190, 310:330].mean() > 1.6 * last[170:190, 60:120].mean()


def test_a_face_is_hidden_all_around_without_a_server(all_around: Path, tmp_path: Path) -> None:
    out, report = tmp_path / "hidden.mp4", tmp_path / "report.json"
    command = [
        sys.executable,
        "-m",
        "cravo.cli",
        "protect",
        str(all_around),
        str(out),
        "--with",
        "solid",
        "--report",
        str(report),
    ]
    done = subprocess.run(command, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    facts = probe(out)
    assert facts.spherical
    scene = Stall()
    with Reader(all_around, probe(all_around)) as before, Reader(out, facts) as after:
        for frame in range(0, FRAMES, 5):
            face = np.array(scene.truth(60 + frame)["face"]["direction"])
            x, y = np.rint(WIDE.points(face[None])[0]).astype(int)
            x = min(max(x, 6), WIDE.width - 7)
            here = np.s_[y - 5 : y + 6, x - 5 : x + 6]
            apart = np.abs(before.read(frame).y[here].astype(int) - after.read(frame).y[here])
            assert apart.mean() > 20, frame
    flat = make_clip(tmp_path / "flat.mp4", [textured(320, 240, i) for i in range(3)])
    done = subprocess.run(
        [
            sys.executable,
            "-m",
            "cravo.cli",
            "find",
            "faces",
            str(flat),
            "--spherical",
            "--out",
            str(tmp_path / "f.json"),
        ],
        capture_output=True,
        text=True,
    )
    assert done.returncode == 1
    assert "twice as wide as high" in done.stderr


def test_a_second_search_looks_across_the_border_as_well(all_around: Path) -> None:
    project, medium = project_of(all_around)
    shot = next(iter(project.shots()))
    pictures = rgb_ahead(medium.path, medium.facts, range(FRAMES))
    tracks = search_again(shot, pictures)
    size = (WIDE.width, WIDE.height)
    open_ = check_source(shot, tracks, size, lambda frame: np.zeros((320, 640), np.float32), MemoryResults())
    assert len(open_.gaps) == 1
    gap = open_.gaps[0]
    assert (gap.first, gap.last) == (0, FRAMES - 1)
    places = [place.x for place in gap.places]
    assert min(places) < 100
    assert max(places) > WIDE.width - 100
    scene = Stall()

    def over_her(frame: int) -> np.ndarray:
        matte = np.zeros((320, 640), np.float32)
        x, y = WIDE.points(np.array(scene.truth(60 + frame)["face"]["direction"])[None])[0] / 2
        for k in (-1, 0, 1):
            cv2.circle(matte, (round(x) + 640 * k, round(y)), 34, 1.0, -1)
        return matte

    assert check_source(shot, tracks, size, over_her, MemoryResults()).gaps == []


def test_a_face_high_above_in_the_written_file_is_seen_there(all_around: Path) -> None:
    """The camera is tilted until her face stands near the pole, where the wide picture bends it beyond recognition."""
    face = np.array(Stall().truth(60)["face"]["direction"])
    turn = turn_of(ViewDirection(yaw=towards(face).yaw, pitch=-78))
    with Reader(all_around, probe(all_around)) as reader:
        straight = reader.read(0).to_bgr()
    places = WIDE.seen(Camera(turn, WIDE.focal, (WIDE.width / 2, WIDE.height / 2), "wide"), WIDE.width, WIDE.height)
    tilted = cv2.remap(straight, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
    clip = make_clip(all_around.with_name("tilted.mp4"), [tilted[..., ::-1]])
    spherical.say_spherical(clip)
    project, medium = project_of(clip)
    over = Ellipse(x=320, y=320, rx=60, ry=60, view=towards(turn @ face))
    region = Region(name="Face", parts=[over], inside=[Look(kind="colour")])
    next(iter(project.shots())).regions.append(region)
    plan, hidden = Plan(project, lambda of: medium, MemoryResults()), clip.with_name("hidden.mp4")
    render(project, lambda of: medium, MemoryResults(), hidden)
    try:
        # Of the clip itself it is said that it were the film: nothing is hidden in it.
        assert [remark for remark in prove_file(plan, clip, quietly) if "recognised" in remark.reason]
        assert not [remark for remark in prove_file(plan, hidden, quietly) if "recognised" in remark.reason]
    finally:
        plan.close()


def quietly(done: int, total: int) -> None:
    return None


def run(*command: object) -> subprocess.CompletedProcess[str]:
    done = subprocess.run([sys.executable, "-m", "cravo.cli", *map(str, command)], capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return done


def truth_of(frame: int, name: str) -> np.ndarray:
    matte = Stall().matte(60 + frame, name)
    return cv2.resize(matte, (WIDE.width, WIDE.height), interpolation=cv2.INTER_AREA) > 127


def test_the_visitor_is_cut_out_across_the_border_without_a_server(all_around: Path, tmp_path: Path) -> None:
    truth = truth_of(0, "visitor")
    rows, columns = np.nonzero(truth)
    x, top, tall = np.median(columns), rows.min(), np.ptp(rows)
    line = " ".join(f"{x:.0f},{top + share * tall:.0f}" for share in (0.1, 0.25, 0.4, 0.55))
    run("cutout", all_around, "--at", 0, "--include", line, "--kind", "person", "--out", tmp_path)
    shares, split = [], 0
    for frame in range(FRAMES):
        found, wanted = cv2.imread(str(tmp_path / f"{frame:06}.png"), 0) > 127, truth_of(frame, "visitor")
        shares.append((found & wanted).sum() / (found | wanted).sum())
        split += wanted[:, :20].sum() > 300 and wanted[:, -20:].sum() > 300
        for side in (np.s_[:, :20], np.s_[:, -20:]):
            assert (found & wanted)[side].sum() >= 0.6 * wanted[side].sum() - 50, frame
    assert np.mean(shares) > 0.85
    assert split > 2


def test_a_line_of_lettering_across_the_border_is_one_and_is_covered(all_around: Path) -> None:
    project, medium = project_of(all_around)
    shot = next(iter(project.shots()))
    part, results = Lettering(words="OSTRELLE"), MemoryResults()
    search(medium, shot, part, results, lambda done, total: None)
    tracks = [track for track in results.lines(shot, part) or () if track.words == "OSTRELLE"]
    spread = [np.array([one.corners[:, 0] for one in track.seen.values()]) for track in tracks]
    # Of the tram's and the stall's the latter hangs across the border.
    track, ends = next((track, ends) for track, ends in zip(tracks, spread, strict=True) if ends.max() > WIDE.width)
    assert len(tracks) == 2
    assert set(track.seen) == set(range(FRAMES))
    assert (ends.min(1) < WIDE.width).all()
    shot.regions.append(Region(name="Lettering", parts=[part]))
    nothing = Footage(lambda at, size: pytest.fail("no picture is looked at"), lambda *of: None)
    for frame in range(0, FRAMES, 4):
        size = (WIDE.width, WIDE.height)
        matte = region_matte(shot, shot.regions[0], frame, size, 1.0, results, nothing).whole(*size)
        corners = track.seen[frame].corners
        for u, v in np.random.default_rng(frame).uniform(0.05, 0.95, (20, 2)):
            across = corners[0] + u * (corners[1] - corners[0])
            x, y = across + v * (corners[3] + u * (corners[2] - corners[3]) - across)
            assert matte[int(y), int(x) % WIDE.width] > 0.5


def test_the_sky_goes_on_across_the_border(all_around: Path, tmp_path: Path) -> None:
    run("find", "sky", all_around, "--out", tmp_path)
    seam, inside = [], []
    for frame in range(FRAMES):
        sky = cv2.imread(str(tmp_path / f"{frame:06}.png"), 0)
        assert sky[:40].mean() > 250
        assert sky[-200:].max() == 0
        seam.append(np.abs(sky[:, 0].astype(int) - sky[:, -1]).mean())
        inside.append(np.abs(np.diff(sky.astype(int), axis=1)).mean())
    assert np.mean(seam) < 3 * np.mean(inside) + 1


def test_an_area_is_tracked_all_around_without_a_server(all_around: Path, tmp_path: Path) -> None:
    area = " ".join(f"{x:.1f},{y:.1f}" for x, y in WIDE.points(stones(0)))
    out = tmp_path / "motion.json"
    run("follow", all_around, "--at", 0, "--shape", area, "--model", "perspective", "--out", out)
    motion = read_motion(out.read_text())
    assert motion.view is not None
    camera = WIDE.camera(motion.view)
    drawn = np.column_stack([np.array(motion.area), np.ones(4)])
    for one in motion.given:
        found = np.linalg.solve(camera.matrix, np.reshape(one.matrix, (3, 3)) @ drawn.T).T
        assert np.degrees(angle(found, stones(one.frame))).mean() < 0.3


@pytest.mark.parametrize("flat_film", [True, False])
def test_looking_closely_takes_no_more_than_the_clip_has(all_around: Path, flat_film: bool) -> None:
    project, medium = project_of(all_around)
    if flat_film:
        project.width, project.height = 1920, 1080
    plan = Plan(project, lambda of: medium, MemoryResults())
    try:
        assert plan.spherical != flat_film
        for field, wanted in ((30, WIDE.width), (120, WIDE.width // 2)):
            seen = PictureRequest(
                frame=0, width=200 if field == 120 else 1920, height=108, around={"yaw": 0, "pitch": 0, "field": field}
            )
            wide = looked_around(plan, seen, treated=True)
            assert (wide.width, wide.height) == (wanted, wanted // 2)
    finally:
        plan.close()
