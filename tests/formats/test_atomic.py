# SPDX-License-Identifier: GPL-3.0-or-later
"""Files are written whole or not at all: links, rights, devices, full disks, and ends halfway."""

from __future__ import annotations

import contextlib
import os
import signal
import stat
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path
from unittest import mock

from tests import starts_processes
from zolvek.core.errors import Failure, ZolvekError
from zolvek.storage import atomic, opening

CLI = [sys.executable, "-m", "zolvek"]


def writes_into(pid: int, folder: Path) -> bool:
    """Whether a process holds a file open in a folder, one without a name too."""
    for handle in Path(f"/proc/{pid}/fd").iterdir():
        with contextlib.suppress(OSError):
            if os.readlink(handle).startswith(str(folder)):
                return True
    return False


class Writing(unittest.TestCase):
    def setUp(self) -> None:
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)

    def test_a_link_stays_a_link_and_its_target_is_written(self) -> None:
        (self.folder / "far").mkdir()
        target, link = self.folder / "far" / "target", self.folder / "link"
        link.symlink_to("far/target")
        for word in (b"first", b"second"):  # the first time it leads to nothing yet
            atomic.write_bytes(link, word)
            self.assertTrue(link.is_symlink())
            self.assertEqual(target.read_bytes(), word)

    def test_rights_and_owner_stay_and_what_may_not_be_written_is_not(self) -> None:
        path = self.folder / "mine"
        old = os.umask(0o027)
        try:
            atomic.write_bytes(path, b"new")
        finally:
            os.umask(old)
        self.assertEqual(stat.S_IMODE(path.stat().st_mode), 0o640)
        path.chmod(0o604)
        if os.geteuid() == 0:
            os.chown(path, 12_345, 12_345)
        before = path.stat()
        atomic.write_bytes(path, b"again")
        after = path.stat()
        self.assertEqual((after.st_mode, after.st_uid), (before.st_mode, before.st_uid))
        path.chmod(0o444)
        with self.assertRaises(Failure):
            atomic.write_bytes(path, b"over it")
        self.assertEqual(path.read_bytes(), b"again")
        with self.assertRaises(ZolvekError):
            atomic.write_bytes(self.folder, b"a folder")

    def test_where_files_always_have_names_nothing_is_left_either(self) -> None:
        path = self.folder / "file"
        with mock.patch.object(atomic.os, "O_TMPFILE", 0):  # then a folder can't be opened to write
            atomic.write_bytes(path, b"named")
            with self.assertRaises(KeyboardInterrupt):
                atomic.written(path, mock.Mock(side_effect=KeyboardInterrupt))
        self.assertEqual(path.read_bytes(), b"named")
        self.assertEqual([each.name for each in self.folder.iterdir()], ["file"])

    @starts_processes
    def test_devices_are_written_into_and_a_full_disk_is_one_line(self) -> None:
        about = os.stat("/dev/null")
        demo = self.folder / "demo.zolvek"
        subprocess.run([*CLI, "demo", "--write", str(demo)], check=True)
        subprocess.run([*CLI, "demo", "--write", "/dev/null"], check=True)
        self.assertEqual(os.stat("/dev/null").st_rdev, about.st_rdev)
        self.assertTrue(stat.S_ISCHR(os.stat("/dev/null").st_mode))
        piped = subprocess.run([*CLI, "demo", "--write", "/dev/stdout"], check=True, stdout=subprocess.PIPE)
        self.assertEqual(piped.stdout, demo.read_bytes())
        for words in (
            ("demo", "--write", "/dev/full"),
            ("table", str(demo), "--step", "1", "-o", "/dev/full"),
        ):
            done = subprocess.run([*CLI, *words], capture_output=True, text=True, check=False)
            self.assertEqual((done.returncode, done.stderr.count("\n")), (1, 1), done.stderr)
        lines: tuple[tuple[str, ...], ...] = (
            ("schema",),
            ("lanes", str(demo)),
            ("sample", str(demo), "--lane", "horn.cutoff", "--step", "1"),
        )
        for line in lines:
            with open("/dev/full", "w") as full:
                done = subprocess.run([*CLI, *line], stdout=full, stderr=subprocess.PIPE, text=True, check=False)
            self.assertEqual((done.returncode, done.stderr.count("\n")), (1, 1), done.stderr)

    @starts_processes
    def test_a_render_that_is_ended_leaves_nothing(self) -> None:
        demo, out = self.folder / "demo.zolvek", self.folder / "out"
        out.mkdir()
        subprocess.run([*CLI, "demo", "--write", str(demo)], check=True)
        for number in (signal.SIGTERM, signal.SIGINT, signal.SIGKILL):
            going = subprocess.Popen(
                [*CLI, "render", str(demo), "-o", str(out / "x.wav"), "--rate", "192000"],
                stderr=subprocess.DEVNULL,
            )
            end = time.monotonic() + 60.0
            while not writes_into(going.pid, out):  # it takes far longer than that
                self.assertIsNone(going.poll())
                self.assertLess(time.monotonic(), end)
                time.sleep(0.02)
            going.send_signal(number)
            self.assertNotEqual(going.wait(20), 0)
            self.assertEqual(list(out.iterdir()), [], number)

    def test_only_files_are_read(self) -> None:
        fifo = self.folder / "fifo"
        os.mkfifo(fifo)
        for path in (fifo, self.folder, Path("/dev/zero"), self.folder / "none", Path("a\0b")):
            with self.assertRaises(ZolvekError):
                opening.read_bytes(path)
        large = self.folder / "large"
        large.write_bytes(b"x" * 100)
        with self.assertRaises(ZolvekError):
            opening.read_bytes(large, 99)


if __name__ == "__main__":
    unittest.main()
