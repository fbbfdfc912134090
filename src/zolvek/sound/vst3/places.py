"""Where VST3 plugins and their presets lie (VST 3 Developer Portal, "Plug-in Format Structure" and "Preset
locations", Linux)."""

from __future__ import annotations

import os
from pathlib import Path

PLACES = ("~/.vst3", "/usr/lib/vst3", "/usr/local/lib/vst3")
PRESETS = ("~/.vst3/presets", "/usr/share/vst3/presets", "/usr/local/share/vst3/presets")
SUFFIX, PRESET = ".vst3", ".vstpreset"
DEEPEST = 4  # folders below a place


def bundles() -> list[Path]:
    """All bundles, and single files, on the search path (VST3_PATH, else the usual places)."""
    path = os.environ.get("VST3_PATH")
    found: list[Path] = []
    for place in path.split(":") if path else PLACES:
        try:
            _gather(Path(place).expanduser(), found, DEEPEST)
        except RuntimeError:  # there is no home
            continue
    return sorted(found)


def _gather(folder: Path, found: list[Path], deep: int) -> None:
    try:
        inside = sorted(folder.iterdir())
    except OSError:
        return
    for each in inside:
        if each.suffix.lower() == SUFFIX:
            found.append(each)
        elif deep and each.is_dir() and not each.is_symlink():
            _gather(each, found, deep - 1)


def located(path: str) -> str:
    """The bundle as it lies here: where it was, else the one of its name on the search path."""
    if Path(path).exists():
        return path
    name = Path(path).name
    return next((str(each) for each in bundles() if each.name == name), path)


def presets_of(maker: str, name: str) -> list[Path]:
    """The preset files of a plugin, each name once."""
    found: dict[str, Path] = {}
    for place in PRESETS:
        try:
            folder = Path(place).expanduser() / maker / name
            for each in sorted(folder.rglob(f"*{PRESET}")):
                found.setdefault(each.stem, each)
        except (OSError, RuntimeError):
            continue
    return list(found.values())
