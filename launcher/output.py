# SPDX-License-Identifier: GPL-3.0-or-later
"""What the launcher says: short lines on standard error."""

from __future__ import annotations

import sys
from typing import NoReturn


def say(line: str) -> None:
    print(line, file=sys.stderr, flush=True)


def stop(line: str, status: int = 1) -> NoReturn:
    say(line)
    sys.exit(status)
