"""Which plugins are installed, and which of them can be used: looked for bundle by bundle, and kept until a
bundle changes."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import msgspec

from zolvek.core.errors import Failure
from zolvek.sound.hosting.found import Found
from zolvek.sound.hosting.hosts import FORMATS, host

Progress = Callable[[int, int], object]


class Kept(msgspec.Struct):
    """What was found in a bundle when it was of this age and size."""

    stamp: tuple[int, int]
    plugins: list[Found]


def scanned(
    kept: dict[str, Kept], progress: Progress | None = None, beside: tuple[str, ...] = ()
) -> tuple[dict[str, Kept], list[Failure]]:
    """What is in each bundle there is, and in those `beside` the search path; those that have not changed
    since are as they were `kept`. And what keeps a standard from being hosted here."""
    now: dict[str, Kept] = {}
    faults: list[Failure] = []
    every = [(form, bundle) for form in FORMATS for bundle in host(form).bundles()]
    every += [(form, Path(p)) for p in beside for form in FORMATS if host(form).is_bundle(Path(p))]
    broken: set[str] = set()
    for place, (form, bundle) in enumerate(every):
        if form not in broken and str(bundle) not in now:
            try:
                now[str(bundle)] = _kept(form, bundle, kept.get(str(bundle)))
            except Failure as error:
                broken.add(form)
                faults.append(error)
        if progress is not None:
            progress(place + 1, len(every))
    return now, faults


def _kept(form: str, bundle: Path, old: Kept | None) -> Kept:
    own = host(form)
    stamp = own.stamp(bundle)
    if old is not None and tuple(old.stamp) == stamp:
        return old
    return Kept(stamp, own.within(bundle))


def by_name(now: dict[str, Kept]) -> list[Found]:
    """All plugins, each once, by name."""
    found: dict[str, Found] = {}
    for own in now.values():
        for each in own.plugins:
            found.setdefault(each.id, each)
    return sorted(found.values(), key=lambda each: each.name.casefold())
