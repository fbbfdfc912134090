"""What a command works on."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.core.curve import shaping
from zolvek.core.curve.curve import Curve
from zolvek.core.document import parts
from zolvek.core.document.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.core.model.project import Lane, Project
from zolvek.studio.session import NONE_CHOSEN, Session

Shaper = Callable[[Curve], Curve]


def unlocked(session: Session) -> Lane:
    """The focus lane, open to edits. Raises ZolvekError when there is none, or it is locked."""
    lane = session.lane
    if lane is None:
        raise ZolvekError("There is no lane to work on.", remedy="Touch a control and press A.")
    if lane.locked:
        raise ZolvekError(
            "The lane is locked.", session.project.label_of(lane.id), "Unlock it first."
        )
    return lane


def target(session: Session) -> Target:
    """What is drawn on, open to edits. Raises ZolvekError as `unlocked`."""
    unlocked(session)
    found = session.target
    assert found is not None
    return found


def base_only(session: Session, what: str) -> Lane:
    """The focus lane, where its base is drawn on. Raises ZolvekError where something else is, which
    has no `what` of its own."""
    if target(session).aside:
        raise ZolvekError(
            f"What is drawn on has no {what} of its own.", remedy="Draw on the base again."
        )
    return unlocked(session)


def scope(session: Session) -> tuple[float, float, str]:
    """The span that a command works on, and its name: the selected span, else that of the
    selected points, else the whole lane."""
    curve = target(session).curve
    if session.span.beats:
        return (*session.span.beats, "the selected span")
    chosen = session.points.chosen
    if chosen.size > 1:
        beats = curve.beat[chosen]
        if beats[-1] > beats[0]:
            return float(beats[0]), float(beats[-1]), "the selected points' span"
    return 0.0, max(float(curve.beat[-1]), session.project.length), "the whole lane"


def shape_scope(
    session: Session,
    label: str,
    shaper: Shaper,
    ramp: float = 0.0,
    gesture: object = None,
    base: Curve | None = None,
) -> None:
    """`shaper` done to the scope of what is drawn on, as one step."""
    curve = shaped(session, shaper, ramp, base)
    session.edit_curve(label, curve, NONE_CHOSEN, gesture)


def shaped(session: Session, shaper: Shaper, ramp: float = 0.0, base: Curve | None = None) -> Curve:
    """What `shape_scope` would make, for a preview."""
    first, last, _ = scope(session)
    return shaping.on_span(base or target(session).curve, first, last, shaper, ramp)


def with_own(session: Session, lane: Lane) -> Project:
    """The project with the focus lane replaced. Raises ZolvekError when it is locked."""
    if lane.locked:
        raise ZolvekError("The lane is locked.", remedy="Unlock it first.")
    return parts.with_lane(session.project, lane)
