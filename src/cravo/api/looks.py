"""Looks beyond the document: recipes, scopes, values of pixels, curves, and grades as open files."""

from __future__ import annotations

from uuid import UUID

import cv2
from fastapi import APIRouter, Query, Response

from cravo.api.models.looks import CdlText, CurveRequest, NewRecipe, RecipeInfo, ScopeRequest, ValueRequest
from cravo.api.studio import TheStudio, download, matte_shown
from cravo.core.document import Look, Region
from cravo.core.errors import CravoError
from cravo.core.grading.curves import drawn_curve
from cravo.core.grading.files import SIZES, cdl_xml, cube_of, read_cdl
from cravo.core.looks import values_at
from cravo.core.looks.chain import graded, steps_at
from cravo.core.recipes import built_in, read_recipe, recipe_of
from cravo.core.scopes import Value, scope, value_at
from cravo.core.vetting import vet
from cravo.store.projects import Unknown

router = APIRouter(prefix="/api", tags=["looks"])


@router.get("/recipes")
def recipes(studio: TheStudio) -> list[RecipeInfo]:
    """Those that ship with Cravo first."""
    own = studio.stores.recipes.every()
    return [
        *(RecipeInfo(id=name, own=False, recipe=recipe) for name, recipe in built_in().items()),
        *(RecipeInfo(id=name, own=True, recipe=recipe) for name, recipe in own.items()),
    ]


@router.post("/recipes", status_code=201)
def keep(new: NewRecipe, studio: TheStudio) -> RecipeInfo:
    """Keep what a region does on a frame, or a recipe from a file."""
    if new.text is not None:
        recipe = read_recipe(new.text)
    elif new.project and new.shot and new.region and new.name.strip():
        region = studio.state(str(new.project)).document.shot(new.shot).region(new.region)
        recipe = recipe_of(region, new.name.strip(), new.frame)
    else:
        raise CravoError("A recipe needs a name and a region, or a file.")
    return RecipeInfo(id=studio.stores.recipes.add(recipe), own=True, recipe=recipe)


@router.delete("/recipes/{recipe}", status_code=204)
def remove(recipe: UUID, studio: TheStudio) -> Response:
    studio.stores.recipes.remove(str(recipe))
    return Response(status_code=204)


@router.get("/recipes/{recipe}.json", response_class=Response)
def as_file(recipe: str, studio: TheStudio) -> Response:
    """A recipe to hand on."""
    found = built_in().get(recipe) or studio.stores.recipes.every().get(recipe)
    if found is None:
        raise Unknown("This recipe is no longer here.")
    return download(found.to_json(), found.name, "recipe.json", "application/json")


@router.post("/projects/{project}/scope", response_class=Response, responses={200: {"content": {"image/png": {}}}})
def a_scope(project: UUID, wanted: ScopeRequest, studio: TheStudio) -> Response:
    """A scope of a picture as it is shown, as PNG without lines or words."""
    plan, picture = studio.rendered(str(project), wanted.picture)
    found = matte_shown(plan, wanted.picture, wanted.region, picture)
    covered = found[1].whole(picture.width, picture.height) if found else None
    drawn = scope(wanted.kind, picture, covered)
    return Response(cv2.imencode(".png", drawn, [cv2.IMWRITE_PNG_COMPRESSION, 1])[1].tobytes(), media_type="image/png")


@router.post("/projects/{project}/value")
def value(project: UUID, wanted: ValueRequest, studio: TheStudio) -> Value:
    """The value of the pixel under the pointer."""
    _, picture = studio.rendered(str(project), wanted.picture)
    return value_at(picture, int(wanted.x * picture.width), int(wanted.y * picture.height))


@router.post("/curve")
def curve(wanted: CurveRequest) -> list[float]:
    """Heights of the curve through some points, evenly from left to right, for drawing it."""
    return drawn_curve(wanted.points, wanted.around)


@router.get("/projects/{project}/grade/{shot}/{region}/{side}.cube", response_class=Response)
def as_cube(
    project: UUID, shot: str, region: str, side: str, studio: TheStudio, frame: int = 0, size: int = Query(default=33)
) -> Response:
    """The colour looks of one side of a region on a frame as one table; other looks are left out."""
    if size not in SIZES:
        raise CravoError(f"A table has {', '.join(map(str, SIZES))} points along each side.")
    found = studio.state(str(project)).document.shot(shot).region(region)
    steps = [step for step in steps_at(_side(found, side), frame) if step.kind.grade]
    if not steps:
        raise CravoError("There is no colour look on this side that could become a table.")
    grade = graded(steps, lambda name: studio.stores.media.get(name).path)
    return download(cube_of(grade, found.name, size), found.name, "cube", "text/plain")


@router.get("/projects/{project}/cdl/{shot}/{region}/{look}.cdl", response_class=Response)
def as_cdl(project: UUID, shot: str, region: str, look: str, studio: TheStudio, frame: int = 0) -> Response:
    """A look of slope, offset and power on a frame as a colour decision list."""
    found = studio.state(str(project)).document.shot(shot).region(region)
    one = next((one for one in found.inside + found.outside if one.id == look and one.kind == "cdl"), None)
    if one is None:
        raise Unknown("This look is no longer in the project.")
    return download(cdl_xml(values_at(one, frame), found.name), found.name, "cdl", "application/xml")


@router.post("/cdl")
def from_cdl(file: CdlText) -> dict[str, float]:
    """The settings of a look from the first correction of a colour decision list."""
    vet("colour list", file.text)
    return read_cdl(file.text)


def _side(region: Region, side: str) -> list[Look]:
    if side not in ("inside", "outside"):
        raise Unknown("A region has an inside and an outside.")
    return region.inside if side == "inside" else region.outside
