# SPDX-License-Identifier: GPL-3.0-or-later
"""The library of recipes: those that ship, and a folder of small JSON files of the person's own, described in
docs/headless.md."""

from __future__ import annotations

from pathlib import Path

import msgspec

from zolvek.core.errors import ZolvekError
from zolvek.core.movement.recipes import SHIPPED, Recipe
from zolvek.storage import folders
from zolvek.storage.atomic import write_bytes
from zolvek.storage.file_names import file_name
from zolvek.storage.opening import read_bytes

FORMAT, VERSION = "zolvek-recipe", 1
MOST_BYTES = 100_000


class RecipeFile(msgspec.Struct):
    format: str
    version: int
    recipe: Recipe


def folder() -> Path:
    """The folder of the person's own recipes."""
    return folders.data() / "recipes"


def load(path: Path) -> Recipe:
    """A recipe of a file. Raises ZolvekError naming it when it can't be read."""
    try:
        file = msgspec.json.decode(read_bytes(path, MOST_BYTES), type=RecipeFile)
    except (msgspec.ValidationError, msgspec.DecodeError) as error:
        raise ZolvekError(f"The recipe can't be read: {error}.", str(path), "Correct it, or remove it.") from error
    if file.format != FORMAT or file.version > VERSION:
        raise ZolvekError("The file is not a recipe of this version.", str(path), "Use a newer Zolvek.")
    return file.recipe


def save(recipe: Recipe) -> Path:
    """Keep a recipe; one of the same name is replaced."""
    path = folder() / f"{file_name(recipe.name)}.json"
    folders.made(path.parent, "recipe")
    return write_bytes(path, msgspec.json.format(msgspec.json.encode(RecipeFile(FORMAT, VERSION, recipe))))


def recipes() -> tuple[list[Recipe], list[ZolvekError]]:
    """All there are, by name, the person's own before those that ship; and what could not be read."""
    result: dict[str, Recipe] = {}
    faults = []
    for path in sorted(folder().glob("*.json")) if folder().is_dir() else []:
        try:
            recipe = load(path)
        except (ZolvekError, OSError) as error:
            faults.append(error if isinstance(error, ZolvekError) else ZolvekError(str(error), str(path)))
            continue
        result.setdefault(recipe.name, recipe)
    for recipe in SHIPPED:
        result.setdefault(recipe.name, recipe)
    return list(result.values()), faults


def named(name: str) -> Recipe:
    """The recipe of a name. Raises ZolvekError with those there are."""
    found = {recipe.name.casefold(): recipe for recipe in recipes()[0]}
    if name.casefold() not in found:
        names = ", ".join(f"“{recipe.name}”" for recipe in found.values())
        raise ZolvekError(f"No recipe is called “{name}”. There are: {names}.", "--recipe", "Use one of these.")
    return found[name.casefold()]
