"""From document to pictures and files: what is seen is what is written."""

import json
import subprocess
from fractions import Fraction

import av
import numpy as np
import pytest
from tests.footage import make_clip, numbered, textured

from cravo.core.document import Ellipse, Layer, Look, Project, Region, Shot, SoundSpan
from cravo.core.errors import CravoError, MissingFootage, Stopped
from cravo.core.footage.formats import Encoding
from cravo.core.footage.probe import probe
from cravo.core.footage.reader import Reader
from cravo.core.keyframes import with_key
from cravo.core.results import MemoryResults
from cravo.core.sound.reader import span
from cravo.core.stack.plan import Plan
from cravo.core.stack.render import render
from cravo.core.stack.views import beside, shown
from cravo.core.timing import Medium

OVAL = {"x": 150.0, "y": 100.0, "rx": 60.0, "ry": 40.0, "feather_in": 10.0, "feather_out": 14.0}


class Clips:
    def __init__(self, **paths):
        self.known = {name: Medium(path, probe(path)) for name, path in paths.items()}

    def __call__(self, name):
        return self.known[name]


def piece(*regions, last=11, first=0, start=0, medium="a", rate="25/1", size=(320, 208)):
    shot = Shot(name="s", medium=medium, start=start, first=first, last=last, regions=list(regions))
    return Project(name="p", rate=rate, width=size[0], height=size[1], layers=[Layer(items=[shot])])


def oval(inside=(), outside=(), **numbers):
    return Region(name="r", parts=[Ellipse(**{**OVAL, **numbers})], inside=list(inside), outside=list(outside))


@pytest.fixture(scope="module")
def clips(tmp_path_factory):
    folder = tmp_path_factory.mktemp("clips")
    pictures = [np.roll(textured(320, 208, 4), i * 3, axis=1) for i in range(12)]
    return Clips(
        a=make_clip(folder / "a.mp4", pictures, tone=440, metadata={"comment": "at home", "location": "+47.1+008.5/"}),
        ten=make_clip(folder / "ten.mkv", pictures, pixels="yuv420p10le"),
        fast=make_clip(folder / "fast.mp4", [numbered(i, 320, 208) for i in range(16)], rate=Fraction(50)),
        odd=make_clip(folder / "odd.mkv", [textured(161, 97)] * 3, pixels="yuv444p"),
    )


def outer(picture):
    """Where the oval has no opacity, feather included."""
    y, x = np.mgrid[0 : picture.height, 0 : picture.width] + 0.5
    return ((x - 150) / (60 + 14.5)) ** 2 + ((y - 100) / (40 + 14.5)) ** 2 > 1


def test_inside_looks_leave_every_pixel_outside_as_it_came(clips):
    plan = Plan(piece(oval([Look(kind="pixelate", settings={"cell": 20.0})])), clips, MemoryResults())
    treated, plain = plan.frame(3), plan.frame(3, treated=False)
    outside = outer(plain)
    assert np.array_equal(treated.y[outside], plain.y[outside])
    assert np.array_equal(treated.u[outside[::2, ::2]], plain.u[outside[::2, ::2]])
    assert not np.array_equal(treated.y, plain.y)


def test_outside_looks_leave_the_core_as_it_came(clips):
    plan = Plan(piece(oval(outside=[Look(kind="desaturate")])), clips, MemoryResults())
    treated, plain = plan.frame(3), plan.frame(3, treated=False)
    y, x = np.mgrid[0:104, 0:160] * 2 + 1.0
    core = ((x - 150) / 48) ** 2 + ((y - 100) / 28) ** 2 < 1
    assert np.array_equal(treated.u[core], plain.u[core])
    far = ((x - 150) / 78) ** 2 + ((y - 100) / 58) ** 2 > 1
    assert (treated.u[far] == 128).all()
    assert np.array_equal(treated.y, plain.y)


def test_strength_mixes(clips):
    looks = [Look(kind="colour", strength=0.5, settings={"colour": "#000000"})]
    plan = Plan(piece(oval(looks, feather_in=0.0, feather_out=0.0)), clips, MemoryResults())
    treated, plain = plan.frame(0), plan.frame(0, treated=False)
    assert int(treated.y[100, 150]) == pytest.approx((int(plain.y[100, 150]) + 16) / 2, abs=1)


