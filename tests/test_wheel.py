# SPDX-License-Identifier: GPL-3.0-or-later
"""The package as a wheel: built, put into an environment of its own, and used from there."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
LOOK = """
import os
from pathlib import Path
import zolvek
from PyQt6.QtTest import QTest
from zolvek.studio.app.application import start
app, window = start(None, demo=True)
window.complete()
QTest.qWait(200)
window.guide()
assert "site-packages" in zolvek.__file__, zolvek.__file__
print(window.windowTitle(), window.isVisible(), flush=True)
window.studio.player.ready().play(0.0)
import time
began = time.monotonic()
while not window.studio.player.playback.begun and time.monotonic() - began < 60:
    QTest.qWait(20)
print("heard", window.studio.player.playback.begun, flush=True)
window.close()
os._exit(0)
"""


class Wheel(unittest.TestCase):
    def test_it_is_whole_and_runs_from_an_environment_of_its_own(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            folder = Path(name)
            source = folder / "source"
            kept = shutil.ignore_patterns(".venv*", ".git", "__pycache__", "build", "*.egg-info", ".*_cache", "tests")
            shutil.copytree(ROOT, source, ignore=kept, symlinks=True)
            pip = [sys.executable, "-m", "pip", "--disable-pip-version-check", "-q"]
            env = {key: value for key, value in os.environ.items() if key != "PYTHONPATH"}
            subprocess.run(
                [*pip, "wheel", "--no-deps", "--no-build-isolation", "--no-index", "-w", name, str(source)],
                check=True,
                env=env,
                capture_output=True,
            )
            (wheel,) = folder.glob("*.whl")
            inside = set(zipfile.ZipFile(wheel).namelist())
            shipped = {
                str(path.relative_to(ROOT / "src"))
                for path in (ROOT / "src" / "zolvek").rglob("*")
                if path.is_file()
                and path.suffix
                in (
                    ".py",
                    ".json",
                    ".zolvek",
                    ".flac",
                    ".svg",
                    ".ttf",
                    ".otf",
                    ".md",
                    ".desktop",
                    ".xml",
                )
                and "screenshots" not in path.parts
            }
            self.assertEqual(shipped - inside, set(), "left out of the wheel")
            place = folder / "environment"
            subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(place)], check=True)
            (site,) = place.glob("lib/*/site-packages")
            # What it needs is lent by this environment, the program itself is not.
            own = next(each for each in sys.path if each.endswith("site-packages"))
            (site / "lent.pth").write_text(own)
            subprocess.run(
                [*pip, "--python", str(place), "install", "--no-deps", "--no-index", str(wheel)],
                check=True,
                env=env,
                capture_output=True,
            )
            homes = {f"XDG_{kind}_HOME": name for kind in ("CONFIG", "DATA", "STATE", "CACHE")}
            env |= {**homes, "QT_QPA_PLATFORM": "offscreen"}
            command = str(place / "bin" / "zolvek")

            def run(*words: str) -> str:
                done = subprocess.run(
                    [command, *words],
                    cwd=name,
                    env=env,
                    capture_output=True,
                    text=True,
                    check=False,
                )
                self.assertEqual(done.returncode, 0, (words, done.stderr))
                return done.stdout

            run("demo", "--write", "demo.zolvek")
            run("render", "demo.zolvek", "-o", "demo.wav", "--to", "3")
            self.assertGreater((folder / "demo.wav").stat().st_size, 100_000)
            run("picture", "demo.zolvek", "-o", "demo.png", "--lane", "horn.cutoff")
            self.assertIn("horn.cutoff", run("lanes", "demo.zolvek"))
            done = subprocess.run([str(place / "bin" / "python"), "-c", LOOK], cwd=name, env=env,
                                  capture_output=True, text=True, check=False, timeout=180)  # fmt: skip
            self.assertEqual(done.stdout, "Night Regatta — Zolvek True\nheard True\n", done.stderr)


if __name__ == "__main__":
    unittest.main()
