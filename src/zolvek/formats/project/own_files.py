# SPDX-License-Identifier: GPL-3.0-or-later
"""What must never be replaced by an export: the project's own file, and its sounds."""

from __future__ import annotations

import os
from collections.abc import Iterable

from zolvek.core.edits.chains import own_sound_files
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project

Named = str | os.PathLike[str]


def need_other(targets: Iterable[Named], project: Project, *sources: Named | None) -> None:
    """Raises ZolvekError where one of the files to be written is one of the project's sounds, or of `sources`, such as
    its own file; by whatever name or link."""
    in_use = {key: str(path) for path in (*own_sound_files(project), *sources) if path and (key := _key(path))}
    for target in targets:
        if _key(target) in in_use:
            raise ZolvekError(
                "This file belongs to the project. An export can't replace it.",
                str(target),
                "Choose another name.",
            )


def _key(path: Named) -> tuple[int, int] | None:
    """What identifies a file; None where there is none."""
    try:
        about = os.stat(path)
    except (OSError, ValueError):
        return None
    return about.st_dev, about.st_ino
