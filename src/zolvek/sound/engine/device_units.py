# SPDX-License-Identifier: GPL-3.0-or-later
"""The devices at work in a renderer: each made when it is first played, and released with its device."""

from __future__ import annotations

from zolvek.core.model.project import Device
from zolvek.sound.engine.device_registry import make
from zolvek.sound.engine.pending_unit import PendingUnit
from zolvek.sound.signal.device_unit import Unit

Key = tuple[str, str]  # kind and id of a device


def key_of(device: Device) -> Key:
    """What a device's unit depends on: another key needs another unit."""
    return device.kind, device.id


class Units:
    """`impatient`: it is being listened to, and plugins that come now are made next to."""

    def __init__(self, rate: int) -> None:
        self.rate, self.impatient = rate, False
        self.made: dict[Key, Unit] = {}
        self.states: dict[Key, object] = {}  # what each was given beyond its parameters as it was made

    def of(self, device: Device) -> Unit:
        """The unit of a device, made when it is first played."""
        key = key_of(device)
        if key not in self.made or self.states[key] != (device.state, device.files):
            self.made[key] = self._make(device, self.made.get(key))
            self.states[key] = device.state, device.files
        return self.made[key]

    def _make(self, device: Device, before: Unit | None) -> Unit:
        if self.impatient and device.row.plugin is not None:
            return PendingUnit(lambda: make(device, self.rate), before)
        return make(device, self.rate)

    def take_over(self, before: Units) -> None:
        """Plugins take long to make, and some are made again for no reason: those of a renderer that has stopped
        begin again here."""
        for key, unit in before.made.items():
            again = getattr(unit, "begin_again", None)
            if again is not None and again():
                self.made[key], self.states[key] = unit, before.states[key]

    def keep(self, keys: set[Key]) -> None:
        """Let all others go."""
        for key in [key for key in self.made if key not in keys]:
            close = getattr(self.made.pop(key), "close", None)
            self.states.pop(key, None)
            if close is not None:
                close()

    def release_all(self, now: float) -> None:
        """All keys up; what sounds dies away."""
        for unit in self.made.values():
            unit.release_all(now)
