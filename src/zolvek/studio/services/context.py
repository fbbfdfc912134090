# SPDX-License-Identifier: GPL-3.0-or-later
"""The studio: what one window offers to actions, commands and panels."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtGui import QAction

from zolvek.core.model.project import Project
from zolvek.studio.services.files.autosave import Autosave
from zolvek.studio.services.files.exports import Exports
from zolvek.studio.services.files.imports import Media
from zolvek.studio.services.files.project_files import Files
from zolvek.studio.services.io.midi_io import MidiIO
from zolvek.studio.services.io.osc_link import OscLink
from zolvek.studio.services.io.sync_link import SyncLink
from zolvek.studio.services.playback.loudness_match import EqualLoudness
from zolvek.studio.services.playback.player import Player
from zolvek.studio.services.plugins.plugin_list import Plugins
from zolvek.studio.services.plugins.plugin_windows import PluginWindows
from zolvek.studio.services.recording.note_recorder import NoteRecorder
from zolvek.studio.services.recording.recorder import Recorder
from zolvek.studio.services.sounds.hit_marks import Hits
from zolvek.studio.services.sounds.sound_files import Sounds
from zolvek.studio.session.asking import Ask, Show
from zolvek.studio.session.session import Session
from zolvek.studio.session.settings import Settings
from zolvek.studio.toolkit.viewport import Viewport


class Studio:
    """The session (what is held), the services that work for it, and the window as what can be asked
    (`ask`) and what shows things (`show`, there once there is a window)."""

    show: Show

    def __init__(self, project: Project, settings: Settings, ask: Ask, path: Path | None = None) -> None:
        self.session = Session(project, settings, path)
        self.ask = ask
        self.view = Viewport(project.length)
        self.player = Player(self.session)
        self.sounds = Sounds(self.session)
        self.hits = Hits(self.session, self.sounds)
        self.loudness = EqualLoudness(self.session, self.player)
        self.recorder = Recorder(self.session, self.player)
        self.midi_io = MidiIO(self.session, self.player)
        self.osc = OscLink(self.session, self.player, self.midi_io)
        self.sync_link = SyncLink(self.session, self.player, self.midi_io)
        self.notes = NoteRecorder(self.session, self.player, self.midi_io)
        self.autosave = Autosave(self.session)
        self.exports = Exports(self.session, ask)
        self.plugins = Plugins(self.session, self.exports)
        self.plugin_windows = PluginWindows(self.session, self.midi_io)
        self.media = Media(self.session, ask, self.exports)
        self.files = Files(self.session, ask, self.recorder, self.autosave, self.exports)
        self.session.document.changed.connect(self._fit_view)
        self.opened = self.session.document.opened

    def action(self, key: str) -> QAction:
        """The window's action of this id, to be bound to buttons."""
        return self.show.action(key)

    def _fit_view(self) -> None:
        """The view keeps within the project; another document is shown whole."""
        document = self.session.document
        self.view.set_length(document.project.length)
        if document.opened is not self.opened:
            self.opened = document.opened
            self.view.show(0.0, document.project.length)

    def close(self) -> None:
        """End what is going on in the background."""
        self.exports.close()
        self.files.close()
        self.midi_io.close()
        self.osc.close()
        self.sync_link.close()
        self.loudness.close()
        self.sounds.close()
        self.plugins.close()
        self.plugin_windows.close()
        self.player.close()