def test_regions_and_looks_that_are_off_do_nothing(clips):
    off = oval([Look(kind="blur")])
    off.on = False
    for region in (off, oval([Look(kind="blur", on=False)]), oval([Look(kind="blur", strength=0.0)])):
        plan = Plan(piece(region), clips, MemoryResults())
        assert np.array_equal(plan.frame(2).y, plan.frame(2, treated=False).y)


def test_a_shape_far_outside_the_picture_is_no_mistake(clips):
    plan = Plan(piece(oval([Look(kind="blur")], x=-900.0), oval([Look(kind="blur")], x=-20.0)), clips, MemoryResults())
    assert not np.array_equal(plan.frame(2).y, plan.frame(2, treated=False).y)


def test_a_small_picture_shows_what_the_large_one_shows(clips):
    plan = Plan(piece(oval([Look(kind="pixelate", settings={"cell": 32.0})])), clips, MemoryResults())
    large, small = plan.frame(5).scaled(160, 104), plan.frame(5, (160, 104))
    assert np.abs(large.y.astype(int) - small.y).mean() < 2


def test_keys_move_the_shape(clips):
    moving = oval([Look(kind="colour", settings={"colour": "#000000"})], x=with_key(with_key(0.0, 0, 60.0), 10, 260.0))
    plan = Plan(piece(moving), clips, MemoryResults())
    places = [float(np.nonzero(plan.frame(f).y == 16)[1].mean()) for f in (0, 5, 10)]
    assert places == pytest.approx([60, 160, 260], abs=3)


def test_source_frames_by_time(clips):
    """A clip at twice the piece's rate shows every second frame."""
    plan = Plan(piece(medium="fast", last=15), clips, MemoryResults())
    assert plan.frames == 8
    assert [round((float(plan.frame(f).to_rgb().mean()) - 30) / 12) for f in range(8)] == [0, 2, 4, 6, 8, 10, 12, 14]
    shot = plan.project.layers[0].items[0]
    assert [plan.sequence_frame(shot, f) for f in (0, 1, 2, 9, 15)] == [0, 1, 1, 5, 7]


def test_trimmed_and_moved_shots_and_the_black_between(clips):
    plan = Plan(piece(medium="fast", rate="50/1", first=4, last=9, start=3), clips, MemoryResults())
    assert plan.frames == 9
    assert plan.frame(1).y.max() == 16
    assert round((float(plan.frame(3).to_rgb().mean()) - 30) / 12) == 4


def test_written_frames_are_the_shown_frames(clips, tmp_path):
    project = piece(oval([Look(kind="pixelate")], [Look(kind="desaturate")]))
    out = tmp_path / "o.mp4"
    assert render(project, clips, MemoryResults(), out, Encoding(quality=1)) == 12
    plan = Plan(project, clips, MemoryResults())
    facts = probe(out)
    with Reader(out, facts) as reader:
        for f in (0, 4, 11):
            assert np.abs(reader.read(f).y.astype(int) - plan.frame(f).y).mean() < 0.6


def ffprobe(path):
    command = ["ffprobe", "-v", "error", "-show_streams", "-show_format", "-of", "json", str(path)]
    return json.loads(subprocess.run(command, capture_output=True, check=True).stdout)


def test_the_file_is_what_it_says(clips, tmp_path):
    out = tmp_path / "o.mp4"
    render(piece(oval([Look(kind="blur")])), clips, MemoryResults(), out)
    told = ffprobe(out)
    picture = next(s for s in told["streams"] if s["codec_type"] == "video")
    sound = next(s for s in told["streams"] if s["codec_type"] == "audio")
    assert (picture["codec_name"], picture["width"], picture["height"]) == ("h264", 320, 208)
    assert picture["r_frame_rate"] == "25/1"
    assert picture["nb_frames"] == "12"
    assert picture["pix_fmt"] == "yuv420p"
    assert picture["color_range"] == "tv"
    assert picture["color_space"] == "bt709"
    assert sound["codec_name"] == "aac"
    assert float(told["format"]["duration"]) == pytest.approx(12 / 25, abs=0.05)
    private = {"comment", "location", "location-eng", "encoder", "creation_time", "title"}
    tags = [told["format"].get("tags", {}), *(s.get("tags", {}) for s in told["streams"])]
    assert not private & {name.lower() for tag in tags for name in tag}
    assert b"at home" not in out.read_bytes()
    assert b"x264" not in out.read_bytes()


