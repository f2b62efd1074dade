"""Saved projects of earlier formats, brought to the present one."""

from __future__ import annotations

from typing import Any

VERSION = 2  # of the project format


def upgraded(raw: dict[str, Any]) -> dict[str, Any]:
    """Plain data of an earlier format as they would be written today; those of a format that is not known as they are."""
    if raw.get("cravo") == 1:
        raw = {**_renamed(raw, "rides_on", "attached_to"), "cravo": 2}
    return raw


def _renamed(value: Any, old: str, new: str) -> Any:
    """The same data with another name of a field, wherever it stands."""
    if isinstance(value, dict):
        return {new if name == old else name: _renamed(one, old, new) for name, one in value.items()}
    if isinstance(value, list):
        return [_renamed(one, old, new) for one in value]
    return value
