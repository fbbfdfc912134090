"""VST3 as one of the hosted standards."""

from __future__ import annotations

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import msgspec
import numpy as np

from zolvek.core.model.catalogue import DeviceKind
from zolvek.core.model.plugin import fitted
from zolvek.core.model.project import Device
from zolvek.process import command, own_output
from zolvek.sound.hosting import mark
from zolvek.sound.hosting.driving import BLOCK, defaults
from zolvek.sound.hosting.found import Found
from zolvek.sound.hosting.unit import HostedUnit
from zolvek.sound.unit import Unit
from zolvek.sound.vst3.instance import Instance
from zolvek.sound.vst3.library import (
    describe,
    described,
    give,
    kind_of,
    loaded,
    names_in,
    state_of,
    with_state,
)
from zolvek.sound.vst3.places import SUFFIX, bundles

__all__ = [
    "bare",
    "bundles",
    "described",
    "is_bundle",
    "kind_of",
    "restored",
    "stamp",
    "unit",
    "within",
]
PATIENCE = 60.0  # seconds that a bundle may take to tell what is in it


def is_bundle(path: Path) -> bool:
    return path.suffix.lower() == SUFFIX and path.exists()


def stamp(bundle: Path) -> tuple[int, int]:
    """The newest change of its binaries, and their size."""
    newest = size = 0
    for path in [bundle, *bundle.glob("Contents/*/*")]:
        try:
            about = path.stat()
        except OSError:
            continue
        newest, size = max(newest, about.st_mtime_ns), size + about.st_size
    return newest, size


def within(bundle: Path) -> list[Found]:
    """Looked at in a process of its own: loading runs the plugins' code, which may end it."""
    name = bundle.stem
    try:
        done = subprocess.run(
            command("zolvek.sound.vst3.host", str(bundle)), capture_output=True, timeout=PATIENCE,
            stdin=subprocess.DEVNULL,
        )  # fmt: skip
        return msgspec.json.decode(done.stdout, type=list[Found])
    except subprocess.TimeoutExpired:
        why = f"It did not say what it is within {PATIENCE:.0f} s."
    except msgspec.DecodeError:
        why = f"It brought the process down that looked at it ({_ending(done.returncode)})."
    return [Found(f"vst3:{bundle}", name, fault=why, path=str(bundle))]


def _ending(status: int) -> str:
    return f"signal {-status}" if status < 0 else f"status {status}"


def _look(bundle: str) -> list[Found]:
    from zolvek.core.errors import ZolvekError

    found = []
    try:
        names = names_in(bundle)
    except ZolvekError as error:
        return [Found(f"vst3:{bundle}", Path(bundle).stem, fault=error.what, path=bundle)]
    for name in names:
        try:
            kind = describe(loaded(bundle, name), bundle)
        except ZolvekError as error:
            found.append(Found(f"vst3:{bundle}/{name}", name, fault=error.what, path=bundle))
            continue
        assert kind.plugin is not None
        own = kind.plugin
        found.append(Found(own.uri, name, own.maker, kind.role, kind.about, len(own.ports), "", bundle))  # fmt: skip
    return found


def unit(device: Device, rate: int) -> Unit:
    own = device.row.plugin
    assert own is not None
    with mark.phase(device.id, mark.STARTING):
        there = described(own.uri, own.path)
    assert there.plugin is not None
    plugin = fitted(own, there.plugin)

    def make() -> Instance:
        made = Instance(plugin, there.name, rate, device.id, device.state)
        made.set(defaults(there, rate))
        return made

    return HostedUnit(device, there, plugin, rate, make)


def restored(kind: DeviceKind, rate: int) -> tuple[str, str]:
    assert kind.plugin is not None
    first, second = (loaded(kind.plugin.path, kind.name) for _ in range(2))
    for parameter in first._parameters:
        parameter.raw_value = 0.25
    give(first, np.zeros((len(kind.plugin.outputs), BLOCK), np.float32), [], rate)
    text = state_of(first)
    with_state(second, text)
    return text, state_of(second)


def bare(kind: DeviceKind, rate: int) -> Callable[[], object]:
    assert kind.plugin is not None
    plugin = loaded(kind.plugin.path, kind.name)
    silence = np.zeros((len(kind.plugin.outputs), BLOCK), np.float32)
    return lambda: give(plugin, silence, [], rate)


if __name__ == "__main__":
    import os

    out = own_output()
    out.write(msgspec.json.encode(_look(sys.argv[1])))
    out.flush()
    os._exit(0)  # what plugins do at an orderly end is nobody's concern
