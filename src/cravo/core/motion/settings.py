"""What the tracking of an area goes by."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class TrackingSettings:
    """Sizes and thresholds of `RegionTracker`.

    Shares, agreements and confidences are 0..1. A *view* is an earlier look at the area, in working pixels.
    """

    # How an area is looked at.
    work_area: float = 46_000.0
    """Pixels of an area as it is worked on, at most."""
    patch: tuple[int, int] = (7, 7)
    """Pixels over which two views are compared, at half the working size."""
    telling: float = 40.0
    """Variance of a patch (grey values squared), from which on it can be told whether it looks the same."""
    views_kept: int = 4
    """Views that are kept: the first one, the earlier one compared with, the last two."""
    view_every: int = 6
    """Frames between the earlier views to compare with."""
    held_from: int = 25
    """Of 255, from which on a hold-out counts."""

    # Points from frame to frame.
    most_points: int = 240
    """Points that are tracked at once."""
    least_points: int = 8
    """Points without which there is no answer."""
    enough_points: int = 14
    """Points; fewer carry a position but no scale or turn."""
    flow_window: tuple[int, int] = (17, 17)
    """Working pixels over which a point is matched."""
    back_error: float = 0.7
    """Working pixels by which matching back may miss its start."""
    search_side: float = 64.0
    """Longest side of the area where it is searched for as a whole, in pixels."""
    search_width: int = 1200
    """Pixels of a picture that is searched for features at its own size."""

    # What an answer is worth.
    lost_below: float = 0.22
    """Confidence below which the area is not where the points lead."""
    sure: float = 0.5
    """Confidence below which a second, wider search is made."""
    unsure: float = 0.4
    """Confidence at most where it may be something else that is tracked."""
    least_told: float = 0.1
    """Share of a view's texture that must be visible, else the area counts as hidden."""
    drifted_below: float = 0.4
    """Share of the first view that agrees, below which the area is looked for around its place."""
    known_from: float = 0.6
    """Share of an earlier view that agrees, below which it may be something else that is tracked."""
    hidden_below: float = 0.15
    """Share of every earlier view that agrees, below which something else is in front."""
    found_from: float = 0.5
    """Share that must agree where the area is found again."""
    alike_from: float = 0.66
    """Correlation with how it looked a moment ago, both blurred, from which on it is still the same."""
    blurred_by: int = 16
    """The part of its size by which both are blurred for that."""
    stride: float = 0.15
    """Of the area's size, by which a guess may be wrong for the area to be laid on from there."""

    # Where the area is hidden.
    unclear: int = 4
    """Frames for which it may be unclear what is tracked, before the area is looked for."""
    lately: int = 8
    """Frames over which its way is taken when it is hidden."""
    patience: int = 25
    """Frames on which a hidden area is looked for one by one; from there on every third one is looked at."""
    lasting: int = 75
    """Frames after which it is given up."""


TRACKING = TrackingSettings()
