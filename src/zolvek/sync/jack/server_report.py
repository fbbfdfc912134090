# SPDX-License-Identifier: GPL-3.0-or-later
"""What the ports' process reports about the server."""

from __future__ import annotations

from typing import NamedTuple

NO_SERVER = ""


class Report(NamedTuple):
    """`state` is the kind of server, "" while there is none and `trouble` says why; `name` is ours there;
    `others` are (name, "sound" or "midi", whether it takes, whether it is hardware); `connections` (a port of
    ours, one of others)."""

    state: str = NO_SERVER
    trouble: str = ""
    name: str = ""
    rate: int = 0
    block: int = 0
    realtime: bool = False
    others: tuple[tuple[str, str, bool, bool], ...] = ()
    connections: tuple[tuple[str, str], ...] = ()
    seen: tuple[int, int, int] = (0, 0, 0)
