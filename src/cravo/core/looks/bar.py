"""A bar between two points of the region, along the eyes for instance; its edges are antialiased at every angle."""

import math

import numpy as np

from cravo.core.footage.colour import parsed
from cravo.core.footage.picture import Picture
from cravo.core.geometry.transforms import apply
from cravo.core.looks.kind import Kind, Site, Values, colour, number, share
from cravo.core.mattes.blend import covered


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    if site.place is None:
        return picture
    ends = np.array([[values["left"], values["left_height"]], [values["right"], values["right_height"]]]) / 100
    middle = ends.mean(0)
    (ax, ay), (bx, by), (mx, my), (tx, ty) = apply(
        site.place, np.vstack([ends, middle, (middle[0], middle[1] + values["thickness"] / 100)])
    )
    length = math.hypot(bx - ax, by - ay)
    if length < 1e-6:
        return picture
    along = (bx - ax) / length, (by - ay) / length
    # Half the height, at right angles to the bar.
    half = abs((tx - mx) * -along[1] + (ty - my) * along[0])
    x = (np.arange(picture.width, dtype=np.float32) + site.box.left + 0.5) * site.pixel - mx
    y = (np.arange(picture.height, dtype=np.float32)[:, None] + site.box.top + 0.5) * site.pixel - my
    beyond_ends = np.abs(x * along[0] + y * along[1]) - length / 2
    beyond_sides = np.abs(y * along[0] - x * along[1]) - half
    opacity = np.clip(0.5 - beyond_ends / site.pixel, 0, 1) * np.clip(0.5 - beyond_sides / site.pixel, 0, 1)
    codes = picture.colour.code_values(*parsed(values["colour"]), picture.depth)
    plain = picture.with_planes(*(np.full_like(plane, code) for plane, code in zip(picture.planes, codes, strict=True)))
    return covered(picture, plain, opacity.astype(np.float32))


LOOK = Kind(
    label="Bar",
    group="Hide",
    about="A bar between two points of the region, along the eyes for instance. It ends where the region ends.",
    apply=_apply,
    settings={
        "left": share("Left end X", -110, -300, 300),
        "left_height": share("Left end Y", -20, -300, 300),
        "right": share("Right end X", 110, -300, 300),
        "right_height": share("Right end Y", -20, -300, 300),
        "thickness": number("Thickness", 25, 1, 300, "%"),
        "colour": colour("Colour", "#101012"),
    },
)
