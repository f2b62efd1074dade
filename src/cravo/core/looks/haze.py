"""Haze reduction by the darkest channel around each pixel (He, Sun, Tang 2009, *Single image haze removal*).

The colour of the haze is set, not estimated: an estimate that changes from frame to frame flickers.
"""

import cv2
import numpy as np

from cravo.core.footage.colour import parsed
from cravo.core.footage.picture import Picture
from cravo.core.footage.planes import darkest, rgb_of, rounded
from cravo.core.looks.kind import Kind, Site, Values, colour, number, share

THINNEST = 0.2  # of what is left of the scene's own light, so that noise is not blown up without end


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    haze = np.array(parsed(values["haze"]), np.float32)
    rgb = rgb_of(picture)
    size = max(round(values["window"] / site.pixel), 1)
    dark = cv2.erode(darkest((rgb / np.maximum(haze, 0.05)).astype(np.float32)), np.ones((2 * size + 1,) * 2, np.uint8))
    guide = picture.y.astype(np.float32) / ((1 << picture.depth) - 1)
    thin = 1 - values["amount"] / 100 * np.clip(dark, 0, 1)
    thin = cv2.ximgproc.guidedFilter(guide, thin, 2 * size, 1e-3)
    thin = np.clip(thin, THINNEST, 1).astype(np.float32)
    # The light of the haze goes away and what is left becomes stronger; all that is linear, so it is done to the planes.
    codes = picture.colour.as_codes((haze @ picture.colour.to_luma_chroma.T)[None], picture.depth)[0]
    rows, columns = picture.u.shape
    small = cv2.resize(thin, (columns, rows), interpolation=cv2.INTER_AREA)
    planes = [
        rounded((plane - code) / share + code, picture)
        for plane, code, share in zip(picture.planes, codes, (thin, small, small), strict=True)
    ]
    return picture.with_planes(*planes)


LOOK = Kind(
    label="Haze reduction",
    group="Detail",
    about="Clears distance and backlight.",
    apply=_apply,
    settings={
        "amount": share("Amount", 60, 0),
        "haze": colour("Colour of the haze", "#e6ebf0"),
        "window": number("Window", 8, 2, 40, "px"),
    },
    reach=lambda values, site: 6 * values["window"] + 4,
)
