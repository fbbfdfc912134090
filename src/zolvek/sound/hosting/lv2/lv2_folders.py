# SPDX-License-Identifier: GPL-3.0-or-later
"""Where LV2 bundles are."""

from __future__ import annotations

from pathlib import Path

from zolvek.sound.hosting.plugin import plugin_folders
from zolvek.storage.opening import is_ordinary

USUAL_PLACES = (
    "~/.lv2",
    "/usr/lib/lv2",
    "/usr/local/lib/lv2",
    "/usr/lib64/lv2",
    "/usr/local/lib64/lv2",
)


def roots() -> list[Path]:
    """The folders of the search path: LV2_PATH, else the usual places."""
    return plugin_folders.roots("LV2_PATH", USUAL_PLACES)


def is_bundle(path: Path) -> bool:
    """Whether a folder is an LV2 bundle."""
    return is_ordinary(path / "manifest.ttl")


def bundles() -> list[Path]:
    """The folders of all bundles on the search path."""
    result = []
    for root in roots():
        try:
            result += [item for item in root.iterdir() if is_bundle(item)]
        except OSError:
            continue
    return sorted(result)
