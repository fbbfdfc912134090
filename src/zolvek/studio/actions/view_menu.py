"""The View menu: panels, zoom and theme."""

from __future__ import annotations

from collections.abc import Callable

from zolvek.studio.actions import availability
from zolvek.studio.actions.action import Action
from zolvek.studio.commands import display
from zolvek.studio.services.context import Studio


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
    Action("zoom-span", "Show the selected span", "Ctrl+9", "Zoom to the span on the ruler", display.show_span,
           refused=availability.any_span),
    Action("scroll-left", "Earlier", "PgUp", "Scroll to earlier bars", _scroll(-0.5), apart=True),
    Action("scroll-right", "Later", "PgDown", "Scroll to later bars", _scroll(0.5)),
    Action("step-piece", "Piece", "Shift+F4", "Tempo, meter, sections and their versions", _panel("step-piece"), "piece", apart=True),
    Action("step-devices", "Devices", "Shift+F2", "Tracks, sources and chains of devices", _panel("step-devices"), "devices"),
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
    Action("low-near", "Lanes below: what belongs to the focus first", "", "Its device, then its track, then the others; else the project's order", lambda s: s.session.look.set_low(low_near=not s.session.settings.low_near),
           checked=lambda s: s.session.settings.low_near, apart=True),
    Action("low-moving", "Lanes below: only those that move", "", "In the selected span, or in what is shown", lambda s: s.session.look.set_low(low_moving=not s.session.settings.low_moving),
           checked=lambda s: s.session.settings.low_moving),
    Action("keep-below", "Keep the lane below in view", "", "It stays first below the focus, whatever that is", lambda s: s.session.look.keep(str(s.session.focus.id)), refused=availability.lane,
           checked=lambda s: s.session.focus.id in s.session.look.kept),
    Action("fold-bench", "Fold the dials away", "Ctrl+B", "More room for the curve", lambda s: s.session.look.fold_bench(not s.session.settings.bench_folded),
           checked=lambda s: s.session.settings.bench_folded),
    Action("area-next", "Next part of the window", "Ctrl+Tab", "The keyboard goes on: index, lane, panel, dials", lambda s: s.show.next_area(1), apart=True),
    Action("area-previous", "Previous part of the window", "Ctrl+Shift+Tab", "The keyboard goes back", lambda s: s.show.next_area(-1)),
    Action("theme", "Lamp theme", "F11", "Dark sheets for late hours", lambda s: display.switch_theme(s.session),
           checked=lambda s: s.session.settings.theme == "lamp", apart=True),
)  # fmt: skip
