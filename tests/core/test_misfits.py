"""What does not fit is said in words, not in those of the library that found it."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from cravo.core.document import Motion, Project, Shot
from cravo.core.misfits import misfit
from cravo.core.recipes import Recipe

SHOT = {"name": "s", "medium": "m", "start": 0, "first": 0, "last": 9}
MOTION = {"name": "m", "at": 0, "area": [], "span": [0, 9]}


@pytest.mark.parametrize(
    ("model", "raw", "said"),
    [
        (Shot, {**SHOT, "first": "soon"}, "first must be a whole number"),
        (Shot, {**SHOT, "first": 1.5}, "first must be a whole number"),
        (Shot, {**SHOT, "first": -1}, "first must be at least 0"),
        (Shot, {**SHOT, "name": 3}, "name must be text"),
        (Shot, {**SHOT, "name": "x" * 500}, "name must have at most"),
        (Shot, {**SHOT, "place": []}, "place must be an object"),
        (Shot, {**SHOT, "regions": {}}, "regions must be a list"),
        (Shot, {**SHOT, "colour": 1}, "colour is nothing that Cravo knows"),
        (Shot, {"name": "s"}, "start is missing"),
        (Shot, {**SHOT, "speed": float("inf")}, "speed must be"),
        (Motion, {**MOTION, "model": "wobbly"}, "model must be one of position, similarity"),
        (Motion, {**MOTION, "span": [1]}, "span.1 is missing"),
        (Project, {"name": "p", "layers": [{"items": [{**SHOT, "kind": "shot", "mirrored": "perhaps"}]}]}, "mirrored must be true or false"),
        (Recipe, {"name": "r"}, "is missing"),
    ],
)  # fmt: skip
def test_it_is_said_where_and_what(model, raw, said):
    with pytest.raises(ValidationError) as raised:
        model.model_validate(raw)
    sentence = misfit(raised.value.errors()[0])
    assert said in sentence
    assert not any(word in sentence for word in ("Input", "should", "Value error", "{", "valid "))


def test_a_json_that_is_none_has_no_place():
    with pytest.raises(ValidationError) as raised:
        Shot.model_validate_json("{")
    assert misfit(raised.value.errors()[0]) == "is not JSON"
