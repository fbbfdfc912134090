"""Installed plugins in the real window: found, added, their presets morphed, heard, and opened again."""

from __future__ import annotations

import unittest
from pathlib import Path
from unittest import mock

import soundfile
from PyQt6.QtTest import QTest

from tests.studio.driver import WindowTest
from zolvek.core.document.parts import with_track
from zolvek.core.model.source import Note
from zolvek.core.records import replace
from zolvek.formats.plugin_list import Listed
from zolvek.studio.plugin_dialog import PluginDialog

THERE = Path("/usr/lib/lv2/mda.lv2").is_dir()


@unittest.skipUnless(THERE, "mda-lv2 is not installed")
class Hosted(WindowTest):
    def test_a_synth_of_one_s_own_is_added_by_name_and_its_presets_move(self) -> None:
        session = self.session
        self.ask.words = "Keys"
        self.do("add-track")
        self.ask.accepts = True

        def pick(dialog: PluginDialog) -> None:
            self.until(lambda: self.studio.plugins.found is not None)
            QTest.keyClicks(dialog.search, "jx10")
            self.assertEqual(dialog.chosen, ("http://drobilla.net/plugins/mda/JX10", "MDA JX10"))

        self.ask.fill = pick
        self.do("add-plugin")
        self.until(lambda: session.project.tracks[-1].devices[0].row.plugin is not None)
        track = session.project.tracks[-1]
        device = track.devices[0]
        self.assertEqual(session.settings.recent_plugins, [device.row.plugin.uri])
        self.assertGreater(len([s for s in session.project.states if s.of(device.id)]), 8)
        notes = tuple(Note(float(b), 0.9, 50) for b in range(16))
        session.document.edit("Notes", with_track(session.project, replace(track, notes=notes)))
        session.touch(device.id, "vcf_freq")
        self.do("add-lane")
        self.click(8.0, 0.2)
        self.do("play")
        self.until(lambda: session.playhead.beat > 0.5)
        self.do("stop")
        session.settings.sound_tail = False
        session.span.choose((0.0, 4.0))
        session.settings.sound_selection = True
        out, saved = self.folder / "keys.wav", self.folder / "keys.zolvek"
        self.studio.deliveries.sound_to(out)
        self.until(lambda: out.exists() and self.studio.deliveries.working is None)
        self.assertGreater(abs(soundfile.read(out)[0]).max(), 0.01)
        self.assertTrue(self.studio.files.save_to(saved))
        with mock.patch.object(self.studio.plugins, "background") as background:
            background.busy = False
            self.studio.files.open_path(saved)
            background.start.assert_called_with("plugins", (device.row,))
        self.studio.plugins._take(Listed([], [("Keys", ["Cutoff is no longer there."])]))
        self.assertIn("Cutoff is no longer there.", self.errors.pop().where)
        self.assertIn("not installed", self.errors.pop().what)
        self.assertEqual(session.project.device_track(device.id).device(device.id).row, device.row)
        self.assertEqual(self.errors, [])


if __name__ == "__main__":
    unittest.main()
