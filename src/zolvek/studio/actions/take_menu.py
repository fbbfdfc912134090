"""The Takes menu: recorded passes that lie beside the lane."""

from __future__ import annotations

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import takes

ACTIONS: tuple[Action, ...] = (
    Action("take-hear", "Hear the take", "", "Over the curve; again, the lane itself", lambda s: takes.hear(s.session), refused=availability.take,
           checked=lambda s: bool(s.session.picked.take and s.session.hearing.takes == (s.session.picked.take.id,))),
    Action("take-solo", "Hear it with others", "", "Among the takes that are heard, or no longer", lambda s: takes.solo(s.session), refused=availability.take,
           checked=lambda s: bool(s.session.picked.take and s.session.picked.take.id in s.session.hearing.takes)),
    Action("take-hear-all", "Hear all takes", "", "All that are not muted, the newest on top", lambda s: takes.hear_all(s.session), refused=availability.take),
    Action("take-mute", "Mute the take", "", "It is left out of “all takes”", lambda s: takes.mute(s.session), refused=availability.open_take,
           checked=lambda s: bool(s.session.picked.take and s.session.picked.take.muted)),
    Action("take-choose", "Choose the whole take", "", "All of it for the lane", lambda s: takes.choose_whole(s.session), refused=availability.open_take, apart=True),
    Action("take-choose-span", "Choose the selected span of it", "", "For the lane", lambda s: takes.choose_span(s.session), refused=availability.take_and_span),
    Action("take-let-go", "Let choices go", "", "The curve under the choices again, in the selected span", lambda s: takes.let_go(s.session), refused=availability.open_take),
    Action("take-crop", "Crop the take", "", "Cut it down to the selected span", lambda s: takes.crop(s.session), refused=availability.take_and_span),
    Action("take-edit", "Work on the take", "", "As the lane's curve, to work on with every tool", lambda s: takes.work_on(s.session), refused=availability.open_take),
    Action("take-rename", "Rename the take…", "", "A name of your own", takes.rename, refused=availability.open_take, apart=True),
    Action("take-rate", "Rate the take", "", "One star more, then none", lambda s: takes.rate(s.session), refused=availability.open_take),
    Action("take-colour", "Colour the take", "", "Another ink", lambda s: takes.next_colour(s.session), refused=availability.open_take),
    Action("take-copy", "Copy the take to another lane…", "", "Kept beside that one too", takes.copy_to, refused=availability.open_take),
    Action("take-delete", "Delete the take", "", "Undo brings it back", lambda s: takes.delete(s.session), refused=availability.open_take, apart=True),
)  # fmt: skip
