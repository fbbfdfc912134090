# SPDX-License-Identifier: GPL-3.0-or-later
"""Exports a lane as a control signal in an audio file."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np

from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.formats.audio.sound_writer import FLOATS, SoundFormat, save

SWINGS = {"both": "−1 to 1", "up": "0 to 1"}  # what a control signal spans over the reach
CONTROL_FRAMES = 65_536


def control_blocks(
    project: Project, lane: str, rate: int, swing: str = "both", span: tuple[float, float] | None = None
) -> Iterator[np.ndarray]:
    """A lane's curve as sound, float32 (1, frames): its value at each frame, DC and all; the reach
    spans −1 to 1, or 0 to 1."""
    if swing not in SWINGS:
        raise ZolvekError(f"There is no range “{swing}”.", remedy=f"Use {' or '.join(SWINGS)}.")
    result = played(project.lane(lane), project)
    first, last = span or (0.0, project.length)
    begin, end = (round(float(project.tempo.seconds(beat)) * rate) for beat in (first, last))
    if end <= begin:
        raise ZolvekError("The span is empty.", remedy="Choose an end after the start.")
    for start in range(begin, end, CONTROL_FRAMES):
        seconds = np.arange(start, min(start + CONTROL_FRAMES, end)) / rate
        value = result.curve.at(project.tempo.beats(seconds))
        yield (2.0 * value - 1.0 if swing == "both" else value)[None].astype(np.float32)


def save_control(
    project: Project,
    lane: str,
    path: str | os.PathLike[str],
    sound_format: SoundFormat = FLOATS,
    swing: str = "both",
    span: tuple[float, float] | None = None,
) -> Path:
    """Write a lane as a control signal; 24 bits and floats are not dithered. Raises ZolvekError."""
    if sound_format.depth == "16":
        raise ZolvekError("16 bits are too coarse for a control signal.", str(path), "Use 24 or float.")
    return save(control_blocks(project, lane, sound_format.rate, swing, span), path, sound_format)
