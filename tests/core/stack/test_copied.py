"""What nothing touches is copied into an export: frame for frame as the clip has it, and where it is not, coded."""

from fractions import Fraction

import av
import numpy as np
import pytest

from cravo.core.document import Ellipse, Layer, Look, MediumRef, Project, Region, Shot, Solid
from cravo.core.footage.formats import Encoding
from cravo.core.footage.h264 import NotJoinable, ParameterSets, head, units
from cravo.core.footage.packets import Packets
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.keyframes import Keyed
from cravo.core.results import MemoryResults
from cravo.core.stack.render import render, rendering
from cravo.core.timing import Medium

SIZE, FRAMES, KEYS = (320, 180), 150, 25


def film(path, frames=FRAMES, codec="libx264", **options):
    """A clip whose every frame is told from the others: a bar that moves, over noise."""
    noise = np.random.default_rng(1).integers(60, 90, (SIZE[1], SIZE[0]), np.uint8)
    with av.open(str(path), "w") as out:
        stream = out.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = *SIZE, "yuv420p"
        stream.options = {"g": str(KEYS), "keyint_min": str(KEYS), "sc_threshold": "0", **options}
        for i in range(frames):
            y = noise.copy()
            y[:, 2 * i : 2 * i + 12] = 220
            planes = np.vstack([y, np.full((SIZE[1] // 2, SIZE[0]), 128, np.uint8)])
            frame = av.VideoFrame.from_ndarray(planes, "yuv420p")
            frame.pts = i
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return Medium(path, probe(path))


def piece(medium, strength=1.0, over=()):
    oval = Ellipse(x=160, y=90, rx=50, ry=50)
    region = Region(name="r", parts=[oval], inside=[Look(kind="pixelate", strength=strength)])
    last = medium.facts.frames - 1
    shot = Shot(name="s", medium="m", start=0, first=0, last=last, regions=[region])
    layers = [Layer(name="0", items=[shot]), Layer(name="1", items=list(over))]
    size = {"width": SIZE[0], "height": SIZE[1], "rate": Fraction(25)}
    return Project(name="p", layers=layers, media=[MediumRef(id="m", name="m.mp4")], **size)


def only(first, last):
    """Strong from one frame to another, and nothing before and after."""
    keys = ((first - 1, 0), (first, 1), (last, 1), (last + 1, 0))
    return Keyed(keys=[{"frame": frame, "value": value} for frame, value in keys])


def written(project, medium, out, **more):
    render(project, lambda _: medium, MemoryResults(), out, Encoding(**more))
    return list(planes(Medium(out, probe(out))))


def planes(medium):
    with Reader(medium.path, medium.facts) as reader:
        for i in range(medium.facts.frames):
            yield reader.read(i).y.copy()


def copied(project, medium):
    with rendering(project, lambda _: medium, MemoryResults()) as wanted:
        return [(one.first, one.last) for one in wanted.stretches if one.clip is not None]


@pytest.mark.parametrize(
    "options", [{}, {"bf": "0"}, {"bf": "3", "b-pyramid": "normal", "refs": "5"}, {"profile": "baseline"}]
)
def test_what_nothing_touches_is_the_clips_own_and_every_frame_is_there(tmp_path, options):
    medium = film(tmp_path / "clip.mp4", **options)
    project = piece(medium, only(60, 80))
    assert copied(project, medium) == [(0, 49), (100, 149)]  # whole groups of pictures around what is treated
    out, own = written(project, medium, tmp_path / "out.mp4"), list(planes(medium))
    coded = written(project, medium, tmp_path / "coded.mp4", copies=False)
    assert len(out) == FRAMES
    for i in range(FRAMES):
        assert np.array_equal(out[i], own[i]) == (not 50 <= i < 100), i
        assert np.abs(out[i].astype(int) - coded[i]).mean() < 4, i  # the right frame, at the joints too
    assert np.abs(out[70].astype(int) - own[70])[60:120, 130:190].mean() > 2


def test_the_joints_carry_the_right_times_and_both_heads(tmp_path):
    medium = film(tmp_path / "clip.mp4")
    written(piece(medium, only(60, 80)), medium, tmp_path / "out.mp4")
    facts = probe(tmp_path / "out.mp4")
    assert not facts.variable
    assert facts.warnings == []
    with av.open(str(tmp_path / "out.mp4")) as container:
        sets = ParameterSets.of(container.streams.video[0].codec_context.extradata)
        order = [packet.dts for packet in container.demux(video=0) if packet.dts is not None]
    assert len(sets.sequence) == len(sets.picture) == 2
    assert order == sorted(set(order))


def test_what_lies_over_a_shot_or_changes_it_is_never_left_out(tmp_path):
    medium = film(tmp_path / "clip.mp4")
    over = Solid(start=30, length=5, colour="#ff0000")
    assert copied(piece(medium, 0.0, [over]), medium) == [(0, 24), (50, 149)]
    for change in ({"speed": 2.0}, {"backwards": True}, {"fade_in": 5}, {"blend": "screen"}):
        project = piece(medium, 0.0)
        project.layers[0].items = [project.layers[0].shots[0].model_copy(update=change)]
        assert copied(project, medium) == []
    everywhere = piece(medium)
    everywhere.layers[0].shots[0].regions[0].edge.invert = True
    assert copied(everywhere, medium) == []


def test_a_clip_whose_pictures_lean_on_later_ones_is_coded(tmp_path):
    medium = film(tmp_path / "clip.mp4", **{"x264-params": f"open-gop=1:keyint={KEYS}:bframes=3"})
    project = piece(medium, only(60, 80))
    assert copied(project, medium) == []
    out, own = written(project, medium, tmp_path / "out.mp4"), list(planes(medium))
    assert len(out) == FRAMES
    assert all(np.abs(out[i].astype(int) - own[i]).mean() < 4 for i in (0, 24, 25, 49, 50, 149))


def test_another_codec_another_size_or_a_wish_copies_nothing(tmp_path):
    medium = film(tmp_path / "clip.mp4", codec="mpeg4")
    assert copied(piece(medium, 0.0), medium) == []
    medium = film(tmp_path / "again.mp4")
    results, media = MemoryResults(), lambda _: medium
    for more in (
        {"size": (160, 90)},
        {"rate": Fraction(50)},
        {"encoding": Encoding(copies=False)},
        {"encoding": Encoding(kind="webm")},
    ):
        with rendering(piece(medium, 0.0), media, results, **more) as wanted:
            assert all(one.clip is None for one in wanted.stretches)


def test_parts_made_one_by_one_are_joined_to_the_same_film(tmp_path):
    medium = film(tmp_path / "clip.mp4")
    project = piece(medium, only(30, 110))
    whole = written(project, medium, tmp_path / "whole.mp4")
    for kind in ("mp4", "webm", "prores 422"):
        with rendering(project, lambda _: medium, MemoryResults(), Encoding(kind=kind)) as wanted:
            parts = wanted.parts(40)
            files = {part: tmp_path / f"{kind} {part.first}{wanted.encoding.ending}" for part in parts}
            for part in reversed(parts):  # in any order
                wanted.write_part(part, files[part], lambda done, total: None)
            wanted.join(files, tmp_path / "joined", lambda done, total: None)
        joined = list(planes(Medium(tmp_path / "joined", probe(tmp_path / "joined"))))
        assert len(joined) == FRAMES
        levels = [
            np.abs((1.0 if b.dtype == np.uint8 else 4.0) * a - b).mean() for a, b in zip(whole, joined, strict=True)
        ]
        assert max(levels) < (4 if kind != "prores 422" else 16), kind


def test_hostile_heads_and_packets_are_refused_with_a_sentence(tmp_path):
    medium = film(tmp_path / "clip.mp4")
    for said in (b"", None, b"\x01", b"\x01\x64\x00\x28\xff\xe1\xff\xff", b"\x00\x00\x01\x65\x88"):
        with pytest.raises(NotJoinable):
            ParameterSets.of(said)
    with pytest.raises(NotJoinable, match="cut off"):
        list(units(b"\x00\x00\x00\x99abc", 4))
    with Packets(medium.path, medium.facts) as packets:
        assert ParameterSets.of(head([packets.sets], "yuv420p")) == packets.sets
        with pytest.raises(NotJoinable, match="one by one"):
            list(packets.of(3, 10))
        with pytest.raises(NotJoinable, match="come after"):
            list(packets.of(0, 10))
