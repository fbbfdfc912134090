# SPDX-License-Identifier: GPL-3.0-or-later
"""The View menu: panels, zoom and theme."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action, grouped
from zolvek.studio.commands import display
from zolvek.studio.services.context import Studio


def _scroll(part: float) -> Callable[[Studio], None]:
    return lambda studio: studio.view.scroll(part)


def _zoom(factor: float) -> Callable[[Studio], None]:
    return lambda studio: studio.view.zoom(factor)


def _panel(key: str) -> Callable[[Studio], None]:
    return lambda studio: studio.show.panel(key)


_ROWS: tuple[Action, ...] = (
    Action("zoom-in", "Zoom in", "Ctrl++", "Shows less time", _zoom(0.7)),
    Action("zoom-out", "Zoom out", "Ctrl+-", "Shows more time", _zoom(1.4)),
    Action("zoom-all", "Zoom to all", "Ctrl+0", "Shows the whole song", lambda s: s.view.show(0.0, s.view.length),
        apart=True),
    Action("zoom-span", "Zoom to span", "Ctrl+9", "Shows the span on the ruler", display.show_span,
           refused=availability.any_span),
    Action("scroll-left", "Scroll left", "PgUp", "Scrolls to earlier bars", _scroll(-0.5), apart=True),
    Action("scroll-right", "Scroll right", "PgDown", "Scrolls to later bars", _scroll(0.5)),
    Action("step-piece", "Song", "Shift+F4", "Tempo, meter, sections and their versions", _panel("step-piece"), "piece",
        apart=True),
    Action("step-devices", "Devices", "Shift+F2", "Tracks, sources and chains of devices", _panel("step-devices"),
        "devices"),
    Action("step-draw", "Draw", "F2", "Points, shapes and the grid", _panel("step-draw"), "draw"),
    Action("step-shape", "Shape", "F3", "Scale, tilt, mirror, stamps", _panel("step-shape"), "shape"),
    Action("step-patterns", "Patterns", "F4", "A library of curves", _panel("step-patterns"), "patterns"),
    Action("step-movement", "Movement", "F5", "LFOs, randomness and layers", _panel("step-movement"), "movement"),
    Action("step-perform", "Record", "F6", "Record movements, takes and the controller", _panel("step-perform"),
        "perform"),
    Action("step-thin", "Thin", "F7", "Fewer points within a tolerance", _panel("step-thin"), "thin"),
    Action("step-morph", "Morph", "F8", "States, morphs and the pad", _panel("step-morph"), "morph"),
    Action("step-listen", "Listen", "F9", "Compare, and find the useful reach", _panel("step-listen"), "listen"),
    Action("monitor", "MIDI monitor…", "Ctrl+I", "Shows the MIDI messages that lanes send", lambda s: s.show.monitor(),
        apart=True),
    Action("step-export", "Export", "F12", "Export lanes as files", _panel("step-export"), "export"),
    Action("step-connect", "Connect", "Shift+F6", "MIDI, OSC, and sync with other programs", _panel("step-connect"),
        "connect"),
    Action("low-near", "Related lanes first", "", "Sorts lanes by device, then track, of the focus lane",
        lambda s: s.session.look.set_low(related_first=not s.session.settings.window.related_first),
           checked=lambda s: s.session.settings.window.related_first, apart=True),
    Action("low-moving", "Show moving lanes only", "", "Lanes that move in the selected span, or in view",
        lambda s: s.session.look.set_low(moving_only=not s.session.settings.window.moving_only),
           checked=lambda s: s.session.settings.window.moving_only),
    Action("keep-below", "Keep lane in view", "", "Keeps it first below the focus",
        lambda s: s.session.look.keep(str(s.session.focus.id)), refused=availability.lane,
           checked=lambda s: s.session.focus.id in s.session.look.kept),
    Action("fold-bench", "Hide dials", "Ctrl+B", "Makes more room for the curve",
        lambda s: s.session.look.fold_bench(not s.session.settings.window.dials_hidden),
           checked=lambda s: s.session.settings.window.dials_hidden),
    Action("area-next", "Next area", "Ctrl+Tab", "Moves the keyboard focus: index, lane, panel, dials",
        lambda s: s.show.next_area(1), apart=True),
    Action("area-previous", "Previous area", "Ctrl+Shift+Tab", "Moves the keyboard focus back",
        lambda s: s.show.next_area(-1)),
    Action("theme", "Lamp theme", "Ctrl+Shift+L", "Switches to the dark theme",
           lambda s: display.switch_theme(s.session),
           checked=lambda s: s.session.settings.window.theme == "lamp", apart=True),
    Action("full-screen", "Full screen", "F11", "Fills the screen; again restores the window",
        lambda s: s.show.full_screen(), checked=lambda s: s.show.is_full_screen()),
)  # fmt: skip
# Submenus, by id or by the beginning of one.
GROUPS = {
    "Panel": ("step-",),
    "Zoom": ("zoom-", "scroll-"),
    "Other lanes": ("low-", "keep-below"),
}
ACTIONS = grouped(_ROWS, GROUPS)
