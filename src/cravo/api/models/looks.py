"""Looks, recipes, scopes and curves."""

from __future__ import annotations

from uuid import UUID

from pydantic import Field

from cravo.api.models.base import BaseModel, SourceFrame
from cravo.api.models.pictures import PictureRequest
from cravo.core import timing
from cravo.core.looks.kind import Group, Setting
from cravo.core.recipes import Recipe
from cravo.core.scopes import Kind as ScopeKind


class LookSetting(Setting):
    name: str


class LookKind(BaseModel):
    kind: str
    label: str
    group: Group
    about: str
    strength: float = Field(description="to begin with")
    only_inside: bool = Field(description="does nothing to what lies around a region")
    graded: bool = Field(description="treats each colour on its own, and can become a table")
    settings: list[LookSetting]


class RecipeInfo(BaseModel):
    """A recipe to choose: one that ships with Cravo, or one that was kept."""

    id: str
    own: bool
    recipe: Recipe


class NewRecipe(BaseModel):
    """Keep what a region does on a frame; or take a recipe from a file's text."""

    project: UUID | None = None
    shot: str | None = None
    region: str | None = None
    frame: SourceFrame = timing.SourceFrame(0)
    name: str = Field(default="", max_length=120)
    text: str | None = Field(default=None, max_length=1 << 20)


class ScopeRequest(BaseModel):
    """A scope of a picture as it is shown, of the region alone where one is named."""

    picture: PictureRequest
    kind: ScopeKind
    region: str | None = None


class ValueRequest(BaseModel):
    """The pixel under the pointer, as shares of the picture's width and height."""

    picture: PictureRequest
    x: float = Field(ge=0, le=1)
    y: float = Field(ge=0, le=1)


class CurveRequest(BaseModel):
    """Points of a curve; `around` where it goes around all hues."""

    points: list[tuple[float, float]] = Field(min_length=3, max_length=64)
    around: bool = False


class CdlText(BaseModel):
    text: str = Field(max_length=1 << 20)
