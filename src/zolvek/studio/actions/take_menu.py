# SPDX-License-Identifier: GPL-3.0-or-later
"""The Takes menu: recorded passes that lie next to the lane."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import takes

ACTIONS: tuple[Action, ...] = (
    Action("take-hear", "Audition take", "", "Plays the take instead of the curve; again plays the lane",
        lambda s: takes.hear(s.session), refused=availability.take,
           checked=lambda s: bool(s.session.picked.take and s.session.audition.takes == (s.session.picked.take.id,))),
    Action("take-solo", "Audition with others", "", "Adds it to the takes that play, or removes it",
        lambda s: takes.solo(s.session), refused=availability.take,
           checked=lambda s: bool(s.session.picked.take and s.session.picked.take.id in s.session.audition.takes)),
    Action("take-hear-all", "Audition all takes", "", "Plays all unmuted takes, the newest on top",
        lambda s: takes.hear_all(s.session), refused=availability.take),
    Action("take-mute", "Mute take", "", "Leaves it out of “all takes”", lambda s: takes.mute(s.session),
        refused=availability.open_take,
           checked=lambda s: bool(s.session.picked.take and s.session.picked.take.muted)),
    Action("take-choose", "Use whole take", "", "Uses all of it for the lane", lambda s: takes.choose_whole(s.session),
        refused=availability.open_take, apart=True),
    Action("take-choose-span", "Use span of take", "", "Uses the selected span of it for the lane",
        lambda s: takes.choose_span(s.session), refused=availability.take_and_span),
    Action("take-let-go", "Clear choices", "", "Restores the curve under the choices, in the selected span",
        lambda s: takes.release(s.session), refused=availability.open_take),
    Action("take-crop", "Crop take", "", "Crops it to the selected span", lambda s: takes.crop(s.session),
        refused=availability.take_and_span),
    Action("take-edit", "Edit take", "", "Makes it the lane's curve, to edit with every tool",
        lambda s: takes.work_on(s.session), refused=availability.open_take),
    Action("take-rename", "Rename take…", "", "Gives it a name", takes.rename, refused=availability.open_take,
        apart=True),
    Action("take-rate", "Rate take", "", "Adds a star, then none", lambda s: takes.rate(s.session),
        refused=availability.open_take),
    Action("take-colour", "Next take colour", "", "Gives the take another colour",
        lambda s: takes.next_colour(s.session), refused=availability.open_take),
    Action("take-copy", "Copy take to lane…", "", "Copies it to another lane's takes", takes.copy_to,
        refused=availability.open_take),
    Action("take-delete", "Delete take", "", "Can be undone", lambda s: takes.delete(s.session),
        refused=availability.open_take, apart=True),
)  # fmt: skip
