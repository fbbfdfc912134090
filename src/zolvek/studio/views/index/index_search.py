# SPDX-License-Identifier: GPL-3.0-or-later
"""What the search field of the index shows."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QTreeWidgetItem

from zolvek.core.model.project import Project


def show_matching(project: Project, leaves: Mapping[tuple[str, str], QTreeWidgetItem], text: str) -> int:
    """Show the rows of parameters of which every word is in track, device, group or name, and what they are in.
    Returns how many there are. `leaves`: the rows, by device and parameter."""
    words, count = text.lower().split(), 0
    for track in project.tracks:
        for device in track.devices:
            for parameter in device.parameters:
                leaf = leaves.get((device.id, parameter.id))
                if leaf is None:
                    continue
                named = f"{track.name} {device.name} {parameter.group} {parameter.name}".lower()
                matches = all(word in named for word in words)
                leaf.setHidden(not matches)
                count += matches
    tree = next((leaf.treeWidget() for leaf in leaves.values()), None)
    for number in range(tree.topLevelItemCount() if tree is not None else 0):
        head = tree.topLevelItem(number) if tree is not None else None
        if head is not None:
            _show_branches(head, bool(words))
    return count


def _show_branches(item: QTreeWidgetItem, searching: bool) -> bool:
    """A device's row and that of a group are there as long as anything below is. Returns whether it is."""
    if not item.childCount():
        return not item.isHidden()
    children = [item.child(number) for number in range(item.childCount())]
    below = [_show_branches(child, searching) for child in children if child is not None]  # each is shown or hidden
    shown = any(below)
    if item.parent() is not None:
        item.setHidden(not shown)
        item.setExpanded(searching and shown)
    return shown
