"""What became of a document as a JSON Patch (RFC 6902), found by comparing: what is equal is passed over as a whole."""

from __future__ import annotations

from typing import Any

Patch = list[dict[str, Any]]


def difference(before: Any, after: Any, path: str = "") -> Patch:
    """The patch that makes one plain document of another.

    Parameters
    ----------
    before, after
        Of dicts, lists, and what JSON knows beside.
    path
        The JSON Pointer (RFC 6901) of both.
    """
    if before == after:
        return []
    if isinstance(before, dict) and isinstance(after, dict):
        return _of_dicts(before, after, path)
    if isinstance(before, list) and isinstance(after, list):
        return _of_lists(before, after, path)
    return [{"op": "replace", "path": path, "value": after}]


def _of_dicts(before: dict[str, Any], after: dict[str, Any], path: str) -> Patch:
    patch: Patch = [{"op": "remove", "path": f"{path}/{_escaped(key)}"} for key in before if key not in after]
    for key, value in after.items():
        at = f"{path}/{_escaped(key)}"
        patch += difference(before[key], value, at) if key in before else [{"op": "add", "path": at, "value": value}]
    return patch


def _of_lists(before: list[Any], after: list[Any], path: str) -> Patch:
    """What is the same at both ends stays; what lies between is changed place by place, then taken away or put in."""
    shorter = min(len(before), len(after))
    first = next((i for i in range(shorter) if before[i] != after[i]), shorter)
    same = next((i for i in range(shorter - first) if before[-1 - i] != after[-1 - i]), shorter - first)
    if len(before) == len(after):
        same = 0  # nothing has moved: places keep their numbers
    stop, until = len(before) - same, len(after) - same
    both = min(stop, until)
    patch = [step for i in range(first, both) for step in difference(before[i], after[i], f"{path}/{i}")]
    patch += [{"op": "remove", "path": f"{path}/{i}"} for i in range(stop - 1, both - 1, -1)]
    patch += [{"op": "add", "path": f"{path}/{i}", "value": after[i]} for i in range(both, until)]
    return patch


def _escaped(key: str) -> str:
    return key.replace("~", "~0").replace("/", "~1")
