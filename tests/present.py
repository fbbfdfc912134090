# SPDX-License-Identifier: GPL-3.0-or-later
"""What a test takes to be there."""

from __future__ import annotations

from typing import TypeVar

T = TypeVar("T")


def present(value: T | None) -> T:
    """The value, which may not be None: a test that goes on without it would check nothing."""
    if value is None:
        raise AssertionError("there is none")
    return value
