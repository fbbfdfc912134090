# SPDX-License-Identifier: GPL-3.0-or-later
"""The ports' process after it was switched off: it waits for a while, so that switching on again takes no start."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QTimer

from zolvek.sync.jack import link_messages as messages

if TYPE_CHECKING:
    from zolvek.sync.jack.link import Link
    from zolvek.sync.jack.link_messages import Report

WAIT_MS = 300_000


class SpareLink(QObject):
    """At most one. It has left the server."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self.link: Link | None = None
        self.timer = QTimer(self)
        self.timer.setSingleShot(True)
        self.timer.setInterval(WAIT_MS)
        self.timer.timeout.connect(self.close)

    def put(self, link: Link) -> None:
        """Keep a link that is not wanted now."""
        self.close()
        link.send(messages.Join(False))
        self.link = link
        self.timer.start()

    def take(self, on_report: Callable[[Report], object]) -> Link:
        """The one that waits, joining the server again, or a new one."""
        from zolvek.sync.jack.link import Link

        link, self.link = self.link, None
        self.timer.stop()
        if link is None or link.report.ended:
            if link is not None:
                link.close()
            return Link(on_report)
        link.send(messages.Join(True))
        return link

    def close(self) -> None:
        """End what waits."""
        self.timer.stop()
        if self.link is not None:
            self.link.close()
            self.link = None
