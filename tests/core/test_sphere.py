"""Spherical pictures against py360convert, closed forms, and a sphere that turns in a known way."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import cv2
import numpy as np
import py360convert
import pytest
from hypothesis import given
from hypothesis import strategies as some
from tests.footage import make_clip, textured

from cravo.core.document import (
    Attachment,
    Edge,
    Ellipse,
    Given,
    Horizon,
    Layer,
    Look,
    MediumRef,
    Motion,
    Pose,
    Project,
    Region,
    Shot,
    Sphere,
    Steady,
    Title,
    ViewDirection,
)
from cravo.core.document.items import Placing
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Box, Picture, blank
from cravo.core.footage.probe import probe
from cravo.core.geometry.sphere import Camera, Wide, angle, looking, turn_of, unit
from cravo.core.mattes.matte import Matte
from cravo.core.motion.sampling import sampled_around
from cravo.core.motion.track import Sample, Track
from cravo.core.parts.kind import Footage
from cravo.core.parts.region import region_matte
from cravo.core.results import MemoryResults
from cravo.core.stack.clips import Clips
from cravo.core.stack.plan import Plan
from cravo.core.stack.shots import ShotPictures
from cravo.core.tasks.track import track
from cravo.core.timing import Medium, SequenceFrame

WIDE = Wide(1024, 512)
PLACES = [(0, 0), (180, 0), (90, 60), (-179, -80), (30, 90)]  # yaw and pitch: at the equator, on the seam, near poles
VIEWS = some.builds(ViewDirection, yaw=some.floats(-180, 180), pitch=some.floats(-90, 90), roll=some.floats(-180, 180))


def directions_of_pixels(wide: Wide = WIDE) -> np.ndarray:
    rows, columns = np.mgrid[0 : wide.height, 0 : wide.width] + 0.5
    return wide.directions(np.column_stack([columns.ravel(), rows.ravel()])).reshape(wide.height, wide.width, 3)


def solid_angle(matte: np.ndarray) -> float:
    """Steradians that a matte covers: each pixel of the wide picture counts for what it covers of the sphere."""
    height, width = matte.shape
    edges = np.sin((0.5 - np.arange(height + 1) / height) * math.pi)
    return float((matte.sum(1) * -np.diff(edges)).sum() * math.tau / width)


def covered(part: Ellipse | Horizon, edge: Edge | None = None, wide: Wide = WIDE, **shot: object) -> np.ndarray:
    region = Region(name="r", parts=[part], edge=edge or Edge())
    sphere = Sphere(width=wide.width, height=wide.height)
    of = Shot(name="s", medium="m", start=0, first=0, last=9, sphere=sphere, regions=[region], **shot)
    nothing = Footage(lambda at, size: pytest.fail("no picture is looked at"), lambda *of: None)
    size = (wide.width, wide.height)
    return region_matte(of, region, 0, size, 1.0, MemoryResults(), nothing).whole(*size)


def cap(degrees: float, yaw: float, pitch: float, **more: object) -> Ellipse:
    """A circle around a direction; in the flat picture its radius is the tangent of its angle."""
    radius = WIDE.focal * math.tan(math.radians(degrees))
    hard = {"feather_in": 0, "feather_out": 0, **more}
    view = ViewDirection(yaw=yaw, pitch=pitch)
    return Ellipse(x=WIDE.height / 2, y=WIDE.height / 2, rx=radius, ry=radius, view=view, **hard)


@given(VIEWS, some.sampled_from(["straight", "round", "wide"]))
def test_pixels_come_back_from_their_directions(view: ViewDirection, lens: str) -> None:
    points = np.random.default_rng(0).uniform(0, WIDE.height, (50, 2))
    camera = replace(WIDE.camera(view), lens=lens)
    assert np.abs(camera.points(camera.directions(points)) - points).max() < 1e-6
    wide = np.random.default_rng(1).uniform((0, 0), (WIDE.width, WIDE.height), (50, 2))
    assert np.abs(WIDE.points(WIDE.directions(wide)) - wide).max() < 1e-6


@pytest.mark.parametrize(("yaw", "pitch", "roll"), [(0, 0, 0), (30, 20, 15), (170, -40, -30), (-100, 60, 0)])
def test_a_flat_picture_is_that_of_py360convert(yaw: float, pitch: float, roll: float) -> None:
    random = np.random.default_rng(1)
    picture = cv2.resize(random.random((32, 64, 3)).astype(np.float32), (1024, 512), interpolation=cv2.INTER_CUBIC)
    wanted = py360convert.e2p(picture, 90, yaw, pitch, (256, 256), in_rot_deg=roll, mode="bilinear")
    # Its outermost pixels lie on the border of the field, ours inside it.
    camera = Camera(turn_of(ViewDirection(yaw=yaw, pitch=pitch, roll=roll)), 127.5, (128, 128))
    places = WIDE.seen(camera, 256, 256) + np.float32((1, 0))
    around = cv2.copyMakeBorder(picture, 0, 0, 1, 1, cv2.BORDER_WRAP)
    ours = cv2.remap(around, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_REPLICATE)
    assert np.abs(ours - wanted).mean() < 5e-4
    assert np.abs(ours - wanted).max() < 0.02


def test_places_in_both_pictures_are_each_others_inverse_but_at_the_poles() -> None:
    camera = looking(ViewDirection(yaw=175, pitch=-35, roll=10), 100, 320, 240)
    onto = WIDE.seen(camera, 320, 240)
    back = WIDE.laid(Box(0, 0, WIDE.width, WIDE.height), camera)
    inside = (onto[..., 0] > 1) & (onto[..., 0] < WIDE.width - 2) & (onto[..., 1] < WIDE.height * 0.94)
    rows, columns = np.nonzero(inside)
    found = cv2.remap(back, onto, None, cv2.INTER_LINEAR)[rows, columns]
    assert np.abs(found - np.column_stack([columns, rows])).max() < 0.1


@pytest.mark.parametrize("degrees", [6, 25, 50])
@pytest.mark.parametrize(("yaw", "pitch"), PLACES)
def test_a_cap_covers_as_much_as_the_closed_form_says_wherever_it_lies(
    degrees: float, yaw: float, pitch: float
) -> None:
    wanted = math.tau * (1 - math.cos(math.radians(degrees)))
    assert solid_angle(covered(cap(degrees, yaw, pitch))) == pytest.approx(wanted, rel=0.005)


@pytest.mark.parametrize(("yaw", "pitch"), PLACES)
def test_feathers_and_edges_are_angles_wherever_they_lie(yaw: float, pitch: float) -> None:
    pixel = 360 / WIDE.width  # degrees
    soft = covered(cap(15, yaw, pitch, feather_in=20, feather_out=20))
    away = np.degrees(angle(directions_of_pixels(), turn_of(ViewDirection(yaw=yaw, pitch=pitch))[2])) / pixel
    border = 15 / pixel
    assert soft[away < border - 21].min() > 0.99
    assert soft[away > border + 21].max() < 0.01
    assert soft[np.abs(away - border) < 1.5].mean() == pytest.approx(0.5, abs=0.04)
    assert soft[np.abs(away - border - 10) < 1.5].mean() == pytest.approx(1 - 0.75**2 * (3 - 1.5), abs=0.04)
    grown = covered(cap(15, yaw, pitch), Edge(grow=10.0))
    assert solid_angle(grown) == pytest.approx(math.tau * (1 - math.cos(math.radians(15 + 10 * pixel))), rel=0.01)


def test_more_than_half_of_the_sphere_is_what_is_left_of_less() -> None:
    assert solid_angle(covered(cap(40, 100, 20, invert=True))) == pytest.approx(
        math.tau * (1 + math.cos(math.radians(40))), rel=0.002
    )
    tilted = Horizon(x=256, y=256, feather_in=0, feather_out=0, view=ViewDirection(yaw=30, pitch=15, roll=25))
    matte = covered(tilted)
    assert solid_angle(matte) == pytest.approx(math.tau, rel=1e-3)
    up = turn_of(tilted.view)[1] * -1
    assert matte[directions_of_pixels() @ up > 0.02].min() == 1


def test_steps_of_the_wide_picture_across_the_seam_are_as_small_as_elsewhere() -> None:
    matte = covered(cap(20, 178, 10, feather_in=30, feather_out=30))
    assert matte[:, 0].max() > 0.9
    assert np.abs(matte[:, 0] - matte[:, -1]).max() < 0.06


def spread(look: Look, yaw: float, pitch: float) -> float:
    """Degrees, squared and averaged, over which a look spreads a small bright spot."""
    wide = Wide(1536, 768)
    view = ViewDirection(yaw=yaw, pitch=pitch)
    away = angle(directions_of_pixels(wide), turn_of(view)[2])
    picture = _grey(wide)
    picture.y[away < math.radians(4)] = 235
    part = Ellipse(x=384, y=384, rx=150, ry=150, view=view)
    shot = Shot(
        name="s", medium="m", start=0, first=0, last=9, sphere=Sphere(width=wide.width, height=wide.height),
        regions=[Region(name="r", parts=[part], inside=[look])],
    )  # fmt: skip
    medium = Medium(Path("m"), _facts(wide))
    shown = ShotPictures((wide.width, wide.height), lambda of: medium, MemoryResults(), Clips(lambda of: medium))
    light = shown.treated(shot, 0, picture).y.astype(float) - 16  # type: ignore[arg-type]
    light *= np.cos((0.5 - (np.arange(wide.height) + 0.5) / wide.height) * math.pi)[:, None]
    return math.degrees(math.sqrt((light * away**2).sum() / light.sum()))


def _grey(wide: Wide) -> Picture:
    picture = blank(wide.width, wide.height, 8, (1, 1), Colour())
    picture.y.fill(16)
    picture.u.fill(128)
    picture.v.fill(128)
    return picture


def _facts(wide: Wide):  # type: ignore[no-untyped-def]
    from cravo.core.footage.facts import Facts

    return Facts(
        kind="clip", width=wide.width, height=wide.height, depth=8, shifts=(1, 1), colour=Colour(), codec="h264",
        container="mp4", rate="25/1", time_base="1/25", times=list(range(10)), keys=[0],
    )  # fmt: skip


@pytest.mark.parametrize(
    "look", [Look(kind="blur", settings={"measured": "in pixels", "radius": 8}), Look(kind="defocus")]
)
def test_a_spot_is_blurred_as_widely_at_the_equator_at_sixty_degrees_and_on_the_seam(look: Look) -> None:
    at_equator = spread(look, 0, 0)
    assert at_equator > 2.9  # degrees: the spot by itself is 2.83
    for yaw, pitch in PLACES[1:]:
        assert spread(look, yaw, pitch) == pytest.approx(at_equator, rel=0.04)  # faint tails are rounded to code values


def test_a_region_that_covers_nothing_yet_changes_nothing() -> None:
    wide = Wide(768, 384)
    picture = _grey(wide)
    faded = cap(8, 0, 0, opacity=0.0)
    region = Region(name="r", parts=[faded], edge=Edge(grow=4.0), inside=[Look(kind="blur")])
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, sphere=Sphere(width=768, height=384), regions=[region])
    medium = Medium(Path("m"), _facts(wide))
    shown = ShotPictures((768, 384), lambda of: medium, MemoryResults(), Clips(lambda of: medium))
    assert np.array_equal(shown.treated(shot, 0, picture).y, picture.y)  # type: ignore[arg-type]


def test_a_look_on_all_of_the_sphere_leaves_no_line_between_the_pictures_it_was_made_on() -> None:
    wide = Wide(768, 384)
    rows = np.linspace(60, 180, wide.height)[:, None]
    picture = _grey(wide)
    picture.y[:] = np.clip(rows + 20 * np.sin(np.arange(wide.width) * math.tau * 3 / wide.width), 0, 255).astype(
        np.uint8
    )
    look = Look(kind="blur", settings={"measured": "in pixels", "radius": 6})
    region = Region(name="r", parts=[cap(8, 0, 0)], outside=[look])
    shot = Shot(name="s", medium="m", start=0, first=0, last=9, sphere=Sphere(width=768, height=384), regions=[region])
    medium = Medium(Path("m"), _facts(wide))
    shown = ShotPictures((768, 384), lambda of: medium, MemoryResults(), Clips(lambda of: medium))
    out = shown.treated(shot, 0, picture).y.astype(float)  # type: ignore[arg-type]
    inner = out[20:-20]
    for steps in (np.diff(inner, axis=1), np.diff(inner, axis=0), np.diff(inner[:, [-1, 0]], axis=1)):
        assert np.abs(steps).max() < 6


@pytest.fixture(scope="module")
def turning(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A textured sphere that turns by 120 degrees and wobbles, 40 frames."""
    texture = cv2.resize(textured(600, 300, 7), (1200, 600), interpolation=cv2.INTER_CUBIC)
    # As fine near the poles as at the equator would be too fine: nothing is tracked there.
    wide = Wide(1200, 600)
    rays = directions_of_pixels(wide).reshape(-1, 3)
    pictures = []
    for frame in range(40):
        places = (wide.points(rays @ turned(frame)) - 0.5).astype(np.float32).reshape(600, 1200, 2)
        pictures.append(cv2.remap(texture, places, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP))
    return make_clip(tmp_path_factory.mktemp("sphere") / "turning.mp4", pictures)


