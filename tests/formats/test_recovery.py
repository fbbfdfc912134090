"""No work is lost: copies for after a crash, backups of saves, and locks."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
import unittest
from pathlib import Path
from unittest import mock

from zolvek.core.errors import ZolvekError
from zolvek.demo.night_regatta import build
from zolvek.formats import recovery

# Writes a copy as the program does, over and over, until it is killed.
KEEPS_ON = """
from zolvek.demo.night_regatta import build
from zolvek.formats import recovery
project = build()
while True:
    recovery.keep(project, None)
    print("kept", flush=True)
"""


class Recovery(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        state = mock.patch.dict(os.environ, XDG_STATE_HOME=folder.name)
        state.start()
        self.addCleanup(state.stop)

    def test_a_copy_is_whole_whenever_the_program_is_killed(self) -> None:
        for lines in (1, 2, 5):
            writer = subprocess.Popen(
                [sys.executable, "-c", KEEPS_ON], stdout=subprocess.PIPE, text=True
            )
            assert writer.stdout is not None
            for _ in range(lines):
                self.assertEqual(writer.stdout.readline(), "kept\n")
            self.assertEqual(recovery.left_behind(), [], "its program still runs")
            writer.kill()
            writer.communicate()
            (left,) = recovery.left_behind()
            self.assertEqual(left.project, build())
            recovery.let_go(left.file)
        self.assertEqual(recovery.left_behind(), [])
        folder = recovery.copy_file().parent
        for half in folder.iterdir():
            os.utime(half, (1_000_000,) * 2)
        recovery.left_behind()
        self.assertEqual(list(folder.iterdir()), [], "halves of the killed are swept up")

    def test_a_copy_that_is_broken_is_passed_over(self) -> None:
        path = recovery.keep(build(), self.folder / "mine.zolvek")
        whole = path.read_bytes()
        for part in (b"", whole[: len(whole) // 2], whole.replace(b"zolvek-recovery", b"other")):
            path.write_bytes(part)
            with mock.patch.object(recovery, "alive", return_value=False):
                self.assertEqual(recovery.left_behind(), [])

    def test_saves_are_backed_up_and_only_so_many(self) -> None:
        path = self.folder / "piece.zolvek"
        recovery.back_up(path)  # nothing to back up
        for turn in range(recovery.BACKUPS + 3):
            path.write_text(str(turn))
            os.utime(path, (1_000_000 + 60 * turn,) * 2)
            recovery.back_up(path)
        kept = sorted(recovery.backup_folder(path).iterdir())
        self.assertEqual([int(file.read_text()) for file in kept], list(range(3, 11)))
        self.assertNotEqual(
            recovery.backup_folder(path), recovery.backup_folder(self.folder / "b" / path.name)
        )

    def test_a_file_is_open_in_one_program_at_a_time(self) -> None:
        path = self.folder / "piece.zolvek"
        other = subprocess.Popen([sys.executable, "-c", "input()"], stdin=subprocess.PIPE)
        self.addCleanup(other.communicate)
        with mock.patch("os.getpid", return_value=other.pid):
            recovery.lock(path)
        with self.assertRaises(ZolvekError) as told:
            recovery.lock(path)
        self.assertIn(str(path), str(told.exception.where))
        recovery.unlock(path)  # another's stays
        self.assertTrue(recovery.lock_file(path).is_file())
        other.kill()
        other.wait()
        recovery.lock(path)  # a lock of a program that runs no more holds nobody up
        recovery.unlock(path)
        self.assertFalse(recovery.lock_file(path).exists())


if __name__ == "__main__":
    unittest.main()
