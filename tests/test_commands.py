"""The command line as a user calls it from a shell."""

import hashlib
import json
import os
import socket
import subprocess
import sys

import cv2
import numpy as np
import pytest

from cravo.core.document import Ellipse, Faces, Layer, Look, MediumRef, Motion, Pose, Project, Region, Shot
from cravo.core.finders.faces import search
from cravo.core.finders.models import FACES_FAR, MATTING, has_model
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import apply, similarity
from tests.footage import make_clip, moving, textured
from tests.heads import middle, two_heads
from tests.leaving import leaving
from tests.moving import moving_thing
from tests.skies import scene

COUNT = 24


def cravo(*arguments, **environment):
    return subprocess.run(
        [sys.executable, "-m", "cravo.cli", *map(str, arguments)],
        capture_output=True, text=True, timeout=900, env={**os.environ, **environment},
    )  # fmt: skip


def movement(frame):
    return similarity(1 + 0.01 * frame, 0.6 * frame, (160, 104), (2.0 * frame, -0.5 * frame))


@pytest.fixture(scope="module")
def film(tmp_path_factory):
    pictures = moving(textured(320, 208, 9), [movement(i) for i in range(COUNT)], 320, 208)
    return make_clip(tmp_path_factory.mktemp("cli") / "film.mp4", pictures)


@pytest.mark.parametrize("model", ["position", "similarity", "affine", "perspective"])
def test_follow_writes_matrices_from_source_pixels_of_the_frame_to_every_other(film, tmp_path, model):
    out = tmp_path / "motion.json"
    done = cravo("follow", film, "--at", 8, "--shape", "110,70 210,70 210,140 110,140", "--model", model, "--out", out)
    assert done.returncode == 0, done.stderr
    frames = json.loads(out.read_text())["frames"]
    assert [one["frame"] for one in frames] == list(range(COUNT))
    assert all(one["state"] == "followed" and 0 < one["confidence"] <= 1 for one in frames)
    corners = np.array([[110, 70], [210, 70], [210, 140], [110, 140]], float)
    for one in frames:
        truth = apply(movement(one["frame"]) @ np.linalg.inv(movement(8)), corners)
        error = np.linalg.norm(apply(np.array(one["matrix"]), corners) - truth, axis=1).max()
        assert error < (20 if model == "position" else 0.5), one["frame"]


def test_follow_takes_an_ellipse(film, tmp_path):
    out = tmp_path / "motion.json"
    assert cravo("follow", film, "--at", 8, "--ellipse", "160,104 50,35", "--out", out).returncode == 0
    middle = np.array([[160.0, 104.0]])
    for one in json.loads(out.read_text())["frames"]:
        truth = apply(movement(one["frame"]) @ np.linalg.inv(movement(8)), middle)
        assert np.linalg.norm(apply(np.array(one["matrix"]), middle) - truth) < 0.5


def test_more_doubts_than_allowed_are_told_by_the_number_a_command_ends_with(tmp_path):
    clip = moving_thing(tmp_path / "thing.mp4", gone=range(18, COUNT))
    x, y = clip.middle(6)
    asked = (
        "cutout",
        clip.path,
        "--at",
        6,
        "--include",
        f"{x - 12},{y - 18} {x},{y} {x + 12},{y + 18}",
        "--kind",
        "thing",
    )
    assert cravo(*asked, "--out", tmp_path / "m", "--most-doubts", COUNT).returncode == 0
    few = cravo(*asked, "--out", tmp_path / "m", "--most-doubts", 2)
    assert few.returncode == 3
    assert "in doubt" in few.stdout


