"""Every kind of file is read again, by PyAV and by ffprobe: pictures, opacity, colour tags, sound, and nothing private."""

from __future__ import annotations

import io
import json
import re
import subprocess
import zipfile
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np
import pytest
from tests.footage import make_clip, textured

from cravo.core.document import Ellipse, Layer, Look, Placing, Project, Region, Shot, Title
from cravo.core.footage.formats import Encoding
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.results import MemoryResults
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.timing import Medium

WIDTH, HEIGHT, FRAMES = 320, 192, 6
OPAQUE = {"mp4": "h264", "mov": "h264", "webm": "vp9", "av1": "av1", "prores 422": "prores"}


class Piece:
    """An oval of a moving texture on nothing, with soft borders."""

    def __init__(self, clip: Path) -> None:
        medium = Medium(clip, probe(clip))
        oval = Ellipse(x=150, y=90, rx=70, ry=50, feather_in=8, feather_out=12)
        region = Region(name="r", parts=[oval], outside=[Look(kind="transparent")])
        shot = Shot(name="s", medium="a", start=0, first=0, last=FRAMES - 1, regions=[region])
        self.project = Project(name="p", width=WIDTH, height=HEIGHT, layers=[Layer(items=[shot])])
        self.media = lambda name: medium

    def frame(self, number: int):
        plan = Plan(self.project, self.media, MemoryResults())
        picture = plan.frame(number)
        plan.close()
        return picture

    def write(self, out: Path, **encoding: object) -> Path:
        render(self.project, self.media, MemoryResults(), out, Encoding.model_validate(encoding))
        return out


@pytest.fixture(scope="module")
def piece(tmp_path_factory: pytest.TempPathFactory) -> Piece:
    pictures = [np.roll(textured(WIDTH, HEIGHT, 4), 3 * i, axis=1) for i in range(FRAMES)]
    metadata = {"comment": "at home", "location": "+47.1+008.5/"}
    return Piece(make_clip(tmp_path_factory.mktemp("a") / "a.mp4", pictures, tone=440, metadata=metadata, signed=True))


def ffprobe(path: Path) -> dict:
    told = subprocess.run(
        ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", str(path)],
        capture_output=True, check=True,
    )  # fmt: skip
    return json.loads(told.stdout)


def decoded(path: Path, codec: str | None = None) -> list[np.ndarray]:
    """The frames of a film as R'G'B' and opacity at 16 bits."""
    with av.open(str(path)) as container:
        stream = container.streams.video[0]
        frames = []
        context = av.CodecContext.create(codec, "r") if codec else None
        for packet in container.demux(stream):
            got = context.decode(packet) if context and packet.size else stream.decode(packet) if not context else []
            frames += [frame.to_ndarray(format="rgba64le") for frame in got]
        if context:
            frames += [frame.to_ndarray(format="rgba64le") for frame in context.decode(None)]
    return [frame.reshape(HEIGHT, WIDTH, 4) for frame in frames]


def ink(picture: np.ndarray, opacity: np.ndarray) -> np.ndarray:
    """The colours where they are surely seen."""
    return picture[opacity > 0.98].astype(float)


@pytest.mark.parametrize("kind", list(OPAQUE))
def test_films_have_their_codec_colour_tags_sound_and_nothing_private(piece: Piece, tmp_path: Path, kind: str) -> None:
    out = piece.write(tmp_path / "out.x", kind=kind)
    # Matroska must name what wrote it; of which version is nobody's business.
    assert re.findall(rb"Lavc|Lavf\d|x264|SVT", out.read_bytes()) == []
    told = ffprobe(out)
    picture, sound = told["streams"]
    assert (picture["codec_name"], picture["width"], picture["height"]) == (OPAQUE[kind], WIDTH, HEIGHT)
    assert picture["color_space"] == picture["color_primaries"] == "bt709"
    assert sound["codec_type"] == "audio"
    tags = json.dumps([one.get("tags", {}) for one in (*told["streams"], told["format"])]).lower()
    assert "at home" not in tags
    assert "location" not in tags
    if kind == "prores 422":
        assert (picture["profile"], picture["pix_fmt"]) == ("HQ", "yuv422p10le")


