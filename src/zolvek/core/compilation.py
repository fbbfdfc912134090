# SPDX-License-Identifier: GPL-3.0-or-later
"""Loops as machine code, where the compiler is there: the one use of numba outside the callbacks of audio servers."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import lru_cache
from types import FunctionType
from typing import Any

Loop = Callable[..., Any]


@lru_cache(maxsize=16)
def compiled(loop: Loop, helpers: tuple[str, ...] = ()) -> Loop:
    """The loop as machine code, kept between starts where there is a folder for that; as it is where numba can't be
    loaded. `helpers`: functions of the loop's module that it calls, in the order in which they need each other."""
    try:
        import numba  # noqa: F401
    except ImportError:
        return loop
    return CompiledLoop(loop, helpers)


class CompiledLoop:
    """Compiled at the first call. What was kept by another version of the program may not load any more: it is then
    thrown away and made again."""

    def __init__(self, loop: Loop, helpers: tuple[str, ...]) -> None:
        self.loop, self.helpers = loop, helpers
        self.made = _made(loop, helpers)

    def __call__(self, *arguments: Any) -> Any:
        try:
            return self.made[-1](*arguments)
        except (ImportError, AttributeError):
            for each in self.made:
                each._cache.flush()
            self.made = _made(self.loop, self.helpers)
            return self.made[-1](*arguments)


def _made(loop: Loop, helpers: Iterable[str]) -> list[Any]:
    """The compiled helpers, and the loop last, each with those before it in place of the plain ones."""
    assert isinstance(loop, FunctionType)
    own = dict(loop.__globals__)
    made = []
    for name in (*helpers, loop.__name__):
        function = own[name]
        if function.__module__ == loop.__module__:
            copy = FunctionType(function.__code__, own, function.__name__, function.__defaults__)
            copy.__qualname__, copy.__module__ = function.__qualname__, function.__module__
            function = copy
        own[name] = _machine(function)
        made.append(own[name])
    return made


def _machine(function: Loop) -> Any:
    import numba

    try:
        return numba.njit(cache=True, nogil=True)(function)
    except RuntimeError:  # there is no folder that what is compiled could be kept in
        return numba.njit(nogil=True)(function)