def turned(frame: int) -> np.ndarray:
    """3x3: directions on the first frame to those on another one."""
    gone = frame / 39
    return turn_of(ViewDirection(yaw=-120 * gone, pitch=8 * math.sin(6 * gone), roll=12 * gone))


@pytest.mark.parametrize("model", ["similarity", "perspective"])
def test_an_area_is_tracked_across_the_seam_and_half_way_round(turning: Path, model: str) -> None:
    wide = Wide(1200, 600)
    view = ViewDirection(yaw=100, pitch=-10)
    area = Pose(x=300, y=300, rx=40, ry=40)
    motion = Motion(at=0, area=area, model=model, span=(0, 39), view=view)
    shot = Shot(
        name="s", medium="m", start=0, first=0, last=39, sphere=Sphere(width=1200, height=600), motions=[motion]
    )
    results = MemoryResults()
    medium = Medium(turning, probe(turning))
    lost = track(
        medium,
        shot,
        motion,
        (0, 39),
        results,
        lambda region, at: Matte(Box(0, 0, 0, 0), np.zeros((0, 0), np.float32)),
        lambda done, total: None,
    )
    assert lost is None
    camera = wide.camera(view)
    spots = np.array([[300, 300], [340, 300], [300, 260]])
    wrong = []
    for frame, sample in results.track(shot, motion).samples.items():
        found = np.linalg.solve(camera.matrix, sample.matrix @ np.column_stack([spots, np.ones(3)]).T).T
        wrong.append(np.degrees(angle(unit(found), camera.directions(spots) @ turned(frame).T)))
    assert len(wrong) == 40
    assert np.mean(wrong) < 0.15
    assert np.max(wrong) < 0.6


