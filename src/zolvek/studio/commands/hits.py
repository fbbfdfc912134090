# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands on hits: go to them, snap to them, end at them, stamp on them."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, TypeVar

import numpy as np

from zolvek.core.curve import point_edits
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.stamps import BY_KEY
from zolvek.core.edits import hits
from zolvek.core.edits.edit_scope import counted
from zolvek.core.edits.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.core.time.durations import note_beats
from zolvek.core.time.grid import GridKind
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import edit_together, target
from zolvek.studio.session.session import NONE_CHOSEN

if TYPE_CHECKING:
    from PyQt6.QtWidgets import QDialog, QWidget

    from zolvek.studio.toolkit.hit_fields import HitChoice, HitFields

THIS = "This track"
D = TypeVar("D", bound="QDialog")


def _needed(studio: Studio) -> None:
    if not studio.hits.beats.size:
        raise ZolvekError(
            "No hits are known.",
            remedy="Choose a track with notes, or wait until its audio is analysed.",
        )


def go(studio: Studio, direction: int) -> None:
    """The playhead to the next hit, or the one before."""
    _needed(studio)
    here, beats = studio.session.playhead.beat, studio.hits.beats
    later = beats[beats > here + hits.SAME_HIT_BEATS] if direction > 0 else beats[beats < here - hits.SAME_HIT_BEATS]
    if not later.size:
        studio.session.notices.say("There is no later hit." if direction > 0 else "There is no earlier hit.")
        return
    studio.player.seek(float(later[0] if direction > 0 else later[-1]))


def select_to_next(studio: Studio) -> None:
    """The span from its start, else from the playhead, until the next hit; again, until the one after."""
    _needed(studio)
    session = studio.session
    span = session.span.beats
    first, last = span or (session.playhead.beat, session.playhead.beat)
    result = hits.next_hit(studio.hits.beats, last)
    if result is None:
        raise ZolvekError("There is no later hit.", remedy="Start earlier.")
    session.span.choose((first, result))
    session.notices.say(f"Selected up to the hit at {session.project.meter.text(result)}.")


def snap_to_hits(studio: Studio) -> None:
    """The grid one of hits, or of notes again."""
    session = studio.session
    on = session.tools.grid.kind != "hits"
    session.tools.set_grid(kind=GridKind.HITS if on else GridKind.STRAIGHT, on=True)
    if on and not studio.hits.beats.size:
        session.notices.say("No hits are known yet. The track has no notes, or its audio is still being analysed.")


def _fields(studio: Studio) -> HitFields:
    """Fields that choose hits. The ruler shows what is chosen at once."""
    from zolvek.studio.toolkit.hit_fields import HitFields

    def apply(choice: HitChoice) -> str:
        studio.hits.use(choice)
        first, last = _span(studio)
        beats = studio.hits.beats
        inside = int(np.count_nonzero((beats >= first) & (beats < last)))
        where = "in the span" if studio.session.span.beats is not None else "in the section"
        return f"{counted(inside, 'hit')} {where}, {beats.size} in the song"

    sources = [(THIS, ""), *((track.name, track.id) for track in studio.session.project.tracks)]
    bands = [(text, str(band)) for band, text in hits.BAND_LABELS.items()]
    return HitFields(sources, bands, studio.hits.choice, apply)


def _span(studio: Studio) -> tuple[float, float]:
    """The selected span, else the section at the playhead."""
    session = studio.session
    return session.span.beats or session.project.section_at(session.playhead.beat)


def _asked(studio: Studio, make: Callable[[HitFields, QWidget], D]) -> D | None:
    """A dialog with fields that choose hits, once it has been accepted; else the choice is as it was."""
    before = studio.hits.choice
    dialog = studio.ask.filled(lambda over: make(_fields(studio), over))
    if dialog is None:
        studio.hits.use(before)
    return dialog


def choose_hits(studio: Studio) -> None:
    """Which hits are marked and snapped to: of which track, in which band, and how strong."""
    from zolvek.studio.toolkit.dialogs import HitChoiceDialog

    _asked(studio, HitChoiceDialog)


def until_hit(studio: Studio) -> None:
    """The last selected point a set length before the next hit: what is typed, 1/64 to begin with."""
    _needed(studio)
    session = studio.session

    def use(distance: str) -> None:
        early = 0.0 if distance.strip() in ("0", "none", "") else note_beats(distance)
        early = session.beats_of(distance) if early is None else early
        chosen, drawn = session.points.chosen, target(session)
        if not chosen.size:
            raise ZolvekError("No point is selected.", remedy="Select the point to move there.")
        last = int(chosen[-1])
        beat = float(drawn.curve.beat[last])
        result = hits.next_hit(studio.hits.beats, beat - hits.SAME_HIT_BEATS * 2.0)
        if result is None:
            raise ZolvekError("There is no later hit.", remedy="Start earlier.")
        to = max(result - early, 0.0)
        curve, moved = point_edits.move(
            drawn.curve, np.array([last]), to - beat, 0.0, session.settings.editing.collisions
        )
        where = f"{distance.strip()} before the hit at {session.project.meter.text(result)}"
        session.edit_curve(f"End {where}", curve, moved, moved=(np.array([last]), moved))

    studio.ask.typed("End before next hit", "Time before it:", "1/64", use)


def stamp(studio: Studio, kind: str, depth: float, length: str, hold: str = "", **sliders: float) -> None:
    """A stamp on every hit of the selected span, else of the section at the playhead. `length` and `hold` as
    they are typed; "" is until the next hit."""
    _needed(studio)
    session = studio.session
    first, last = _span(studio)
    beats = session.beats_of(length) if length.strip() else None
    if kind == "duck" and beats is not None:
        held = session.beats_of(hold) if hold.strip() else 0.0
        beats = max(beats + held, 1e-3)
        sliders["hold"] = min(held / beats, 0.95)
    count = 0

    def edit(each: Target) -> Curve:
        nonlocal count
        result, count = hits.stamped_on(each.curve, studio.hits.beats, first, last, kind, depth, beats, **sliders)
        return result

    label = BY_KEY[kind].label
    edit_together(session, f"{label} on every hit", edit, NONE_CHOSEN)
    session.notices.say(f"{label} on {count} hits.")


def ask_stamp(studio: Studio) -> None:
    """Ask for a stamp, and put it on every hit of the span."""
    from zolvek.studio.toolkit.dialogs import HitsDialog

    _needed(studio)
    target(studio.session)
    dialog = _asked(studio, lambda which, over: HitsDialog(studio.session.beats_of, which, over))
    if dialog is not None:
        stamp(studio, dialog.form_key, dialog.deep.value() / 100.0, dialog.length.text(), dialog.hold.text())
