"""Sharpened by what a blur would take away (unsharp masking), in luma only."""

import numpy as np

from cravo.core.footage.picture import Picture
from cravo.core.footage.planes import rounded
from cravo.core.looks.blur import REACH, gaussian
from cravo.core.looks.kind import Kind, Site, Values, number


def _apply(picture: Picture, values: Values, site: Site) -> Picture:
    luma = picture.y.astype(np.float32)
    detail = luma - gaussian(luma, max(values["radius"] / site.pixel, 0.3))
    threshold = values["threshold"] * (1 << (picture.depth - 8))
    # What is finer than the threshold is grain; above it the whole of it counts, with a soft start.
    size = np.abs(detail)
    share = np.clip((size - threshold) / max(threshold, 1.0), 0, 1) if threshold else 1.0
    return picture.with_planes(rounded(luma + detail * share * (values["amount"] / 100), picture), picture.u, picture.v)


LOOK = Kind(
    label="Sharpen",
    group="Detail",
    about="Edges and detail stand out more.",
    apply=_apply,
    settings={
        "amount": number("Amount", 80, 0, 500, "%"),
        "radius": number("Radius", 1.5, 0.3, 40, "px", 0.1),
        "threshold": number("Threshold", 2, 0, 50, "codes", 0.5),
    },
    reach=lambda values, site: REACH * values["radius"] + 2,
)
