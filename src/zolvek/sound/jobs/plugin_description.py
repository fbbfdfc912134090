# SPDX-License-Identifier: GPL-3.0-or-later
"""Describes a plugin in a process of its own."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.core.model.device_kind import DeviceKind
from zolvek.sound.processes.job_messages import Job
from zolvek.sound.processes.job_process import run_in_process

JOB = "zolvek.sound.hosting.catalogue.loading:job"
DESCRIBE_TIMEOUT_S = 60.0  # seconds that a plugin may take to describe itself


def describe_in_process(uri: str, progress: Callable[[int, int], object] | None = None) -> DeviceKind:
    """An installed plugin with its presets, described in a process of its own: no code of the plugin runs in this
    one. Raises ZolvekError where it can't be used."""
    kind, named = run_in_process(Job(JOB, (uri,)), progress or (lambda done, total: None), DESCRIBE_TIMEOUT_S)
    device_kind: DeviceKind = kind.known(named)
    return device_kind
