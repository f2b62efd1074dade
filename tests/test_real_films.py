"""Films that are laid together: what is said of each layer is what is seen of it."""

from dataclasses import replace

import numpy as np
from bench.real.film import Film, Layer, along
from bench.real.pictures import Cutting, to_light, to_pixels

from cravo.core.geometry.transforms import apply

RED, BLUE = (0.8, 0.0, 0.0), (0.0, 0.0, 0.6)
STILL = {"frames": 20, "size": (160, 90), "shake": 0.0, "grain": 0.0, "drift": 0.0}


def plain(width: int, height: int, colour: tuple[float, float, float], opacity: float = 1.0) -> Cutting:
    light = np.tile(np.array(colour, np.float32), (height, width, 1))
    return Cutting(light, np.full((height, width), opacity, np.float32))


def film(*layers: Layer, **how) -> Film:
    ground = plain(160, 90, (0.1, 0.1, 0.1))
    return Film("film", [Layer("ground", ground, lambda at: np.eye(3)), *layers], **(STILL | how))


def test_what_is_hidden_is_not_seen_and_what_shows_through_is_shared():
    square = plain(40, 40, RED)
    veil = plain(20, 90, BLUE, 0.25)
    behind = Layer("square", square, along(square, (0, 80, 45, 1, 0)))
    before = Layer("veil", veil, along(veil, (0, 80, 45, 1, 0)))
    rgb, mattes = film(behind, before).taken(3)
    assert mattes["square"][45, 65] == 255
    assert mattes["square"][45, 80] == round(0.75 * 255)
    assert mattes["veil"][45, 80] == round(0.25 * 255)
    assert mattes["square"][10, 80] == 0
    shared = 0.75 * np.array(RED, np.float32) + 0.25 * np.array(BLUE, np.float32)
    assert np.abs(rgb[45, 80].astype(int) - to_pixels(shared)).max() <= 1


def test_what_moves_is_blurred_as_far_as_it_goes_while_the_shutter_is_open():
    square = plain(40, 40, RED)
    moves = Layer("square", square, along(square, (0, 30, 45, 1, 0), (20, 130, 45, 1, 0)))
    sharp, blurred = (film(moves, shutter=share).taken(10)[1]["square"][45] for share in (0.0, 0.9))
    width = [np.count_nonzero((one > 5) & (one < 250)) for one in (sharp, blurred)]
    assert width[0] <= 4
    assert width[1] > width[0] + 6
    assert abs(int(sharp.sum()) - int(blurred.sum())) < 0.01 * sharp.sum()


def test_places_are_where_the_matrices_say_also_from_a_shaking_hand():
    square = plain(10, 10, RED)
    one = film(Layer("square", square, along(square, (0, 60, 30, 1, 0), (20, 100, 60, 2, 30))), shake=4.0, shutter=0.0)
    for frame in (0, 7, 19):
        matte = one.taken(frame)[1]["square"].astype(float)
        rows, columns = np.indices(matte.shape)
        middle = np.array([(columns * matte).sum(), (rows * matte).sum()]) / matte.sum() + 0.5
        (said,) = apply(one.matrix("square", frame), np.array([[5.0, 5.0]]))
        assert np.abs(middle - said).max() < 0.6


def test_a_frame_is_the_same_whenever_it_is_taken_and_grain_is_another_on_each():
    grainy = replace(film(), grain=0.02)
    assert np.array_equal(grainy.taken(4)[0], grainy.taken(4)[0])
    assert not np.array_equal(grainy.taken(4)[0], grainy.taken(5)[0])


def test_light_comes_back_as_it_was_coded():
    codes = np.arange(256, dtype=np.uint8)
    assert np.array_equal(to_pixels(to_light(codes)), codes)
