"""What every part of the edit document is made of."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Callable
from fractions import Fraction
from typing import Annotated, Any
from uuid import uuid4

from pydantic import BaseModel, BeforeValidator, Field, PlainSerializer


def new_id() -> str:
    return uuid4().hex[:12]


def _rate(value: Any) -> Fraction:
    try:
        rate = Fraction(value)
    except (TypeError, ZeroDivisionError, ValueError) as error:
        raise ValueError("a frame rate is a fraction such as 30000/1001") from error
    if not 1 <= rate <= 1000:
        raise ValueError("a frame rate lies between 1 and 1000")
    return rate


Rate = Annotated[
    Fraction,
    BeforeValidator(_rate),
    PlainSerializer(lambda rate: f"{rate.numerator}/{rate.denominator}", return_type=str),
    Field(json_schema_extra={"type": "string"}),
]


FARTHEST = 10_000_000  # frames: more than a clip or a project may have
Frame = Annotated[int, Field(ge=0, le=FARTHEST)]
AnyFrame = Annotated[int, Field(ge=-FARTHEST, le=FARTHEST)]  # of what may begin before its clip
Span = tuple[AnyFrame, AnyFrame]
Name = Annotated[str, Field(max_length=400)]
Row = Annotated[list[float], Field(min_length=3, max_length=3)]


def digest(*parts: Any) -> str:
    """A short name for a result, made of exactly the settings that affect it."""
    plain: Callable[[Any], Any] = lambda part: (  # noqa: E731
        part.model_dump(mode="json") if isinstance(part, BaseModel) else str(part)
    )
    text = json.dumps(parts, default=plain, sort_keys=True, separators=(",", ":"))
    return hashlib.sha256(text.encode()).hexdigest()[:32]