def test_ten_bits_reach_the_file(clips, tmp_path):
    out = tmp_path / "o.mp4"
    render(piece(oval([Look(kind="blur")]), medium="ten"), clips, MemoryResults(), out)
    assert ffprobe(out)["streams"][0]["pix_fmt"] == "yuv420p10le"


@pytest.mark.parametrize(("ending", "codec"), [("mov", "h264"), ("webm", "vp9")])
def test_other_files(clips, tmp_path, ending, codec):
    out = tmp_path / f"o.{ending}"
    render(piece(oval([Look(kind="blur")])), clips, MemoryResults(), out, Encoding(kind=ending))
    told = ffprobe(out)
    assert told["streams"][0]["codec_name"] == codec
    assert len(told["streams"]) == 2


def test_a_part_of_the_piece_with_its_own_sound(clips, tmp_path):
    out = tmp_path / "o.mp4"
    assert render(piece(), clips, MemoryResults(), out, first=3, last=8) == 6
    with av.open(str(out)) as container:
        assert container.streams.audio
        assert sum(1 for _ in container.decode(video=0)) == 6


def test_what_is_silenced_is_not_in_the_file_though_all_else_could_be_copied(clips, tmp_path):
    whole = piece()
    render(whole, clips, MemoryResults(), tmp_path / "as-it-is.mp4")
    next(whole.shots()).sounds = [SoundSpan(first=0, last=11, how="mute")]
    render(whole, clips, MemoryResults(), tmp_path / "silent.mp4")
    loud, silent = (np.abs(span(tmp_path / name, 0.05, 0.35)).max() for name in ("as-it-is.mp4", "silent.mp4"))
    assert loud > 0.3
    assert silent < 1e-3


def test_an_odd_clip_is_cut_to_even_not_scaled(clips, tmp_path):
    out = tmp_path / "o.mp4"
    project = piece(medium="odd", last=2, size=(160, 96))
    plan = Plan(project, clips, MemoryResults())
    with Reader(clips("odd").path, clips("odd").facts) as reader:
        assert np.array_equal(plan.frame(0).y, reader.read(0).y[:96, :160])
    render(project, clips, MemoryResults(), out)
    assert probe(out).width == 160


def test_stopping_leaves_nothing(clips, tmp_path):
    out = tmp_path / "o.mp4"

    def progress(done, total):
        if done == 4:
            raise Stopped("Stopped.")

    with pytest.raises(Stopped):
        render(piece(), clips, MemoryResults(), out, progress=progress)
    assert list(tmp_path.iterdir()) == []


def test_what_cannot_be_written_is_said(clips, tmp_path):
    with pytest.raises(CravoError, match="no shot"):
        render(Project(name="p"), clips, MemoryResults(), tmp_path / "o.mp4")
    with pytest.raises(CravoError, match="not in the film"):
        render(piece(), clips, MemoryResults(), tmp_path / "o.mp4", first=50)
    with pytest.raises(CravoError, match="could not be written"):
        render(piece(), clips, MemoryResults(), tmp_path / "no" / "such" / "folder.mp4")
    gone = Clips(a=clips("a").path)
    gone.known["a"] = Medium(tmp_path / "gone.mp4", clips("a").facts)
    with pytest.raises(MissingFootage, match=r"gone\.mp4"):
        render(piece(), gone, MemoryResults(), tmp_path / "o.mp4")


def test_views_show_the_matte(clips):
    plan = Plan(piece(oval([Look(kind="blur")])), clips, MemoryResults())
    project_shot = plan.project.layers[0].items[0]
    picture = plan.frame(0)
    matte = plan.shots.matte(project_shot, project_shot.regions[0], 0, 320, 208).whole(320, 208)
    bare = shown(picture, matte, "matte", 0)
    assert bare[100, 150].tolist() == [255, 255, 255]
    assert bare[5, 5].tolist() == [0, 0, 0]
    assert shown(picture, matte, "white", 0)[5, 5].tolist() == [255, 255, 255]
    assert shown(picture, matte, "colour", 0, "#102030")[5, 5].tolist() == [0x30, 0x20, 0x10]
    for view in ("veil", "chequer", "black"):
        assert np.array_equal(shown(picture, matte, view, 0)[100, 150], picture.to_bgr()[100, 150])


