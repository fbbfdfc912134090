# SPDX-License-Identifier: GPL-3.0-or-later
"""Loops as machine code, where the compiler is there: the one use of numba outside the callbacks of audio servers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
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
            for item in self.made:
                item._cache.flush()
            self.made = _made(self.loop, self.helpers)
            return self.made[-1](*arguments)


def _made(loop: Loop, helpers: Iterable[str]) -> list[Any]:
    """The compiled helpers, and the loop last."""
    functions = {name: loop.__globals__[name] for name in (*helpers, loop.__name__)}
    return list(machine_copies(functions, _machine).values())


def machine_copies(
    functions: Mapping[str, Loop], machine: Callable[[Loop], Any], instead: Mapping[str, Any] | None = None
) -> dict[str, Any]:
    """Functions by the names that others call them by, compiled by `machine`; each calls the compiled ones of those
    that stand before it, and what `instead` has in place of others. Those of the last one's module are copied for
    that."""
    *_, last = functions.values()
    namespace = {**last.__globals__, **(instead or {})}
    copies: dict[str, Any] = {}
    for name, function in functions.items():
        if function.__module__ == last.__module__:
            assert isinstance(function, FunctionType)
            copy = FunctionType(function.__code__, namespace, function.__name__, function.__defaults__)
            copy.__qualname__, copy.__module__ = function.__qualname__, function.__module__
            function = copy
        namespace[name] = copies[name] = machine(function)
    return copies


def _machine(function: Loop) -> Any:
    import numba

    try:
        return numba.njit(cache=True, nogil=True)(function)
    except RuntimeError:  # there is no folder that what is compiled could be kept in
        return numba.njit(nogil=True)(function)
