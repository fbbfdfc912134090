"""What the launcher's developer commands do: test, check, bench, shots."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "src")]
os.environ["PYTHONPATH"] = os.pathsep.join((str(ROOT), str(ROOT / "src")))
SIDE_BY_SIDE = 2

from benchmarks import test_runner  # noqa: E402


def test(names: list[str]) -> int:
    """Run the tests (all, two processes side by side, or those named); the last line counts them."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    return test_runner.run(names or test_runner.modules(ROOT), 1 if names else SIDE_BY_SIDE)


def check(_: list[str]) -> int:
    """Formatter, linter, and type checker."""
    places = ["src", "tests", "benchmarks", "launcher", "zolvek"]
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
