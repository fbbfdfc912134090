# SPDX-License-Identifier: GPL-3.0-or-later
"""Real servers for tests, apart from any that the machine has: JACK's with its dummy driver, or PipeWire."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from pathlib import Path

import numpy as np

CAPTURE = Path(__file__).with_name("capture.py")
STARTS = 8.0  # seconds
PIPEWIRE = """
context.properties = {{ core.daemon = true core.name = {name} }}
context.spa-libs = {{ audio.convert.* = audioconvert/libspa-audioconvert support.* = support/libspa-support }}
context.modules = [
 {{ name = libpipewire-module-protocol-native }}
 {{ name = libpipewire-module-profiler }}
 {{ name = libpipewire-module-metadata }}
 {{ name = libpipewire-module-spa-node-factory }}
 {{ name = libpipewire-module-client-node }}
 {{ name = libpipewire-module-access args = {{ access.allowed = [ ] }} }}
 {{ name = libpipewire-module-adapter }}
 {{ name = libpipewire-module-link-factory }}
]
context.objects = [
 {{ factory = metadata args = {{ metadata.name = default }} }}
 {{ factory = spa-node-factory args = {{ factory.name = support.node.driver node.name = Dummy node.group =
 pipewire.dummy
    priority.driver = 20000 }} }}
]
"""


class Jack:
    """A server of a name of its own; `environment` is how its clients find it."""

    def __init__(
        self,
        case: unittest.TestCase,
        block: int = 1024,
        rate: int = 48_000,
        real_time: bool = False,
    ) -> None:
        if not shutil.which("jackd"):
            case.skipTest("jackd is not installed")
        self.case, self.block, self.rate = case, block, rate
        self.real_time = ["-R", "-P", "60"] if real_time else ["-r"]
        self.name = f"zolvek-{os.getpid()}-{time.monotonic_ns() % 10**9}"
        self.environment = {"JACK_DEFAULT_SERVER": self.name, "JACK_NO_AUDIO_RESERVATION": "1"}
        self.process: subprocess.Popen[bytes] | None = None
        case.addCleanup(self.stop)
        self.start()

    def start(self) -> None:
        command = [
            "jackd",
            *self.real_time,
            "-n",
            self.name,
            "-d",
            "dummy",
            "-r",
            str(self.rate),
            "-p",
            str(self.block),
        ]
        self.process = subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=os.environ | self.environment
        )
        time.sleep(0.3)
        if self.process.poll() is not None:
            self.case.skipTest("jackd does not start on this machine")

    def stop(self) -> None:
        if self.process is not None:
            self.process.terminate()
            self.process.wait()
            self.process = None


class PipeWire:
    """A daemon in a folder of its own, with a driver that drives nothing."""

    def __init__(self, case: unittest.TestCase) -> None:
        library = next(Path("/usr/lib").glob("*/pipewire-0.3/jack/libjack.so.0"), None)
        if not shutil.which("pipewire") or library is None:
            case.skipTest("PipeWire is not installed")
        folder = tempfile.mkdtemp(prefix="zolvek-pw-")
        case.addCleanup(shutil.rmtree, folder, True)
        config = Path(folder) / "pipewire.conf"
        config.write_text(PIPEWIRE.format(name="pipewire-0"))
        self.environment = {
            "PIPEWIRE_RUNTIME_DIR": folder, "XDG_RUNTIME_DIR": folder, "ZOLVEK_JACK": str(library),
            "LD_LIBRARY_PATH": str(library.parent), "PIPEWIRE_LATENCY": "1024/48000",
        }  # fmt: skip
        self.process = subprocess.Popen(
            ["pipewire", "-c", str(config)], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
            env=os.environ | self.environment,
        )  # fmt: skip
        case.addCleanup(self.stop)
        for _ in range(int(STARTS * 10)):
            if (Path(folder) / "pipewire-0").exists():
                return
            time.sleep(0.1)
        case.skipTest("PipeWire does not start on this machine")

    def stop(self) -> None:
        self.process.terminate()
        self.process.wait()


class Capture:
    """An independent client of the server (the package JACK-Client), in a process of its own, that keeps all that
    comes at its ports with the transport's frame."""

    def __init__(self, case: unittest.TestCase, server: Jack | PipeWire) -> None:
        self.folder = tempfile.mkdtemp(prefix="zolvek-capture-")
        case.addCleanup(shutil.rmtree, self.folder, True)
        self.file = Path(self.folder) / "kept.npz"
        self.process = subprocess.Popen(
            [sys.executable, str(CAPTURE), str(self.file)], stdin=subprocess.PIPE, stdout=subprocess.PIPE,
            text=True, env=os.environ | server.environment,
        )  # fmt: skip
        case.addCleanup(self._end)
        assert self.process.stdout is not None
        said = self.process.stdout.readline().strip()
        case.assertEqual(said, "ready")

    def ask(self, *words: object) -> str:
        assert self.process.stdin is not None and self.process.stdout is not None
        self.process.stdin.write(json.dumps(words) + "\n")
        self.process.stdin.flush()
        return self.process.stdout.readline().strip()

    def kept(self) -> dict[str, np.ndarray]:
        """All that was kept, and the end of it."""
        self.ask("quit")
        self.process.wait()
        with np.load(self.file) as found:
            return dict(found)

    def _end(self) -> None:
        self.process.kill()
        self.process.wait()
        for stream in (self.process.stdin, self.process.stdout):
            if stream is not None:
                stream.close()
