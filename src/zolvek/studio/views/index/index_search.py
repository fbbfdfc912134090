# SPDX-License-Identifier: GPL-3.0-or-later
"""What the search field of the index shows."""

from __future__ import annotations

from collections.abc import Mapping

from PyQt6.QtWidgets import QTreeWidgetItem

from zolvek.core.model.project import Project
from zolvek.core.value.text_search import matches, search_words


def show_matching(project: Project, leaves: Mapping[tuple[str, str], QTreeWidgetItem], text: str) -> int:
    """Show the rows of parameters of which every word is in track, device, group or name, and what they are in; those
    alone of which a word is in their own name or group, where there are such. Returns how many there are. `leaves`: the
    rows, by device and parameter."""
    words = search_words(text)
    names = {
        (device.id, parameter.id): (f"{parameter.group} {parameter.name}", f"{track.name} {device.name}")
        for track in project.tracks
        for device in track.devices
        for parameter in device.parameters
        if (device.id, parameter.id) in leaves
    }
    every = {key for key, (own, above) in names.items() if matches(words, f"{above} {own}")}
    named = {key for key in every if any(matches([word], names[key][0]) for word in words)}
    shown = named or every
    for key in names:
        leaves[key].setHidden(key not in shown)
    count = len(shown)
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