def test_cutout_starts_from_a_matte(tmp_path):
    clip = moving_thing(tmp_path / "thing.mp4")
    matte = tmp_path / "matte.png"
    cv2.imwrite(str(matte), clip.truth[6].astype(np.uint8) * 255)
    out = tmp_path / "mattes"
    done = cravo("cutout", clip.path, "--at", 6, "--matte", matte, "--kind", "thing", "--out", out)
    assert done.returncode == 0, done.stderr
    for frame in (0, 6, COUNT - 1):
        found, truth = cv2.imread(str(out / f"{frame:06}.png"), cv2.IMREAD_UNCHANGED) > 127, clip.truth[frame]
        assert (found & truth).sum() / (found | truth).sum() > 0.9
    cv2.imwrite(str(matte), np.zeros((9, 9), np.uint8))
    refused = cravo("cutout", clip.path, "--at", 6, "--matte", matte, "--kind", "thing", "--out", out)
    assert refused.returncode == 1
    assert "another size" in refused.stderr


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--at", 99, "--shape", "1,1 9,1 9,9"], "not in the clip"),
        (["--at", 0, "--ellipse", "1,1 0,9"], "X,Y RX,RY"),
        (["--at", 0, "--shape", "1,1 9,1"], "three points"),
        (["--at", 0, "--shape", "here"], "X,Y"),
    ],
)
def test_follow_says_what_is_wrong(film, tmp_path, arguments, words):
    done = cravo("follow", film, *arguments, "--out", tmp_path / "m.json")
    assert done.returncode != 0
    assert words in done.stderr
    assert "Traceback" not in done.stderr


def test_follow_ignores_what_the_mattes_hold_out(film, tmp_path):
    for frame in range(COUNT):
        matte = np.zeros((208, 320), np.uint8)
        matte[:, 160:] = 255
        cv2.imwrite(str(tmp_path / f"{frame:06}.png"), matte)
    out = tmp_path / "motion.json"
    shape = ("--at", 0, "--shape", "80,60 240,60 240,150 80,150", "--out", out)
    assert cravo("follow", film, *shape, "--hold-out", tmp_path).returncode == 0
    end = np.array(json.loads(out.read_text())["frames"][COUNT - 1]["matrix"])
    corners = np.array([[80, 60], [150, 60], [150, 150], [80, 150]], float)
    assert np.linalg.norm(apply(end, corners) - apply(movement(COUNT - 1), corners), axis=1).max() < 1
    wrong = cravo("follow", film, *shape, "--hold-out", tmp_path / "nowhere")
    assert wrong.returncode == 1
    assert "no folder" in wrong.stderr
    cv2.imwrite(str(tmp_path / "000001.png"), np.zeros((10, 10), np.uint8))
    assert "another size" in cravo("follow", film, *shape, "--hold-out", tmp_path).stderr


def a_project(film, path):
    pose = Pose(x=160, y=104, rx=50, ry=35)
    motion = Motion(id="m", at=8, area=pose, span=(0, COUNT - 1))
    part = Ellipse(**pose.model_dump(), feather_in=0, feather_out=0, attached_to="m")
    region = Region(name="r", parts=[part], inside=[Look(kind="colour", settings={"colour": "#000000"})])
    shot = Shot(name="s", medium="a", start=0, first=0, last=COUNT - 1, regions=[region], motions=[motion])
    project = Project(
        name="p",
        width=320,
        height=208,
        layers=[Layer(items=[shot])],
        media=[MediumRef(id="a", name="film.mp4", path=str(film))],
    )
    path.write_text(project.to_json())
    return path


def test_render_follows_what_is_to_be_followed_and_writes_the_file(film, tmp_path):
    out = tmp_path / "out.mp4"
    done = cravo("render", a_project(film, tmp_path / "p.cravo.json"), out)
    assert done.returncode == 0, done.stderr
    facts = probe(out)
    assert facts.frames == COUNT
    with Reader(out, facts) as reader:
        for frame in (0, 12, 23):
            (x, y), *_ = apply(movement(frame) @ np.linalg.inv(movement(8)), np.array([[160.0, 104.0]]))
            dark = reader.read(frame).y < 24
            rows, columns = np.nonzero(dark)
            assert (columns.mean(), rows.mean()) == pytest.approx((x, y), abs=1.5)


def test_render_writes_a_part(film, tmp_path):
    out = tmp_path / "out.mov"
    done = cravo("render", a_project(film, tmp_path / "p.cravo.json"), out, "--from", 3, "--to", 7)
    assert done.returncode == 0, done.stderr
    assert probe(out).frames == 5


