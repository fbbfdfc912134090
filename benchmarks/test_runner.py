"""Runs the tests in processes side by side, each taking the next module when it is done with one."""

from __future__ import annotations

import io
import json
import os
import subprocess
import sys
import threading
import time
import unittest
import warnings
from pathlib import Path
from typing import IO, Any

# They take longest, so they come first, and the others fill up beside them.
FIRST = ("test_any_project.py", "test_launcher.py", "test_thinning.py", "test_perform.py")


def modules(root: Path) -> list[str]:
    """The names of all test modules, those that take longest first; of the others the longest files."""
    found = sorted(
        (root / "tests").rglob("test_*.py"),
        key=lambda path: (path.name not in FIRST, -path.stat().st_size),
    )
    return [".".join(path.relative_to(root).with_suffix("").parts) for path in found]


def run(names: list[str], processes: int) -> int:
    """Run the modules (or classes, or tests) named; the exit status."""
    began = time.monotonic()
    waiting = list(names)
    done: list[dict[str, Any]] = []
    lock = threading.Lock()
    workers = [
        threading.Thread(target=_feed, args=(waiting, done, lock))
        for _ in range(min(processes, len(names)))
    ]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    for row in done:
        for what, text in row["failures"]:
            print(f"{'=' * 70}\n{what}\n{'-' * 70}\n{text}", file=sys.stderr)
    skipped = [each for row in done for each in row["skipped"]]
    for what, why in skipped:
        print(f"skipped: {what}: {why}", file=sys.stderr)
    failed = sum(len(row["failures"]) for row in done)
    passed = sum(row["run"] for row in done) - failed - len(skipped)
    print(f"Ran for {time.monotonic() - began:.0f} s.", file=sys.stderr, flush=True)
    print(f"{max(passed, 0)} passed, {failed} failed, {len(skipped)} skipped", flush=True)
    return 1 if failed or passed <= 0 else 0


def _feed(waiting: list[str], done: list[dict[str, Any]], lock: threading.Lock) -> None:
    """Give a process one module after another; one that dies is told as a failure, and followed by
    another process."""
    process: subprocess.Popen[str] | None = None
    while True:
        with lock:
            if not waiting:
                break
            name = waiting.pop(0)
        if process is None:
            process = subprocess.Popen(
                [sys.executable, "-m", "benchmarks.test_runner"], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
                text=True, cwd=Path(__file__).resolve().parent.parent,
            )  # fmt: skip
        assert process.stdin is not None and process.stdout is not None
        process.stdin.write(name + "\n")
        process.stdin.flush()
        line = process.stdout.readline()
        if line:
            row = json.loads(line)
        else:
            status = process.wait()
            row = {"run": 1, "skipped": [], "seconds": 0.0,
                   "failures": [(name, f"the process that ran it ended with {status}")]}  # fmt: skip
            process = None
        with lock:
            done.append(row)
            word = "FAILED" if row["failures"] else "ok"
            print(
                f"{name}: {row['run']} in {row['seconds']:.1f} s, {word}",
                file=sys.stderr,
                flush=True,
            )
    if process is not None:
        process.communicate()


def serve(source: IO[str], out: IO[str]) -> None:
    """Run what each line names, and answer with a line of what came of it."""
    warnings.simplefilter("error")
    if os.environ.get("CI"):
        # The same examples at every run; at a desk the search goes on for others.
        from hypothesis import settings

        settings.register_profile("steady", derandomize=True, database=None)
        settings.load_profile("steady")
    for line in iter(source.readline, ""):
        began = time.monotonic()
        told = io.StringIO()
        suite = unittest.defaultTestLoader.loadTestsFromName(line.strip())
        result = unittest.TextTestRunner(told, verbosity=0, warnings="error").run(suite)
        faults = [*result.failures, *result.errors]
        row = {
            "run": result.testsRun,
            "failures": [(str(test), text) for test, text in faults]
            + [(str(test), "passed, though it was expected to fail") for test in result.unexpectedSuccesses],
            "skipped": [(str(test), why) for test, why in result.skipped],
            "seconds": time.monotonic() - began,
        }  # fmt: skip
        out.write(json.dumps(row) + "\n")
        out.flush()


if __name__ == "__main__":
    # What tests print goes to the error stream: the answers alone go to the asker.
    answers = os.fdopen(os.dup(1), "w")
    os.dup2(2, 1)
    serve(sys.stdin, answers)
    answers.flush()
    # Leave at once: at exit Qt's objects go in an order that Python does not choose.
    os._exit(0)
