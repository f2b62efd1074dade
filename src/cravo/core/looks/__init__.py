"""The treatments. Each module here defines one `LOOK`; its file name is its name everywhere.

Adding a treatment means adding a module: the registry finds it, and the project format, the API
and the card take its settings from it.
"""

from __future__ import annotations

import pkgutil
from functools import cache
from importlib import import_module

from cravo.core.document import Look
from cravo.core.errors import BadDocument
from cravo.core.keyframes import value_at
from cravo.core.looks.kind import Kind, Values


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
        values[name] = given if isinstance(given, str) else setting.clamped(value_at(given, frame))
    return values


def check(look: Look) -> None:
    """Raise BadDocument where a look's settings are not its kind's."""
    settings = kind_of(look).settings
    for name, value in look.settings.items():
        if name not in settings:
            raise BadDocument(f"The look {look.kind} has no setting {name}.")
        if isinstance(value, str) != isinstance(settings[name].default, str):
            raise BadDocument(f"The setting {name} of {look.kind} has the wrong type.")
        if isinstance(value, str):
            settings[name].check_text(value)
