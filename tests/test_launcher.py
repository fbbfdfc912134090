# SPDX-License-Identifier: GPL-3.0-or-later
"""The launcher: an environment that is whole or not there, libraries that are all named, and nothing
of the current folder that runs."""

from __future__ import annotations

import ast
import os
import signal
import subprocess
import sys
import tempfile
import time
import unittest
import zipfile
from pathlib import Path
from unittest import mock

from launcher import environment
from zolvek import system_libraries as libraries

ROOT = Path(__file__).resolve().parent.parent
PLUGINS = (
    "platforms/libqxcb.so", "platforms/libqwayland.so", "platforms/libqoffscreen.so",
    "platforms/libqminimal.so", "platformthemes/libqxdgdesktopportal.so", "platforminputcontexts/*",
    "iconengines/*", "imageformats/*", "multimedia/*", "xcbglintegrations/*", "wayland-*/*",
)  # fmt: skip
# The files of the packages that the process named on its command line loads, one a line.
LOADED = """
import importlib, sys
for name in sys.argv[1:]:
    importlib.import_module(name)
print(*sorted({line.split(None, 5)[5].strip() for line in open("/proc/self/maps") if ".so" in line}), sep="\\n")
"""


def imported() -> set[str]:
    """The modules of others that the program's source imports, anywhere in it."""
    found = set()
    for path in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            if isinstance(node, ast.Import):
                found |= {each.name for each in node.names}
            elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
                found.add(node.module)
    plain = {name for name in found if name.split(".")[0] not in sys.stdlib_module_names}
    return {name for name in plain if not name.startswith(("zolvek", "__future__"))}


def needed(file: Path) -> set[str]:
    """The libraries that a shared object names (its NEEDED entries)."""
    from elftools.elf.dynamic import DynamicSection
    from elftools.elf.elffile import ELFFile

    with file.open("rb") as stream:
        parts = [s for s in ELFFile(stream).iter_sections() if isinstance(s, DynamicSection)]
        return {vars(tag)["needed"] for part in parts for tag in part.iter_tags("DT_NEEDED")}


class Libraries(unittest.TestCase):
    def test_every_library_that_the_program_loads_is_there_or_in_the_list(self) -> None:
        """By `ldd` and by the NEEDED entries of what the program imports, and of Qt's plugins."""
        done = subprocess.run(
            [sys.executable, "-c", LOADED, *sorted(imported())],
            capture_output=True, text=True, check=True, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        )  # fmt: skip
        site = next(Path(name) for name in sys.path if name.endswith("site-packages"))
        files = {Path(name) for name in done.stdout.split("\n") if name.startswith(str(site))}
        self.assertGreater(len(files), 60)
        for plugin in PLUGINS:
            there = list((site / "PyQt6/Qt6/plugins").glob(plugin))
            self.assertTrue(there, plugin)
            files |= set(there)
        own = {path.name for path in site.rglob("*.so*")}
        # The libraries among the packages' files that those name in turn.
        by_name = {path.name: path for path in site.rglob("*.so*")}
        waiting = list(files)
        while waiting:
            for name in needed(waiting.pop()) & set(by_name):
                if by_name[name] not in files:
                    files.add(by_name[name])
                    waiting.append(by_name[name])
        named = {name for rows in libraries.LIBRARIES.values() for name in rows}
        gaps = {name: path.name for path in files for name in needed(path) - own - named - libraries.SYSTEM}
        self.assertEqual(gaps, {}, "not in src/zolvek/system_libraries.py")
        reported = subprocess.run(["ldd", *map(str, files)], capture_output=True, text=True, check=False)
        lost = {line.strip() for line in reported.stdout.splitlines() if "not found" in line}
        self.assertEqual({line for line in lost if line.split()[0] not in own}, set())

    def test_what_a_command_needs(self) -> None:
        for words, wanted in (
            (["lanes", "x"], [libraries.ALWAYS]),
            (["render", "x", "-o", "y.wav"], [libraries.ALWAYS, libraries.SOUND]),
            (["demo", "--write", "x"], [libraries.ALWAYS]),
            (["demo", "--write=x"], [libraries.ALWAYS]),
            (["render", "--help"], [libraries.ALWAYS]),
            (["picture", "x", "-o", "y.svg"], [libraries.ALWAYS]),
            (["picture", "x", "-o", "y.PNG"], [libraries.ALWAYS, libraries.WINDOW]),
            (["demo"], [libraries.ALWAYS, libraries.SOUND, libraries.WINDOW]),
            ([], [libraries.ALWAYS, libraries.SOUND, libraries.WINDOW]),
            (["song.zolvek"], [libraries.ALWAYS, libraries.SOUND, libraries.WINDOW]),
        ):
            self.assertEqual(libraries.needs(words), wanted, words)
        with (
            mock.patch.object(libraries, "known", lambda: "header\n\tlibz.so.1 (libc6) => x\n"),
            mock.patch.object(libraries, "_in_a_folder", lambda _: False),
        ):
            found = libraries.missing([libraries.ALWAYS])
            self.assertIn("apt-get install -y --no-install-recommends libgcc-s1 libstdc++6`", libraries.lack(["lanes"]))
        self.assertEqual(found, {libraries.ALWAYS: [("libstdc++6",), ("libgcc-s1",)]})