def test_what_rides_on_a_motion_round_a_sphere_takes_what_is_wanted_of_it() -> None:
    view = ViewDirection(yaw=100, pitch=-10)
    motion = Motion(at=0, area=Pose(x=300, y=300, rx=40, ry=40), span=(0, 39), view=view)
    sphere = Sphere(width=1200, height=600)
    camera = Wide(1200, 600).camera(view)
    random = np.random.default_rng(2)
    shaken = {frame: _by(random.normal(0, 0.6) if frame else 0) @ turned(frame) for frame in range(40)}
    carriers = {frame: camera.matrix @ turn @ np.linalg.inv(camera.matrix) for frame, turn in shaken.items()}
    known = Track(0, [Sample(frame, carriers[frame], 1.0) for frame in range(1, 40)])
    middle = camera.directions(np.array([[300.0, 300.0]]))

    def direction(of: Motion, frame: int) -> np.ndarray:
        matrix = sampled_around(of, known, frame, sphere, view)
        return unit(np.linalg.solve(camera.matrix, matrix @ (300, 300, 1)))

    for frame in (0, 20, 39):
        assert np.degrees(angle(direction(motion, frame), (middle @ shaken[frame].T)[0])) < 1e-3
        standing = motion.model_copy(update={"position": False})
        assert np.degrees(angle(direction(standing, frame), middle[0])) < 1e-3
    # It goes most of the way round, and trembles much less.
    steady = motion.model_copy(update={"steady": Steady(position=1.5)})
    smooth = [np.degrees(angle(direction(steady, frame), (middle @ turned(frame).T)[0])) for frame in range(5, 35)]
    rough = [np.degrees(angle((middle @ shaken[frame].T)[0], (middle @ turned(frame).T)[0])) for frame in range(5, 35)]
    assert np.mean(smooth) < 0.75 * np.mean(rough)


