"""The person's own folders, where the XDG Base Directory specification has them."""

from __future__ import annotations

from pathlib import Path

import platformdirs

from zolvek.core.errors import ZolvekError

NAME = "zolvek"


def _own(place: str) -> Path:
    path = Path(place)
    if not path.is_absolute():  # "~" is left as it is where there is no home
        raise ZolvekError(
            "There is no home folder.", "HOME", "Set HOME to a folder of yours, then start again."
        )
    return path


def state() -> Path:
    """Copies for after a crash, backups, reports. Raises ZolvekError where there is no home."""
    return _own(platformdirs.user_state_dir(NAME))


def config() -> Path:
    """Settings. Raises ZolvekError where there is no home."""
    return _own(platformdirs.user_config_dir(NAME))


def data() -> Path:
    """The pattern library. Raises ZolvekError where there is no home."""
    return _own(platformdirs.user_data_dir(NAME))


def home() -> Path:
    """Where a file dialog begins: the home folder, or the present one where there is none."""
    try:
        return Path.home()
    except RuntimeError:
        return Path.cwd()
