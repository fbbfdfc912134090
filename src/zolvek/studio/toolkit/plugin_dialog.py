# SPDX-License-Identifier: GPL-3.0-or-later
"""The list of installed plugins, to add one of them."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from zolvek.core.model.device_kind import DeviceRole
from zolvek.core.value.text_search import matches, search_words
from zolvek.studio.toolkit.fields import Search
from zolvek.studio.toolkit.widgets import note

if TYPE_CHECKING:
    from zolvek.sound.hosting.plugin.plugin_entry import PluginEntry

ID = Qt.ItemDataRole.UserRole
ROLES: dict[str, str] = {DeviceRole.INSTRUMENT: "Instrument", DeviceRole.EFFECT: "Effect", DeviceRole.MIDI: "MIDI"}


class PluginSettings(Protocol):
    """What is remembered of plugins, by id."""

    recent: list[str]
    favourites: list[str]


class PluginSource(Protocol):
    """The installed plugins: `found` once they have been looked for; `newest`: those of the folder picked last."""

    changed: Any  # a signal
    fault: str

    @property
    def found(self) -> Sequence[PluginEntry] | None:
        """The installed plugins, or None before the scan."""
        ...

    @property
    def listed(self) -> Sequence[PluginEntry]:
        """Those found so far, before the scan has ended."""
        ...

    @property
    def going(self) -> tuple[int, int]:
        """Bundles read so far, of how many."""
        ...

    @property
    def newest(self) -> Sequence[PluginEntry]:
        """The plugins of the folder added last."""
        ...

    def look(self) -> None:
        """Scan for plugins."""
        ...

    def look_in(self, folder: Path) -> None:
        """Scan a folder, and add it."""
        ...


class PluginDialog(QDialog):
    """Those used last and those that are ticked as favourites come first; what can't be used says why."""

    def __init__(
        self,
        plugins: PluginSource,
        settings: PluginSettings,
        ask_folder: Callable[[str, str], Path | None],
        parent: QWidget,
    ) -> None:
        super().__init__(parent)
        self.plugins, self.settings, self.ask_folder = plugins, settings, ask_folder
        self.setWindowTitle("Add plugin")
        self.resize(760, 520)
        self.search = Search("Find a plugin")
        self.search.textChanged.connect(lambda _: self._fill())
        self.search.returnPressed.connect(self._take_first)
        self.rows = QTreeWidget()
        self.rows.setAccessibleName("Installed plugins")
        self.rows.setHeaderLabels(["Name", "Vendor", "Kind", "Parameters", "Not used here"])
        self.rows.setRootIsDecorated(False)
        self.rows.setUniformRowHeights(True)
        for column, width in enumerate((220, 140, 90, 90)):
            self.rows.setColumnWidth(column, width)
        self.rows.itemDoubleClicked.connect(lambda *_: self.accept())
        self.rows.itemChanged.connect(self._favour)
        self.rows.currentItemChanged.connect(lambda *_: self._follow())
        self.status = note()
        button = QDialogButtonBox.StandardButton
        self.box = QDialogButtonBox(button.Ok | button.Cancel)
        elsewhere = self.box.addButton("From a folder…", QDialogButtonBox.ButtonRole.ActionRole)
        assert elsewhere is not None
        elsewhere.setToolTip("Chooses a plugin elsewhere: a folder that ends in .lv2 or .vst3")
        elsewhere.clicked.connect(self._look_elsewhere)
        self.box.accepted.connect(self.accept)
        self.box.rejected.connect(self.reject)
        layout = QVBoxLayout(self)
        for widget in (self.search, self.rows, self.status, self.box):
            layout.addWidget(widget, 1 if widget is self.rows else 0)
        plugins.changed.connect(self._fill)
        plugins.look()
        self._fill()

    @property
    def chosen(self) -> tuple[str, str] | None:
        """Id and name of the one that is picked, where it can be used."""
        item = self.rows.currentItem()
        if item is None or not item.flags() & Qt.ItemFlag.ItemIsEnabled:
            return None
        return item.data(0, ID), item.text(0)

    def accept(self) -> None:
        """Accept, if a usable plugin is selected."""
        if self.chosen is not None:
            super().accept()

    def _look_elsewhere(self) -> None:
        folder = self.ask_folder("Plugin folder", "")
        if folder is not None:
            self.search.clear()
            self.plugins.look_in(folder)

    def _rank(self, found: PluginEntry) -> tuple[int, str]:
        if found in self.plugins.newest:
            return -1, found.name.casefold()
        if found.id in self.settings.recent:
            return self.settings.recent.index(found.id), ""
        favourite = found.id in self.settings.favourites
        return (100 if favourite else 200 if not found.fault else 300), found.name.casefold()

    def _fill(self) -> None:
        words = search_words(self.search.text())
        every = self.plugins.listed if self.plugins.found is None else self.plugins.found
        current = self.rows.currentItem()
        kept = current.data(0, ID) if current is not None else None
        shown = [f for f in every if matches(words, f"{f.name} {f.maker} {f.role} {f.about}")]
        self.rows.blockSignals(True)
        self.rows.clear()
        for result in sorted(shown, key=self._rank):
            kind = result.fault or ROLES.get(result.role, "")
            count = "" if result.fault else str(result.parameters)
            item = QTreeWidgetItem([result.name, result.maker, kind, count, ", ".join(result.left_out)])
            if result.left_out:
                item.setToolTip(4, f"Not used here: {', '.join(result.left_out)}.")
            item.setData(0, ID, result.id)
            item.setToolTip(0, result.fault or f"{result.about}\nTick to show it first.")
            item.setToolTip(2, result.fault)
            flags = Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsUserCheckable
            item.setFlags(flags if result.fault else flags | Qt.ItemFlag.ItemIsEnabled)
            favourite = result.id in self.settings.favourites
            item.setCheckState(0, Qt.CheckState.Checked if favourite else Qt.CheckState.Unchecked)
            self.rows.addTopLevelItem(item)
        self.rows.blockSignals(False)
        rows = [self.rows.topLevelItem(number) for number in range(self.rows.topLevelItemCount())]
        first = next((row for row in rows if row is not None and row.data(0, ID) == kept), rows[0] if rows else None)
        if first is not None:
            self.rows.setCurrentItem(first)
        if self.plugins.found is None:
            done, total = self.plugins.going
            count = f" {done} of {total} bundles read." if total else ""
            self.status.setText(f"Looking for plugins…{count}")
        elif self.plugins.fault:
            self.status.setText(self.plugins.fault)
        elif not every:
            self.status.setText(
                "No plugins found. LV2 plugins are in ~/.lv2 and /usr/lib/lv2, VST3 plugins in ~/.vst3 and "
                "/usr/lib/vst3."
            )
        else:
            self.status.setText(f"{len(shown)} of {len(every)}. Parameters become lanes, presets become states.")
        self._follow()

    def _follow(self) -> None:
        ok = self.box.button(QDialogButtonBox.StandardButton.Ok)
        if ok is not None:
            ok.setText("Add")
            ok.setEnabled(self.chosen is not None)

    def _favour(self, item: QTreeWidgetItem) -> None:
        rest = [uri for uri in self.settings.favourites if uri != item.data(0, ID)]
        ticked = item.checkState(0) == Qt.CheckState.Checked
        self.settings.favourites = [*rest, item.data(0, ID)] if ticked else rest

    def _take_first(self) -> None:
        self.accept()
