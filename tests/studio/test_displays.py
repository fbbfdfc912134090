# SPDX-License-Identifier: GPL-3.0-or-later
"""The window on real display systems: X11 under Xvfb, Wayland under weston's headless backend. Driven by
mouse and keys from opening to a saved file."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path

DRIVING = """
import json, os, sys
from pathlib import Path
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtTest import QTest
from zolvek.studio.app import application as starting
application, window = starting.start(None, demo=True)
window.complete()
complaints = []
window.session.notices.notifier.listeners[:] = [lambda error: complaints.append(str(error))]
QTest.qWait(400)
lane, session = window.focus_lane, window.session
before = len(session.lane.curve)
spot = lane.plot.point(6.0, 0.9).toPoint()
QTest.mouseMove(lane, spot)
QTest.mouseClick(lane, Qt.MouseButton.LeftButton, pos=spot)
QTest.qWait(100)
after = len(session.lane.curve)
window.activateWindow()
active = QTest.qWaitForWindowActive(window, 3_000)
if active:
    QTest.keyClick(lane, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
else:  # a display without a keyboard
    window.action("undo").trigger()
undone = len(session.lane.curve)
for row in ("shape", "movement", "export"):
    window.action("step-" + row).trigger()
    QTest.qWait(30)
saved = window.studio.files.save_to(Path(sys.argv[1]))
picture = window.grab()
screen = application.primaryScreen().availableSize()
print(json.dumps({
    "platform": application.platformName(), "points": [before, after, undone], "saved": saved,
    "size": [window.width(), window.height()], "colours": len({picture.toImage().pixel(x, 300) for x in range(0, 1200,
    3)}),
    "complaints": complaints, "active": active, "visible": window.windowHandle().isExposed(),
}), flush=True)
window.close()
os._exit(0)
"""


class Displays(unittest.TestCase):
    def setUp(self) -> None:
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)
        self.folder.chmod(0o700)
        own = {f"XDG_{kind}_HOME": temporary.name for kind in ("CONFIG", "DATA", "STATE", "CACHE")}
        self.env = {**os.environ, **own, "XDG_RUNTIME_DIR": temporary.name}
        for name in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM"):
            self.env.pop(name, None)

    def serve(self, command: list[str], ready: Callable[[], object]) -> None:
        server = subprocess.Popen(
            command, env=self.env, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, pass_fds=()
        )
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        for _ in range(500):
            if ready():
                return
            self.assertIsNone(server.poll(), f"{command[0]} ended")
            time.sleep(0.02)
        self.fail(f"{command[0]} does not come up")

    def drive(self, platform: str, **env: str) -> None:
        path = self.folder / "piece.zolvek"
        done = subprocess.run(
            [sys.executable, "-c", DRIVING, str(path)], env={**self.env, "QT_QPA_PLATFORM": platform, **env},
            capture_output=True, text=True, check=False, timeout=120,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr[-2_000:])
        reported = json.loads(done.stdout.splitlines()[-1])
        self.assertEqual(reported["platform"], platform)
        before, after, undone = reported["points"]
        self.assertEqual((after, undone), (before + 1, before))
        self.assertTrue(reported["saved"] and reported["visible"])
        self.assertTrue(reported["active"] or platform == "wayland")
        self.assertEqual(reported["complaints"], [])
        self.assertGreater(reported["colours"], 5, "nothing is painted")
        self.assertLessEqual(reported["size"][0], 1280)
        self.assertGreater(path.stat().st_size, 10_000)

    @unittest.skipUnless(shutil.which("Xvfb"), "Xvfb is not installed")
    def test_the_window_works_on_x11(self) -> None:
        number = self.folder / "display"
        with number.open("wb") as reported:
            server = subprocess.Popen(
                ["Xvfb", "-displayfd", str(reported.fileno()), "-screen", "0", "1280x800x24", "-nolisten", "tcp"],
                stderr=subprocess.DEVNULL, pass_fds=(reported.fileno(),),
            )  # fmt: skip
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        for _ in range(500):
            if number.read_text().strip():
                break
            time.sleep(0.02)
        self.drive("xcb", DISPLAY=f":{number.read_text().strip()}")

    @unittest.skipUnless(shutil.which("weston"), "weston is not installed")
    def test_the_window_works_on_wayland(self) -> None:
        socket = self.folder / "zolvek-wayland"
        command = ["weston", "--backend=headless-backend.so", f"--socket={socket.name}", "--idle-time=0",
                   "--width=1280", "--height=800"]  # fmt: skip
        self.serve(command, socket.exists)
        self.drive("wayland", WAYLAND_DISPLAY=socket.name)


if __name__ == "__main__":
    unittest.main()
