# SPDX-License-Identifier: GPL-3.0-or-later
"""Templates: projects that new ones begin with, stored in the user's own folder."""

from __future__ import annotations

from pathlib import Path

from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.records import replace
from zolvek.formats.project import project_file
from zolvek.storage import folders
from zolvek.storage.file_names import file_name


def folder() -> Path:
    """The folder of the user's templates."""
    return folders.data() / "templates"


def names() -> list[str]:
    """The templates there are, by name; none where there is no home."""
    try:
        return sorted((path.stem for path in folder().glob(f"*{project_file.SUFFIX}")), key=str.casefold)
    except (ZolvekError, OSError):
        return []


def path_of(name: str) -> Path:
    """Raises ZolvekError for a name that names nothing."""
    if not name.strip():
        raise ZolvekError("A template needs a name.", remedy="Write one.")
    return folder() / f"{file_name(name)}{project_file.SUFFIX}"


def save(project: Project, name: str) -> Path:
    """Keep the project as a template; one of the same name is replaced."""
    path = path_of(name)
    folders.made(path.parent, "template")
    return project_file.save(project, path)


def load(name: str) -> Project:
    """A project to begin with. Raises ZolvekError when it can't be read."""
    return replace(project_file.load(path_of(name)), name="Untitled")


def delete(name: str) -> None:
    """Delete a template."""
    path_of(name).unlink(missing_ok=True)