@pytest.mark.parametrize("alpha", ["straight", "premultiplied"])
@pytest.mark.parametrize(("kind", "codec", "near"), [("prores 4444", None, 0.01), ("webm alpha", "libvpx-vp9", 0.04)])
def test_films_with_opacity_give_it_back(
    piece: Piece, tmp_path: Path, kind: str, codec: str | None, near: float, alpha: str
) -> None:
    out = piece.write(tmp_path / "out.x", kind=kind, alpha=alpha, quality=4)
    frames = decoded(out, codec)
    assert len(frames) == FRAMES
    if kind == "prores 4444":
        assert ffprobe(out)["streams"][0]["profile"] == "4444"
    for number in (0, FRAMES - 1):
        meant = piece.frame(number)
        opacity = meant.a / 255.0
        assert opacity.min() == 0
        assert opacity.max() == 1
        assert np.abs(frames[number][..., 3] / 65535 - opacity).mean() < near
        exact = meant.to_deep_rgb(alpha == "premultiplied")
        assert np.abs(ink(frames[number], opacity) - ink(exact, opacity))[:, :3].mean() < 0.02 * 65535
        half = (opacity > 0.4) & (opacity < 0.6)
        ratio = frames[number][..., 1][half].mean() / max(meant.to_deep_rgb()[..., 1][half].mean(), 1)
        assert ratio == pytest.approx(0.5 if alpha == "premultiplied" else 1.0, abs=0.15)


@pytest.mark.parametrize("kind", ["png", "tiff"])
def test_pictures_are_exact_deep_and_named_by_their_frames(piece: Piece, tmp_path: Path, kind: str) -> None:
    out = piece.write(tmp_path / "out.zip", kind=kind)
    with zipfile.ZipFile(out) as pictures:
        assert pictures.namelist() == [f"{number:06}.{kind}" for number in range(FRAMES)]
        for number in (0, 4):
            coded = np.frombuffer(io.BytesIO(pictures.read(f"{number:06}.{kind}")).read(), np.uint8)
            picture = cv2.cvtColor(cv2.imdecode(coded, cv2.IMREAD_UNCHANGED), cv2.COLOR_BGRA2RGBA)
            assert picture.dtype == np.uint16
            assert np.array_equal(picture, piece.frame(number).to_deep_rgb())


def test_openexr_holds_linear_light_over_nothing_as_another_reader_sees_it(piece: Piece, tmp_path: Path) -> None:
    with zipfile.ZipFile(piece.write(tmp_path / "out.zip", kind="exr")) as pictures:
        assert pictures.namelist() == [f"{number:06}.exr" for number in range(FRAMES)]
        pictures.extract("000004.exr", tmp_path)
    assert ffprobe(tmp_path / "000004.exr")["streams"][0]["pix_fmt"] in ("gbrapf16le", "gbrapf32le")
    raw = subprocess.run(
        ["ffmpeg", "-v", "error", "-i", tmp_path / "000004.exr", "-f", "rawvideo", "-pix_fmt", "gbrapf32le", "-"],
        capture_output=True, check=True,
    ).stdout  # fmt: skip
    green, blue, red, opacity = np.frombuffer(raw, "<f4").reshape(4, HEIGHT, WIDTH)
    meant = piece.frame(4)
    assert np.abs(opacity - meant.a / 255.0).max() < 0.001
    coded = meant.to_deep_rgb() / 65535
    # The transfer curve forwards, as BT.709-6 prints it, gives the picture's own values back where it is opaque.
    light = np.dstack([red, green, blue])
    again = np.where(light < 0.018, 4.5 * light, 1.099 * np.maximum(light, 0.018) ** 0.45 - 0.099)
    assert np.abs(ink(again, opacity) - ink(coded[..., :3], opacity)).mean() < 0.02
    edge = (opacity > 0.4) & (opacity < 0.6)
    straight = np.where(coded < 0.081, coded / 4.5, ((coded + 0.099) / 1.099) ** (1 / 0.45))[..., 1]
    assert (green[edge].mean() / straight[edge].mean()) == pytest.approx(opacity[edge].mean(), abs=0.03)


