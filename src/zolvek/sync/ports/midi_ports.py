# SPDX-License-Identifier: GPL-3.0-or-later
"""Real MIDI ports, where the machine has any (python-rtmidi)."""

from __future__ import annotations

import sys
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from zolvek.core.errors import ZolvekError

EvaluatedLane = Callable[[tuple[int, ...], float], None]  # a message's bytes, seconds of perf_counter

VIRTUAL = "Zolvek's own port"
SEQUENCER = Path("/dev/snd/seq")  # where ALSA's is; without it the library only complains


def _rtmidi() -> Any:
    """The library; None where it can't be loaded, or there is nothing for it to use."""
    if sys.platform == "linux" and not SEQUENCER.exists():
        return None
    try:
        import rtmidi
    except ImportError:
        return None
    return rtmidi


def _names(kind: str) -> list[str]:
    library = _rtmidi()
    if library is None:
        return []
    try:
        port = getattr(library, kind)()
        names = list(port.get_ports())
        port.delete()
    except Exception:  # no sequencer in the kernel, no rights: there are no ports
        return []
    return names


def inputs() -> list[str]:
    """Names of the ports that messages come in at."""
    return _names("MidiIn")


def outputs() -> list[str]:
    """Names of the ports that messages can be sent to; the last is one that other programs can
    connect to."""
    return [*_names("MidiOut"), VIRTUAL] if _rtmidi() is not None else []


class Input:
    """A port that is listened to; `heard` is called from a thread of its own. Raises ZolvekError
    when it can't be opened."""

    def __init__(self, name: str, heard: EvaluatedLane) -> None:
        library = _rtmidi()
        try:
            self.port = library.MidiIn()
            self.port.open_port(self.port.get_ports().index(name))
        except Exception as error:
            raise ZolvekError("The MIDI port can't be opened.", name, "Is it plugged in, and free?") from error
        self.port.ignore_types(sysex=False, timing=False)  # a clock and its time code may come
        self.port.set_callback(lambda event, _: heard(tuple(event[0]), time.perf_counter()))

    def close(self) -> None:
        """Close the port."""
        self.port.close_port()
        self.port.delete()


class Output:
    """A port that messages go to. Raises ZolvekError when it can't be opened."""

    def __init__(self, name: str) -> None:
        library = _rtmidi()
        try:
            self.port = library.MidiOut()
            if name == VIRTUAL:
                self.port.open_virtual_port("Zolvek")
            else:
                self.port.open_port(self.port.get_ports().index(name))
        except Exception as error:
            raise ZolvekError("The MIDI port can't be opened.", name, "Is it plugged in, and free?") from error

    def send(self, message: bytes) -> None:
        """Send one message."""
        self.port.send_message(list(message))

    def close(self) -> None:
        """Close the port."""
        self.port.close_port()
        self.port.delete()
