# SPDX-License-Identifier: GPL-3.0-or-later
"""What a command works on."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.core.arrays import Ints
from zolvek.core.curve import shaping
from zolvek.core.curve.curve import Curve
from zolvek.core.edits import replacement
from zolvek.core.edits.edit_scope import EditScope, bars_text, edit_scope_of
from zolvek.core.edits.targets import Target, base
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Lane, Project
from zolvek.studio.session.session import NONE_CHOSEN, Session

Shaper = Callable[[Curve], Curve]


def unlocked(session: Session) -> Lane:
    """The focus lane, open to edits. Raises ZolvekError when there is none, or it is locked."""
    lane = session.lane
    if lane is None:
        raise ZolvekError("There is no lane to work on.", remedy="Touch a control and press A.")
    if lane.locked:
        raise ZolvekError("The lane is locked.", session.project.label_of(lane.id), "Unlock it first.")
    return lane


def target(session: Session) -> Target:
    """What is drawn on, open to edits. Raises ZolvekError as `unlocked`."""
    unlocked(session)
    result = session.target
    assert result is not None
    return result


def base_only(session: Session, what: str) -> Lane:
    """The focus lane, where its base is drawn on. Raises ZolvekError where something else is, which
    has no `what` of its own."""
    if target(session).aside:
        raise ZolvekError(f"This curve has no {what} of its own.", remedy="Return to the lane's base curve.")
    return unlocked(session)


def edit_scope(session: Session) -> EditScope:
    """What a command works on in what is drawn on, open to edits. Raises ZolvekError as `unlocked`,
    and where a span is selected in which there is nothing."""
    result = edit_scope_of(target(session).curve, session.points.chosen, session.span.beats, session.project.meter)
    if not result.points.size and not result.segments.size:
        raise ZolvekError(f"There is nothing{result.where}.", remedy="Select another span, or points.")
    return result


def point_scope(session: Session) -> EditScope:
    """As `worked`, where points are needed."""
    result = edit_scope(session)
    if not result.points.size:
        raise ZolvekError(f"There are no points{result.where}.", remedy="Select another span, or points.")
    return result


def segment_scope(session: Session) -> EditScope:
    """As `worked`, where segments are needed."""
    result = edit_scope(session)
    if not result.segments.size:
        raise ZolvekError("No segment begins there.", remedy="Select another point or span.")
    return result


def chosen_points(session: Session) -> bool:
    """Whether points are selected, or lie in the selected span."""
    drawn, span = session.target, session.span.beats
    if drawn is None:
        return False
    if session.points.chosen.size or span is None:
        return bool(session.points.chosen.size)
    # Asked after every change, of many points too: not by looking at all of them.
    beat = drawn.curve.beat
    return bool(beat.searchsorted(span[0], "left") < beat.searchsorted(span[1], "right"))


def scope(session: Session) -> tuple[float, float, str]:
    """The span that a command on spans works on, and its name: that of the selected points, else the
    selected one, else the whole lane. Raises ZolvekError for points on one beat, which have none."""
    curve = target(session).curve
    chosen = session.points.chosen
    if chosen.size:
        beats = curve.beat[chosen]
        if beats[-1] > beats[0]:
            return float(beats[0]), float(beats[-1]), "the selected points' span"
        if not session.span.beats:
            raise ZolvekError(
                "The selection has no length.",
                remedy="Select two points or a span, or clear the selection.",
            )
    if session.span.beats:
        return (*session.span.beats, "the selected span")
    return 0.0, max(float(curve.beat[-1]), session.project.length), "the whole lane"


def scope_words(session: Session) -> tuple[str, bool]:
    """What a panel says that it works on, and whether it can."""
    try:
        first, last, name = scope(session)
    except ZolvekError as error:
        return f"{error.what} {error.remedy}", False
    text = session.project.meter.text
    return f"Applies to {name}, {text(first)} to {text(last)}.", True


def together(session: Session) -> list[Target]:
    """What an edit of a span works on: what is drawn on, and the lanes taken along, but for locked ones.
    With points selected what is drawn on alone, as they are its own."""
    drawn = target(session)
    if session.points.chosen.size:
        return [drawn]
    project = session.project
    others = [x for x in project.lanes() if x.id in session.span.also and not x.locked]
    return [drawn, *(base(project, x.id) for x in others if x.id != drawn.lane)]


def edit_together(
    session: Session, label: str, edit: Callable[[Target], Curve], chosen: Ints, gesture: object = None
) -> None:
    """`edit` done to all that is worked on together, as one step; `chosen` are the points selected then."""
    result = together(session)
    if len(result) == 1:
        session.edit_curve(label, edit(result[0]), chosen, gesture)
        return
    project = session.document.before(gesture)
    for item in result:
        made = edit(item)
        project = item.put(project, lambda _, made=made: made)  # type: ignore[misc]  # bound now
    session.document.edit(f"{label}, {len(result)} lanes together", project, gesture)


def shape_scope(
    session: Session,
    label: str,
    shaper: Shaper,
    ramp: float = 0.0,
    gesture: object = None,
    whole: Curve | None = None,
) -> None:
    """`shaper` done to the scope of what is drawn on, as one step."""
    first, last, name = scope(session)
    drawn = target(session)
    whole_lane = name == "the whole lane"
    where = name if whole_lane else bars_text(first, last, session.project.meter)

    def edit(each: Target) -> Curve:
        curve = whole if whole is not None and each.lane == drawn.lane else each.curve
        return shaping.on_span(curve, first, last, shaper, ramp)

    edit_together(session, f"{label}: {where}", edit, NONE_CHOSEN, gesture)


def shaped(session: Session, shaper: Shaper, ramp: float = 0.0) -> Curve:
    """What `shape_scope` would make, for a preview."""
    first, last, _ = scope(session)
    return shaping.on_span(target(session).curve, first, last, shaper, ramp)


def with_own(session: Session, lane: Lane) -> Project:
    """The project with the focus lane replaced. Raises ZolvekError when it is locked."""
    if lane.locked:
        raise ZolvekError("The lane is locked.", remedy="Unlock it first.")
    return replacement.with_lane(session.project, lane)
