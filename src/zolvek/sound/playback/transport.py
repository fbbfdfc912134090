# SPDX-License-Identifier: GPL-3.0-or-later
"""Transports: they start, stop and locate the song, and report its position."""

from __future__ import annotations

from typing import Protocol

from zolvek.sound.playback.clock import Clock


class Transport(Protocol):
    """The player's own sound output, or the ports in sync with other programs."""

    @property
    def clock(self) -> Clock:
        """Where the song is."""
        ...

    @property
    def silent(self) -> bool:
        """Whether nobody can hear it."""
        ...

    @property
    def shared(self) -> bool:
        """Whether others start, stop and move the song too."""
        ...

    def start(self, beat: float, clicks: int = 0) -> None:
        """Play from `beat` on, after a count-in of clicks."""
        ...

    def start_at(self, beat: float, moment: float) -> None:
        """Play so that `beat` is at a moment of time.perf_counter, past or to come."""
        ...

    def set_speed(self, speed: float) -> None:
        """Go faster or slower, as a factor, where it can."""
        ...

    @property
    def steered(self) -> bool:
        """Whether its speed can be set."""
        ...

    def stop(self) -> None:
        """Stop."""
        ...

    def locate(self, beat: float) -> None:
        """Go elsewhere, playing or not."""
        ...

    def set_loop(self, span: tuple[float, float] | None) -> None:
        """Loop a span of beats, or None."""
        ...

    def edited(self) -> None:
        """The project is another one now."""
        ...

    def close(self) -> None:
        """Release what it holds."""
        ...
