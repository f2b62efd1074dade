"""What filling is made of: patches, the choice among frames, shadows, light, a painted plate."""

import cv2
import numpy as np
import pytest
from skimage.metrics import peak_signal_noise_ratio
from tests.footage import textured

from cravo.core.errors import BadDocument
from cravo.core.fill.exemplar import continued
from cravo.core.fill.fuse import fused
from cravo.core.fill.grown import grown
from cravo.core.fill.light import grained, matched, spread
from cravo.core.fill.plate import INVENTED, SEEN, UNKNOWN, Plate
from cravo.core.fill.relight import relit
from cravo.core.fill.repaint import plate_picture, repainted
from cravo.core.fill.settle import rest
from cravo.core.fill.shadow import shadow
from cravo.core.footage.colour import Colour
from cravo.core.footage.picture import Box, Picture


def hole_in(height, width, box):
    hole = np.zeros((height, width), bool)
    hole[box.top : box.bottom, box.left : box.right] = True
    return hole


def test_grown_is_as_the_dilation_with_a_disc():
    mask = np.zeros((60, 80), np.uint8)
    mask[20:30, 40] = 1
    for radius in (1, 3, 7):
        disc = (np.hypot(*np.mgrid[-9:10, -9:10]) <= radius).astype(np.uint8)
        # The distance is counted in steps (Borgefors 1986): a pixel at the rim may fall to either side.
        apart = np.count_nonzero(grown(mask, radius) != (cv2.dilate(mask, disc) > 0))
        assert apart <= 8


