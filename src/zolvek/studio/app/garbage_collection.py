# SPDX-License-Identifier: GPL-3.0-or-later
"""Python's search for dead cycles, on the interface's thread alone.

Python searches wherever it happens to be, in a thread that reads sound or writes a file too, and
takes apart what it finds there. Widgets may be taken apart on the interface's thread only.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QCoreApplication, QTimer

EVERY_MS = 500


def keep_to_this_thread(app: QCoreApplication) -> None:
    """From now on search now and then, when the interface has nothing else to do."""
    gc.disable()
    timer = QTimer(app)
    timer.setInterval(EVERY_MS)
    timer.timeout.connect(collect)
    timer.start()


def set_aside() -> None:
    """What is there now stays to the end: going through it again and again would hold the
    interface up for some thirty milliseconds each time."""
    gc.collect()
    gc.freeze()


def collect() -> None:
    """Search as far as Python itself would by now."""
    for generation in (2, 1, 0):
        if gc.get_count()[generation] > gc.get_threshold()[generation]:
            gc.collect(generation)
            return
