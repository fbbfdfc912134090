# SPDX-License-Identifier: GPL-3.0-or-later
"""Where VST3 plugins and their presets lie (VST 3 Developer Portal, "Plug-in Format Structure" and "Preset
locations", Linux)."""

from __future__ import annotations

from pathlib import Path

from zolvek.sound.hosting.plugin import plugin_folders

PLACES = ("~/.vst3", "/usr/lib/vst3", "/usr/local/lib/vst3")
PRESETS = ("~/.vst3/presets", "/usr/share/vst3/presets", "/usr/local/share/vst3/presets")
SUFFIX, PRESET = ".vst3", ".vstpreset"
DEEPEST = 4  # folders below a place


def roots() -> list[Path]:
    """The folders of the search path: VST3_PATH, else the usual places."""
    return plugin_folders.roots("VST3_PATH", PLACES)


def bundles() -> list[Path]:
    """All bundles, and single files, on the search path."""
    paths: list[Path] = []
    for root in roots():
        _gather(root, paths, DEEPEST)
    return sorted(paths)


def _gather(folder: Path, found: list[Path], deep: int) -> None:
    try:
        inside = sorted(folder.iterdir())
    except OSError:
        return
    for item in inside:
        if item.suffix.lower() == SUFFIX:
            found.append(item)
        elif deep and item.is_dir() and not item.is_symlink():
            _gather(item, found, deep - 1)


def presets_of(maker: str, name: str) -> list[Path]:
    """The preset files of a plugin, each name once."""
    result: dict[str, Path] = {}
    for preset in PRESETS:
        try:
            folder = Path(preset).expanduser() / maker / name
            for item in sorted(folder.rglob(f"*{PRESET}")):
                result.setdefault(item.stem, item)
        except (OSError, RuntimeError):
            continue
    return list(result.values())
