# SPDX-License-Identifier: GPL-3.0-or-later
"""How a project syncs with other programs: who leads, and what is connected."""

from __future__ import annotations

from enum import StrEnum

from zolvek.core.errors import ZolvekError
from zolvek.core.records import Record


class Role(StrEnum):
    """Who keeps time; its values are those of the project file."""

    INTERNAL = "alone"
    FOLLOW = "follow"
    LEAD = "lead"


class Source(StrEnum):
    """The clock that is followed; its values are those of the project file."""

    TRANSPORT = "transport"
    CLOCK = "clock"
    CODE = "code"


# Who keeps time -> what it is called, and what that means.
ROLES: dict[str, tuple[str, str]] = {
    Role.INTERNAL: ("Internal", "Independent of other programs"),
    Role.FOLLOW: ("Follow", "Another program or machine controls the transport"),
    Role.LEAD: ("Lead", "Other programs follow its transport, bars and tempo"),
}
# What is followed -> how it is called.
SOURCES: dict[str, str] = {
    Source.TRANSPORT: "JACK transport",
    Source.CLOCK: "MIDI clock",
    Source.CODE: "MIDI time code",
}
CODES = (
    "",
    "24",
    "25",
    "29.97 drop",
    "30",
)  # frames a second of the time code that is sent, "" for none


class SyncSetup(Record, frozen=True):
    """`role` and `source` are keys of ROLES and SOURCES. `clock`: MIDI clock is sent; `code`: time code. `connections`:
    a port of the project's (core.edits.connections says their names) and the name of another program's."""

    role: str = "alone"
    source: str = "transport"
    clock: bool = False
    code: str = ""
    connections: tuple[tuple[str, str], ...] = ()

    def __post_init__(self) -> None:
        for key, table in ((self.role, ROLES), (self.source, SOURCES), (self.code, CODES)):
            if key not in table:
                raise ZolvekError(f"There is no sync setting “{key}”.", "project")

    @property
    def together(self) -> bool:
        """Whether it goes with the transport that all programs share."""
        return self.role == "lead" or (self.role == "follow" and self.source == "transport")