def test_a_still_is_one_picture(piece: Piece, tmp_path: Path) -> None:
    out = tmp_path / "still.png"
    frames = render(
        piece.project, piece.media, MemoryResults(), out, Encoding(kind="still"), first=3
    )  # fmt: skip
    assert frames == 1
    picture = cv2.cvtColor(cv2.imread(str(out), cv2.IMREAD_UNCHANGED), cv2.COLOR_BGRA2RGBA)
    assert np.array_equal(picture, piece.frame(3).to_deep_rgb())


@pytest.mark.parametrize("kind", list(OPAQUE))
def test_where_a_file_knows_no_opacity_what_is_transparent_is_black(piece: Piece, tmp_path: Path, kind: str) -> None:
    first = decoded(piece.write(tmp_path / "out.x", kind=kind))[0]
    assert first[..., 3].min() == 65535
    assert first[piece.frame(0).a == 0][:, :3].max() < 0.04 * 65535


@pytest.mark.parametrize("kind", ["mp4", "av1"])
@pytest.mark.parametrize(("depth", "pixels"), [(8, "yuv420p"), (10, "yuv420p10le")])
def test_a_film_is_as_deep_as_is_asked_for(piece: Piece, tmp_path: Path, kind: str, depth: int, pixels: str) -> None:
    out = piece.write(tmp_path / "a.mp4", kind=kind, depth=depth, quality=10)
    (stream,) = [one for one in ffprobe(out)["streams"] if one["codec_type"] == "video"]
    assert (stream["codec_name"], stream["pix_fmt"]) == (OPAQUE[kind], pixels)


def test_av1_shows_the_piece_in_another_decoder_than_its_encoders(piece: Piece, tmp_path: Path) -> None:
    frames = decoded(piece.write(tmp_path / "a.mp4", kind="av1", quality=4), "libdav1d")
    assert len(frames) == FRAMES
    for number in (0, FRAMES - 1):
        meant = piece.frame(number)
        whole = meant.a / 255.0
        exact = meant.to_deep_rgb(True)
        assert np.abs(ink(frames[number], whole) - ink(exact, whole))[:, :3].mean() < 0.02 * 65535


@pytest.mark.parametrize("rate", [Fraction(50), Fraction(30000, 1001), Fraction(25, 2), Fraction(25)])
def test_at_another_rate_a_piece_lasts_as_long_and_shows_the_same_at_each_moment(
    tmp_path: Path, rate: Fraction
) -> None:
    count = 25
    grey = [np.full((96, 160, 3), 20 + 8 * i, np.uint8) for i in range(count)]
    clip = make_clip(tmp_path / "counted.mp4", grey, tone=440)
    medium = Medium(clip, probe(clip))
    shot = Shot(name="s", medium="a", start=0, first=0, last=count - 1)
    project = Project(name="p", width=160, height=96, layers=[Layer(items=[shot])])
    out = tmp_path / "out.mp4"
    written = render(project, lambda name: medium, MemoryResults(), out, Encoding(quality=8), rate=rate, size=(80, 48))
    facts = probe(out)
    assert (facts.rate, facts.frames, facts.width) == (rate, written, 80)
    assert written == round(rate)
    assert facts.sound
    assert facts.sound.seconds == pytest.approx(1.0, abs=0.06)
    with Reader(out, facts) as reader:
        for i in range(written):
            shown = (float(reader.read(i).to_rgb().mean()) - 20) / 8
            assert shown == pytest.approx(int(i * 25 / rate), abs=0.4), i


def test_a_title_is_as_large_a_part_of_a_small_export_as_of_a_large_one(piece: Piece, tmp_path: Path) -> None:
    title = Title(start=0, length=2, text="Ostrelle", size=40, place=Placing(x=30, y=-20))
    project = Project(name="p", width=WIDTH, height=HEIGHT, layers=[Layer(items=[title])])
    boxes = []
    for size in (None, (WIDTH // 2, HEIGHT // 2)):
        out = tmp_path / "out.png"
        render(project, piece.media, MemoryResults(), out, Encoding(kind="still"), size=size)
        picture = cv2.imread(str(out), cv2.IMREAD_UNCHANGED)[..., 3] > 2**15
        rows, columns = np.flatnonzero(picture.any(1)), np.flatnonzero(picture.any(0))
        boxes.append(np.array([columns[0], columns[-1], rows[0], rows[-1]]) / picture.shape[1])
    assert boxes[0] == pytest.approx(boxes[1], abs=0.012)