def test_render_says_what_is_wrong(film, tmp_path):
    saved = a_project(film, tmp_path / "p.cravo.json")
    gone = a_project(tmp_path / "nowhere.mp4", tmp_path / "q.cravo.json")
    text = tmp_path / "t.cravo.json"
    text.write_text("hello")
    for arguments, words in (
        ((tmp_path / "none.json", tmp_path / "o.mp4"), "cannot be read"),
        ((text, tmp_path / "o.mp4"), "not JSON"),
        ((gone, tmp_path / "o.mp4"), "film.mp4 was found neither"),
        ((saved, tmp_path / "o.txt"), "must end in"),
        ((saved, tmp_path / "no" / "o.mp4"), "could not be written"),
        ((saved, tmp_path / "o.mp4", "--from", 99), "not in the film"),
    ):
        done = cravo("render", *arguments)
        assert done.returncode == 1
        assert words in done.stderr
        assert "Traceback" not in done.stderr
        assert len(done.stderr.strip().splitlines()[-1]) < 200


def test_a_taken_port_and_a_foreign_address_are_refused(tmp_path, database_url):
    with socket.socket() as other:
        other.bind(("127.0.0.1", 0))
        other.listen()
        port = str(other.getsockname()[1])
        done = cravo("start", CRAVO_DATA=str(tmp_path), CRAVO_DATABASE_URL=database_url, CRAVO_PORT=port)
    assert done.returncode == 1
    assert f"Port {port} is taken" in done.stderr
    done = cravo(
        "serve", "--host", "0.0.0.0", CRAVO_DATABASE_URL=database_url, CRAVO_DATA=str(tmp_path), CRAVO_ACCESS_KEY=""
    )
    assert done.returncode == 1
    assert "CRAVO_ACCESS_KEY" in done.stderr


def test_a_database_that_is_away_and_a_closed_folder_are_said(tmp_path):
    done = cravo("start", CRAVO_DATA=str(tmp_path), CRAVO_DATABASE_URL="postgresql://x@127.0.0.1:9/none")
    assert done.returncode == 1
    assert "database" in done.stderr
    assert "Traceback" not in done.stderr
    blocked = tmp_path / "file"
    blocked.write_text("")
    done = cravo("start", CRAVO_DATA=str(blocked / "inner"))
    assert done.returncode == 1
    assert "CRAVO_DATA" in done.stderr


def test_cutout_writes_a_matte_for_every_frame_and_a_report(tmp_path):
    clip = moving_thing(tmp_path / "thing.mp4", gone=range(18, COUNT))
    x, y = clip.middle(6)
    this = f"{x - 12},{y - 18} {x},{y} {x + 12},{y + 18}"
    out = tmp_path / "mattes"
    done = cravo(
        "cutout", clip.path, "--at", 6, "--include", this, "--exclude", f"{x - 60},{y} {x - 45},{y}",
        "--kind", "thing", "--out", out,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    frames = json.loads((out / "report.json").read_text())["frames"]
    assert [one["frame"] for one in frames] == list(range(COUNT))
    for frame in range(COUNT):
        matte = cv2.imread(str(out / f"{frame:06}.png"), cv2.IMREAD_UNCHANGED)
        assert matte.dtype == np.uint8
        assert matte.shape == (180, 320)
        if frame < 18:
            truth = clip.truth[frame]
            assert ((matte > 127) & truth).sum() / ((matte > 127) | truth).sum() > 0.88
        else:
            assert frames[frame]["doubt"]
            assert not (matte > 127).any()


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (["--at", 99, "--include", "1,1 9,9"], "not in the clip"),
        (["--at", 3, "--exclude", "1,1 9,9"], "Draw a stroke"),
        (["--include", "1,1 9,9"], "--at first"),
        (["--at", 3, "--include", "here"], "X,Y"),
    ],
)
def test_cutout_says_what_is_wrong(film, tmp_path, arguments, words):
    done = cravo("cutout", film, *arguments, "--out", tmp_path / "m")
    assert done.returncode != 0
    assert words in done.stderr
    assert "Traceback" not in done.stderr


