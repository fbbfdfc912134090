"""The session: the one place that holds what the window shows, and through which it changes.

Widgets read from it and call its methods; it tells them by signals what has changed. Data goes
one way: a widget never tells another.
"""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from dataclasses import fields, replace
from pathlib import Path
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.arrays import Floats, Ints
from zolvek.core.curve import edits
from zolvek.core.curve.curve import Curve
from zolvek.core.document.history import History
from zolvek.core.document.lanes import followed
from zolvek.core.document.listening import Listening
from zolvek.core.errors import Notifier, ZolvekError
from zolvek.core.model import project as projects
from zolvek.core.model.layer import Layer
from zolvek.core.model.pad import Pad
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.layers import with_layer
from zolvek.core.movement.lfo import Lfo
from zolvek.core.movement.pads import with_pad
from zolvek.core.time.grid import Grid
from zolvek.core.value.parameter import Parameter
from zolvek.core.value.value_grid import ValueGrid
from zolvek.studio.settings import Settings

NONE_CHOSEN = np.empty(0, np.intp)
AXES = {
    key: Parameter("axis", name, "", "%", 0.0, 100.0)
    for key, name in (("x", "Across"), ("y", "Up"))
}
# What is drawn on a layer is counted in: how far it takes the base, at the layer's full amount.
LAYER_PARAMETERS = {
    kind: Parameter("layer", label, "", "±%", -100.0, 100.0)
    for kind, label in (("offset", "Offset"), ("scale", "Scale"))
}


class Hands(Protocol):
    """What is told of a hand's moves: positions 0..1 of parameters, and when they were made
    (time.perf_counter). True when it takes the move, so that nothing else does."""

    @property
    def recording(self) -> bool: ...

    def press(self, device: str, key: str, position: float, seconds: float | None) -> bool: ...

    def move(self, device: str, key: str, position: float, seconds: float | None) -> bool: ...

    def release(self, device: str, key: str, seconds: float | None) -> bool: ...

    def live(self, lane: str, first: float, last: float) -> tuple[Floats, Floats]: ...


