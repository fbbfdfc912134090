# SPDX-License-Identifier: GPL-3.0-or-later
"""No work is lost: copies for after a crash, backups of saves, and locks."""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from tests import starts_processes
from zolvek.core.errors import ZolvekError
from zolvek.demo.night_regatta import build
from zolvek.formats import pattern_library
from zolvek.formats.project import recovery
from zolvek.storage import process_identity

# Writes a copy as the program does, over and over, until it is killed.
KEEPS_ON = """
from zolvek.demo.night_regatta import build
from zolvek.formats.project import recovery
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

    @starts_processes
    def test_a_copy_is_whole_whenever_the_program_is_killed(self) -> None:
        for lines in (1, 2, 5):
            writer = subprocess.Popen([sys.executable, "-c", KEEPS_ON], stdout=subprocess.PIPE, text=True)
            assert writer.stdout is not None
            for _ in range(lines):
                self.assertEqual(writer.stdout.readline(), "kept\n")
            self.assertEqual(recovery.left_behind(), [], "its program still runs")
            writer.kill()
            writer.communicate()
            (left,) = recovery.left_behind()
            self.assertEqual(left.project, build())
            recovery.release(left.file)
        self.assertEqual(recovery.left_behind(), [])
        folder = recovery.copy_file().parent
        for half in folder.iterdir():
            os.utime(half, (1_000_000,) * 2)
        recovery.left_behind()
        self.assertEqual(list(folder.iterdir()), [], "nothing is left of the killed")

    def test_a_copy_that_is_broken_is_passed_over(self) -> None:
        path = recovery.keep(build(), self.folder / "mine.zolvek")
        whole = path.read_bytes()
        for part in (b"", whole[: len(whole) // 2], whole.replace(b"zolvek-recovery", b"other")):
            path.write_bytes(part)
            with mock.patch.object(recovery, "abandoned", return_value=True):
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
        self.assertNotEqual(recovery.backup_folder(path), recovery.backup_folder(self.folder / "b" / path.name))

    def test_quick_saves_are_backed_up_each(self) -> None:
        path = self.folder / "piece.zolvek"
        for turn in range(12):
            path.write_text(str(turn))
            os.utime(path, (1_000_000,) * 2)  # all at one time, by the clock of the file system
            recovery.back_up(path)
        kept = [file.read_text() for file in recovery.backup_folder(path).iterdir()]
        self.assertEqual(len(set(kept)), recovery.BACKUPS)

    def test_without_a_home_it_is_said_and_nothing_is_written_elsewhere(self) -> None:
        here = os.getcwd()
        self.addCleanup(os.chdir, here)
        os.chdir(self.folder)
        with mock.patch("os.path.expanduser", lambda path: path), mock.patch.dict(os.environ):
            for name in ("XDG_STATE_HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME"):
                os.environ.pop(name, None)
            self.assertEqual(recovery.left_behind(), [])
            self.assertEqual(len(pattern_library.load_all()[1]), 1)
            with self.assertRaises(ZolvekError) as reported:
                recovery.keep(build(), None)
            self.assertIn("HOME", reported.exception.remedy)
        self.assertFalse((self.folder / "~").exists())

    @starts_processes
    def test_a_file_is_open_in_one_program_at_a_time(self) -> None:
        path = self.folder / "piece.zolvek"
        code = (
            "from pathlib import Path; from zolvek.formats.project import recovery; "
            f"recovery.lock(Path({str(path)!r})); print(1, flush=True); input()"
        )
        other = subprocess.Popen([sys.executable, "-c", code], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True)
        assert other.stdout is not None
        other.stdout.readline()
        with self.assertRaises(ZolvekError) as reported:
            recovery.lock(path)
        self.assertIn(str(path), str(reported.exception.where))
        recovery.unlock(path)  # another's stays
        self.assertTrue(recovery.lock_file(path).is_file())
        other.kill()
        other.communicate()
        recovery.lock(path)  # a lock of a program that no longer runs holds nobody up
        recovery.unlock(path)
        self.assertFalse(recovery.lock_file(path).exists())

    def test_nothing_that_lies_in_a_locks_place_is_followed_waited_for_or_changed(self) -> None:
        path = self.folder / "piece.zolvek"
        target = self.folder / "precious"
        place = recovery.lock_file(path)
        for text in ("99999999999999999999999 host", "1 " + "x" * 9_999, "\udcff"):
            target.write_bytes(text.encode(errors="surrogateescape"))
            place.symlink_to(target)
            recovery.lock(path)  # without a lock, then
            recovery.unlock(path)
            self.assertTrue(place.is_symlink())
            self.assertEqual(target.read_bytes(), text.encode(errors="surrogateescape"))
            place.unlink()
            target.rename(place)
            recovery.lock(path)
            self.assertEqual(place.read_bytes(), text.encode(errors="surrogateescape"))
            recovery.unlock(path)
        for make in (os.mkfifo, os.mkdir):
            make(place)
            recovery.lock(path)
            recovery.unlock(path)
            self.assertTrue(place.exists())
            (os.rmdir if place.is_dir() else os.unlink)(place)

    def test_a_copy_is_reported_by_more_than_a_number(self) -> None:
        """After a restart, or in a container, numbers are given again: the copy is offered, and the new
        program writes over none."""
        old = recovery.keep(build(), None)
        text = old.read_text()
        recovery.release()
        folder = old.parent
        others = {
            f"{os.getpid()}-123-another-boot.json": text.replace(
                process_identity.own(), f"{os.getpid()}-123-another-boot"
            ),
            f"{os.getpid()}.json": text.replace(f'"{process_identity.own()}"', str(os.getpid())).replace(
                '"version":2', '"version":1'
            ),
        }
        for name, copy in others.items():
            self.assertNotEqual(copy, text)
            (folder / name).write_text(copy)
        # Of the one that bears a number alone: it was written before this process began.
        mine = time.time()
        head = json.loads(others[f"{os.getpid()}.json"])
        head["when"] = 1_000.0
        (folder / f"{os.getpid()}.json").write_text(json.dumps(head))
        self.assertEqual({left.file.name for left in recovery.left_behind()}, set(others))
        recovery.keep(build(), None)
        self.assertEqual({left.file.name for left in recovery.left_behind()}, set(others))
        self.assertEqual(len(list(folder.glob("*.json"))), 3)
        head["when"] = mine
        (folder / f"{os.getpid()}.json").write_text(json.dumps(head))
        self.assertEqual(len(recovery.left_behind()), 1, "its program may well run")
        for name in others:
            recovery.release(folder / name)
        recovery.release()
        self.assertEqual(list(folder.iterdir()), [])

    def test_damaged_copies_are_passed_over(self) -> None:
        good = recovery.keep(build(), None)
        text = good.read_text()
        recovery.release()
        folder = good.parent
        for number, data in enumerate((
            text.replace(f'"{process_identity.own()}"', "1e300").encode(),
            b"[" * 100_000, b"\xff\xfe{}", text[: len(text) // 2].encode(), b"",
            text.replace('"when"', '"when": NaN, "x"').encode(),
        )):  # fmt: skip
            (folder / f"{number}.json").write_bytes(data)
        os.mkfifo(folder / "77.json")
        (folder / "78.json").symlink_to("/dev/zero")
        (folder / "79.json").mkdir()
        self.assertEqual(recovery.left_behind(), [])
        # A number that no process has: the work in it is offered all the same.
        (folder / "80.json").write_text(text.replace(f'"{process_identity.own()}"', "9" * 400))
        self.assertEqual([left.file.name for left in recovery.left_behind()], ["80.json"])


if __name__ == "__main__":
    unittest.main()