@pytest.fixture(scope="module")
def heads(tmp_path_factory):
    return two_heads(tmp_path_factory.mktemp("heads") / "heads.mp4", 13)


@pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")
def test_find_faces_writes_tracks_with_an_ellipse_on_every_frame(heads, tmp_path):
    out = tmp_path / "found.json"
    done = cravo("find", "faces", heads, "--out", out)
    assert done.returncode == 0, done.stderr
    found = json.loads(out.read_text())
    assert found["size"] == [640, 360]
    assert [one["number"] for one in found["tracks"]] == [1, 2]
    for track in found["tracks"]:
        assert [one["frame"] for one in track["frames"]] == list(range(13))
        assert all(len(one["ellipse"]) == 5 and 0 < one["confidence"] <= 1 for one in track["frames"])


@pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")
@pytest.mark.parametrize("how", ["pixelate", "blur", "solid"])
def test_protect_takes_a_clip_to_a_file_without_faces_and_its_report(heads, tmp_path, how):
    out, report = tmp_path / "out.mp4", tmp_path / "report.json"
    done = cravo("protect", heads, out, "--faces", "--with", how, "--report", report)
    assert done.returncode == 0, done.stderr
    assert "2 faces hidden, nothing is open" in done.stdout
    facts = probe(out)
    assert (facts.width, facts.height, facts.frames) == (640, 360, 13)
    with Reader(out, facts) as reader:
        for frame in (0, 6, 12):
            assert [face for face in search(reader.read(frame).to_rgb()) if face.sure > 0.8] == []
    made = json.loads(report.read_text())
    assert made["clean"] is True
    assert made["proof"]["gaps"] == []
    assert [one["covered"] for one in made["proof"]["people"]] == [True, True]
    for told, path in ((made["sources"][0], heads), (made["result"], out)):
        assert told == {"name": path.name, "sha256": hashlib.sha256(path.read_bytes()).hexdigest()}


def test_protect_never_writes_over_its_clip(heads):
    before = heads.read_bytes()
    done = cravo("protect", heads, heads)
    assert done.returncode == 1
    assert "another name" in done.stderr
    assert heads.read_bytes() == before


@pytest.mark.skipif(not has_model(MATTING), reason="the network could not be installed here")
def test_find_people_writes_a_matte_for_every_frame(heads, tmp_path):
    done = cravo("find", "people", heads, "--out", tmp_path / "mattes")
    assert done.returncode == 0, done.stderr
    names = sorted(path.name for path in (tmp_path / "mattes").iterdir())
    assert names == [f"{frame:06}.png" for frame in range(13)]
    matte = cv2.imread(str(tmp_path / "mattes" / "000006.png"), cv2.IMREAD_GRAYSCALE)
    x, y = (round(v) for v in middle(0, 6))
    assert matte.shape == (360, 640)
    assert matte[y, x] > 200
    assert matte[340, 20] < 30


@pytest.mark.skipif(not has_model(FACES_FAR), reason="the networks could not be installed here")
def test_render_finds_the_faces_that_a_project_hides(heads, tmp_path):
    pixels = Look(kind="pixelate", settings={"measured": "across the region", "across": 5.0, "anchor": "region"})
    region = Region(name="Faces", parts=[Faces(choice="all but", chosen=["2"])], inside=[pixels])
    shot = Shot(name="heads", medium="a", start=0, first=0, last=12, regions=[region])
    project = Project(
        name="p", width=640, height=360, layers=[Layer(items=[shot])], media=[MediumRef(id="a", name=heads.name)]
    )
    place = heads.with_name("heads.cravo.json")
    place.write_text(project.to_json())
    done = cravo("render", place, tmp_path / "out.mp4")
    assert done.returncode == 0, done.stderr
    assert "Finding faces" in done.stderr + done.stdout
    out = tmp_path / "out.mp4"
    with Reader(out, probe(out)) as reader:
        left = [face for face in search(reader.read(6).to_rgb()) if face.sure > 0.8]
    assert len(left) == 1


