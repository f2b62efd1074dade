"""Clips that are not as most are: pixels that are not square, very wide ones, sound that is damaged."""

import gc
import subprocess
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from av.video.frame import VideoFrame
from tests.footage import make_clip, numbered, textured

from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.results import MemoryResults
from cravo.jobs.queue import perform, start


def disc(width, height, aspect):
    """A disc as a camera with pixels of that aspect (width to height) stores it."""
    picture = np.full((height, width, 3), 40, np.uint8)
    cv2.ellipse(picture, (width // 2, height // 2), (round(60 / aspect), 60), 0, 0, 360, (220, 200, 60), -1)
    return picture


def anamorphic(path, width, height, aspect):
    """Three frames of a disc, in pixels of that aspect."""
    with av.open(str(path), "w") as target:
        stream = target.add_stream("libx264", rate=25)
        stream.width, stream.height, stream.pix_fmt = width, height, "yuv420p"
        stream.codec_context.sample_aspect_ratio = aspect
        for i in range(3):
            frame = VideoFrame.from_ndarray(disc(width, height, float(aspect)), format="rgb24")
            frame = frame.reformat(format="yuv420p")
            frame.pts = i
            target.mux(stream.encode(frame))
        target.mux(stream.encode(None))
    return path


@pytest.mark.parametrize(
    ("aspect", "size"),
    [(Fraction(16, 11), (1048, 576)), (Fraction(8, 9), (720, 540)), (Fraction(1), (720, 480))],
)
def test_anamorphic_clips_are_shown_as_they_are_meant(tmp_path, aspect, size):
    """ITU-R BT.601 pixels: 16:11 wide PAL, 8:9 NTSC; a circle is a circle."""
    path = anamorphic(tmp_path / "film.mp4", 720, 576 if aspect > 1 else 480, aspect)
    facts = probe(path)
    assert (facts.width, facts.height) == size
    with Reader(path, facts) as reader:
        picture = reader.read(1)
    assert (picture.width, picture.height) == size
    bright = picture.y > 120
    columns, rows = np.ptp(np.nonzero(bright)[1]), np.ptp(np.nonzero(bright)[0])
    assert columns / rows == pytest.approx(1, abs=0.03)


@pytest.mark.parametrize(("width", "height"), [(4096, 16), (16, 2048)])
def test_very_wide_and_very_tall_clips_come_to_the_shelf(stores, tmp_path, width, height):
    row = stores.media.add_file(make_clip(tmp_path / "wide.mp4", [textured(width, height)] * 5), "wide.mp4")
    work = start(stores, "ingest", "Reading", None, row["id"])
    perform(stores, str(work["id"]))
    assert stores.work.get(str(work["id"]))["state"] == "done"
    strip = cv2.imread(str(stores.media.made(row["id"], "strip.jpg")))
    assert strip.shape[0] == 126
    assert strip.shape[1] <= 5 * 480


@pytest.mark.parametrize("seed", range(6))
def test_a_clip_whose_sound_is_damaged_is_ready_or_refused(stores, tmp_path, seed):
    whole = make_clip(tmp_path / "whole.mkv", [numbered(i, 64, 48) for i in range(50)], tone=440)
    path, random = tmp_path / "damaged.mkv", np.random.default_rng(seed)
    with av.open(str(whole)) as source, av.open(str(path), "w") as target:
        streams = {one.index: target.add_stream_from_template(one) for one in source.streams}
        for packet in source.demux():
            if packet.dts is None:
                continue
            if packet.stream.type == "audio":
                bad = av.Packet(random.bytes(packet.size))
                bad.pts, bad.dts, bad.time_base, bad.duration = (
                    packet.pts,
                    packet.dts,
                    packet.time_base,
                    packet.duration,
                )
                bad.stream = streams[packet.stream.index]
                target.mux(bad)
                continue
            packet.stream = streams[packet.stream.index]
            target.mux(packet)
    row = stores.media.add_file(path, "damaged.mkv")
    work = start(stores, "ingest", "Reading", None, row["id"])
    perform(stores, str(work["id"]))
    assert stores.work.get(str(work["id"]))["state"] == "done"
    assert stores.media.get(row["id"]).facts.frames == 50


def test_sound_that_stops_the_decoder_is_left_out(stores, tmp_path, monkeypatch):
    def fails(path):
        raise av.error.PatchWelcomeError(1, "not written yet")

    monkeypatch.setattr("cravo.jobs.ingest.peaks", fails)
    row = stores.media.add_file(
        make_clip(tmp_path / "a.mp4", [numbered(i, 64, 48) for i in range(9)], tone=440), "a.mp4"
    )
    work = start(stores, "ingest", "Reading", None, row["id"])
    perform(stores, str(work["id"]))
    facts = stores.media.get(row["id"]).facts
    assert facts.sound is None
    assert any("sound is damaged" in warning for warning in facts.warnings)


def test_an_anamorphic_clip_goes_out_with_square_pixels(tmp_path):
    from cravo.core.document import Layer, Project, Shot
    from cravo.core.stack.render import render
    from cravo.core.timing import Medium

    path = anamorphic(tmp_path / "film.mp4", 360, 288, Fraction(64, 45))
    medium = Medium(path, probe(path))
    shot = Shot(name="s", medium="m", start=0, first=0, last=2)
    size = medium.facts.width, medium.facts.height
    project = Project(name="p", width=size[0], height=size[1], layers=[Layer(items=[shot])])
    render(project, lambda name: medium, MemoryResults(), tmp_path / "out.mp4")
    command = ["ffprobe", "-v", "error", "-select_streams", "v", "-show_entries", "stream=width,height,sample_aspect_ratio",
               "-of", "csv=p=0", str(tmp_path / "out.mp4")]  # fmt: skip
    said = subprocess.run(command, capture_output=True, text=True, check=True).stdout.strip()
    assert said in ("512,288,1:1", "512,288,N/A")


def test_a_reader_that_is_closed_leaves_no_thread_of_its_decoder(tmp_path):
    """A worker exports for days: what each export leaves behind adds up."""
    path = make_clip(tmp_path / "a.mp4", [textured(320, 208)] * 30)
    facts = probe(path)
    gc.disable()
    try:
        counts = []
        for _ in range(4):
            reader = Reader(path, facts)
            reader.read(5)
            reader.read(20)
            reader.close()
            del reader
            counts.append(len(list(Path("/proc/self/task").iterdir())))
    finally:
        gc.enable()
    # What is left behind adds up by one thread at least for each; others of this process may come and go.
    assert counts[-1] < counts[0] + len(counts) - 1
