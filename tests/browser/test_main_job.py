"""The main job as a user does it: from the demo to a file in which the face is hidden in every frame."""

import json
import re
import subprocess
import sys
import urllib.request
from pathlib import Path

import numpy as np
import pytest
from bench.bench_export import transcode
from bench.demo import Clip
from playwright.sync_api import Page, expect

from cravo.core.document import Ellipse, Look, Pose
from cravo.core.footage.picture import Box
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.geometry.transforms import carry
from cravo.core.looks import kinds, values_at
from cravo.core.looks.kind import Site
from cravo.core.parts.ellipse.drawing import Oval
from cravo.core.shapes.falloff import Feathers
from tests.browser.bench import add_look, choose, draw, idle, open_demo

PICTURE = Box(0, 0, 1920, 1080)
FEATHER = 12
CLEAR = 24  # code values between a pixel and its cell, from which on the two are told apart


def test_from_the_demo_to_a_file_without_the_face(at: Page, cravo: str, conductor: Clip, tmp_path: Path):
    project = open_demo(at)
    draw(at, conductor.face("conductor", 0, 1.25))
    at.get_by_role("button", name="Follow", exact=True).click()
    expect(at.get_by_text("followed on 150 of 150 frames")).to_be_visible()
    add_look(at, "Pixelate", "inside")
    expect(at.get_by_label("Cells across", exact=True)).to_have_value("5")
    choose(at, "Measured", "in pixels")
    expect(at.get_by_label("Cell size", exact=True)).to_have_value("40")

    at.keyboard.press("Space")
    expect(at.get_by_role("img", name=re.compile(r"^Frame (2[5-9]|[3-9]\d)$"))).to_be_visible()
    at.keyboard.press("Space")
    expect(at.get_by_role("button", name="Play")).to_be_visible()

    at.get_by_role("link", name="Export").click()
    last = at.get_by_role("textbox", name="to", exact=True)
    last.fill("149")
    last.press("Enter")
    at.get_by_role("button", name="Export", exact=True).click()
    at.get_by_role("button", name="Export anyway").click()
    with at.expect_download() as download:
        at.get_by_role("link", name="Download").click()
    out = tmp_path / download.value.suggested_filename
    download.value.save_as(out)
    assert out.name == "Open day at Ostrelle.mp4"
    assert_face_hidden(out, conductor, poses_of(cravo, project), tmp_path, every=2)

    # The same from the saved project, without a server.
    with at.expect_download() as download:
        at.get_by_role("link", name="Save the project as a file").click()
    saved = tmp_path / "open-day.cravo.json"
    download.value.save_as(saved)
    again = tmp_path / "again.mp4"
    command = [sys.executable, "-m", "cravo.cli", "render", str(saved), str(again), "--to", "149"]
    done = subprocess.run(command, capture_output=True, text=True, timeout=900)
    assert done.returncode == 0, done.stderr
    assert_face_hidden(again, conductor, poses_of(cravo, project), tmp_path, every=4)


def poses_of(cravo: str, project: str) -> list[Pose]:
    with urllib.request.urlopen(f"{cravo}/api/projects/{project}") as answer:
        shot = json.load(answer)["document"]["layers"][0]["items"][0]
    part, motion = Ellipse.model_validate(shot["regions"][0]["parts"][0]), shot["motions"][0]["id"]
    with urllib.request.urlopen(f"{cravo}/api/projects/{project}/carried/{shot['id']}/{motion}") as answer:
        matrices = np.array(json.load(answer)["matrices"]).reshape(-1, 3, 3)
    return [carry(part.pose_at(frame), matrix) for frame, matrix in enumerate(matrices)]


def matte(pose: Pose, into: float, out: float, box: Box) -> np.ndarray:
    return Oval(pose, Feathers(into, out, into, out)).matte(box, 1.0)


def assert_face_hidden(out: Path, of: Clip, poses: list[Pose], folder: Path, every: int = 1) -> None:
    plain = folder / "plain.mp4"
    transcode(of, plain)
    look = Look(kind="pixelate", settings={"measured": "in pixels"})
    hidden, ours, encoders = [], [], []
    with Reader(of.path, of.facts) as source, Reader(plain, probe(plain)) as coded, Reader(out, probe(out)) as written:
        for frame in range(0, of.facts.frames, every):
            before, after = source.read(frame), written.read(frame)
            cells = kinds()["pixelate"].apply(before, values_at(look, frame), Site(PICTURE)).y.astype(np.int16)
            face = matte(of.face("conductor", frame), 0, 0, PICTURE) > 0.5
            told = face & (np.abs(before.y.astype(np.int16) - cells) > CLEAR)
            nearer = np.abs(after.y - cells) < np.abs(after.y.astype(np.int16) - before.y)
            if told.any():
                hidden.append(nearer[told].mean())
            far = matte(poses[frame], 0, FEATHER + 2, PICTURE) == 0
            ours.append(np.abs(after.y.astype(np.int16) - before.y)[far].mean())
            encoders.append(np.abs(coded.read(frame).y.astype(np.int16) - before.y)[far].mean())
    assert len(hidden) > 140 // every
    assert min(hidden) >= 0.99
    assert np.mean(ours) == pytest.approx(np.mean(encoders), abs=0.1)
    assert (np.array(ours) < np.array(encoders) + 0.35).all()


def test_a_run_can_be_stopped_goes_on_where_it_stopped_and_outlives_the_page(at: Page, conductor: Clip):
    open_demo(at)
    at.keyboard.press("End")
    at.keyboard.press("Home")
    draw(at, conductor.face("conductor", 0, 1.31))
    at.keyboard.press("Shift+F")
    at.get_by_role("button", name="Stop").first.click()
    idle(at)
    note = at.get_by_text(re.compile(r"followed on \d+ of 150 frames"))
    kept = int(re.search(r"on (\d+) of", note.inner_text()).group(1))
    assert 1 <= kept < 150
    at.keyboard.press("Shift+F")
    address = at.url
    expect(at.get_by_role("button", name="Stop").first).to_be_visible()
    at.goto("about:blank")  # the window is closed while the work goes on
    at.goto(address)
    expect(at.get_by_text("followed on 150 of 150 frames")).to_be_visible()
