"""The View menu: panels, zoom and theme."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.studio.actions import needs
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import viewing
from zolvek.studio.context import Studio


def _scroll(part: float) -> Callable[[Studio], None]:
    return lambda studio: studio.view.scroll(part)


def _zoom(factor: float) -> Callable[[Studio], None]:
    return lambda studio: studio.view.zoom(factor)


def _panel(key: str) -> Callable[[Studio], None]:
    return lambda studio: studio.show.panel(key)


ACTIONS: tuple[Action, ...] = (
    Action("zoom-in", "Zoom in", "Ctrl++", "Show less time", _zoom(0.7)),
    Action("zoom-out", "Zoom out", "Ctrl+-", "Show more time", _zoom(1.4)),
    Action("zoom-all", "Show all", "Ctrl+0", "Show the whole project", lambda s: s.view.show(0.0, s.view.length), apart=True),
    Action("zoom-span", "Show the selected span", "Ctrl+9", "Zoom to the span on the ruler", viewing.show_span,
           refused=needs.any_span),
    Action("scroll-left", "Earlier", "PgUp", "Scroll to earlier bars", _scroll(-0.5), apart=True),
    Action("scroll-right", "Later", "PgDown", "Scroll to later bars", _scroll(0.5)),
    Action("step-devices", "Devices", "Shift+F2", "Tracks, sources and chains of devices", _panel("step-devices"), "devices", apart=True),
    Action("step-draw", "Draw", "F2", "Points, shapes and the grid", _panel("step-draw"), "draw"),
    Action("step-shape", "Shape", "F3", "Scale, tilt, mirror, stamp forms", _panel("step-shape"), "shape"),
    Action("step-patterns", "Patterns", "F4", "A library of pieces of curve", _panel("step-patterns"), "patterns"),
    Action("step-movement", "Movement", "F5", "LFOs, randomness and layers", _panel("step-movement"), "movement"),
    Action("step-perform", "Perform", "F6", "Move controls by hand", _panel("step-perform"), "perform"),
    Action("step-thin", "Thin", "F7", "Fewer points within a tolerance", _panel("step-thin"), "thin"),
    Action("step-morph", "Morph", "F8", "States, morphs and the pad", _panel("step-morph"), "morph"),
    Action("step-listen", "Listen", "F9", "Compare, and find the useful reach", _panel("step-listen"), "listen"),
    Action("monitor", "Messages…", "Ctrl+I", "The MIDI messages that lanes send", lambda s: s.show.monitor(), apart=True),
    Action("step-export", "Export", "F12", "Deliver the lanes as files", _panel("step-export"), "export"),
    Action("area-next", "Next part of the window", "Ctrl+Tab", "The keyboard goes on: index, lane, panel, dials", lambda s: s.show.next_area(1), apart=True),
    Action("area-previous", "Previous part of the window", "Ctrl+Shift+Tab", "The keyboard goes back", lambda s: s.show.next_area(-1)),
    Action("theme", "Lamp theme", "F11", "Dark sheets for late hours", lambda s: viewing.switch_theme(s.session),
           checked=lambda s: s.session.settings.theme == "lamp", apart=True),
)  # fmt: skip