def test_before_stands_beside_after(clips):
    plan = Plan(piece(oval([Look(kind="colour", settings={"colour": "#000000"})])), clips, MemoryResults())
    before, after = plan.frame(0, treated=False), plan.frame(0)
    both = beside(before, after, 0.5)
    assert np.array_equal(both.y[:, :160], before.y[:, :160])
    assert np.array_equal(both.y[:, 160:], after.y[:, 160:])


def middle(picture):
    return picture.y[90:110, 140:160].astype(float)


def test_what_is_transparent_shows_the_layer_beneath_or_black_in_a_file(clips, tmp_path):
    above = piece(oval([Look(kind="transparent")]))
    lower = Shot(name="below", medium="fast", start=0, first=0, last=11)
    both = above.model_copy(update={"layers": [Layer(items=[lower]), *above.layers]})
    plan, alone = Plan(both, clips, MemoryResults()), Plan(above, clips, MemoryResults())
    beneath = Plan(both.model_copy(update={"layers": [Layer(items=[lower])]}), clips, MemoryResults()).frame(3)
    seen = plan.frame(3)
    assert seen.a is None
    assert np.abs(middle(seen) - middle(beneath)).max() <= 1
    outside = outer(seen)
    plain = alone.frame(3, treated=False)
    assert np.array_equal(seen.y[outside], plain.y[outside])
    assert alone.frame(3).a[100, 150] == 0
    render(above, clips, MemoryResults(), tmp_path / "o.mp4", Encoding(quality=4), last=2)
    with Reader(tmp_path / "o.mp4", probe(tmp_path / "o.mp4")) as reader:
        assert middle(reader.read(1)).max() < 20


def test_a_look_that_asks_for_other_frames_gets_them_untreated(clips):
    """A patch from another frame is that frame's picture, whatever is done to this one, at every size and in any order."""
    settings = {"from": "another frame", "frame": 9.0, "across": 0.0, "soften": 0.0, "light": 0.0}
    project = piece(oval([Look(kind="patch", settings=settings)], feather_in=0.0, feather_out=0.0))
    plan = Plan(project, clips, MemoryResults())
    for frame in (2, 7, 0):
        for size in (None, (160, 104)):
            out, there = plan.frame(frame, size), plan.frame(9, size, treated=False)
            scale = out.width / 320
            rows, columns = slice(int(85 * scale), int(115 * scale)), slice(int(125 * scale), int(175 * scale))
            assert np.abs(out.y[rows, columns].astype(int) - there.y[rows, columns]).max() <= 1


def test_noise_that_changes_from_frame_to_frame_is_averaged_where_the_picture_stands(tmp_path):
    random = np.random.default_rng(3)
    clean = textured(160, 96, 6).astype(float) * 0.5 + 60
    pictures = [np.clip(clean + random.normal(0, 6, clean.shape), 0, 255).astype(np.uint8) for _ in range(7)]
    still = Clips(a=make_clip(tmp_path / "still.mkv", pictures, codec="ffv1"))
    look = Look(kind="noise", settings={"luma": 0.0, "colour": 0.0, "over_time": 100.0})
    plan = Plan(piece(Region(name="r", outside=[look]), last=6, size=(160, 96)), still, MemoryResults())
    wanted = np.mean([plan.frame(i, treated=False).y.astype(float) for i in range(7)], axis=0)
    error = lambda picture: np.sqrt(((picture.y - wanted) ** 2).mean())  # noqa: E731
    assert error(plan.frame(3)) < 0.6 * error(plan.frame(3, treated=False))


def test_a_transparent_shot_of_eight_bits_lies_over_one_of_ten(clips):
    above = piece(oval([Look(kind="transparent")]))
    lower = Shot(name="below", medium="ten", start=0, first=0, last=11)
    both = above.model_copy(update={"layers": [Layer(items=[lower]), *above.layers]})
    beneath = Plan(both.model_copy(update={"layers": [Layer(items=[lower])]}), clips, MemoryResults()).frame(3)
    seen = Plan(both, clips, MemoryResults()).frame(3)
    assert (seen.depth, seen.a) == (10, None)
    assert np.abs(middle(seen) - middle(beneath)).max() <= 2
    outside, plain = outer(seen), Plan(above, clips, MemoryResults()).frame(3, treated=False)
    assert np.abs(seen.y[outside] / 4 - plain.y[outside]).max() <= 1