def test_find_sky_writes_a_matte_for_each_frame_and_what_is_doubted(tmp_path):
    clip = make_clip(tmp_path / "sky.mp4", [scene(frame)[0] for frame in range(6)])
    out = tmp_path / "mattes"
    done = cravo("find", "sky", clip, "--out", out)
    assert done.returncode == 0, done.stderr
    assert sorted(path.name for path in out.iterdir()) == [f"{i:06}.png" for i in range(6)] + ["report.json"]
    for frame in range(6):
        matte = cv2.imread(str(out / f"{frame:06}.png"), cv2.IMREAD_UNCHANGED)
        truth = scene(frame)[1]
        assert (matte.dtype, matte.shape) == (np.uint8, truth.shape)
        assert ((matte > 127) & truth).sum() / ((matte > 127) | truth).sum() > 0.95
    report = json.loads((out / "report.json").read_text())["frames"]
    assert [line["doubt"] for line in report] == [False] * 6
    wrong = cravo("find", "sky", clip, "--at", 2, "--exclude", "20,8 60,8 120,8 280,8", "--out", out)
    assert wrong.returncode == 0, wrong.stderr
    assert cv2.imread(str(out / "000002.png"), cv2.IMREAD_UNCHANGED)[8, 60] < 128
    assert cravo("find", "faces", clip, "--at", 2, "--include", "1,1 9,9", "--out", out).returncode == 1
    refused = cravo("find", "sky", tmp_path / "none.mp4", "--out", out)
    assert refused.returncode != 0
    assert len(refused.stderr.strip().splitlines()) == 1


def test_fill_takes_out_what_mattes_cover(tmp_path):
    of = leaving(tmp_path / "passing.mp4")
    mattes = tmp_path / "mattes"
    mattes.mkdir()
    for frame, matte in enumerate(of.mattes):
        cv2.imwrite(str(mattes / f"{frame:06}.png"), matte)
    out = tmp_path / "out.mp4"
    done = cravo("fill", of.path, "--mattes", mattes, "--plates", tmp_path / "plates", "--most-doubts", 0, "--out", out)
    assert done.returncode == 0, done.stderr
    assert cv2.imread(str(tmp_path / "plates" / "plate-1.png"), cv2.IMREAD_UNCHANGED).shape[2] == 4
    facts = probe(out)
    with Reader(out, facts) as reader:
        for frame in (0, 9, facts.frames - 1):
            hole = of.mattes[frame] > 0
            made = reader.read(frame).to_rgb()[hole].astype(float)
            assert np.sqrt(((made - of.clear[frame][hole]) ** 2).mean()) < 12  # what is seen in it is 60 away
    refused = cravo("fill", of.path, "--mattes", tmp_path / "none", "--out", out)
    assert refused.returncode == 1
    assert "There is no folder" in refused.stderr


def test_render_fills_what_the_project_wants_filled(tmp_path):
    of = leaving(tmp_path / "passing.mp4", speed=0, still=True, frames=6)
    x, y = np.argwhere(of.mattes[0] > 127).mean(0)[::-1]
    part = Ellipse(x=x + 0.5, y=y + 0.5, rx=24, ry=39)
    shot = Shot(name="s", medium="m", start=0, first=0, last=5)
    shot.regions = [Region(name="r", parts=[part], inside=[Look(kind="fill")])]
    project = Project(name="p", width=320, height=240, layers=[Layer(items=[shot])])
    project.media = [MediumRef(id="m", name="passing.mp4")]
    (tmp_path / "p.cravo.json").write_text(project.to_json())
    done = cravo("render", tmp_path / "p.cravo.json", tmp_path / "out.mp4")
    assert done.returncode == 0, done.stderr
    assert "Filling r" in done.stderr
    with Reader(tmp_path / "out.mp4", probe(tmp_path / "out.mp4")) as reader:
        made = reader.read(3).to_rgb()[of.mattes[3] > 200].astype(float)
    assert made.std() > 15  # the ground goes on where a plain grey was
