# SPDX-License-Identifier: GPL-3.0-or-later
"""Notes and MIDI messages as they reach an instrument."""

from __future__ import annotations

from typing import NamedTuple

from zolvek.core.model.project import Note

LIVE_NOTE_S = 600.0  # seconds, more than any note that is written lasts
Message = tuple[int, bytes]  # MIDI, at a frame of the stretch


class NewNote(NamedTuple):
    """A note to begin: seconds after the stretch begins (negative: on already), and how long."""

    note: Note
    after: float
    seconds: float
