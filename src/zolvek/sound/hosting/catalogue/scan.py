# SPDX-License-Identifier: GPL-3.0-or-later
"""Which plugins are installed, and which of them can be used: looked for bundle by bundle, and kept until a
bundle changes.

Bundles are read in a process of its own with limits, one after another. One that ends it, takes all too much
memory or never comes to an end is listed with that reason; the process begins again with the next, so one can't
hurt the others. Run as `python -m zolvek.sound.hosting.catalogue.scan FORMAT`.
"""

from __future__ import annotations

import os
import queue
import resource
import subprocess
import sys
import threading
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

import msgspec

from zolvek.core.errors import Failure, ZolvekError
from zolvek.sound.hosting.catalogue.hosts import HOSTS, host
from zolvek.sound.hosting.plugin.plugin_entry import Contents, PluginEntry
from zolvek.storage.python_process import command, end, environment, kill, own_output, shut

# Bundles read, of how many, and the plugins of those read since the last time.
Progress = Callable[[int, int, list[PluginEntry]], object]
# Of a process that reads bundles, by format: bytes of memory, and seconds that one bundle may take.
LIMITS = {"lv2": (3 << 30, 15.0), "vst3": (16 << 30, 60.0)}
FIRST_LINE_TIMEOUT_S = 60.0  # seconds besides, for a process that begins on a busy machine
PROCESSOR_SECONDS = 600  # of one process
FEWEST_EACH = 8  # bundles for which a process of its own is worth its start
MOST_LINE_BYTES = 64 << 20  # bytes that one bundle may say


class ScanRecord(msgspec.Struct):
    """What was found in a bundle when it was of this age and size; `presets_for`: plugins of other bundles that it
    has presets for."""

    stamp: tuple[int, int]
    plugins: list[PluginEntry]
    presets_for: list[str] = []


class _Line(msgspec.Struct):
    """What a bundle came to: its contents, or what keeps the whole standard from being hosted here."""

    contents: Contents | None = None
    failure: tuple[str, str, str] | None = None


def scanned(
    kept: dict[str, ScanRecord], progress: Progress | None = None, beside: Sequence[Path] = ()
) -> tuple[dict[str, ScanRecord], list[Failure]]:
    """What is in each bundle there is, and in those `next to` the search path; those that have not changed
    since are as they were `kept`. And what keeps a standard from being hosted here."""
    now: dict[str, ScanRecord] = {}
    faults: list[Failure] = []
    every = {plugin_format: list(host(plugin_format).bundles()) for plugin_format in HOSTS}
    for path in beside:
        for plugin_format in HOSTS:
            if host(plugin_format).is_bundle(path):
                every[plugin_format].append(path)
    total, done = sum(map(len, every.values())), 0
    for plugin_format, bundles in every.items():
        new = []
        for bundle in dict.fromkeys(bundles):
            stamp, old = host(plugin_format).stamp(bundle), kept.get(str(bundle))
            if old is not None and tuple(old.stamp) == stamp:
                now[str(bundle)] = old
            else:
                new.append((bundle, stamp))
        done += len(bundles) - len(new)
        stamps = {str(bundle): stamp for bundle, stamp in new}
        if not new:
            continue
        try:
            for bundle, contents in read_beside([bundle for bundle, _ in new], plugin_format):
                done += 1
                now[str(bundle)] = ScanRecord(stamps[str(bundle)], contents.plugins, contents.presets_for)
                if progress is not None:
                    progress(done, total, contents.plugins)
        except Failure as error:
            faults.append(error)
    return now, faults


