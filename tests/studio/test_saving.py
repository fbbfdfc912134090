# SPDX-License-Identifier: GPL-3.0-or-later
"""Unsaved work in the window: kept within seconds, brought back, never written over unasked."""

from __future__ import annotations

import time
import unittest
from typing import Any
from unittest import mock

from tests.present import present
from tests.studio.driver import WindowTest
from zolvek.core.curve.construction import flat
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.formats.project import project_file, recovery
from zolvek.studio.app import crash_report
from zolvek.studio.commands import points


class Keeping(WindowTest):
    def setUp(self) -> None:
        super().setUp()
        self.path = self.folder / "piece.zolvek"
        self.addCleanup(recovery.release)

    def test_an_edit_is_kept_within_five_seconds_and_comes_back_after_a_crash(self) -> None:
        demo = self.session.project
        self.studio.autosave.begin()
        self.session.edit_curve("Level", flat(0.25))
        edited = self.session.project
        self.assertNotEqual(edited, demo)
        end = time.monotonic() + 5
        while not recovery.copy_file().is_file() and time.monotonic() < end:
            self.wait(50)
        self.studio.autosave.wait()
        mine = recovery.copy_file()
        mine.rename(mine.with_name("1.json"))  # another's now
        recovery.release()
        self.show(demo, None)  # as a new start would
        self.ask.yes = True
        with (
            mock.patch.object(recovery, "abandoned", return_value=True),
            mock.patch.object(self.studio.files, "may_leave", return_value=True),
        ):
            self.studio.files.offer_left()
        self.assertIn("unexpectedly", self.ask.asked[0])
        self.assertEqual(self.session.project, edited)
        self.assertTrue(self.session.document.modified)
        with self.assertRaises(ZolvekError):
            points.reset(self.session)  # nothing of it was ever saved
        self.assertTrue(self.studio.files.save_to(self.path))
        self.assertEqual(project_file.load(self.path), edited)
        self.assertFalse(recovery.copy_file().exists())

    def test_steady_edits_are_kept_as_soon_as_the_disk_lets_them(self) -> None:
        """What is edited while a copy is being written is written right after it, not after a
        rest that never comes."""
        kept = []

        def slowly(project: Project, path: Any) -> Any:
            time.sleep(0.25)
            kept.append(project)

        keeper = self.studio.autosave
        keeper.begin()
        with mock.patch.object(recovery, "keep", slowly):
            self.session.edit_curve("One", flat(0.1))
            keeper.keep()
            for level in (0.2, 0.3, 0.4):
                self.session.edit_curve("More", flat(level))
                keeper.keep()
            self.until(lambda: len(kept) == 2)
            self.assertEqual(float(kept[1].lane(present(self.session.focus.id)).curve.value[0]), 0.4)
            keeper.keep()
            self.wait(300)
            self.assertEqual(len(kept), 2, "what is kept is not written again")

    def test_a_file_changed_by_others_is_not_written_over_unasked(self) -> None:
        self.assertTrue(self.studio.files.save_to(self.path))
        self.path.write_text("theirs")
        self.studio.files.check_disk()
        self.studio.files.check_disk()  # given once
        self.assertEqual(len(self.errors), 1)
        self.assertIn("changed the file", self.errors.pop().what)
        self.path.write_text("theirs again")
        self.assertFalse(self.studio.files.save_to(self.path))
        self.assertEqual(len(self.ask.asked), 1)
        self.assertEqual(self.path.read_text(), "theirs again")
        self.ask.yes = True
        self.assertTrue(self.studio.files.save_to(self.path))
        texts = [file.read_text() for file in recovery.backup_folder(self.path).iterdir()]
        self.assertIn("theirs again", texts)

    def test_a_save_that_fails_leaves_the_work_and_asks_for_another_place(self) -> None:
        self.assertTrue(self.studio.files.save_to(self.path))
        self.session.edit_curve("Level", flat(0.25))
        with (
            mock.patch.object(self.studio.files, "save_as", return_value=False) as elsewhere,
            mock.patch("os.replace", side_effect=OSError(28, "No space left on device")),
        ):
            self.assertFalse(self.studio.files.save())
        elsewhere.assert_called_once()
        self.assertIn("space", self.errors.pop().what)
        self.assertTrue(self.session.document.modified)
        self.assertNotEqual(project_file.load(self.path), self.session.project)

    def test_a_report_of_a_fault_has_nothing_of_the_persons(self) -> None:
        try:
            project_file.decode(b'{"secret": 1}', "/home/me/my song.zolvek")
        except ZolvekError as error:
            text = crash_report.report(type(error), error, error.__traceback__)
        self.assertIn("zolvek/formats/project/project_file.py, line", text)
        self.assertNotIn("song", text)
        self.assertNotIn("secret", text)


if __name__ == "__main__":
    unittest.main()