def _by(degrees: float) -> np.ndarray:
    return turn_of(ViewDirection(yaw=degrees, pitch=degrees / 2))


def titled(turning: Path, frame: int, place: Placing, motion: Motion | None = None, **more: object) -> np.ndarray:
    """Where a frame of a spherical film shows a title."""
    medium = Medium(turning, probe(turning))
    sphere = Sphere(width=1200, height=600)
    shot = Shot(name="s", medium="m", start=0, first=0, last=39, sphere=sphere, motions=[motion] if motion else [])
    words = Title(start=0, length=40, text="OSTRELLE", size=60, place=place, colour="#ff0000", **more)
    if motion:
        words.attached_to = Attachment(shot=shot.id, motion=motion.id)
    layers = [Layer(items=[shot]), Layer(items=[words])]
    media = [MediumRef(id="m", name="m")]
    film = Project(name="p", width=1200, height=600, rate=medium.facts.rate, layers=layers, media=media)
    plan = Plan(film, lambda of: medium, MemoryResults())
    try:
        assert plan.spherical
        return plan.frame(SequenceFrame(frame)).v > 190
    finally:
        plan.close()


def centre(mask: np.ndarray) -> np.ndarray:
    """The middle of what is covered, as a direction."""
    half = Wide(mask.shape[1], mask.shape[0])
    return unit((directions_of_pixels(half)[mask] * np.sqrt(1 - directions_of_pixels(half)[mask][:, 1:2] ** 2)).sum(0))