def read_beside(bundles: Sequence[Path], plugin_format: str) -> Iterator[tuple[Path, Contents]]:
    """The contents of each bundle as they are read, by several processes where there are many. Raises Failure where
    this standard can't be hosted here."""
    count = min(os.cpu_count() or 1, len(bundles) // FEWEST_EACH)
    if count < 2:
        yield from read(bundles, plugin_format)
        return
    results: queue.Queue[tuple[Path, Contents] | Exception | None] = queue.Queue()
    stopped = threading.Event()

    def work(share: Sequence[Path]) -> None:
        try:
            for result in read(share, plugin_format):
                results.put(result)
                if stopped.is_set():
                    break
        except Exception as error:  # raised where it is waited for, whatever it is
            results.put(error)
        results.put(None)

    threads = [
        threading.Thread(target=work, args=(bundles[number::count],), name="plugin scan", daemon=True)
        for number in range(count)
    ]
    for thread in threads:
        thread.start()
    try:
        while count:
            result = results.get()
            if isinstance(result, Exception):
                raise result
            if result is None:
                count -= 1
            else:
                yield result
    finally:
        stopped.set()
        for thread in threads:
            thread.join()


def read(bundles: Sequence[Path], plugin_format: str) -> Iterator[tuple[Path, Contents]]:
    """The contents of each bundle, in their order. Raises Failure where this standard can't be hosted here."""
    waiting = list(bundles)
    while waiting:
        reader = _Reader(plugin_format, waiting)
        try:
            while waiting:
                line, reason = reader.next()
                bundle = waiting.pop(0)
                if line is None:
                    yield bundle, _broken(plugin_format, bundle, reason)
                    break
                if line.failure is not None:
                    raise Failure(*line.failure)
                yield bundle, line.contents or Contents([])
        finally:
            reader.close()


def _broken(plugin_format: str, bundle: Path, reason: str) -> Contents:
    return Contents([PluginEntry(f"{plugin_format}:{bundle}", bundle.stem, fault=reason, path=str(bundle))])


class _Reader:
    """A process that reads bundles, a line for each."""

    def __init__(self, plugin_format: str, bundles: Sequence[Path]) -> None:
        self.patience = LIMITS[plugin_format][1]
        self.first = True
        self.process = subprocess.Popen(
            command("zolvek.sound.hosting.catalogue.scan", plugin_format),
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL,
            env=environment(),
            start_new_session=True,
        )
        self.lines: queue.Queue[bytes] = queue.Queue()
        names = msgspec.json.encode([os.fspath(bundle) for bundle in bundles])
        self.threads = [
            threading.Thread(target=work, name="plugin scan", daemon=True)
            for work in (lambda: self._write(names), self._follow)
        ]
        for thread in self.threads:
            thread.start()

    def _write(self, names: bytes) -> None:
        assert self.process.stdin is not None
        try:
            self.process.stdin.write(names)
            self.process.stdin.close()
        except (OSError, ValueError):  # it has ended: its output says so
            return

    def _follow(self) -> None:
        assert self.process.stdout is not None
        try:
            while line := self.process.stdout.readline(MOST_LINE_BYTES):
                self.lines.put(line)
        except (OSError, ValueError):
            pass
        self.lines.put(b"")

    def next(self) -> tuple[_Line | None, str]:
        """What the next bundle came to; or None, and why there is nothing of it."""
        patience = self.patience + (FIRST_LINE_TIMEOUT_S if self.first else 0.0)
        self.first = False
        try:
            return msgspec.json.decode(self.lines.get(timeout=patience), type=_Line), ""
        except queue.Empty:
            return None, f"It did not describe itself within {self.patience:.0f} s."
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
            end(self.process, 1.0)
            status = self.process.returncode
            ending = f"signal {-status}" if status < 0 else f"status {status}"
            return None, f"It crashed while it was scanned ({ending})."

    def close(self) -> None:
        kill(self.process)
        shut(self.process, *self.threads)


def _serve(plugin_format: str) -> None:
    """Read the bundles that the standard input names; limits first."""
    memory, _ = LIMITS[plugin_format]
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_AS, (memory, memory))
    resource.setrlimit(resource.RLIMIT_CPU, (PROCESSOR_SECONDS, PROCESSOR_SECONDS))
    out = own_output()
    for name in msgspec.json.decode(sys.stdin.buffer.read(), type=list[str]):
        try:
            line = _Line(host(plugin_format).within(Path(name)))
        except Failure as error:
            line = _Line(failure=(error.what, error.where, error.remedy))
        except (ZolvekError, MemoryError) as error:
            line = _Line(_broken(plugin_format, Path(name), getattr(error, "what", "") or "It uses too much memory."))
        out.write(msgspec.json.encode(line) + b"\n")
        out.flush()


def by_name(now: dict[str, ScanRecord]) -> list[PluginEntry]:
    """All plugins, each once, by name."""
    result: dict[str, PluginEntry] = {}
    for record in now.values():
        for each in record.plugins:
            if each.id not in result or (result[each.id].fault and not each.fault):
                result[each.id] = each
    return sorted(result.values(), key=lambda each: each.name.casefold())


if __name__ == "__main__":
    _serve(sys.argv[1])
    sys.stdout.flush()
    os._exit(0)  # what plugins do at an orderly end is nobody's concern
