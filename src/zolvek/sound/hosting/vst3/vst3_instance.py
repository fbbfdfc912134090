# SPDX-License-Identifier: GPL-3.0-or-later
"""One running VST3 plugin, by pedalboard: 64 frames at a time."""

from __future__ import annotations

from itertools import pairwise

import numpy as np

from zolvek.core.model.plugin import Plugin
from zolvek.sound.hosting.plugin.cleared_memory import settled
from zolvek.sound.hosting.plugin.control_events import BLOCK_FRAMES
from zolvek.sound.hosting.plugin.note_events import Message, between
from zolvek.sound.hosting.plugin.plugin_unit import Stretch
from zolvek.sound.hosting.vst3.vst3_library import give, loaded, with_state


class Instance:
    """Raises ZolvekError where it can't be made."""

    def __init__(self, plugin: Plugin, name: str, rate: int, seed: str, state: str) -> None:
        self.rate, self.sides = float(rate), len(plugin.outputs)
        with settled(seed):
            self.made = loaded(plugin.path, name)
        if state:
            with_state(self.made, state)
        self.parameters = self.made._parameters

    def set(self, values: list[tuple[int, float]]) -> None:
        """Set control ports, by symbol."""
        for index, value in values:
            self.parameters[index].raw_value = value

    def begin(self, values: list[tuple[int, float]]) -> None:
        """A first block of silence, after which it knows how late it is."""
        self.set(values)
        give(self.made, np.zeros((self.sides, BLOCK_FRAMES), np.float32), [], self.rate)

    @property
    def latency(self) -> int:
        """Frames by which its sound is late."""
        return max(int(self.made.reported_latency_samples), 0)

    def begin_again(self) -> bool:
        """Start again from silence; whether that was possible."""
        try:
            self.made.reset()
        except RuntimeError:  # it would have to be loaded again, by the thread that loaded it
            return False
        self.parameters = self.made._parameters
        return True

    def through(self, stretch: Stretch) -> None:
        """Run a stretch through the plugin."""
        sound, out, messages = stretch.sound, stretch.out, stretch.messages
        rows = [self.parameters[port] for port in stretch.ports.tolist()]
        none: list[Message] = []
        at = 0
        for index, (first, last) in enumerate(pairwise(stretch.bounds)):
            for row, value in zip(rows, stretch.values[index].tolist() if rows else (), strict=True):
                row.raw_value = value
            due = none
            if messages:
                due, at = between(messages, at, first, last)
            output = give(self.made, sound[: self.sides, first:last], due, self.rate)
            # What it holds back at first comes as silence before: late by its latency, like others.
            out[: len(output), last - output.shape[1] : last] = output[: len(out)]
        if self.sides < len(out):
            out[1] = out[0]

    def close(self) -> None:
        """It goes with the last that knows it."""
