# SPDX-License-Identifier: GPL-3.0-or-later
"""How loud two versions of a project are."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.core.model.project import Project
from zolvek.sound.analysis.measures import loudness
from zolvek.sound.engine.offline import render
from zolvek.sound.engine.renderer import RATE


def job(
    progress: Callable[[int, int], object],
    first: Project,
    second: Project,
    span: tuple[float, float],
) -> tuple[float, float]:
    """Integrated loudness in LUFS of a span of beats of both, as a job of a process of its own."""
    result = []
    for done, project in enumerate((first, second), 1):
        result.append(loudness(render(project, *span), RATE))
        progress(done, 2)
    return result[0], result[1]
