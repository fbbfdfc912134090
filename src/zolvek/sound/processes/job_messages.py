# SPDX-License-Identifier: GPL-3.0-or-later
"""What the program and a job process send each other: one struct a kind, tagged by its class (`framing` carries
them pickled)."""

from __future__ import annotations

from typing import Any

import msgspec

from zolvek.core.errors import ZolvekError


class Job(msgspec.Struct, frozen=True, tag=True):
    """A job: `function` names what does it as "module:function", which is given `progress` and the arguments."""

    function: str
    arguments: tuple[Any, ...]


class News(msgspec.Struct, frozen=True, tag=True):
    """How a job goes."""


class Progress(News, frozen=True):
    """`found`: what there is of the result since the last time."""

    done: int
    total: int
    found: Any = None


class Done(News, frozen=True):
    value: Any


class JobError(News, frozen=True):
    error: ZolvekError
