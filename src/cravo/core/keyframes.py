"""Values that change over time: plain numbers, and whole outlines."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Any, Literal, Protocol, TypeVar, cast

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, model_validator

# How a value goes on from a key to the next one. Smooth never leaves the range of the two.
MOST_POINTS = 5000  # of an outline
Ease = Literal["linear", "smooth", "hold"]


class Plain(BaseModel):
    """Everything in a document refuses what it does not know, and what is no number."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)


class Key(Plain):
    """The value a number has at one source frame."""

    frame: Annotated[int, Field(ge=-10_000_000, le=10_000_000)]
    value: float
    ease: Ease = "linear"

    def vector(self) -> NDArray[np.float64]:
        return np.array([self.value])


class Keyed(Plain):
    """A number that changes over time; at least one key, ascending by frame."""

    keys: list[Key] = Field(min_length=1, max_length=50_000)


Number = float | Keyed


class Point(Plain):
    """A point of an outline with its handles, relative to it; a handle of (0, 0) makes a straight side."""

    x: float
    y: float
    before: tuple[float, float] = (0.0, 0.0)
    after: tuple[float, float] = (0.0, 0.0)


class OutlineKey(Plain):
    """The points of an outline at one source frame."""

    frame: Annotated[int, Field(ge=-10_000_000, le=10_000_000)]
    points: list[Point] = Field(min_length=3, max_length=MOST_POINTS)
    ease: Ease = "linear"

    def vector(self) -> NDArray[np.float64]:
        return as_array(self.points).ravel()


class KeyedOutline(Plain):
    """An outline that changes over time. Its keys have equally many points, so that each knows its way."""

    keys: list[OutlineKey] = Field(min_length=1, max_length=20_000)

    @model_validator(mode="after")
    def _matched(self) -> KeyedOutline:
        if len({len(key.points) for key in self.keys}) > 1:
            raise ValueError("the keys of an outline must have equally many points")
        return self


T = TypeVar("T")
Outline = Annotated[list[Point], Field(max_length=MOST_POINTS)] | KeyedOutline


class _AnyKey(Protocol):
    frame: Annotated[int, Field(ge=-10_000_000, le=10_000_000)]
    ease: Ease

    def vector(self) -> NDArray[np.float64]: ...


def value_at(number: Number, frame: int) -> float:
    """The value at a frame: between keys as their ease says, held before the first and after the last."""
    if not isinstance(number, Keyed):
        return number
    if len(number.keys) == 1:
        return number.keys[0].value
    return float(_between(number.keys, frame)[0])


def outline_at(outline: Outline, frame: int) -> NDArray[np.float64]:
    """Points at a frame, (n, 6): x, y, handle before, handle after."""
    if isinstance(outline, KeyedOutline):
        return _between(outline.keys, frame).reshape(-1, 6)
    return as_array(outline)


def with_key(number: Number, frame: int, value: float) -> Keyed:
    """The number with one key set or replaced; a replaced one keeps its ease."""
    keys = list(number.keys) if isinstance(number, Keyed) else []
    ease = next((key.ease for key in keys if key.frame == frame), "linear")
    others = [key for key in keys if key.frame != frame]
    return Keyed(keys=sorted([*others, Key(frame=frame, value=value, ease=ease)], key=lambda key: key.frame))


def with_outline(outline: Outline, frame: int, points: list[Point]) -> KeyedOutline:
    """The outline with one key set or replaced."""
    keys = list(outline.keys) if isinstance(outline, KeyedOutline) else []
    ease = next((key.ease for key in keys if key.frame == frame), "linear")
    others = [key for key in keys if key.frame != frame]
    fresh = OutlineKey(frame=frame, points=points, ease=ease)
    return KeyedOutline(keys=sorted([*others, fresh], key=lambda key: key.frame))


def shifted(number: Number, by: int) -> Number:
    """The number with all its keys so many frames later."""
    if not isinstance(number, Keyed):
        return number
    return Keyed(keys=[key.model_copy(update={"frame": key.frame + by}) for key in number.keys])


def changed(number: Number, to: Callable[[float], float]) -> Number:
    """The number with its value, or the value of each of its keys, changed."""
    if not isinstance(number, Keyed):
        return to(number)
    return Keyed(keys=[key.model_copy(update={"value": to(key.value)}) for key in number.keys])


def frames_of(*values: Any) -> list[int]:
    """The frames on which any of the values has a key, ascending."""
    keyed = (value for value in values if isinstance(value, Keyed | KeyedOutline))
    return sorted({key.frame for value in keyed for key in value.keys})


def without_key(value: T, frame: int) -> T:
    """The value without its key on a frame; the last key stays."""
    if isinstance(value, Keyed | KeyedOutline):
        keys = [key for key in value.keys if key.frame != frame]
        return cast(T, value.model_copy(update={"keys": keys}) if keys else value)
    return value


def as_array(points: Sequence[Point]) -> NDArray[np.float64]:
    return np.array([[p.x, p.y, *p.before, *p.after] for p in points])


def as_points(array: NDArray[np.float64]) -> list[Point]:
    return [Point(x=x, y=y, before=(bx, by), after=(ax, ay)) for x, y, bx, by, ax, ay in array.tolist()]


def _between(keys: Sequence[_AnyKey], frame: int) -> NDArray[np.float64]:
    if frame <= keys[0].frame:
        return keys[0].vector()
    after = next((i for i, key in enumerate(keys) if frame < key.frame), None)
    if after is None:
        return keys[-1].vector()
    start, end = keys[after - 1], keys[after]
    if start.ease == "hold":
        return start.vector()
    length = end.frame - start.frame
    share = (frame - start.frame) / length
    a, b = start.vector(), end.vector()
    if start.ease == "linear":
        return a + share * (b - a)
    ma, mb = _slope(keys, after - 1) * length, _slope(keys, after) * length
    # The cubic of Hermite on 0..1.
    return (
        a * (1 + 2 * share) * (1 - share) ** 2
        + ma * share * (1 - share) ** 2
        + b * share**2 * (3 - 2 * share)
        + mb * share**2 * (share - 1)
    )


def _slope(keys: Sequence[_AnyKey], at: int) -> NDArray[np.float64]:
    """Change for each frame at a key so that the curve is monotone between keys (Fritsch, Butland 1984)."""
    if at in (0, len(keys) - 1):
        return np.zeros_like(keys[at].vector())
    before, here, after = keys[at - 1 : at + 2]
    left = (here.vector() - before.vector()) / (here.frame - before.frame)
    right = (after.vector() - here.vector()) / (after.frame - here.frame)
    product = left * right
    return np.where(product > 0, 2 * product / np.where(product > 0, left + right, 1), 0.0)


def scaled(number: Number, factor: float) -> Number:
    """A number, keyed or not, times a factor."""
    if isinstance(number, Keyed):
        return Keyed(keys=[key.model_copy(update={"value": key.value * factor}) for key in number.keys])
    return number * factor
