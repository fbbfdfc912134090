"""What the launcher's developer commands do: test, check, bench, shots."""

from __future__ import annotations

import os
import subprocess
import sys
import unittest
import warnings
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "src")]
os.environ["PYTHONPATH"] = str(ROOT / "src")


def test(names: list[str]) -> int:
    """Run the tests (all, or those named); the last line counts them."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    warnings.simplefilter("error")
    if os.environ.get("CI"):
        # The same examples at every run; at a desk the search goes on for others.
        from hypothesis import settings

        settings.register_profile("steady", derandomize=True, database=None)
        settings.load_profile("steady")
    loader = unittest.TestLoader()
    suite = (
        loader.loadTestsFromNames(names)
        if names
        else loader.discover(str(ROOT / "tests"), top_level_dir=str(ROOT))
    )
    result = unittest.TextTestRunner(verbosity=1, warnings="error").run(suite)
    failed = len(result.failures) + len(result.errors) + len(result.unexpectedSuccesses)
    skipped = len(result.skipped)
    passed = result.testsRun - failed - skipped - len(result.expectedFailures)
    sys.stderr.flush()
    print(f"{max(passed, 0)} passed, {failed} failed, {skipped} skipped", flush=True)
    return 1 if failed or passed <= 0 else 0


def check(_: list[str]) -> int:
    """Formatter, linter, and type checker on core, formats and sound."""
    places = ["src", "tests", "benchmarks"]
    commands = (
        ["ruff", "format", "--check", "-q", *places],
        ["ruff", "check", "-q", *places],
        ["mypy"],
    )
    status = 0
    for command in commands:
        done = subprocess.run([sys.executable, "-m", *command], cwd=ROOT, check=False)
        print(
            f"{command[0]} {command[1] if len(command) > 1 else ''}: {'failed' if done.returncode else 'ok'}"
        )
        status |= done.returncode
    return 1 if status else 0


def bench(names: list[str]) -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from benchmarks import figures

    return figures.run(names)


def shots(_: list[str]) -> int:
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from benchmarks import screenshots

    return screenshots.make(ROOT / "docs")


TASKS = {"test": test, "check": check, "bench": bench, "shots": shots}

if __name__ == "__main__":
    status = TASKS[sys.argv[1]](sys.argv[2:])
    sys.stdout.flush()
    # Leave at once: at exit Qt's objects go in an order that Python does not choose.
    os._exit(status)
