# SPDX-License-Identifier: GPL-3.0-or-later
"""The focus: which lane is worked on, and what of it is drawn on."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from zolvek.core.edits import targets
from zolvek.core.edits.targets import Target
from zolvek.core.errors import ZolvekError
from zolvek.core.model.layer import Layer
from zolvek.core.model.pad import Pad
from zolvek.core.model.project import Lane, Track
from zolvek.studio.session.document import Document


class Focus(QObject):
    """`id`: the focus lane's. `layer`: the layer of it that is drawn on instead of its base,
    and which `aspect` of it (a key of targets.ASPECTS); `path`: the device and the axis ("x" or "y") of the pad's path
    that is."""

    changed = pyqtSignal()

    def __init__(self, document: Document) -> None:
        super().__init__()
        self.document = document
        self._begin()
        document.changed.connect(self._follow)

    def _begin(self) -> None:
        self.known = self.document.opened
        self.order = self._shown()
        self.id: str | None = next(iter(self.order), None)
        self.layer: str | None = None
        self.aspect = "curve"
        self.path: tuple[str, str] | None = None

    def _shown(self) -> list[str]:
        return [lane.id for lane in self.document.project.lanes() if not lane.hidden]

    # --- reading ---

    @property
    def lane(self) -> Lane | None:
        """The focus lane, if any."""
        return self.document.project.lane(self.id) if self.id else None

    @property
    def drawn_layer(self) -> Layer | None:
        """The layer that is drawn on in the base's place."""
        lane = self.lane
        layer = lane.layer(self.layer) if lane and self.layer else None
        has = {"depth": True, "rate": layer is not None and layer.lfo is not None}
        is_drawn = layer is not None and has.get(self.aspect, layer.curve is not None)
        return layer if is_drawn else None

    @property
    def drawn_pad(self) -> Pad | None:
        """The pad whose path is drawn on, as a curve across or up."""
        if self.path is None:
            return None
        return next((p for p in self.document.project.pads if p.device == self.path[0]), None)

    @property
    def axis(self) -> str | None:
        """The pad's axis that is drawn on, if any."""
        return self.path[1] if self.path else None

    @property
    def target(self) -> Target | None:
        """What is drawn on."""
        if self.id is None:
            return None
        project = self.document.project
        if self.path is not None and self.drawn_pad is not None:
            return targets.pad_axis(project, self.id, *self.path)
        layer = self.drawn_layer
        if layer is None:
            return targets.base(project, self.id)
        return targets.ASPECTS[self.aspect](project, self.id, layer.id)

    # --- changing ---

    def on(self, lane: str | None) -> None:
        """Work on another lane, its base."""
        if lane != self.id:
            self.id, self.layer, self.aspect, self.path = lane, None, "curve", None
            self.changed.emit()

    def draw_on_layer(self, layer: str | None, aspect: str = "curve") -> None:
        """Draw on an aspect of a layer of the focus lane, or on the lane's base again."""
        aspect = aspect if layer is not None else "curve"
        if (layer, aspect) != (self.layer, self.aspect):
            self.layer, self.aspect, self.path = layer, aspect, None
            self.changed.emit()

    def draw_on_path(self, device: str | None, axis: str | None) -> None:
        """Draw on a device's pad path, across ("x") or up ("y"), or on the lane again. Raises
        ZolvekError where there is no path, or no lane whose place it could take."""
        if axis and not any(p.device == device for p in self.document.project.pads):
            raise ZolvekError("There is no path yet.", remedy="Draw one, or move the puck along a path.")
        if axis and self.id is None:
            raise ZolvekError("There is no lane to show it in.", remedy="Add a lane first.")
        self.layer = None
        self.path = (device, axis) if device and axis else None
        self.changed.emit()

    def _neighbour(self, shown: list[str]) -> str | None:
        """What comes into focus when its lane is removed or hidden: the next one that was next to it."""
        if self.id in self.order:
            index, there = self.order.index(self.id), set(shown)
            for near in (*self.order[index + 1 :], *reversed(self.order[:index])):
                if near in there:
                    return near
        return next(iter(shown), None)

    def _follow(self) -> None:
        """Drop what no longer exist; the first lane of another document."""
        now = self.id, self.layer, self.path
        if self.known is not self.document.opened:
            self._begin()
            self.changed.emit()
            return
        shown = self._shown()
        if self.id is None or (self.id not in shown and self.id in self.order):
            self.id, self.layer = self._neighbour(shown), None
        elif not self.document.project.has_lane(self.id):
            self.id, self.layer = next(iter(shown), None), None
        self.order = shown
        if self.layer and self.drawn_layer is None:
            self.layer = None
        if self.path and (self.drawn_pad is None or self.id is None):
            self.path = None
        if now != (self.id, self.layer, self.path):
            self.changed.emit()


class ShownDevice(QObject):
    """`device`: the one whose dials are shown; `track`: the one it is on, whose row and chain are; `control`: the
    device and parameter touched last."""

    changed = pyqtSignal()  # another device, or a control has been touched

    def __init__(self, document: Document, focus: Focus) -> None:
        super().__init__()
        self.document, self.focus = document, focus
        self.known = document.opened
        self.picked: str | None = None  # a device
        self.picked_track: str | None = None  # a track of which no device is picked
        self.touched: tuple[str, str] | None = None  # a device and a parameter
        document.changed.connect(self._follow)
        focus.changed.connect(self._with_lane)

    @property
    def control(self) -> tuple[str, str] | None:
        """The device and parameter touched last, as long as the project has that device."""
        touched = self.touched
        return touched if touched is not None and self.document.project.has_device(touched[0]) else None

    @property
    def device(self) -> str | None:
        """The one picked or touched last, or the first of the track that is picked, else the focus lane's, else the
        first there is."""
        project = self.document.project
        lane, track = self.focus.lane, self._picked_track()
        if self.picked and project.has_device(self.picked):
            return self.picked
        if track is not None:
            return next((device.id for device in track.devices), None)
        if lane is not None and project.has_device(lane.device):
            return lane.device
        return next((d.id for track in project.tracks for d in track.devices), None)

    @property
    def track(self) -> Track | None:
        """The track that is picked, else the device's, else the first."""
        project, track, device = self.document.project, self._picked_track(), self.device
        if track is not None and (device is None or any(item.id == device for item in track.devices)):
            return track
        if device is not None:
            return project.device_track(device)
        return next(iter(project.tracks), None)

    def _picked_track(self) -> Track | None:
        return next((track for track in self.document.project.tracks if track.id == self.picked_track), None)

    def show(self, device: str | None) -> None:
        """Show a device's dials without touching one."""
        self._pick(device, None, None)
        self.changed.emit()

    def show_track(self, track: str) -> None:
        """Show a track, with the dials of its first device."""
        self._pick(None, track, None)
        self.changed.emit()

    def touch(self, device: str, parameter: str) -> None:
        """Touch a control."""
        self._pick(device, None, (device, parameter))
        self.changed.emit()

    def _pick(self, device: str | None, track: str | None, control: tuple[str, str] | None) -> None:
        self.picked, self.picked_track, self.touched = device, track, control

    def release(self) -> None:
        """No control counts as touched."""
        self.touched = None
        self.changed.emit()

    def _with_lane(self) -> None:
        """Another lane's device is shown with it."""
        lane = self.focus.lane
        if lane is not None and self.picked != lane.device:
            self._pick(lane.device, None, None)

    def _follow(self) -> None:
        if self.known is not self.document.opened:
            self.known = self.document.opened
            self._pick(None, None, None)
            self.changed.emit()
        elif self.touched and self.control is None:
            self.release()
