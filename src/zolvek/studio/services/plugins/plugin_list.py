# SPDX-License-Identifier: GPL-3.0-or-later
"""Installed plugins, as the window knows them: looked for in a process next to it, when they are asked for."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.edits import plugin_update, plugins
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Device
from zolvek.studio.services.files.exports import Exports
from zolvek.studio.services.tasks.background_job import Background
from zolvek.studio.session.chosen import shown_track
from zolvek.studio.session.favourite_controls import kept
from zolvek.studio.session.session import Session

if TYPE_CHECKING:
    from zolvek.core.model.device_kind import DeviceKind
    from zolvek.sound.hosting.plugin.plugin_entry import PluginEntry
    from zolvek.sound.jobs.plugin_listing import PluginListing

LISTING_JOB = "zolvek.sound.jobs.plugin_listing:job"
ADDING_JOB = "zolvek.sound.hosting.catalogue.installed:add"
MOST_RECENT = 8
MOST_LINES = 4  # of what has changed, in one message


class Plugins(QObject):
    """`found`: all there are, once they have been looked for; `fault` says why they could not be."""

    changed = pyqtSignal()

    def __init__(self, session: Session, exports: Exports) -> None:
        super().__init__()
        self.session, self.exports = session, exports
        self.found: list[PluginEntry] | None = None
        self.fault = ""
        self.listed: list[PluginEntry] = []  # found so far, while it is looked
        self.going = (0, 0)  # bundles read, of how many
        self.newest: list[PluginEntry] = []  # of the bundle that was picked last
        self.known = session.document.opened
        self.progress = False  # what this project misses has been said
        self.background = Background(self)
        self.background.done.connect(self._take)
        self.background.failed.connect(self._failed)
        self.background.progressed.connect(self._count)
        self.background.found.connect(self.listed.extend)
        self.opening = Background(self)  # of a bundle that was picked by hand
        self.opening.done.connect(self._take_beside)
        self.opening.failed.connect(lambda error: self._say_fault(error))
        session.document.changed.connect(self._follow)

    def look(self) -> None:
        """Look for what is installed: quick where nothing has changed since the last time."""
        if not self.background.busy:
            kinds: list[DeviceKind] = []
            for device in self._hosted():
                if device.row not in kinds:
                    kinds.append(device.row)
            self.listed.clear()
            self.going = 0, 0
            self.background.start(LISTING_JOB, tuple(kinds))

    def _count(self, done: int, total: int) -> None:
        self.going = done, total
        self.changed.emit()

    def look_in(self, folder: Path) -> None:
        """The plugins of a bundle that lies anywhere are listed too, from now on."""
        self.fault = f"Scanning {folder.name}…"
        self.changed.emit()
        self.opening.start(ADDING_JOB, str(folder))

    def _take_beside(self, every: list[PluginEntry]) -> None:
        known = {item.id for item in every}
        self.found = [*every, *(item for item in self.found or [] if item.id not in known)]
        self.fault, self.newest = "", every
        self.changed.emit()

    def _say_fault(self, error: ZolvekError) -> None:
        self.fault = f"{error.what} {error.remedy}".strip()
        self.changed.emit()

    def add(self, uri: str, name: str) -> None:
        """A plugin on the shown track, its presets as states, once it has been described in the background."""
        from zolvek.sound.jobs.plugin_description import describe_in_process

        track = shown_track(self.session).id
        settings = self.session.settings
        settings.plugins.recent = [uri, *(u for u in settings.plugins.recent if u != uri)][:MOST_RECENT]

        def added(kind: DeviceKind) -> None:
            session = self.session
            project, device = plugins.added(session.project, track, kind, kept(session.settings.plugins, kind))
            session.document.edit(f"Add {name}", project)
            session.shown.show(device)
            session.notices.say(f"{name} was added. Its presets are states in the Morph panel.")

        self.exports.run_for_project(f"Add {name}", lambda progress: describe_in_process(uri, progress), added)

    def update(self, device: Device) -> None:
        """The description of a device's plugin as it is installed, in place of the stored one."""
        from zolvek.sound.jobs.plugin_description import describe_in_process

        plugin = device.row.plugin
        assert plugin is not None

        def described(kind: DeviceKind) -> None:
            project = plugin_update.updated(self.session.project, device.id, kind)
            self.session.document.edit(f"Update {device.name}", project)
            self.session.notices.say(f"{device.name} has the installed description. Values and points are kept.")

        uri, notices = plugin.uri, self.session.notices
        self.exports.run_for_project(
            f"Update {device.name}",
            lambda progress: describe_in_process(uri, progress),
            lambda kind: notices.attempt(lambda: described(kind)),
        )

    def missing(self) -> list[Device]:
        """The project's devices whose plugins are not installed, as far as that is known."""
        if self.found is None:
            return []
        there = {item.id for item in self.found if not item.fault}
        return [device for device in self._hosted() if device.row.plugin and device.row.plugin.uri not in there]

    def _hosted(self) -> list[Device]:
        project = self.session.project
        devices = [device for track in project.tracks for device in track.devices]
        return [device for device in devices if device.row.plugin is not None]

    def _follow(self) -> None:
        """Another project that hosts plugins: are they there?"""
        if self.known is not self.session.document.opened:
            self.known, self.progress = self.session.document.opened, False
            if self._hosted():
                self.look()

    def _take(self, listed: PluginListing) -> None:
        self.found, self.fault = listed.found, " ".join(listed.faults)
        if not self.progress and self._hosted():
            self.progress = True
            self._report_missing()
            self._report_changed(listed.changed)
        self.changed.emit()

    def _report_missing(self) -> None:
        missing = self.missing()
        if missing:
            names = ", ".join(device.name for device in missing)
            self.session.notices.report(
                ZolvekError(
                    f"{len(missing)} plugin{'s are' if len(missing) > 1 else ' is'} not installed here.",
                    names,
                    "They are bypassed. Their lanes can still be edited.",
                )
            )

    def _report_changed(self, changed: list[tuple[str, list[str]]]) -> None:
        lines = [f"{name}: {line}" for name, changes in changed for line in changes]
        if lines:
            more = f" and {len(lines) - MOST_LINES} more" if len(lines) > MOST_LINES else ""
            self.session.notices.report(
                ZolvekError(
                    "Some plugins have changed since the project was saved.",
                    " ".join(lines[:MOST_LINES]) + more,
                    "Parameter values are kept, and so are lanes of removed parameters.",
                )
            )

    def _failed(self, error: ZolvekError) -> None:
        self.found = []
        self._say_fault(error)

    def close(self) -> None:
        """End the scan."""
        self.background.close()
        self.opening.close()
