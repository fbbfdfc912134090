# SPDX-License-Identifier: GPL-3.0-or-later
"""Runs the tests in processes side by side, each taking the next class when it has finished one."""

from __future__ import annotations

import ast
import json
import os
import signal
import subprocess
import sys
import threading
import time
import unittest
import warnings
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any

ROOT = Path(__file__).resolve().parent.parent
SLOWEST_SHOWN = 20  # by `--durations`
# The classes that take longest come first, and the others fill up next to them.
FIRST = (
    "tests.test_launcher.SettingUp",
    "tests.test_wheel.Wheel",
    "tests.test_launcher.Libraries",
)
# What starts no server, no process and no window: `--quick`.
QUICK_PACKAGES = ("tests.core.", "tests.formats.", "tests.test_structure.", "tests.crossings.")


@dataclass(frozen=True, slots=True)
class Options:
    """How the tests are run: profile of the property tests, whether quick, how many processes."""

    processes: int = 2
    quick: bool = False
    long: bool = False
    durations: bool = False

    @property
    def profile(self) -> str:
        """The Hypothesis profile of `tests/__init__.py` that the property tests run under."""
        return "long" if self.long else "quick" if self.quick else "usual"


@dataclass(slots=True)
class Outcome:
    """What the processes have answered so far."""

    passed: int = 0
    failed: int = 0
    skipped: int = 0
    seconds: list[tuple[float, str]] = field(default_factory=list)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def add(self, name: str, row: dict[str, Any]) -> None:
        """Count the answer for a class, and print its failures at once."""
        failures, skipped = row["failures"], row["skipped"]
        with self.lock:
            for test, text in failures:
                print(f"{'=' * 70}\n{test}\n{'-' * 70}\n{text}", file=sys.stderr)
            for test, reason in skipped:
                print(f"skipped: {test}: {reason}", file=sys.stderr)
            word = "FAILED" if failures else "ok"
            line = f"{name}: {row['run']} in {row['seconds']:.1f} s, {word}"
            print(line, file=sys.stderr, flush=True)
            self.failed += len(failures)
            self.skipped += len(skipped)
            self.passed += max(row["run"] - len(failures) - len(skipped), 0)
            self.seconds += [(seconds, test) for test, seconds in row["durations"]]


def classes(quick: bool = False) -> list[str]:
    """The names of all test classes, those that take longest first; of the others the longest."""
    found = []
    for path in sorted((ROOT / "tests").rglob("test_*.py")):
        module = ".".join(path.relative_to(ROOT).with_suffix("").parts)
        tree = ast.parse(path.read_text(encoding="utf-8"))
        for node in tree.body:
            if isinstance(node, ast.ClassDef) and _has_tests(node):
                lines = (node.end_lineno or node.lineno) - node.lineno
                found.append((f"{module}.{node.name}", lines))
    found.sort(key=lambda row: (row[0] not in FIRST, -row[1]))
    return [name for name, _ in found if not quick or name.startswith(QUICK_PACKAGES)]


def _has_tests(node: ast.ClassDef) -> bool:
    return any(isinstance(each, ast.FunctionDef) and each.name.startswith("test") for each in node.body)


def within(name: str, every: list[str]) -> list[str]:
    """The test classes of a package, a module or a class; a test by its own name is itself."""
    return [each for each in every if f"{each}.".startswith(f"{name}.")] or [name]


def run(names: list[str], options: Options) -> int:
    """Run the modules, classes or tests named, or all of them; the exit status."""
    began = time.monotonic()
    every = classes(options.quick)
    waiting = iter([part for name in names for part in within(name, every)] if names else every)
    outcome, taking = Outcome(), threading.Lock()
    workers = [
        threading.Thread(target=_feed, args=(waiting, taking, outcome, options)) for _ in range(options.processes)
    ]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    if options.durations:
        for seconds, test in sorted(outcome.seconds, reverse=True)[:SLOWEST_SHOWN]:
            print(f"{seconds:7.2f} s  {test}", file=sys.stderr)
    print(f"Ran for {time.monotonic() - began:.0f} s.", file=sys.stderr, flush=True)
    counts = f"{outcome.passed} passed, {outcome.failed} failed, {outcome.skipped} skipped"
    print(counts, flush=True)
    return 1 if outcome.failed or not outcome.passed else 0


