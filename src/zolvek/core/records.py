"""Records: frozen dataclasses, made quickly.

The standard decorator writes and compiles half a dozen methods for each class, more than a
millisecond; a program of fifty is late on the screen by that. A record is a dataclass to everybody
(`fields`, `replace`, `asdict`, msgspec), but its methods are the ones below, the same for all.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import MISSING, FrozenInstanceError, dataclass, field
from typing import Any, TypeVar, dataclass_transform, overload

from zolvek.core.limits import checker

T = TypeVar("T")


@overload
def record(cls: type[T]) -> type[T]: ...
@overload
def record(*, eq: bool = True) -> Callable[[type[T]], type[T]]: ...
@dataclass_transform(frozen_default=True, field_specifiers=(field,))
def record(cls: Any = None, *, eq: bool = True) -> Any:
    """Make a class a frozen dataclass. `eq=False`: it is equal to itself alone, as objects are, or
    as its own `__eq__` says."""
    return (lambda own: _made(own, eq)) if cls is None else _made(cls, eq)


def _made(cls: Any, eq: bool) -> Any:
    cls.__doc__ = cls.__doc__ or cls.__name__  # else one is made up, slowly
    made: Any = dataclass(init=False, repr=False, eq=False)(cls)
    rows = made.__dataclass_fields__.values()
    check = checker(made)
    parts: dict[str, Any] = {
        "_check": check and staticmethod(check),
        "_names": tuple(each.name for each in rows),
        "_plain": {f.name: f.default for f in rows if f.default is not MISSING},
        "_fresh": {f.name: f.default_factory for f in rows if f.default_factory is not MISSING},
        "__init__": _init_checked if check or hasattr(made, "__post_init__") else _init,
        "__setattr__": _refuse,
        "__delattr__": _refuse,
        "__repr__": _repr,
    }
    if check:
        # A reader of files fills the fields itself and calls this one alone.
        parts |= {"_rules": vars(made).get("__post_init__"), "__post_init__": _post_checked}
    if eq:
        parts |= {"__eq__": _equal, "__hash__": _hash}
    for name, part in parts.items():
        setattr(made, name, part)
    return made


def _init(self: Any, *args: Any, **named: Any) -> None:
    own, names = self.__dict__, self._names
    if not named and len(args) == len(names):
        own.update(zip(names, args))  # noqa: B905  # as many, and made very often
        return
    own.update(self._plain)
    for place, value in enumerate(args):
        if place >= len(names) or names[place] in named:
            raise TypeError(f"{type(self).__name__} takes {', '.join(names)}, each once")
        own[names[place]] = value
    own.update(named)
    for name, fresh in self._fresh.items():
        if name not in own:
            own[name] = fresh()
    if len(own) != len(names) or not own.keys() >= set(names):
        wrong = own.keys() ^ set(names)
        raise TypeError(f"{type(self).__name__}: {', '.join(sorted(wrong))} missing or unknown")


def _init_checked(self: Any, *args: Any, **named: Any) -> None:
    _init(self, *args, **named)
    self.__post_init__()


def _post_checked(self: Any) -> None:
    own = self.__dict__
    if len(own) < len(self._names):  # a reader of files may leave a default to the class
        own = {name: getattr(self, name) for name in self._names}
    self._check(own)
    if self._rules is not None:
        self._rules()


def _refuse(self: Any, name: str, *_: Any) -> None:
    raise FrozenInstanceError(f"cannot change {name!r} of a {type(self).__name__}")


def _values(self: Any) -> tuple[Any, ...]:
    # Not by __dict__: a reader of files may leave a default to the class.
    return tuple([getattr(self, name) for name in self._names])


def _equal(self: Any, other: object) -> bool:
    if self is other:
        return True
    if type(other) is not type(self):
        return NotImplemented
    return _values(self) == _values(other)


def _hash(self: Any) -> int:
    return hash(_values(self))


def _repr(self: Any) -> str:
    told = ", ".join(
        f"{name}={value!r}" for name, value in zip(self._names, _values(self), strict=True)
    )
    return f"{type(self).__name__}({told})"