def test_stripes_are_continued_through_a_hole():
    x = np.arange(160)
    picture = np.repeat(np.where(x // 8 % 2, 200, 60).astype(np.uint8)[None], 120, 0)[..., None].repeat(3, 2)
    hole = hole_in(120, 160, Box(50, 40, 90, 80))
    broken = picture.copy()
    broken[hole] = 128
    made = continued(broken, hole, ~hole)
    assert np.abs(made.astype(int) - picture)[hole].mean() < 6
    # Telea's method, which knows no patches, blurs them.
    blurred = cv2.inpaint(broken, hole.astype(np.uint8), 5, cv2.INPAINT_TELEA)
    assert np.abs(blurred.astype(int) - picture)[hole].mean() > 20


def test_nothing_to_copy_leaves_the_picture_as_it_is():
    picture = textured(40, 40)
    assert np.array_equal(continued(picture, np.ones((40, 40), bool), np.zeros((40, 40), bool)), picture)


def test_the_choice_leaves_out_what_only_one_frame_shows():
    ground = textured(160, 120, seed=4)
    noisy = np.random.default_rng(1)
    frames = [np.clip(ground + noisy.normal(0, 3, ground.shape), 0, 255).astype(np.uint8) for _ in range(6)]
    frames[0][30:90, 40:100] = 20  # somebody passes on the one that is preferred
    shows = [np.ones((120, 160), bool) for _ in frames]
    shows[1][:, 80:] = False
    made = fused(np.stack(frames), np.stack(shows))
    assert made.known.all()
    assert peak_signal_noise_ratio(ground, made.values) > peak_signal_noise_ratio(ground, frames[3]) + 2
    assert made.spread[60, 70] > 0.1
    assert made.spread[5, 5] == 0


def test_a_place_that_no_frame_shows_is_not_known():
    frames, shows = [textured(64, 64)] * 2, [np.ones((64, 64), bool)] * 2
    shows = [one.copy() for one in shows]
    for one in shows:
        one[20:30, 20:30] = False
    made = fused(np.stack(frames), np.stack(shows))
    assert not made.known[20:30, 20:30].any()
    assert made.known[0, 0]


def test_what_is_left_of_a_movement_is_found_and_carried_on():
    ground = textured(320, 240, seed=6)[..., 0]
    one, other = ground[20:220, 20:300], ground[20:220, 22:302]
    both = ~hole_in(200, 280, Box(110, 60, 170, 140))
    moved = rest(np.ascontiguousarray(one), np.ascontiguousarray(other), both)
    assert moved is not None
    assert moved[100, 140] == pytest.approx((-2, 0), abs=0.5)  # in the middle of the hole
    assert rest(np.ascontiguousarray(one), np.ascontiguousarray(one), both) is None


def test_a_shadow_is_found_and_a_thing_as_dark_is_not():
    ground = textured(240, 180, seed=2)
    behind = np.dstack([ground[..., 0] // 2 + 90, np.full((180, 240), 120), np.full((180, 240), 134)]).astype(np.uint8)
    hole = hole_in(180, 240, Box(100, 40, 140, 100))
    soft = cv2.GaussianBlur(hole_in(180, 240, Box(100, 100, 170, 130)).astype(np.float32), (0, 0), 4)
    frame = behind.copy()
    frame[..., 0] = np.rint((behind[..., 0] - 16.0) * (1 - 0.45 * soft) + 16)
    frame[60:90, 150:170] = (70, 90, 160)  # darker, but of another colour, and not next to it
    frame[hole] = 200
    found = shadow(frame, behind, hole, np.ones_like(hole))
    assert found[soft > 0.6].mean() > 0.95
    assert not found[60:90, 155:165].any()
    assert not found[:, :60].any()
    assert not shadow(np.where(hole[..., None], 200, behind).astype(np.uint8), behind, hole, np.ones_like(hole)).any()


def test_a_shadow_is_given_its_light_back():
    ground = textured(320, 200, seed=9)
    lit = np.dstack([ground[..., 0] // 2 + 90, np.full((200, 320), 122), np.full((200, 320), 131)]).astype(np.uint8)
    hard = np.zeros((200, 320), np.float32)
    cv2.fillConvexPoly(hard, np.array([(20, 150), (20, 170), (300, 60), (300, 40)]), 1.0)
    soft = cv2.GaussianBlur(hard, (0, 0), 3)
    light = (1 - 0.5 * soft)[..., None]
    zero = np.array([16, 128, 128])
    shaded = np.rint((lit - zero) * light + zero).astype(np.uint8)
    where = soft > 0.01
    made = relit(shaded, where, ~where)
    wrong = [np.abs(one[..., 0].astype(float) - lit[..., 0])[soft > 0.5].mean() for one in (shaded, made)]
    assert wrong[1] < wrong[0] / 6
    assert np.array_equal(made[~where], shaded[~where])
    assert np.abs(made.astype(int) - lit)[where][:, 1:].max() <= 2


def test_where_nothing_is_lit_nothing_is_changed():
    ground = textured(60, 60)
    assert np.array_equal(relit(ground, np.ones((60, 60), bool), np.zeros((60, 60), bool)), ground)


def picture(y, u=128, v=128):
    small = y.shape[0] // 2, y.shape[1] // 2
    return Picture(y, np.full(small, u, np.uint8), np.full(small, v, np.uint8), 8, (1, 1), Colour())


def test_light_is_matched_along_the_border():
    ground = textured(160, 120, seed=5)[..., 0] // 2 + 60
    brighter = np.clip(ground + np.linspace(5, 25, 160), 0, 255).astype(np.uint8)
    covers = hole_in(120, 160, Box(60, 40, 100, 80)).astype(np.float32)
    made = matched(
        picture(ground.astype(np.uint8)), picture(np.where(covers > 0, 0, brighter).astype(np.uint8)), covers, 1.0
    )
    assert np.abs(made.y.astype(int) - brighter)[covers > 0].mean() < 2
    assert spread(np.full((40, 40), 7.0, np.float32), np.ones((40, 40), np.float32)) == pytest.approx(7.0, abs=1e-3)


def test_grain_is_as_strong_as_around_the_hole():
    ground = np.full((200, 200), 120, np.uint8)
    noisy = np.clip(ground + np.random.default_rng(3).normal(0, 4, ground.shape), 0, 255).astype(np.uint8)
    covers = hole_in(200, 200, Box(70, 70, 130, 130)).astype(np.float32)
    made = grained(picture(ground), picture(noisy), covers, 4, 1.0)
    assert made.y[covers > 0].std() == pytest.approx(4, rel=0.35)
    assert np.array_equal(grained(picture(ground), picture(ground), covers, 4, 1.0).y, ground)


def a_plate():
    values = np.random.default_rng(5).integers(60, 190, (50, 70, 3)).astype(np.uint8)
    values[..., 1:] = 128
    kinds = np.full((50, 70), SEEN, np.uint8)
    kinds[:10] = UNKNOWN
    return Plate(0, 9, 4, Box(0, 0, 70, 50), values, kinds, np.zeros((50, 70), np.uint8), {4: 1})


def test_a_plate_goes_out_as_a_picture_and_comes_back(tmp_path):
    plate = a_plate()
    path = tmp_path / "plate.png"
    path.write_bytes(plate_picture(plate, Colour()))
    back = repainted(path, Colour())(plate)
    known = plate.kinds == SEEN
    assert np.abs(back.values.astype(int) - plate.values)[known].max() <= 1
    assert np.array_equal(back.kinds, plate.kinds)

    painted = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    painted[:20, :20] = (0, 0, 65535, 65535)  # red, where nothing was known, too
    cv2.imwrite(str(path), painted)
    again = repainted(path, Colour())(plate)
    assert again.values[5, 5, 2] > 200
    assert again.kinds[5, 5] == INVENTED
    assert np.array_equal(again.values[30:], back.values[30:])


def test_a_picture_of_another_size_is_not_used_and_no_picture_is_refused(tmp_path):
    plate, path = a_plate(), tmp_path / "other.png"
    cv2.imwrite(str(path), np.zeros((9, 9, 3), np.uint8))
    assert repainted(path, Colour())(plate) is plate
    path.write_text("no picture")
    with pytest.raises(BadDocument):
        repainted(path, Colour())(plate)
