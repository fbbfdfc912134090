# SPDX-License-Identifier: GPL-3.0-or-later
"""Ids of plugins, and the standards that they belong to."""

from __future__ import annotations

VST3_ID = "vst3:"  # before the class id of a VST3 plugin; LV2 ids are URIs


def format_of(plugin_id: str) -> str:
    """The standard of a plugin's id: "lv2" or "vst3"."""
    return "vst3" if plugin_id.startswith(VST3_ID) else "lv2"
