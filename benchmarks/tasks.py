# SPDX-License-Identifier: GPL-3.0-or-later
"""What the launcher's developer commands do: test, check, bench, shots."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path[:0] = [str(ROOT), str(ROOT / "src")]
os.environ["PYTHONPATH"] = os.pathsep.join((str(ROOT), str(ROOT / "src")))
PROCESSES = max(os.cpu_count() or 1, 2)

from benchmarks import test_runner  # noqa: E402


def test(words: list[str]) -> int:
    """Run the tests: all, or the modules, classes or tests named; the last line counts them."""
    parser = argparse.ArgumentParser("./zolvek test", description=test.__doc__)
    parser.add_argument("names", nargs="*", metavar="NAME", help="such as tests.core.test_curve")
    parser.add_argument(
        "--quick",
        action="store_true",
        help="only what needs no window, server or process of its own",
    )
    parser.add_argument("--long", action="store_true", help="1,000 examples for each property instead of 50")
    parser.add_argument("--durations", action="store_true", help="print the slowest tests at the end")
    parser.add_argument("--processes", type=int, default=PROCESSES, metavar="N", help="how many run side by side")
    given = parser.parse_args(words)
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    options = test_runner.Options(given.processes, given.quick, given.long, given.durations)
    return test_runner.run(given.names, options)


def check(words: list[str]) -> int:
    """Formatter, linter, and type checker."""
    argparse.ArgumentParser("./zolvek check", description=check.__doc__).parse_args(words)
    places = ["src", "tests", "benchmarks", "launcher", "zolvek"]
    commands = (
        ["ruff", "format", "--check", "-q", *places],
        ["ruff", "check", "-q", *places],
        ["mypy"],
    )
    status = 0
    for command in commands:
        done = subprocess.run([sys.executable, "-m", *command], cwd=ROOT, check=False)
        print(f"{command[0]} {command[1] if len(command) > 1 else ''}: {'failed' if done.returncode else 'ok'}")
        status |= done.returncode
    return 1 if status else 0


def bench(words: list[str]) -> int:
    """Print the figures, as ratios where a machine's own speed would count; the last line counts those beyond their
    limit."""
    parser = argparse.ArgumentParser("./zolvek bench", description=bench.__doc__)
    parser.add_argument("names", nargs="*", metavar="GROUP", help="such as start; none: all but the long ones; long")
    parser.add_argument("--json", action="store_true", help="print them as JSON")
    given = parser.parse_args(words)
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from benchmarks import figures
    from zolvek.storage import freed_memory

    freed_memory.keep()  # as the program does
    return figures.run([*given.names, *(["--json"] if given.json else [])])


def shots(words: list[str]) -> int:
    """Make the pictures in docs/screenshots again, from the demo."""
    argparse.ArgumentParser("./zolvek shots", description=shots.__doc__).parse_args(words)
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    from benchmarks import screenshots

    return screenshots.make(ROOT / "docs")


TASKS = {"test": test, "check": check, "bench": bench, "shots": shots}

if __name__ == "__main__":
    status = TASKS[sys.argv[1]](sys.argv[2:])
    sys.stdout.flush()
    # Leave at once: at exit Qt's objects go in an order that Python does not choose.
    os._exit(status)
