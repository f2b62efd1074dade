"""JSON from elsewhere: depth and numbers are looked at before anything is parsed (RFC 8259)."""

import json

import pytest
from hypothesis import given
from hypothesis import strategies as some

from cravo.core.errors import BadDocument
from cravo.core.nesting import DEEPEST, check_json, parsed_json

values = some.recursive(
    some.none() | some.booleans() | some.floats(allow_nan=False, allow_infinity=False) | some.text(),
    lambda inner: some.lists(inner, max_size=3) | some.dictionaries(some.text(max_size=4), inner, max_size=3),
    max_leaves=20,
)


@given(values)
def test_what_is_json_comes_through_as_it_is(value):
    assert parsed_json(json.dumps(value)) == value


@pytest.mark.parametrize("depth", [DEEPEST + 1, 100_000, 3_000_000])
@pytest.mark.parametrize("way", ["[{}]", '{{"a":{}}}'])
def test_what_is_nested_too_deep_gets_a_sentence(depth, way):
    start, end = way.split("{}") if way == "[{}]" else ('{"a":', "}")
    with pytest.raises(BadDocument, match="levels deep"):
        check_json((start * depth + "1" + end * depth).encode())


def test_brackets_in_words_do_not_count():
    check_json(json.dumps({"a": "[" * 1000, 'b"': '\\"' + "{" * 1000}).encode())


@pytest.mark.parametrize("text", ["[NaN]", '{"a": -Infinity}'])
def test_what_is_no_number_is_said(text):
    with pytest.raises(BadDocument, match="not a number"):
        check_json(text.encode())
    check_json(json.dumps(text).encode())
