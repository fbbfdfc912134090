# SPDX-License-Identifier: GPL-3.0-or-later
"""Spans of curves: cut, copied, pasted, repeated."""

from __future__ import annotations

from PyQt6.QtWidgets import QApplication

from zolvek.core.curve import point_edits, shaping, spans
from zolvek.core.edits import replacement
from zolvek.core.edits.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Pattern, Project
from zolvek.core.movement.evaluation.lane_evaluation import filled
from zolvek.formats.tables import clipboard
from zolvek.studio.services.context import Studio
from zolvek.studio.session.command_scope import edit_together, scope, target, together
from zolvek.studio.session.session import NONE_CHOSEN, Session


def copy(session: Session, all_lanes: bool = False) -> tuple[float, float]:
    """The scope on the clipboard; with `all_lanes` that of every shown lane, aligned."""
    first, last, _ = scope(session)
    curves = [(item.lane, item.curve) for item in together(session)]
    if all_lanes:
        curves = [(x.id, x.curve) for x in session.project.lanes() if not x.hidden]
    all_lanes = len(curves) > 1
    pieces = [(key, spans.piece(curve, first, last)) for key, curve in curves]
    board = QApplication.clipboard()
    assert board is not None
    board.setText(clipboard.to_text(pieces))
    session.notices.say("Copied" + (f" {len(pieces)} lanes" if all_lanes else ""))
    return first, last


def cut(session: Session) -> None:
    """Move the span to the clipboard; a straight line is left."""
    first, last = copy(session)
    edit_together(session, "Cut", lambda x: spans.clear(x.curve, first, last), NONE_CHOSEN)


def paste(session: Session, scaled: bool = False) -> None:
    """The clipboard at the playhead, or scaled in time to the selected span. Several lanes go
    back into their own; one piece goes into what is drawn on, whatever lane it came from."""
    board = QApplication.clipboard()
    assert board is not None
    pieces = clipboard.from_text(board.text())
    span = session.span.beats
    first = span[0] if span and scaled else session.playhead.beat
    project = session.project
    for name, piece in pieces:
        lane = target(session).lane if len(pieces) == 1 else name
        if not project.has_lane(lane):
            raise ZolvekError(f"There is no lane “{lane}” to paste into.", "the clipboard")
        if project.lane(lane).locked:
            raise ZolvekError("The lane is locked.", project.label_of(lane), "Unlock it first.")
        put = piece.shifted(-float(piece.beat[0]))
        if scaled and span and put.beat[-1] > 0.0:
            put = shaping.stretched(put, (span[1] - span[0]) / float(put.beat[-1]))
        if put.beat[-1] <= 0.0:
            raise ZolvekError("The copied span has no length.", "the clipboard", "Copy a longer span.")
        project = _spliced(session, project, lane, first, put, len(pieces) == 1)
    session.document.edit("Paste", project)


def _spliced(
    session: Session, project: Project, lane: str, first: float, put: point_edits.Curve, alone: bool
) -> Project:
    """`put` from beat `first` on: in what is drawn on, where that belongs to the lane. Linked lanes follow
    it when it goes `alone`; of several lanes each has its own."""
    drawn = session.target
    if drawn is not None and drawn.lane == lane and (alone or drawn.aside):
        return drawn.put(project, lambda curve: spans.splice(curve, first, put))
    return replacement.with_curve(project, lane, spans.splice(project.lane(lane).curve, first, put))


def duplicate(session: Session) -> None:
    """The scope once more, right after itself; the span moves along."""
    first, last, _ = scope(session)

    def edit(each: Target) -> point_edits.Curve:
        return spans.splice(each.curve, last, spans.piece(each.curve, first, last))

    edit_together(session, "Duplicate", edit, NONE_CHOSEN)
    if session.span.beats:
        session.span.choose((last, min(2 * last - first, session.project.length)))


def at_speed(session: Session, factor: float) -> None:
    """The scope `factor` times as fast, again and again so that it fills the same time."""
    first, last, _ = scope(session)

    def edit(each: Target) -> point_edits.Curve:
        part = spans.piece(each.curve, first, last)
        quick = Pattern("", (last - first) / factor, shaping.stretched(part, 1.0 / factor))
        return spans.splice(each.curve, first, filled(quick, last - first), last)

    words = "Twice as fast" if factor > 1.0 else "Half as fast"
    edit_together(session, words, edit, NONE_CHOSEN)


def repeat_to(session: Session, end: float, scale: float = 1.0, tilt: float = 0.0, all_lanes: bool = False) -> None:
    """The scope again and again up to beat `end`, growing by `scale` and `tilt`."""
    drawn = target(session)
    first, last, _ = scope(session)
    if end <= last + 1e-9:
        raise ZolvekError("There is no room to repeat.", remedy="Select a shorter span first.")
    project = session.project
    curves = [(item.lane, item.curve) for item in together(session)]
    all_lanes = all_lanes or len(curves) > 1
    if all_lanes and len(curves) == 1:
        shown = (x for x in project.lanes() if not x.hidden and not x.locked)
        curves = [(x.id, x.curve) for x in shown if x.id != drawn.lane or not drawn.aside]
    for key, curve in curves:
        pattern = Pattern("", last - first, spans.piece(curve, first, last))
        put = filled(pattern, end - first, scale, tilt)
        project = _spliced(session, project, key, first, put, not all_lanes)
    session.document.edit("Repeat to fill", project)


def repeat_to_section_end(session: Session) -> None:
    """Repeat the span up to the next section."""
    first, _, _ = scope(session)
    repeat_to(session, session.project.section_at(first)[1])


def repeat_times(studio: Studio) -> None:
    """Ask how many there are to be of the span, and repeat it so often."""
    session = studio.session
    first, last, _ = scope(session)
    most = int((session.project.length - first) / (last - first) + 1e-6)
    if most < 2:
        raise ZolvekError("There is no room to repeat.", remedy="Select a shorter span first.")
    count = studio.ask.number("Repeat several times", f"How many in all, 2 to {most}:", min(8, most), 2, most, 0)
    if count is not None:
        repeat_to(session, first + round(count) * (last - first))


def repeat_growing(studio: Studio) -> None:
    """Ask for the bar to repeat to and the change of each repeat."""
    from zolvek.studio.toolkit.dialogs import RepeatDialog

    position_of = studio.session.position_of
    dialog = studio.ask.filled(lambda over: RepeatDialog(position_of, over))
    if dialog is not None:
        end = position_of(dialog.until.text())
        repeat_to(
            studio.session,
            end,
            dialog.scale.value() / 100.0,
            dialog.tilt.value() / 100.0,
            dialog.all_lanes.isChecked(),
        )
