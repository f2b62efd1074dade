"""How deep JSON is nested, told without parsing it: parsers recurse, and run out of stack on what is very deep."""

from __future__ import annotations

import json
import re
from typing import Any

import numpy as np

from cravo.core.errors import BadDocument

DEEPEST = 64
CHUNK = 1 << 20  # brackets looked at together
_ESCAPED = re.compile(rb"\\.", re.DOTALL)
_STRINGS = re.compile(rb'"[^"]*"')
_NO_NUMBER = re.compile(rb"NaN|Infinity")
_OTHERS = bytes(set(range(256)) - set(b"[]{}"))


def check_json(text: bytes) -> None:
    """Raises BadDocument for JSON that is nested too deep, or holds what is no number; RFC 8259 knows no NaN."""
    bare = _STRINGS.sub(b"", _ESCAPED.sub(b"", text))
    if _NO_NUMBER.search(bare):
        raise BadDocument("This contains something that is not a number (NaN or Infinity).")
    brackets = np.frombuffer(bare.translate(None, _OTHERS), np.uint8)
    level = 0
    for start in range(0, len(brackets), CHUNK):
        chunk = brackets[start : start + CHUNK]
        levels = level + np.cumsum(np.where((chunk == ord("[")) | (chunk == ord("{")), 1, -1))
        if int(levels.max()) > DEEPEST:
            raise BadDocument(f"This is nested more than {DEEPEST} levels deep.")
        level = int(levels[-1])


def parsed_json(text: str | bytes) -> Any:
    """JSON that was checked first. Raises BadDocument as `check_json` does, ValueError where it is none."""
    check_json(text.encode(errors="replace") if isinstance(text, str) else text)
    return json.loads(text)
