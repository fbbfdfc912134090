# SPDX-License-Identifier: GPL-3.0-or-later
"""Which dials of a device with many controls are shown: a group of them at a time, or those that typed words find."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QVBoxLayout, QWidget

from zolvek.core.model.project import Device
from zolvek.core.value.parameter import Parameter
from zolvek.core.value.text_search import matches, search_words
from zolvek.studio.toolkit.fields import Search
from zolvek.studio.toolkit.widgets import searched

MOST = 64  # dials at once: plugins have hundreds of parameters
FEW = 24  # controls that need no choice
ALL, FAVOURITES = "All", "Favourites"
OTHERS = "Others"  # those without a group, and those of groups of one


class Choice(NamedTuple):
    """What is chosen: a group by its label, and words that are looked for in all of them instead."""

    group: str = ALL
    words: str = ""


def for_show(device: Device) -> list[Parameter]:
    """The parameters that a person looks for: favourites first, without those that are marked as not for show."""
    hidden = device.row.plugin.hidden if device.row.plugin is not None else ()
    return [p for p in device.favourites_first if p.id not in hidden or p.id in device.favourites]


def dial_groups(device: Device) -> dict[str, list[Parameter]]:
    """The groups that a device's dials can be shown by; none for a device with few."""
    every = for_show(device)
    if len(every) <= FEW:
        return {}
    groups: dict[str, list[Parameter]] = {}
    shown = {parameter.id for parameter in every}
    for parameter in (p for p in device.parameters if p.id in shown):
        groups.setdefault(parameter.group or OTHERS, []).append(parameter)
    alone = [p for name, members in groups.items() if len(members) == 1 and name != OTHERS for p in members]
    if len(alone) > 1:  # a row of its own for each would be a list of controls
        groups = {name: members for name, members in groups.items() if len(members) > 1}
        groups[OTHERS] = groups.pop(OTHERS, []) + alone
    favourites = [device.parameter(key) for key in device.favourites]
    return {ALL: every, **({FAVOURITES: favourites} if favourites else {}), **groups}


def chosen_dials(device: Device, choice: Choice, kept: Collection[str]) -> list[Parameter]:
    """The parameters that have dials, MOST at most. Of all, where there are more, those `kept` stay."""
    groups = dial_groups(device)
    words = search_words(choice.words)
    every = for_show(device)
    if words and groups:
        return [p for p in every if matches(words, f"{p.group} {p.name}")][:MOST]
    group = groups.get(choice.group)
    if group is not None and choice.group != ALL:
        return group[:MOST]
    first = [p.id for p in device.favourites_first if p.id in kept] + [p.id for p in every]
    shown = set(list(dict.fromkeys(first))[: max(MOST, len(kept))])
    return [p for p in device.favourites_first if p.id in shown]


def group_with(device: Device, parameter: str) -> str:
    """The group that a parameter is in, for one that the shown dials lack."""
    groups = dial_groups(device)
    names = (name for name, group in groups.items() if name not in (ALL, FAVOURITES))
    return next((name for name in names if any(p.id == parameter for p in groups[name][:MOST])), ALL)


def dial_name(parameter: Parameter, group: str) -> str:
    """A parameter's name next to others of its shown group: without what the group's name says already."""
    rest = parameter.name.removeprefix(group).strip(" -_·:")
    return rest if parameter.name.startswith(f"{group} ") and rest else parameter.name


class DialChoice(QWidget):
    """The group and the search field of a device with many controls. `choice` is what they hold."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.choice = Choice()
        self.offered: tuple[tuple[str, int], ...] = ()
        self.box = QComboBox()
        self.box.setAccessibleName("Group of the dials")
        self.box.setToolTip("The group of controls whose dials are shown; type to find one")
        searched(self.box)
        self.box.activated.connect(lambda row: self._take(Choice(self.box.itemData(row))))
        self.words = Search("Find a dial")
        self.words.textChanged.connect(self._search)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 6, 4, 6)
        layout.addWidget(self.box)
        layout.addWidget(self.words)
        layout.addStretch(1)
        self.setFixedWidth(172)

    def offer(self, device: Device | None) -> None:
        """Show the groups of a device, or nothing for one with few controls."""
        groups = dial_groups(device) if device is not None else {}
        offered = tuple((name, len(members)) for name, members in groups.items())
        if offered != self.offered:
            self.offered = offered
            self.box.clear()
            for name, count in offered:
                self.box.addItem(f"{name} · {count}", name)
        self.setVisible(bool(offered))
        self._show()

    def take(self, choice: Choice) -> None:
        """Show a choice, without a word of it to others."""
        self.choice = choice
        if self.words.text() != choice.words:
            self.words.setText(choice.words)
        self._show()

    def _show(self) -> None:
        row = self.box.findData(self.choice.group)
        self.box.setCurrentIndex(max(row, 0))

    def _search(self, text: str) -> None:
        if text != self.choice.words:
            self._take(self.choice._replace(words=text))

    def _take(self, choice: Choice) -> None:
        self.take(choice)
        self.changed.emit()


def names_in(parameters: Sequence[Parameter], choice: Choice) -> list[str]:
    """The texts over the dials."""
    group = "" if choice.words or choice.group in (ALL, FAVOURITES, OTHERS) else choice.group
    return [dial_name(p, group) if group else p.name for p in parameters]
