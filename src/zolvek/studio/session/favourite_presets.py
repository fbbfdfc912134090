# SPDX-License-Identifier: GPL-3.0-or-later
"""A device type's favourite presets, kept for every project."""

from __future__ import annotations

from zolvek.core.model.device_kind import DeviceKind, Preset
from zolvek.studio.session.settings import MOST_LISTED, PluginSettings


def is_favourite(settings: PluginSettings, kind: DeviceKind, preset: str) -> bool:
    """Whether a preset is marked."""
    return _row(kind, preset) in settings.favourite_presets


def toggle(settings: PluginSettings, kind: DeviceKind, preset: str) -> bool:
    """Mark a preset, or take the mark off; whether it is marked now."""
    row = _row(kind, preset)
    others = [item for item in settings.favourite_presets if item != row]
    marked = len(others) == len(settings.favourite_presets)
    settings.favourite_presets = [row, *others][:MOST_LISTED] if marked else others
    return marked


def favourites_first(settings: PluginSettings, kind: DeviceKind) -> list[tuple[Preset, bool]]:
    """The presets of a kind, those that are marked before the others, and whether each is."""
    marked = set(settings.favourite_presets)
    rows = [(preset, _row(kind, preset.name) in marked) for preset in kind.presets]
    return sorted(rows, key=lambda row: not row[1])


def _row(kind: DeviceKind, preset: str) -> str:
    return f"{kind.key}\t{preset}"
