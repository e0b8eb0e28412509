"""The recipe file: a line of steps as JSON."""

from __future__ import annotations

from pathlib import Path

from ..files.atomic import write_bytes
from ..files.read import read_bytes
from ..recipe.models import Recipe
from .codec import read_recipe, recipe_json

EXTENSION = ".recipe"


def save_recipe(recipe: Recipe, path: Path) -> None:
    """Write a recipe. Raises FileTrouble when the folder or disk refuses."""
    write_bytes(path, recipe_json(recipe))


def open_recipe(path: Path) -> Recipe:
    """Read a recipe. Raises BadProject or FileTrouble."""
    return read_recipe(read_bytes(path), path.name)