def wheel(folder: Path, name: str, code: str) -> None:
    """A package of one module, as a wheel (the binary distribution format, PEP 427)."""
    about = f"{name}-1.0.dist-info"
    with zipfile.ZipFile(folder / f"{name}-1.0-py3-none-any.whl", "w") as zip_file:
        zip_file.writestr(f"{name}.py", code)
        zip_file.writestr(f"{about}/METADATA", f"Metadata-Version: 2.1\nName: {name}\nVersion: 1.0\n")
        zip_file.writestr(f"{about}/WHEEL", "Wheel-Version: 1.0\nRoot-Is-Purelib: true\nTag: py3-none-any\n")
        zip_file.writestr(
            f"{about}/RECORD",
            f"{name}.py,,\n{about}/METADATA,,\n{about}/WHEEL,,\n{about}/RECORD,,\n",
        )


class SettingUp(unittest.TestCase):
    """The launcher next to a program of its own that says what it was started with."""

    def setUp(self) -> None:
        temporary = tempfile.TemporaryDirectory(prefix="zolvek set-up ")  # with a space in it
        self.addCleanup(temporary.cleanup)
        self.root = Path(temporary.name) / "check out"
        (self.root / "src" / "zolvek").mkdir(parents=True)
        for name in ("zolvek", "launcher"):
            (self.root / name).symlink_to(ROOT / name) if name == "launcher" else (self.root / name).write_bytes(
                (ROOT / name).read_bytes()
            )
        (self.root / "zolvek").chmod(0o755)
        for name in ("__init__.py", "system_libraries.py"):
            (self.root / "src" / "zolvek" / name).symlink_to(ROOT / "src" / "zolvek" / name)
        (self.root / "src" / "zolvek" / "__main__.py").write_text(
            "import one, sys; print('started', one.word, sys.argv[1:])\n"
        )
        (self.root / "requirements.lock").write_text("# what it needs\none==1.0\n")
        wheel(self.root, "one", "word = 'whole'")
        self.place = self.root / ".venv"
        self.env = {
            **os.environ, "PIP_NO_INDEX": "1", "PIP_FIND_LINKS": self.root.as_uri(), "PIP_CONFIG_FILE": os.devnull,
        }  # fmt: skip
        self.env.pop("PYTHONPATH", None)

    def start(self, **env: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run(
            [str(self.root / "zolvek"), "lanes"],
            capture_output=True,
            text=True,
            check=False,
            env={**self.env, **env},
            stdin=subprocess.DEVNULL,
        )

    def assert_whole(self) -> None:
        done = self.start()
        self.assertEqual((done.returncode, done.stdout), (0, "started whole ['lanes']\n"), done.stderr)
        left = {path.name for path in self.root.iterdir()} - {".venv", ".venv.lock"}
        self.assertFalse([name for name in left if name.startswith(".venv")], "half made things stay")

    def test_it_is_made_once_and_again_when_it_is_damaged(self) -> None:
        self.assert_whole()
        first = self.place.stat().st_ino
        self.assert_whole()
        self.assertEqual(self.place.stat().st_ino, first)
        locks = [self.root / "requirements.lock"]
        lib = next(self.place.glob("lib/*/site-packages"))
        for part in (self.place / "bin" / "python", self.place / environment.STAMP, lib):
            away = part.rename(self.root / "away")
            self.assertFalse(environment.whole(self.place, locks), part.name)
            away.rename(part)
        (lib / "one-1.0.dist-info" / "RECORD").unlink()
        self.assert_whole()
        self.assertNotEqual(self.place.stat().st_ino, first)
        more = self.root / "requirements-dev.lock"
        more.write_text("two==1.0\n")
        wheel(self.root, "two", "")
        kept = next(self.place.glob("lib/*/site-packages")) / "one.py"
        with mock.patch.dict(os.environ, self.env), mock.patch("launcher.environment.say"):
            environment.ready(self.root, [*locks, more])
        self.assertTrue((kept.with_name("two.py")).is_file())
        self.assertEqual(kept.read_text(), "word = 'whole'")
        self.assert_whole()

    def test_another_build_of_python_leaves_it_whole_and_one_in_use_stays(self) -> None:
        """The launcher's Python may be updated beneath it; what runs from an environment keeps it."""
        self.assert_whole()
        locks = [self.root / "requirements.lock"]
        with mock.patch.object(sys, "version", "3.11.99 (another build)"):
            self.assertTrue(environment.whole(self.place, locks))
        first = self.place.stat().st_ino
        (self.root / "src" / "zolvek" / "__main__.py").write_text(
            "import sys; print('runs', flush=True); sys.stdin.read(); import one; print(one.word)\n"
        )
        with subprocess.Popen(
            [str(self.root / "zolvek"), "lanes"],
            env=self.env,
            text=True,
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
        ) as running:
            assert running.stdout is not None and running.stdin is not None
            self.assertEqual(running.stdout.readline(), "runs\n")
            more = self.root / "requirements-dev.lock"
            more.write_text("two==1.0\n")
            wheel(self.root, "two", "")
            with mock.patch.dict(os.environ, self.env), mock.patch("launcher.environment.say"):
                environment.ready(self.root, [*locks, more])
            self.assertEqual(self.place.stat().st_ino, first)
            locks[0].write_text("one==1.0\n# another list\n")
            refused = self.start()
            self.assertEqual(refused.returncode, 1)
            self.assertIn("a program runs from it: close that", refused.stderr)
            self.assertEqual(self.place.stat().st_ino, first)
            running.stdin.close()
            self.assertEqual(running.stdout.read(), "whole\n")
        self.assertIn("runs", self.start().stdout)
        self.assertNotEqual(self.place.stat().st_ino, first)

    def test_of_two_first_starts_one_waits_for_the_other(self) -> None:
        both = [
            subprocess.Popen(
                [str(self.root / "zolvek"), "lanes"],
                env=self.env,
                text=True,
                stdin=subprocess.DEVNULL,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
            )
            for _ in range(2)
        ]
        ends = [each.communicate() for each in both]
        self.assertEqual([out for out, _ in ends], ["started whole ['lanes']\n"] * 2)
        reported = "".join(err for _, err in ends)
        self.assertEqual(reported.count("Setting up a private environment"), 1, reported)
        self.assertEqual(reported.count("Another start is setting up; waiting for it."), 1, reported)

    def test_where_a_checkout_can_bear_none_it_is_in_the_cache(self) -> None:
        cache = self.root / "cache"
        with mock.patch.dict(os.environ, XDG_CACHE_HOME=str(cache)):
            self.assertEqual(environment.folder(self.root / "a:b").parent, cache / "zolvek")

    def test_a_start_that_is_interrupted_leaves_nothing_or_is_made_again(self) -> None:
        """It is interrupted while it installs: a package that is a pipe keeps it waiting for as long as it takes."""
        lock, pipe = self.root / "requirements.lock", self.root / "slow-1.0-py3-none-any.whl"
        good = lock.read_text()
        for sign in (signal.SIGINT, signal.SIGKILL):
            os.mkfifo(pipe)
            lock.write_text(good + "slow==1.0\n")
            going = subprocess.Popen(
                [str(self.root / "zolvek"), "lanes"],
                env=self.env,
                start_new_session=True,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                text=True,
            )
            half = self.root / ".venv.new"
            while not (half / "pyvenv.cfg").exists() and going.poll() is None:
                time.sleep(0.01)
            self.assertIsNone(going.poll(), "it waits for the package")
            os.killpg(going.pid, sign)
            _, errors = going.communicate()
            pipe.unlink()
            lock.write_text(good)
            self.assertFalse(self.place.exists())
            if sign is signal.SIGINT:
                self.assertEqual(going.returncode, 130)
                self.assertIn("Stopped; nothing half made was left", errors)
            self.assertEqual(half.exists(), sign is signal.SIGKILL)
        self.assert_whole()

    def test_each_failure_is_distinguished_with_its_remedy(self) -> None:
        (self.root / "requirements.lock").write_text("one==1.0\nnonesuch==9.9\n")
        done = self.start()
        self.assertEqual(done.returncode, 1)
        self.assertIn("The package nonesuch==9.9 can't be had", done.stderr)
        nobody = {
            "PIP_NO_INDEX": "0",
            "PIP_INDEX_URL": "http://127.0.0.1:9/simple",
            "PIP_RETRIES": "1",
        }
        done = self.start(**nobody)
        self.assertIn("The package index can't be reached", done.stderr)
        self.assertNotIn("Traceback", done.stderr)
        self.assertFalse(self.place.exists())
        for reported, what in (
            ("OSError: [Errno 28] No space left on device", "The disk is full: make"),
            ("PermissionError: [Errno 13] Permission denied: '/x'", "The folder can't be written"),
            ("No module named ensurepip", "Python's module ensurepip is missing"),
            ("ERROR: something else\n", "could not be set up (ERROR: something else)"),
        ):
            self.assertIn(what, environment.fault(reported, self.place))
        with (
            mock.patch("importlib.util.find_spec", lambda _: None),
            mock.patch("launcher.packages.may_install", lambda: False),
            mock.patch("launcher.environment.stop", side_effect=SystemExit) as said,
            self.assertRaises(SystemExit),
        ):
            environment._need_venv()
        self.assertIn("apt-get install -y python3-venv", said.call_args[0][0])
        with (
            mock.patch.dict(os.environ, HOME="/nonexistent"),
            mock.patch("launcher.environment.stop", side_effect=SystemExit) as said,
            self.assertRaises(SystemExit),
        ):
            environment.home()
        self.assertIn("set HOME to a folder of yours", said.call_args[0][0])


class Damage(unittest.TestCase):
    """What a start makes of errors: a damaged package is not a missing library, nor a fault of ours."""

    def test_only_what_is_of_the_environment_is_damage(self) -> None:
        from types import ModuleType

        from zolvek.__main__ import damaged

        def raised(code: str, **names: object) -> Exception:
            try:
                exec(code, names)
            except Exception as error:
                return error
            raise AssertionError(code)

        inside = str(Path(sys.prefix) / "lib" / "x.py")
        for error, wanted in (
            (raised("import no_such_package_at_all"), True),
            (raised("from click import no_such_name"), True),
            (raised("click.group", click=ModuleType("click")), True),
            (raised("own.thing", own=ModuleType("zolvek.core")), False),
            (raised("from zolvek import no_such_name"), False),
            (raised("None.x"), False),
            (ImportError("libEGL.so.1: cannot open shared object file: No such file", name="PyQt6"), False),
            (SyntaxError("invalid syntax", (inside, 1, 1, "x")), True),
            (SyntaxError("invalid syntax", ("/elsewhere/x.py", 1, 1, "x")), False),
        ):  # fmt: skip
            self.assertEqual(damaged(error), wanted, repr(error))


class ForeignCode(unittest.TestCase):
    """Modules that lie in the current folder, or on PYTHONPATH, are never the program's."""

    def setUp(self) -> None:
        temporary = tempfile.TemporaryDirectory()
        self.addCleanup(temporary.cleanup)
        self.folder = Path(temporary.name)
        for name in (
            "msgspec",
            "numpy",
            "pedalboard",
            "click",
            "json",
            "zolvek",
            "hashlib",
            "encodings",
        ):
            (self.folder / f"{name}.py").write_text(
                f"open({str(self.folder / 'ran')!r}, 'a').write({name!r})\nraise SystemExit(66)\n"
            )

    def test_neither_the_launcher_nor_a_command_runs_them(self) -> None:
        env = {
            **os.environ,
            "PYTHONPATH": str(self.folder),
            "PYTHONSTARTUP": str(self.folder / "json.py"),
        }
        for words in (["lanes", "none.zolvek"], ["demo", "--write", "demo.zolvek"]):
            done = subprocess.run(
                [str(ROOT / "zolvek"), *words],
                cwd=self.folder,
                env=env,
                capture_output=True,
                text=True,
                check=False,
            )
            self.assertFalse((self.folder / "ran").exists(), done.stderr)
            self.assertIn(done.returncode, (0, 2), done.stderr)
        done = subprocess.run(
            [str(ROOT / "zolvek"), "render", "demo.zolvek", "--to", "2", "-o", "x.wav"], cwd=self.folder, env=env,
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertFalse((self.folder / "ran").exists())

    def test_nor_do_the_processes_beside_the_window(self) -> None:
        from zolvek.storage.python_process import command

        here = os.getcwd()
        self.addCleanup(os.chdir, here)
        os.chdir(self.folder)
        for module in (
            "zolvek.sound.processes.render_worker",
            "zolvek.sound.processes.job_process",
        ):
            done = subprocess.run(command(module), input=b"", capture_output=True, check=False, timeout=120)
            self.assertEqual(done.returncode, 0, done.stderr)
            self.assertFalse((self.folder / "ran").exists())


if __name__ == "__main__":
    unittest.main()