class Session(QObject):
    """Project and history, focus, selection, grid and view settings."""

    project_changed = pyqtSignal()
    frame_changed = pyqtSignal()  # tempo, meter, sections or length
    focus_changed = pyqtSignal()
    selection_changed = pyqtSignal()
    span_changed = pyqtSignal()
    grid_changed = pyqtSignal()
    theme_changed = pyqtSignal()
    hint_changed = pyqtSignal(str)
    place_changed = pyqtSignal()  # the playhead
    touched = pyqtSignal()  # a control has been touched
    preview_changed = pyqtSignal()
    held_changed = pyqtSignal()  # which lanes are held, and at what values
    listening_changed = pyqtSignal()  # what is heard of the project, and what it is compared with
    learning_changed = pyqtSignal()
    gesture_ended = pyqtSignal()
    armed_changed = pyqtSignal()  # which lanes are armed, or that a pass begins or ends

    def __init__(self, project: Project, settings: Settings, path: Path | None = None) -> None:
        super().__init__()
        self.settings = settings
        self.tool = "points"
        self.recorder: Hands | None = None  # takes the hand's moves during a pass
        self.value_grid = ValueGrid()
        self.form: tuple[str, dict[str, float]] = (
            "swell",
            {},
        )  # what the form tool stamps: form and sliders
        self.notifier = Notifier()
        self.grid = Grid()
        with suppress(ZolvekError):  # kept by a program that knew other grids
            self.grid = Grid(settings.grid_division, settings.grid_kind, settings.snap)
        self.open(project, path)

    def open(self, project: Project, path: Path | None) -> None:
        """Show another project."""
        most = self.settings.undo_megabytes * 1_000_000
        self.history = History.start(project, most=most)
        self.opened = object()  # stands for this document, whatever becomes of it
        self.saved: Project | None = project  # None: nothing of it is in a file yet
        self.path = path
        self.focus = next((lane.id for lane in project.lanes() if not lane.hidden), None)
        self.chosen: Ints = NONE_CHOSEN
        self.span: tuple[float, float] | None = None
        self.place = 0.0
        self.touch_target: tuple[str, str] | None = None
        self.chosen_device: str | None = None  # whose dials are shown, when picked by itself
        self.listening = Listening()
        self.kept: Project | None = None  # an earlier version to compare with
        self.comparing = ""  # "", or what is heard instead: "bypass" or "kept"
        self.match_loudness = False
        self.armed: frozenset[str] = frozenset()  # lanes that a pass writes
        self.learning = ""  # "", "favourites" or "controls"
        self.hint = ""
        self.axis: str | None = None  # of the pad's path, drawn on instead of the lane
        self.layer: str | None = None  # of the focus lane, drawn on instead of its base
        self.stand_in: tuple[Lane, str, Lane] | None = None
        self.last_lfo: dict[str, tuple[Lfo, float, float]] = {}  # lane -> written last, and where
        self.errors: tuple[Floats, Floats] | None = None  # of a thinned preview: beats, differences
        self.preview: Curve | None = None  # what a panel would make, over the ghost of what is
        self.behind: str | None = None  # a lane shown faintly behind the focus
        self._all_changed()

    # --- reading ---

    @property
    def project(self) -> Project:
        return self.history.project

    @property
    def modified(self) -> bool:
        return self.project is not self.saved

    @property
    def own_lane(self) -> Lane | None:
        """The focus lane itself."""
        return self.project.lane(self.focus) if self.focus else None

    @property
    def drawn_layer(self) -> Layer | None:
        """The layer of the focus lane that is drawn on in the base's place."""
        lane = self.own_lane if self.layer else None
        found = next((x for x in lane.layers if x.id == self.layer), None) if lane else None
        return found if found is not None and found.curve is not None else None

    @property
    def drawn_pad(self) -> Pad | None:
        """The pad of the shown device while its path is drawn on, as a curve across or up."""
        if not self.axis or self.device is None:
            return None
        return next((pad for pad in self.project.pads if pad.device == self.device), None)

    @property
    def aside(self) -> bool:
        """Whether something else than the focus lane's base is drawn on."""
        return self.drawn_layer is not None or self.drawn_pad is not None

    @property
    def lane(self) -> Lane | None:
        """What is drawn on: the focus lane, or, in its form, the chosen layer of it."""
        own, layer = self.own_lane, self.drawn_layer
        pad = self.drawn_pad
        if own is not None and pad is not None:
            path = pad.x if self.axis == "x" else pad.y
            if self.stand_in is None or self.stand_in[2].curve is not path:
                shown = replace(
                    own, curve=path, reach=(0.0, 1.0), cycle=None, slots=(), switches=(), layers=()
                )
                self.stand_in = (own, self.axis or "", shown)
            return self.stand_in[2]
        if own is None or layer is None or layer.curve is None:
            return own
        if self.stand_in is None or self.stand_in[0] is not own or self.stand_in[1] != layer.id:
            shown = replace(
                own,
                curve=layer.curve,
                reach=(0.0, 1.0),
                cycle=None,
                slots=(),
                switches=(),
                layers=(),
            )
            self.stand_in = (own, layer.id, shown)
        return self.stand_in[2]

    @property
    def parameter(self) -> Parameter:
        """The parameter of what is drawn on; only while there is a focus lane."""
        assert self.focus is not None
        layer = self.drawn_layer
        if self.drawn_pad is not None:
            return AXES[self.axis or "x"]
        if layer is not None:
            return LAYER_PARAMETERS[layer.kind]
        return self.project.parameter_of(self.focus)

    @property
    def title(self) -> str:
        return self.path.name if self.path else self.project.name

    # --- changing ---

    def edit(self, label: str, project: Project, gesture: object = None) -> None:
        """Make `project` the present one, as a step named `label`; the steps of one gesture
        are one."""
        self._keep(self.history.edited(project, label, gesture))

    def edit_curve(
        self, label: str, curve: Curve, chosen: Ints | None = None, gesture: object = None
    ) -> None:
        """Give the focus lane another curve, and the selection its new places."""
        assert self.focus is not None
        going = gesture is not None and gesture is self.history.gesture
        base = self.history.steps[self.history.here - 1].project if going else self.project
        before = base.lane(self.focus)
        aside = self.aside
        if before.locked:
            raise ZolvekError(
                "The lane is locked.",
                base.label_of(self.focus),
                "Unlock it in the Lane menu first.",
            )
        if chosen is not None:
            self.chosen = chosen
        project = self.with_curve(base, self.focus, curve)
        if not aside:
            project = followed(project, self.focus, before.curve, curve)
        self.edit(label, project, gesture)
        if chosen is not None:
            self.selection_changed.emit()

    def with_curve(self, project: Project, lane: str, curve: Curve) -> Project:
        """The project with another curve in the lane, or in the layer of it that is drawn on."""
        pad = self.drawn_pad
        if lane == self.focus and pad is not None:
            path = {"x": curve} if self.axis == "x" else {"y": curve}
            own = next(each for each in project.pads if each.device == pad.device)
            return with_pad(project, replace(own, **path))  # type: ignore[arg-type]
        if lane == self.focus and self.drawn_layer is not None:
            layers = project.lane(lane).layers
            layer = next(each for each in layers if each.id == self.layer)
            return with_layer(project, lane, replace(layer, curve=curve))
        return projects.with_curve(project, lane, curve)

    def drawn_place(self) -> Callable[[Project, Callable[[Curve], Curve]], Project]:
        """What is drawn on now, as a place in any later project: a function that puts an edit of its
        curve there. That raises ZolvekError when it is there no more, or locked."""
        lane, layer, pad, axis = self.focus, self.layer, self.drawn_pad, self.axis
        if lane is None:
            raise ZolvekError("There is no lane.", remedy="Touch a control and press A.")

        def put(project: Project, edit: Callable[[Curve], Curve]) -> Project:
            own = project.lane(lane)
            if own.locked:
                raise ZolvekError(
                    "The lane is locked.",
                    project.label_of(lane),
                    "Unlock it in the Lane menu first.",
                )
            if pad is not None:
                found = next((each for each in project.pads if each.device == pad.device), None)
                if found is None:
                    raise ZolvekError("The pad's path is there no more.", remedy="Do it again.")
                old = found.x if axis == "x" else found.y
                return with_pad(project, replace(found, **{axis or "x": edit(old)}))  # type: ignore[arg-type]  # x or y
            if layer is not None:
                drawn = next((each for each in own.layers if each.id == layer), None)
                if drawn is None or drawn.curve is None:
                    raise ZolvekError("The layer is there no more.", remedy="Do it again.")
                return with_layer(project, lane, replace(drawn, curve=edit(drawn.curve)))
            return projects.with_curve(project, lane, edit(own.curve))

        return put

    def edit_lane(self, label: str, lane: Lane, gesture: object = None) -> None:
        """Give the focus lane's changed fields to it, whatever of it is drawn on."""
        own, shown = self.own_lane, self.lane
        if own is not None and shown is not own and lane.id == own.id:
            changes = {
                each.name: getattr(lane, each.name)
                for each in fields(lane)
                if getattr(lane, each.name) is not getattr(shown, each.name)
            }
            lane = replace(own, **changes)
        self.edit(label, projects.with_lane(self.project, lane), gesture)

    def draw_axis(self, axis: str | None) -> None:
        """Draw on the shown device's pad path, across ("x") or up ("y"), or on the lane again.
        Raises ZolvekError where there is no path or no lane whose place it could take."""
        if axis and (
            self.device is None or not any(p.device == self.device for p in self.project.pads)
        ):
            raise ZolvekError("There is no path yet.", remedy="Draw one, or let the puck travel.")
        if axis and self.focus is None:
            raise ZolvekError("There is no lane to show it in.", remedy="Add a lane first.")
        self.axis, self.layer = axis, None
        self.show_preview(None)
        self.choose(NONE_CHOSEN)
        self.focus_changed.emit()

    def draw_on(self, layer: str | None) -> None:
        """Draw on a layer of the focus lane, or on its base again."""
        if layer != self.layer:
            self.layer, self.axis = layer, None
            self.show_preview(None)
            self.choose(NONE_CHOSEN)
            self.focus_changed.emit()

    def end_gesture(self) -> None:
        self.history = self.history.ended()
        self.gesture_ended.emit()

    def cancel_gesture(self, chosen: Ints) -> None:
        self.chosen = chosen
        self._keep(self.history.cancelled())

    def undo(self) -> None:
        self._keep(self.history.undone())

    def redo(self) -> None:
        self._keep(self.history.redone())

    def _keep(self, history: History) -> None:
        before, gone = self.history.project, history.gone - self.history.gone
        self.history = history
        if gone:
            noun = "step is" if gone == 1 else f"{gone} steps are"
            self.say(f"The oldest {noun} gone: undo keeps to {self.settings.undo_megabytes} MB.")
        if before is self.project:
            return
        if _frame(before) != _frame(self.project):
            self.frame_changed.emit()
        ids = [lane.id for lane in self.project.lanes()]
        self._let_go(set(ids))
        if self.focus not in ids:
            self.focus = ids[0] if ids else None
            self.choose(NONE_CHOSEN)
            self.focus_changed.emit()
        self._listen_on(set(ids))
        if self.armed - set(ids):
            self.armed = self.armed & set(ids)
            self.armed_changed.emit()
        lane = self.lane
        self.chosen = self.chosen[self.chosen < len(lane.curve)] if lane else NONE_CHOSEN
        self.project_changed.emit()

    def _let_go(self, lanes: set[str]) -> None:
        """Forget what pointed at devices and lanes that are no more."""
        devices = {d.id for track in self.project.tracks for d in track.devices}
        if self.touch_target and self.touch_target[0] not in devices:
            self.touch_target = None
        if self.behind not in lanes:
            self.behind = None
        if self.axis and self.drawn_pad is None:
            self.axis = None
        if self.layer and (self.focus not in lanes or self.drawn_layer is None):
            self.layer = None

    def _listen_on(self, lanes: set[str]) -> None:
        """What is listened to, without tracks and lanes that are no more."""
        listening = replace(
            self.listening,
            solo=self.listening.solo & {track.id for track in self.project.tracks},
            alone=self.listening.alone if self.listening.alone in lanes else None,
        )
        if listening != self.listening:
            self.listening = listening
            self.listening_changed.emit()

    def choose(self, points: Ints) -> None:
        """Select points of the focus lane."""
        self.chosen = points
        self.selection_changed.emit()

    def choose_span(self, span: tuple[float, float] | None) -> None:
        """Select a span of time."""
        self.span = span
        self.span_changed.emit()

    def set_focus(self, lane: str | None) -> None:
        if lane != self.focus:
            self.show_preview(None)
            self.focus, self.layer, self.axis = lane, None, None
            own = self.lane
            if own is not None and self.chosen_device != own.device:
                self.chosen_device = own.device
                self.touch_target = None
            self.choose(NONE_CHOSEN)
            self.focus_changed.emit()

    def touch(self, device: str, parameter: str, follow: bool | None = None) -> None:
        """A control was touched: its lane comes up, or is offered. With following switched off
        the focus stays, unless `follow` says otherwise."""
        self.touch_target = (device, parameter)
        self.chosen_device = device
        lane = self.project.device_track(device).lane_on(device, parameter)
        if lane and (self.settings.follow if follow is None else follow):
            self.set_focus(lane.id)
        self.touched.emit()

    def choose_device(self, device: str | None) -> None:
        """Show a device's dials without touching one."""
        self.chosen_device, self.touch_target = device, None
        self.touched.emit()

    @property
    def device(self) -> str | None:
        """The device whose dials are shown: the one picked or touched last, else the focus
        lane's, else the first there is."""
        known = [d.id for track in self.project.tracks for d in track.devices]
        lane = self.own_lane
        wanted = (self.chosen_device, lane.device if lane else None, *known[:1])
        return next((device for device in wanted if device in known), None)

    def needed_span(self) -> tuple[float, float]:
        """The selected span. Raises ZolvekError when there is none."""
        if self.span is None:
            raise ZolvekError("Over which span?", remedy="Drag one on the ruler first.")
        return self.span

    def listen(self, **changes: object) -> None:
        """Hear the project otherwise: solo, a lane alone, without automation, the metronome."""
        self.listening = replace(self.listening, **changes)  # type: ignore[arg-type]
        self.listening_changed.emit()

    def hold(self, held: dict[str, float]) -> None:
        """Lanes held at values 0..1 of their curves, as by a hand; all others are let go."""
        told = tuple(sorted(held.items()))
        if told != self.listening.held:
            self.listening = replace(self.listening, held=told)
            self.held_changed.emit()

    def compare(self, with_what: str) -> None:
        """Hear something else in the project's place: "bypass", "kept", or "" for the project."""
        if with_what == "kept" and self.kept is None:
            raise ZolvekError(
                "No version has been kept to compare with.",
                remedy="Keep one in the Listen panel first.",
            )
        self.comparing = with_what
        self.listening_changed.emit()

    def keep_version(self) -> None:
        """The present state becomes what later ones are compared with."""
        self.kept = self.project
        self.listening_changed.emit()

    def arm(self, lane: str) -> None:
        """The lane among those that a pass writes, or no longer; never another one with it."""
        self.armed = self.armed ^ {lane}
        self.armed_changed.emit()

    def disarm_all(self) -> None:
        self.armed = frozenset()
        self.armed_changed.emit()

    def set_learning(self, what: str) -> None:
        self.learning = what
        self.learning_changed.emit()

    def add_touched_lane(self) -> None:
        """A lane for the control touched last, flat at its present value."""
        if self.touch_target is None:
            return
        device, key = self.touch_target
        project, lane = projects.add_lane(self.project, device, key)
        name = self.project.device_track(device).device(device).parameter(key).name
        self.edit(f"Add a lane for {name}", project)
        self.set_focus(lane)

    @property
    def can_add_lane(self) -> bool:
        if self.touch_target is None:
            return False
        device, key = self.touch_target
        return self.project.device_track(device).lane_on(device, key) is None

    def set_grid(self, **changes: object) -> None:
        self.grid = replace(self.grid, **changes)  # type: ignore[arg-type]
        self.settings.grid_division = self.grid.division
        self.settings.grid_kind, self.settings.snap = self.grid.kind, self.grid.on
        self.grid_changed.emit()

    def set_when_met(self, choice: str) -> None:
        self.settings.when_met = choice
        self.grid_changed.emit()

    def set_value_grid(self, **changes: object) -> None:
        self.value_grid = replace(self.value_grid, **changes)  # type: ignore[arg-type]
        self.grid_changed.emit()

    def set_tool(self, key: str) -> None:
        """What a press on the focus lane draws with."""
        self.tool = key
        self.grid_changed.emit()

    def show_preview(
        self, curve: Curve | None, errors: tuple[Floats, Floats] | None = None
    ) -> None:
        """What a panel would make, and where it strays: beats and differences."""
        if curve is not self.preview:
            self.preview, self.errors = curve, errors
            self.preview_changed.emit()
            tried = (self.focus, curve) if curve is not None and self.focus else None
            if not self.aside and tried != self.listening.tried:
                self.listen(tried=tried)

    def set_theme(self, key: str) -> None:
        self.settings.theme = key
        self.theme_changed.emit()

    def set_place(self, beat: float) -> None:
        """Where the playhead is."""
        self.place = min(max(beat, 0.0), self.project.length)
        self.place_changed.emit()

    def say(self, hint: str) -> None:
        """What a press would do, or what has just been done."""
        if hint != self.hint:
            self.hint = hint
            self.hint_changed.emit(hint)

    def try_to(self, work: Callable[[], object]) -> bool:
        """Do `work`; an expected error is shown and nothing is changed."""
        try:
            work()
        except ZolvekError as error:
            self.notifier.report(error)
            return False
        return True

    def mark_saved(self, path: Path) -> None:
        self.path, self.saved = path, self.project
        self.settings.add_recent(path)
        self.project_changed.emit()

    def _all_changed(self) -> None:
        for signal in (
            self.frame_changed,
            self.project_changed,
            self.focus_changed,
            self.selection_changed,
            self.span_changed,
            self.place_changed,
            self.armed_changed,
            self.listening_changed,
        ):
            signal.emit()

    # --- what works on the selection, or on all when nothing is selected ---

    @property
    def scope(self) -> Ints:
        """The selected points of the focus lane, or all of them."""
        lane = self.lane
        if lane is None:
            return NONE_CHOSEN
        return self.chosen if self.chosen.size else np.arange(len(lane.curve))

    @property
    def scope_name(self) -> str:
        """What the scope is called in a label: "3 points", "all points"."""
        count = self.chosen.size
        return "all points" if not count else "1 point" if count == 1 else f"{count} points"

    def delete_chosen(self) -> None:
        lane = self.lane
        if lane is not None and self.chosen.size:
            label = f"Delete {self.scope_name}"
            self.edit_curve(label, edits.delete(lane.curve, self.chosen), NONE_CHOSEN)

    def set_shape(self, key: str) -> None:
        from zolvek.core.curve.shapes import CODES, SHAPES

        lane = self.lane
        if lane is None:
            return
        segments = edits.segments_of(lane.curve, self.scope)
        label = f"{SHAPES[CODES[key]].label} on {_count(len(segments), 'segment')}"
        self.edit_curve(label, edits.set_shape(lane.curve, segments, key))


def _frame(project: Project) -> tuple[object, ...]:
    return project.tempo, project.meter, project.sections, project.length


def _count(number: int, noun: str) -> str:
    return f"1 {noun}" if number == 1 else f"{number} {noun}s"
