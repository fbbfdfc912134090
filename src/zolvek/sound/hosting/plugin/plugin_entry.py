# SPDX-License-Identifier: GPL-3.0-or-later
"""A plugin in the list of installed ones."""

from __future__ import annotations

import msgspec


class PluginEntry(msgspec.Struct, frozen=True):
    """`fault` says why it can't be used, "" where it can; `path`: the bundle it is in; `left_out`: what of it is not
    used here, in a word each."""

    id: str
    name: str
    maker: str = ""
    role: str = ""
    about: str = ""
    parameters: int = 0
    fault: str = ""
    path: str = ""
    left_out: tuple[str, ...] = ()


class Contents(msgspec.Struct, frozen=True):
    """What a bundle holds; `presets_for`: plugins, by id, that it has presets for, wherever those lie."""

    plugins: list[PluginEntry]
    presets_for: list[str] = []
