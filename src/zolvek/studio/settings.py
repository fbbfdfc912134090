"""What is remembered between starts: theme, recent files, window size. Kept the XDG way."""

from __future__ import annotations

from pathlib import Path

import msgspec
import platformdirs

from zolvek.core.errors import ZolvekError
from zolvek.formats.atomic import write_bytes

MOST_RECENT = 10


class Settings(msgspec.Struct):
    theme: str = "vellum"
    recent: list[str] = []
    when_met: str = "stop"
    grid_division: int = 16
    grid_kind: str = "straight"
    snap: bool = True

    def add_recent(self, path: Path) -> None:
        name = str(path.resolve())
        self.recent = [name, *(each for each in self.recent if each != name)][:MOST_RECENT]


def _file() -> Path:
    return Path(platformdirs.user_config_dir("zolvek")) / "settings.json"


def load() -> Settings:
    """The settings, or fresh ones when there are none that can be read."""
    try:
        return msgspec.json.decode(_file().read_bytes(), type=Settings)
    except (OSError, msgspec.DecodeError):
        return Settings()


def save(settings: Settings) -> None:
    """Keep the settings; a folder that can't be written only costs the memory of them."""
    try:
        _file().parent.mkdir(parents=True, exist_ok=True)
        write_bytes(_file(), msgspec.json.encode(settings))
    except (OSError, ZolvekError):
        return
