# SPDX-License-Identifier: GPL-3.0-or-later
"""The Devices panel: a track's source and its chain of devices."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFormLayout, QHBoxLayout, QListWidget, QListWidgetItem, QToolButton, QVBoxLayout, QWidget

from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.device_kind import Preset
from zolvek.core.model.project import Device, Project, Track
from zolvek.studio.commands.devices import apply_preset
from zolvek.studio.services.context import Studio
from zolvek.studio.session.chosen import add_device
from zolvek.studio.session.favourite_presets import favourites_first, is_favourite, toggle
from zolvek.studio.toolkit.refreshing import RefreshWhileShown
from zolvek.studio.toolkit.widgets import (
    button,
    choice,
    column,
    field_label,
    form,
    heading,
    note,
    pick,
    searched,
)

DEVICE = Qt.ItemDataRole.UserRole
SIDES = 2  # outputs of most plugins
FROM_FILE, PLUGIN = "from a file", "a plugin"


class DevicesPanel(QWidget):
    def __init__(self, studio: Studio) -> None:
        super().__init__()
        session, actions = studio.session, studio.action
        self.studio = studio
        self.session, self.action = session, actions
        self.shown: object = None
        layout = column(self)
        layout.addWidget(heading("Devices"))
        self.track = choice([], "Track", self._choose_track)
        fields = form()
        fields.addRow(field_label("Track"), self.track)
        layout.addLayout(fields)
        self.source = note()
        layout.addWidget(self.source)
        self._buttons(
            layout,
            (("Add track…", "add-track"), ("Sound file…", "sound-file")),
            (("Send track…", "add-return"), ("Remove…", "remove-track")),
        )
        layout.addWidget(field_label("Device chain"))
        self.chain = QListWidget()
        self.chain.setAccessibleName("Devices of the track")
        self.chain.setMinimumHeight(76)
        self.chain.currentItemChanged.connect(self._choose_device)
        layout.addWidget(self.chain, 1)
        self._buttons(
            layout,
            (("Earlier", "device-up"), ("Later", "device-down")),
            (("Bypass", "bypass-device"), ("Remove…", "remove-device")),
        )
        self.hosted = QWidget()  # what plugins have alone
        own = QVBoxLayout(self.hosted)
        own.setContentsMargins(0, 0, 0, 0)
        self._buttons(own, (("Own window", "plugin-window"), ("Side-chain…", "side-chain")))
        self.further = QWidget()  # what few plugins have
        further = QVBoxLayout(self.further)
        further.setContentsMargins(0, 0, 0, 0)
        self._buttons(further, (("Plugin file…", "plugin-file"), ("Output tracks", "output-tracks")))
        own.addWidget(self.further)
        layout.addWidget(self.hosted)
        rows = [(kind.name, key) for key, kind in DEVICE_KINDS.items()]
        self.kinds = choice([("Add a device…", ""), ("A plugin…", PLUGIN), *rows, ("From a description…", FROM_FILE)],
                            "Add a device", self._add)  # fmt: skip
        self.kinds.setMaxVisibleItems(20)
        layout.addWidget(self.kinds)
        layout.addLayout(self._preset_row())
        self.about = note()
        layout.addWidget(self.about)
        RefreshWhileShown(self, self.refresh, (session.document.changed, session.focus.changed, session.shown.changed))
        self.refresh()

    def _preset_row(self) -> QFormLayout:
        """The presets of the device that is shown, and the mark of a favourite."""
        self.presets = searched(choice([], "Preset", self._apply_preset))
        self.filled: tuple[Preset, ...] | None = None  # presets that are listed
        self.marked: list[str] = []  # and the favourites as they were then
        presets = form()
        self.star = QToolButton()
        self.star.setText("★")
        self.star.setCheckable(True)
        self.star.setAccessibleName("Favourite preset")
        self.star.setToolTip("Lists the chosen preset first, in every project")
        self.star.clicked.connect(self._mark)
        chosen = QHBoxLayout()
        chosen.setSpacing(4)
        chosen.addWidget(self.presets, 1)
        chosen.addWidget(self.star)
        presets.addRow(field_label("Preset"), chosen)
        return presets

    def _buttons(self, layout: QVBoxLayout, *rows: tuple[tuple[str, str], ...]) -> None:
        """Buttons of actions under shorter texts, a row each; they rest when their actions do."""
        for row in rows:
            line = QHBoxLayout()
            for text, key in row:
                action = self.action(key)
                result = button(text, action.trigger, tip=action.toolTip())
                result.setEnabled(action.isEnabled())
                action.changed.connect(lambda a=action, b=result: b.setEnabled(a.isEnabled()))
                line.addWidget(result)
            layout.addLayout(line)

    @property
    def owner(self) -> Track | None:
        """The track whose chain is shown."""
        return self.session.shown.track

    def refresh(self) -> None:
        """Show the track and its devices."""
        session, track = self.session, self.owner
        tracks = [(t.name, t.id) for t in session.project.tracks]
        state = (tracks, track and (track.devices, track.clips, track.takes_sends, len(track.notes)),
                 session.shown.device)  # fmt: skip
        if state == self.shown:
            return
        self.shown = state
        self.track.clear()
        for text, key in tracks:
            self.track.addItem(text, key)
        self.chain.blockSignals(True)
        self.chain.clear()
        if track is None:
            self.source.setText("No tracks yet.")
            self.chain.blockSignals(False)
            self._show_device(None)
            return
        pick(self.track, track.id)
        self.source.setText(_source(session.project, track))
        for device in track.devices:
            item = QListWidgetItem(device.name + ("  (bypassed)" if device.bypassed else ""))
            item.setData(DEVICE, device.id)
            item.setToolTip(device.row.about)
            self.chain.addItem(item)
            if device.id == session.shown.device:
                self.chain.setCurrentItem(item)
        self.chain.blockSignals(False)
        self._show_device(next((d for d in track.devices if d.id == session.shown.device), None))

    def _show_device(self, device: Device | None) -> None:
        self.presets.setEnabled(bool(device and device.row.presets))
        plugin = device.row.plugin if device is not None else None
        self.hosted.setVisible(plugin is not None)
        self.further.setVisible(plugin is not None and (bool(plugin.files) or len(plugin.outputs) > SIDES))
        missing = device is not None and device in self.studio.plugins.missing()
        gone = (
            f"Its plugin is not installed: {device.row.plugin.uri}. "
            if missing and device and device.row.plugin
            else ""
        )
        self.about.setText(gone + device.row.about + _files(device) if device else "")
        presets = device.row.presets if device is not None else ()
        marked = self.session.settings.plugins.favourite_presets
        if presets is not self.filled or marked != self.marked:
            self.filled, self.marked = presets, list(marked)
            self.presets.clear()
            self.presets.addItem("Choose…", "")
            for preset, favourite in favourites_first(self.session.settings.plugins, device.row) if device else ():
                self.presets.addItem(f"★ {preset.name}" if favourite else preset.name, preset.name)
        if device is not None:
            standing = (p.name for p in presets if device.row.stands_at(p, device.position))
            pick(self.presets, next(standing, ""))
        self._show_star(device)

    def _show_star(self, device: Device | None) -> None:
        preset = str(self.presets.currentData() or "")
        self.star.setEnabled(device is not None and bool(preset))
        marked = device is not None and is_favourite(self.session.settings.plugins, device.row, preset)
        self.star.setChecked(marked)

    def _mark(self) -> None:
        """The chosen preset among the favourites, or no longer."""
        device = (
            next((d for d in self.owner.devices if d.id == self.session.shown.device), None) if self.owner else None
        )
        preset = str(self.presets.currentData() or "")
        if device is not None and preset:
            marked = toggle(self.session.settings.plugins, device.row, preset)
            self.session.notices.say(f"{preset} is {'a favourite' if marked else 'not a favourite any more'}.")
            self._show_device(device)
            pick(self.presets, preset)
            self._show_star(device)

    def _choose_track(self, key: object) -> None:
        self.session.shown.show_track(str(key))

    def _choose_device(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.session.shown.show(item.data(DEVICE))

    def _add(self, kind: object) -> None:
        pick(self.kinds, "")
        if kind == PLUGIN:
            self.action("add-plugin").trigger()
        elif kind == FROM_FILE:
            self.action("describe-device").trigger()
        elif kind and self.owner is not None:
            owner = self.owner.id
            self.session.notices.attempt(lambda: add_device(self.session, owner, DEVICE_KINDS[str(kind)]))

    def _apply_preset(self, name: object) -> None:

        device = self.session.shown.device
        if name and device:
            self.session.notices.attempt(lambda: apply_preset(self.session, device, str(name)))


def _files(device: Device) -> str:
    """The files that a plugin has, in words."""
    plugin = device.row.plugin
    names = plugin.files if plugin is not None else {}
    return "".join(f"\n{names.get(key, key)}: {Path(file).name}" for key, file in device.files.items())


def _source(project: Project, track: Track) -> str:
    """What the track plays."""
    if track.output is not None:
        first = 2 * track.output.pair + 1
        name = project.device_track(track.output.device).device(track.output.device).name
        return f"Plays outputs {first} and {first + 1} of {name}."
    files = [Path(clip.file.removeprefix("shipped:")).name for clip in track.clips]
    parts = [f"{len(track.notes)} notes"] if track.notes else []
    parts += [f"the sound file {name}" for name in dict.fromkeys(files)]
    if track.takes_sends:
        parts.append("what other tracks send")
    return f"Plays {' and '.join(parts)}." if parts else "No notes or clips yet."
