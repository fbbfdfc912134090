# SPDX-License-Identifier: GPL-3.0-or-later
"""The plugin standards that are hosted: one table, by the format in a plugin's record."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Protocol

from zolvek.core.errors import ZolvekError
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Device
from zolvek.sound.hosting.plugin.plugin_entry import Contents
from zolvek.sound.signal.device_unit import Unit


class Host(Protocol):
    """What the module of a standard offers. Ids are as in `Plugin.uri`; `bundle`: where the list of installed
    plugins has it."""

    def roots(self) -> list[Path]:
        """The folders of its search path."""

    def bundles(self) -> list[Path]:
        """What there is on its search path."""

    def is_bundle(self, path: Path) -> bool:
        """Whether a file or folder is one of its kind."""

    def stamp(self, bundle: Path) -> tuple[int, int]:
        """Another one when the bundle has changed."""

    def within(self, bundle: Path) -> Contents:
        """The plugins of a bundle; only in a process that may end. Raises Failure where this standard can't be
        hosted here."""

    def described(self, uri: str, bundle: Path) -> DeviceKind:
        """A plugin's description. Raises ZolvekError if it can't be used."""
        ...

    def kind_of(self, uri: str, bundle: Path, others: tuple[Path, ...] = ()) -> DeviceKind:
        """`described`, with its presets, those in other bundles too."""

    def unit(self, device: Device, rate: int, bundle: Path) -> Unit:
        """A plugin at work. Raises ZolvekError if it can't be used."""
        ...

    def restored(self, kind: DeviceKind, rate: int) -> tuple[str, str]:
        """What one holds as text, and what another does that is given it."""

    def bare(self, kind: DeviceKind, rate: int) -> Callable[[], object]:
        """A run of BLOCK frames with nothing of ours around it, to compare with."""


def _lv2() -> Host:
    from zolvek.sound.hosting.lv2 import lv2_host

    return lv2_host


def _vst3() -> Host:
    from zolvek.sound.hosting.vst3 import vst3_host

    return vst3_host


# Each standard's host, loaded when it is first asked for.
HOSTS: dict[str, Callable[[], Host]] = {"lv2": _lv2, "vst3": _vst3}


def host(plugin_format: str) -> Host:
    """Raises ZolvekError for a format that is not hosted."""
    if plugin_format not in HOSTS:
        raise ZolvekError(f"Plugins of the format “{plugin_format}” can't be run here.", "plugin")
    return HOSTS[plugin_format]()


def bundle_at(path: Path) -> tuple[str, Path]:
    """The format and the bundle that a picked file or folder is, or lies in. Raises ZolvekError for one
    that is none."""
    for folder in (path, *path.parents):
        for plugin_format in HOSTS:
            if host(plugin_format).is_bundle(folder):
                return plugin_format, folder
    raise ZolvekError("This is not a plugin.", str(path), "Choose a folder that ends in .lv2 or .vst3.")
