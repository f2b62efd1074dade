"""The treatments. Each module here that defines a `LOOK` is one; its file name is its name everywhere.

Adding a treatment means adding a module: the registry finds it, and the project format, the API
and the card take its settings from it.
"""

from __future__ import annotations

import pkgutil
from functools import cache
from importlib import import_module

import numpy as np

from cravo.core.document import Look
from cravo.core.errors import BadDocument
from cravo.core.grading.curves import APART
from cravo.core.keyframes import Keyed, KeyedOutline, outline_at, value_at
from cravo.core.looks.kind import Kind, Setting, Values


@cache
def kinds() -> dict[str, Kind]:
    """Every treatment by name."""
    found = {}
    for module in pkgutil.iter_modules(__path__):
        look = getattr(import_module(f"{__name__}.{module.name}"), "LOOK", None)
        if look is not None:
            found[module.name] = look
    return found


def kind_of(look: Look) -> Kind:
    try:
        return kinds()[look.kind]
    except KeyError:
        raise BadDocument(f"This Cravo has no look called {look.kind}.") from None


def values_at(look: Look, frame: int) -> Values:
    """The settings of a look at a frame, defaults filled in and kept within their ranges."""
    values: Values = {}
    for name, setting in kind_of(look).settings.items():
        given = look.settings.get(name, setting.default)
        if isinstance(given, str):
            values[name] = given
        elif isinstance(given, int | float | Keyed):
            values[name] = setting.clamped(value_at(given, frame))
        else:
            points = np.array(setting.default) if given is setting.default else outline_at(given, frame)[:, :2]  # type: ignore[arg-type]
            values[name] = points[np.argsort(points[:, 0], kind="stable")]
    return values


def check(look: Look) -> None:
    """Raise BadDocument where a look's settings are not its kind's."""
    settings = kind_of(look).settings
    for name, value in look.settings.items():
        if name not in settings:
            raise BadDocument(f"The look {look.kind} has no setting {name}.")
        wanted = settings[name]
        if not isinstance(value, _form(wanted)):
            raise BadDocument(f"The setting {name} of {look.kind} has the wrong type.")
        if isinstance(value, str):
            wanted.check_text(value)
        elif isinstance(value, list | KeyedOutline):
            _check_curve(name, value)


def _form(setting: Setting) -> tuple[type, ...]:
    if setting.type == "number":
        return (int, float, Keyed)
    return (list, KeyedOutline) if setting.type == "curve" else (str,)


def _check_curve(name: str, value: object) -> None:
    every = [value] if isinstance(value, list) else [key.points for key in value.keys]  # type: ignore[attr-defined]
    for points in every:
        across = sorted(point.x for point in points)
        if len(across) < 3 or across[0] < 0 or across[-1] > 1 or min(np.diff(across)) < APART:
            raise BadDocument(f"The curve {name} needs three or more points from left to right, none above another.")
