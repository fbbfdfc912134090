# SPDX-License-Identifier: GPL-3.0-or-later
"""The user's own folders, where the XDG Base Directory specification has them."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import platformdirs

from zolvek.core.errors import ZolvekError

NAME = "zolvek"


def _own(locate: Callable[[str], str]) -> Path:
    try:
        path = Path(locate(NAME))
    except RuntimeError:
        path = Path()
    if not path.is_absolute():  # where there is no home
        raise ZolvekError("There is no home folder.", "HOME", "Set HOME to a folder of yours, then start again.")
    return path


def state() -> Path:
    """Copies for after a crash, backups, reports. Raises ZolvekError where there is no home."""
    return _own(platformdirs.user_state_dir)


def config() -> Path:
    """Settings. Raises ZolvekError where there is no home."""
    return _own(platformdirs.user_config_dir)


def data() -> Path:
    """The pattern library. Raises ZolvekError where there is no home."""
    return _own(platformdirs.user_data_dir)


def cache() -> Path:
    """What can be found again: descriptions of plugins. Raises ZolvekError where there is no home."""
    return _own(platformdirs.user_cache_dir)


def made(folder: Path, what: str) -> Path:
    """The folder, made where it is not there yet. Raises ZolvekError naming it."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise ZolvekError(f"The {what} folder can't be made.", str(folder), "Check its permissions.") from error
    return folder


def home() -> Path:
    """Where a file dialog begins: the home folder, or the present one where there is none."""
    try:
        return Path.home()
    except RuntimeError:
        return Path.cwd()
