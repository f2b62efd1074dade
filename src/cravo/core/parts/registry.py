"""The kinds of parts that there are: every module of this package, or of a folder of it, that has a `KIND`."""

from __future__ import annotations

from functools import cache
from importlib import import_module
from pkgutil import iter_modules
from typing import Annotated

from pydantic import AfterValidator

from cravo.core import parts
from cravo.core.document import CombineMode, CutOut, PartBase, Shot, of_model
from cravo.core.errors import BadDocument
from cravo.core.parts.kind import AnyKind, SearchedKind


@cache
def kinds() -> dict[str, AnyKind]:
    """Every kind by the name that parts say in `kind`."""
    names = sorted(f"{one.name}.kind" if one.ispkg else one.name for one in iter_modules(parts.__path__))
    modules = [import_module(f"{parts.__name__}.{name}") for name in names]
    every: list[AnyKind] = [module.KIND for module in modules if hasattr(module, "KIND")]
    return {str(kind.model.model_fields["kind"].default): kind for kind in every}


def _can_be_found(what: str) -> str:
    if what not in findable():
        raise ValueError(f"there is nothing of that name to be found; there are: {', '.join(findable())}")
    return what


Findable = Annotated[str, AfterValidator(_can_be_found)]


def kind_of(part: PartBase) -> AnyKind:
    return kinds()[part.kind]


def searched_kind(part: PartBase) -> SearchedKind[PartBase] | None:
    """The kind of a part whose shot is searched as a whole; None for all others."""
    kind = kind_of(part)
    return kind if isinstance(kind, SearchedKind) else None


def findable() -> list[str]:
    """The names of all that can be found in a shot."""
    return sorted(name for kind in kinds().values() for name in kind.finds)


def found_part(what: str, shot: Shot, how: CombineMode) -> PartBase:
    """The part that stands for what is to be found in a shot.

    Raises
    ------
    BadDocument
        Where no kind finds that.
    """
    for kind in kinds().values():
        if what in kind.finds:
            return kind.finds[what](shot, how)
    raise BadDocument(f"There is nothing called {what} to find.")


def sort_of(part: PartBase) -> tuple[str, str]:
    """What a part is of: its kind, and of cut-outs what is cut out."""
    cut_out = of_model(part, CutOut)
    return part.kind, "" if cut_out is None or cut_out.sort is None else cut_out.sort


def found_as(part: PartBase, shot: Shot) -> str | None:
    """The name under which a part is found in a shot; None for what is drawn."""
    every = kind_of(part).finds.items()
    return next((name for name, made in every if sort_of(made(shot, part.how)) == sort_of(part)), None)
