# SPDX-License-Identifier: GPL-3.0-or-later
"""What an LV2 plugin offers and is not used here, in a word each: said before it is added."""

from __future__ import annotations

from typing import Any

from zolvek.core.model.plugin import Plugin
from zolvek.sound.hosting.lv2.lv2_uis import interface_of
from zolvek.sound.hosting.lv2.lv2_world import HEARD, World
from zolvek.sound.hosting.plugin.plugin_unit import MOST_OUTPUTS


def left_out(world: World, plugin: Any, described: Plugin) -> tuple[str, ...]:
    """The words for what of a plugin is not used."""
    result = []
    taken = 2 * HEARD  # with a side-chain's
    for ports, most, what in (
        ((*described.inputs, *described.side), taken, "inputs"),
        (described.outputs, MOST_OUTPUTS, "outputs"),
    ):
        if len(ports) > most:
            result.append(f"{what} {most + 1} to {len(ports)}" if len(ports) > most + 1 else f"{what[:-1]} {most + 1}")
    _, reason = interface_of(world, plugin)
    if reason:
        result.append(f"own window ({reason})")
    return tuple(result)
