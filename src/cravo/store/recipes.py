"""Recipes that users keep."""

from __future__ import annotations

from cravo.core.recipes import Recipe
from cravo.store.database import Database
from cravo.store.projects import Unknown


class Recipes:
    def __init__(self, database: Database) -> None:
        self._database = database

    def add(self, recipe: Recipe) -> str:
        """Keep a recipe; returns its id."""
        with self._database.session() as session:
            row = session.row("recipes", "add", recipe=recipe.model_dump(mode="json"))
            assert row is not None
            session.tell(kind="recipes", id=row["id"])
            return str(row["id"])

    def every(self) -> dict[str, Recipe]:
        """All of them by id, the oldest first."""
        with self._database.session() as session:
            return {str(row["id"]): Recipe.model_validate(row["recipe"]) for row in session.rows("recipes", "every")}

    def remove(self, recipe: str) -> None:
        with self._database.session() as session:
            if not session.run("recipes", "remove", id=recipe):
                raise Unknown("This recipe is no longer here.")
            session.tell(kind="recipes", id=recipe)
