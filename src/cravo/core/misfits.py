"""What is wrong with data that does not fit, in words: Pydantic says it for whoever wrote a model."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

# By Pydantic's kinds of errors, https://docs.pydantic.dev/latest/errors/validation_errors/
SAID = {
    "missing": "is missing",
    "extra_forbidden": "is nothing that Cravo knows",
    "greater_than": "must be more than {gt}",
    "greater_than_equal": "must be at least {ge}",
    "less_than": "must be less than {lt}",
    "less_than_equal": "must be at most {le}",
    "multiple_of": "must be a multiple of {multiple_of}",
    "finite_number": "must be a number that is not endless",
    "too_short": "must have at least {min_length} entries",
    "too_long": "must have at most {max_length} entries",
    "string_too_short": "must have at least {min_length} letters",
    "string_too_long": "must have at most {max_length} letters",
    "string_pattern_mismatch": "is not written as it must be",
    "string_unicode": "holds a character that cannot be kept",
    "literal_error": "must be one of {expected}",
    "enum": "must be one of {expected}",
    "union_tag_invalid": "must be of one of these kinds: {expected_tags}",
    "union_tag_not_found": "does not say of what kind it is",
    "json_invalid": "is not JSON",
    "value_error": "is not possible: {error}",
}
TYPES = {
    "int": "must be a whole number",
    "float": "must be a number",
    "decimal": "must be a number",
    "string": "must be text",
    "bool": "must be true or false",
    "list": "must be a list",
    "tuple": "must be a list",
    "set": "must be a list",
    "dict": "must be an object",
    "model": "must be an object",
    "uuid": "must be an identifier",
    "bytes": "must be text",
}  # fmt: skip


def misfit(error: Mapping[str, Any], skip: int = 0) -> str:
    """One of the errors of a `ValidationError` as the end of a sentence: where it is, and what is wrong.

    Parameters
    ----------
    error
        As `ValidationError.errors()` gives it.
    skip
        Steps at the beginning of its place that are not said.
    """
    kind, context = error["type"], error.get("ctx", {})
    wrong = SAID.get(kind) or TYPES.get(kind.split("_")[0], "does not fit")
    place = ".".join(str(step) for step in error["loc"][skip:])
    said = wrong.format_map({name: str(value).replace("'", "") for name, value in context.items()})
    return f"{place} {said}" if place else said
