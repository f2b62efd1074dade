"""What clips hold, and sentences for what cannot be used."""

import struct
import zlib
from fractions import Fraction

import cv2
import numpy as np
import pytest
from tests.footage import make_clip, numbered, textured

from cravo.core.errors import BadFootage
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader


def frames(count, width=160, height=96):
    return [numbered(i, width, height) for i in range(count)]


def test_an_ordinary_clip(tmp_path):
    facts = probe(make_clip(tmp_path / "a.mp4", frames(20), tone=440))
    assert (facts.width, facts.height, facts.frames, facts.rate) == (160, 96, 20, 25)
    assert facts.sound is not None
    assert facts.sound.rate == 48000
    assert not facts.variable
    assert facts.keys == [0, 12]


@pytest.mark.parametrize(
    ("ending", "codec"), [("mkv", "libx264"), ("mov", "libx264"), ("webm", "libvpx-vp9"), ("avi", "mpeg4")]
)
def test_other_containers(tmp_path, ending, codec):
    facts = probe(make_clip(tmp_path / f"a.{ending}", frames(14), codec=codec))
    assert (facts.frames, facts.rate) == (14, 25)
    with Reader(tmp_path / f"a.{ending}", facts) as reader:
        assert [told(reader.read(i)) for i in (0, 13, 5, 6)] == [0, 13, 5, 6]


def told(picture):
    """The number that a flat test picture shows."""
    return round((float(picture.to_rgb().mean()) - 30) / 12)


def test_frames_keep_their_own_times_at_a_variable_rate(tmp_path):
    times = [0, 40, 80, 160, 200, 300, 340]
    path = make_clip(tmp_path / "v.mkv", frames(7), times=times, base=Fraction(1, 1000))
    facts = probe(path)
    assert facts.variable
    assert [float(facts.time_of(i)) for i in range(7)] == pytest.approx([t / 1000 for t in times])
    assert facts.frame_at(Fraction(159, 1000)) == 2
    assert facts.frame_at(Fraction(160, 1000)) == 3
    with Reader(path, facts) as reader:
        assert [told(reader.read(i)) for i in (4, 1, 6)] == [4, 1, 6]


@pytest.mark.parametrize("turn", [90, 180, 270])
def test_a_turned_phone_clip_stands_upright(tmp_path, turn):
    picture = np.zeros((96, 160, 3), np.uint8)
    picture[:48, :80] = (200, 40, 40)  # a red corner, upper left as coded
    path = make_clip(tmp_path / "t.mp4", [picture] * 3, turn=turn)
    facts = probe(path)
    assert (facts.width, facts.height) == ((96, 160) if turn != 180 else (160, 96))
    with Reader(path, facts) as reader:
        shown = reader.read(1).to_rgb()[:, :, 0] > 120
    rows, columns = np.nonzero(shown)
    # A display matrix turns counter-clockwise: the upper left corner goes to the lower left at 90 degrees.
    corner = (rows.mean() > shown.shape[0] / 2, columns.mean() > shown.shape[1] / 2)
    assert corner == {90: (True, False), 180: (True, True), 270: (False, True)}[turn]


def test_ten_bits_stay_ten_bits(tmp_path):
    path = make_clip(tmp_path / "d.mkv", frames(4), pixels="yuv420p10le")
    facts = probe(path)
    assert facts.depth == 10
    with Reader(path, facts) as reader:
        assert reader.read(0).y.dtype == np.uint16


def test_odd_sizes(tmp_path):
    path = make_clip(tmp_path / "o.mkv", [textured(161, 97)] * 3, pixels="yuv444p")
    facts = probe(path)
    assert (facts.width, facts.height) == (161, 97)


@pytest.mark.parametrize("ending", ["png", "jpg", "webp", "bmp", "tiff"])
def test_stills(tmp_path, ending):
    path = tmp_path / f"s.{ending}"
    cv2.imwrite(str(path), textured(120, 90))
    facts = probe(path)
    assert facts.kind == "still"
    assert (facts.width, facts.height) == (120, 90)


def png_header(width, height):
    def chunk(kind, content):
        return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))

    head = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + head + chunk(b"IDAT", zlib.compress(b"\0" * 64)) + chunk(b"IEND", b"")


def bad_files(folder):
    """Name, content and a word that the sentence must hold."""
    whole = make_clip(folder / "whole.mp4", frames(30)).read_bytes()
    sound_only = folder / "sound.wav"
    sound_only.write_bytes(
        b"RIFF"
        + struct.pack("<I", 36 + 8000)
        + b"WAVEfmt "
        + struct.pack("<IHHIIHH", 16, 1, 1, 8000, 8000, 1, 8)
        + b"data"
        + struct.pack("<I", 8000)
        + b"\x80" * 8000
    )
    unknown = bytearray(make_clip(folder / "u.avi", frames(3), codec="mpeg4").read_bytes())
    for tag in (b"FMP4", b"fmp4"):
        unknown = unknown.replace(tag, b"ZZQ9")
    return [
        ("empty.mp4", b"", "empty"),
        ("text.mp4", b"this is not a film at all\n" * 40, "not a video"),
        ("cut-short.mp4", whole[: len(whole) // 3], "not a video|damaged|decoded"),
        ("header-only.mp4", whole[:64], "not a video|damaged|frame"),
        ("huge.png", png_header(20000, 20000), "20000|decoded"),
        ("sound.wav", sound_only.read_bytes(), "no picture"),
        ("unknown.avi", bytes(unknown), "cannot decode|decoded"),
    ]


def test_what_cannot_be_used_gets_a_sentence(tmp_path):
    for name, content, words in bad_files(tmp_path):
        path = tmp_path / name
        path.write_bytes(content)
        with pytest.raises(BadFootage, match=words):
            probe(path)
    with pytest.raises(BadFootage, match="no file"):
        probe(tmp_path / "nowhere.mp4")


def test_a_clip_whose_end_is_damaged_plays_to_its_end(tmp_path):
    path = make_clip(tmp_path / "d.mkv", [textured(160, 96, i) for i in range(30)], gop=5)
    content = bytearray(path.read_bytes())
    content[-len(content) // 4 : -len(content) // 8] = bytes(len(content) // 4 - len(content) // 8)
    path.write_bytes(bytes(content))
    facts = probe(path)
    with Reader(path, facts) as reader:
        pictures = [reader.read(i) for i in range(facts.frames)]
    assert len(pictures) == facts.frames > 15
