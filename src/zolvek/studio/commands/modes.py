# SPDX-License-Identifier: GPL-3.0-or-later
"""Modes that make edits unheard, unseen or different: named in a word, and left one by one."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

from zolvek.core.records import replace
from zolvek.studio.session.command_scope import unlocked
from zolvek.studio.session.session import NONE_CHOSEN, Session
from zolvek.studio.session.tools import Tool


class Mode(NamedTuple):
    """`word` is what the strip under the lane's head says while `there` holds; `end` ends it. Those
    with `by_escape` are left by Esc too, in the order of the table."""

    key: str
    word: str
    tip: str
    there: Callable[[Session], bool]
    end: Callable[[Session], object]
    by_escape: bool = True


def _plays_slot(session: Session) -> bool:
    lane = session.lane
    if lane is None or not lane.switches:
        return False
    now = [s.slot for s in lane.switches if s.beat <= session.playhead.beat + 1e-9]
    return bool(now) and now[-1] >= 0


def _own_curve_here(session: Session) -> None:
    from zolvek.studio.commands.patterns import play_slot_here

    play_slot_here(session, -1)


def _beyond_loop(session: Session) -> bool:
    lane = session.lane
    return bool(lane and lane.cycle and session.playhead.beat >= lane.cycle.beat + lane.cycle.length)


def _change(session: Session, label: str, **changes: object) -> None:
    session.edit_lane(label, replace(unlocked(session), **changes))


def _unlock(session: Session) -> None:
    if session.lane is not None:
        session.edit_lane("Unlock the lane", replace(session.lane, locked=False))


def _lane(session: Session, field: str) -> bool:
    return bool(session.lane is not None and getattr(session.lane, field))


MODES = (
    Mode("preview", "Preview", "The preview is not written yet", lambda s: s.preview.curve is not None,
         lambda s: s.preview.show(None)),
    Mode("learning", "Learning", "Learning from the controls you touch", lambda s: bool(s.passes.learning),
         lambda s: s.passes.learn("")),
    Mode("path", "Drawing the pad's path", "Drawing the pad's path instead of this lane",
        lambda s: s.focus.path is not None,
         lambda s: s.focus.draw_on_path(None, None)),
    Mode("layer", "Drawing on a layer", "You are drawing on a layer, not on the lane's curve",
        lambda s: s.focus.drawn_layer is not None,
         lambda s: s.focus.draw_on_layer(None)),
    Mode("take", "Auditioning a take", "A take plays instead of the curve", lambda s: bool(s.audition.takes),
         lambda s: s.audition.play_takes(None, ())),
    Mode("kept", "Stored version plays", "You hear the stored version, not your edits",
        lambda s: s.audition.comparing == "kept",
         lambda s: s.audition.compare("")),
    Mode("version", "Other version plays", "Another version of the section plays",
        lambda s: s.audition.comparing == "version",
         lambda s: s.audition.compare("")),
    Mode("bypass-all", "Automation off", "All controls stay at their own values",
        lambda s: s.audition.comparing == "bypass",
         lambda s: s.audition.compare("")),
    Mode("alone", "Another lane is soloed", "All other lanes are held at their controls' values",
         lambda s: s.audition.listening.alone not in (None, s.focus.id), lambda s: s.audition.listen(alone=None)),
    Mode("together", "Several lanes together", "Edits of spans also change the marked lanes below",
         lambda s: bool(s.span.also), lambda s: s.span.take_along(frozenset())),
    Mode("tool", "Drawing tool active", "Clicks draw with this tool", lambda s: s.tools.tool != Tool.POINTS,
         lambda s: s.tools.choose(Tool.POINTS)),
    Mode("slot", "Slot plays here", "A slot plays instead of the curve at the playhead", _plays_slot, _own_curve_here,
        False),
    Mode("loop", "Beyond the lane loop", "An earlier part repeats here", _beyond_loop,
         lambda s: _change(s, "End lane loop", cycle=None), False),
    Mode("hidden", "Hidden", "Applied, but not shown below", lambda s: _lane(s, "hidden"),
         lambda s: _change(s, "Show the lane", hidden=False), False),
    Mode("bypassed", "Bypassed", "Not applied", lambda s: _lane(s, "bypassed"),
         lambda s: _change(s, "Apply the lane", bypassed=False), False),
    Mode("locked", "Locked", "Protected from changes", lambda s: _lane(s, "locked"),
         _unlock, False),
)  # fmt: skip


def modes(session: Session) -> list[Mode]:
    """What there is to be given now."""
    return [mode for mode in MODES if mode.there(session)]


def leave(session: Session) -> None:
    """Escape: the first mode there is ends, else the selection goes, else the span."""
    for mode in MODES:
        if mode.by_escape and mode.there(session):
            mode.end(session)
            session.notices.say(f"Ended: {mode.word.lower()}.")
            return
    if session.points.chosen.size:
        session.points.choose(NONE_CHOSEN)
    elif session.span.beats is not None:
        session.span.choose(None)