def _feed(waiting: Iterator[str], taking: threading.Lock, outcome: Outcome, options: Options) -> None:
    """Give a process one class after another; one that dies counts as a failure, and is replaced."""
    process: subprocess.Popen[str] | None = None
    while True:
        with taking:
            name = next(waiting, None)
        if name is None:
            break
        if process is None:
            process = _server(options)
        assert process.stdin is not None and process.stdout is not None
        process.stdin.write(name + "\n")
        process.stdin.flush()
        line = process.stdout.readline()
        if line:
            outcome.add(name, json.loads(line))
        else:
            text = f"the process that ran it ended with {process.wait()}"
            row = {"run": 1, "skipped": [], "seconds": 0.0, "durations": []}
            outcome.add(name, row | {"failures": [(name, text)]})
            process = None
    if process is not None:
        process.communicate()


def _server(options: Options) -> subprocess.Popen[str]:
    return subprocess.Popen(
        [sys.executable, "-m", "benchmarks.test_runner"],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
        text=True,
        cwd=ROOT,
        env={
            **os.environ,
            "ZOLVEK_TEST_PROFILE": options.profile,
            "ZOLVEK_TEST_QUICK": "1" if options.quick else "",
        },
    )


class TimedResult(unittest.TestResult):
    """A result that also keeps how long each test took, in seconds."""

    def __init__(self) -> None:
        super().__init__()
        self.began = 0.0
        self.durations: list[tuple[str, float]] = []

    def startTest(self, test: unittest.TestCase) -> None:
        self.began = time.monotonic()
        super().startTest(test)

    def stopTest(self, test: unittest.TestCase) -> None:
        super().stopTest(test)
        self.durations.append((test.id(), time.monotonic() - self.began))


# What a quick test may not do, as Python's audit events name it.
SLOW_EVENTS = ("subprocess.Popen", "os.fork", "os.posix_spawn", "socket.bind")


def refuse_slow_things() -> None:
    """From now on a process or a server that a test starts is an error."""

    def hook(event: str, _: tuple[object, ...]) -> None:
        if event in SLOW_EVENTS:
            raise AssertionError(f"a quick test may not do this: {event}")

    sys.addaudithook(hook)


def without_processes(suite: unittest.TestSuite) -> Iterator[unittest.TestCase]:
    """The tests of a suite that are not marked as starting processes (`tests.starts_processes`)."""
    for test in suite:
        if isinstance(test, unittest.TestSuite):
            yield from without_processes(test)
        elif not getattr(getattr(test, test._testMethodName, None), "starts_processes", False):
            yield test


def serve(source: IO[str], out: IO[str]) -> None:
    """Run what each line names, and answer with a line that says how it went."""
    warnings.simplefilter("error")
    # What runs in the background of a shell begins with it ignored, and so would all that tests start.
    signal.signal(signal.SIGINT, signal.default_int_handler)
    quick = bool(os.environ.get("ZOLVEK_TEST_QUICK"))
    if quick:
        refuse_slow_things()
    for line in iter(source.readline, ""):
        began = time.monotonic()
        suite = unittest.defaultTestLoader.loadTestsFromName(line.strip())
        empty = not suite.countTestCases()
        if quick:
            suite = unittest.TestSuite(without_processes(suite))
        result = TimedResult()
        suite.run(result)
        faults: list[tuple[object, str]] = [*result.failures, *result.errors]
        if empty and not faults:
            faults = [(line.strip(), "there is no test in it")]
        unexpected = "passed, though it was expected to fail"
        row = {
            "run": result.testsRun,
            "failures": [(str(test), text) for test, text in faults]
            + [(str(test), unexpected) for test in result.unexpectedSuccesses],
            "skipped": [(str(test), reason) for test, reason in result.skipped],
            "seconds": time.monotonic() - began,
            "durations": result.durations,
        }
        out.write(json.dumps(row) + "\n")
        out.flush()


if __name__ == "__main__":
    # What tests print goes to the error stream: only answers go to the output.
    answers = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)
    serve(sys.stdin, answers)
    answers.flush()
    # Leave at once: at exit Qt's objects go in an order that Python does not choose.
    os._exit(0)