@pytest.mark.parametrize(("x", "y"), [(0, 0), (600, -20), (250, 210), (-400, -230)])
def test_a_title_lies_on_the_sphere_as_large_wherever_it_is_placed(turning: Path, x: int, y: int) -> None:
    mask = titled(turning, 0, Placing(x=x, y=y, rotation=20))
    ahead = titled(turning, 0, Placing(rotation=20))
    assert solid_angle(mask) == pytest.approx(solid_angle(ahead), rel=0.05)
    wanted = Wide(1200, 600).directions(np.array([[600.0 + x, 300.0 + y]]))[0]
    assert np.degrees(angle(centre(mask), wanted)) < 2


def test_a_title_goes_round_with_a_motion_of_the_sphere(turning: Path) -> None:
    view = ViewDirection(yaw=100, pitch=-10)
    camera = Wide(1200, 600).camera(view)
    given = [
        Given(frame=frame, matrix=(camera.matrix @ turned(frame) @ np.linalg.inv(camera.matrix)).ravel().tolist())
        for frame in (0, 39)
    ]
    motion = Motion(at=0, area=Pose(x=300, y=300, rx=40, ry=40), span=(0, 39), view=view, given=given)
    begins, ends = (titled(turning, frame, Placing(x=330, y=30), motion) for frame in (0, 39))
    assert np.degrees(angle(centre(ends), turned(39) @ centre(begins))) < 1
    assert solid_angle(ends) == pytest.approx(solid_angle(begins), rel=0.05)
