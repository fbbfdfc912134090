# SPDX-License-Identifier: GPL-3.0-or-later
"""The project: one immutable tree."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from functools import cached_property

from zolvek.core.arrays import Floats, Numbers
from zolvek.core.curve.construction import flat
from zolvek.core.curve.curve import Curve
from zolvek.core.curve.pattern import Pattern
from zolvek.core.errors import ZolvekError
from zolvek.core.limits import Beat, Colour, Factor, Length
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.device_kind import BYPASS, DeviceKind
from zolvek.core.model.layer import Layer
from zolvek.core.model.messages import VOLTAGES, MidiTarget
from zolvek.core.model.morph import Morph
from zolvek.core.model.pad import Pad
from zolvek.core.model.plugin import need_state
from zolvek.core.model.source import Clip, Note
from zolvek.core.model.state import State
from zolvek.core.model.sync_setup import SyncSetup
from zolvek.core.model.take import Comp, Take
from zolvek.core.records import Record, field, replace
from zolvek.core.time.meter import MeterMap
from zolvek.core.time.tempo import TempoMap
from zolvek.core.value.parameter import Parameter
from zolvek.core.value.reach import Reach, from_position, to_position

MOST_PAIRS = 16  # of a device's outputs


class Version(Record, frozen=True):
    """One way that the lanes go through a section: pieces of curve by lane, from beat 0 on, as long as the
    section was when it was put aside."""

    name: str
    pieces: tuple[tuple[str, Curve], ...] = ()


class Section(Record, frozen=True):
    """A named stretch of the project that begins at `beat` and lasts until the next one.

    `versions`: alternatives of what the lanes do in it; number `chosen` is the one that stands in the
    lanes, and its own pieces are empty.
    """

    beat: Beat
    name: str
    colour: Colour = 0  # of the theme's lane inks, from 1; 0 is none
    versions: tuple[Version, ...] = ()
    chosen: int = 0

    def __post_init__(self) -> None:
        if not 0 <= self.chosen < max(len(self.versions), 1):
            raise ZolvekError("This version does not exist.", f"section {self.name}", "Choose another.")


class Device(Record, frozen=True):
    """A device in a track's chain: its kind (a row of the catalogue) and the present values
    of its parameters as positions 0..1; those not named are at their default.

    A device that a person has described bears its description with it, so that a project opens
    anywhere. `favourites` are the parameters that are shown first. A plugin's `state` is what it holds beyond
    its parameters, as text; `side_chain` the track that its side-chain listens to, "" for silence; `files` the sound
    files that it plays or filters by, by what it takes each for.
    """

    id: str
    kind: str
    name: str
    values: dict[str, float] = field(default_factory=dict)
    bypassed: bool = False
    described: DeviceKind | None = None
    favourites: tuple[str, ...] = ()
    state: str = ""
    side_chain: str = ""
    files: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.described is None and self.kind not in DEVICE_KINDS:
            raise ZolvekError(f"There is no device type “{self.kind}”.", f"device {self.id}")
        for key, position in self.values.items():
            self.row.parameter(key)
            if not 0.0 <= position <= 1.0:
                raise ZolvekError(f"The position {position} is not between 0 and 1.", f"device {self.id}, {key}")
        for key in self.favourites:
            self.row.parameter(key)
        if self.state:
            need_state(self.state, f"device {self.id}")

    @property
    def row(self) -> DeviceKind:
        """Its kind's row of the catalogue, or its own description."""
        return self.described or DEVICE_KINDS[self.kind]

    @property
    def role(self) -> str:
        """What the device is in a chain: a DeviceRole."""
        return self.row.role

    @property
    def parameters(self) -> tuple[Parameter, ...]:
        """Its own, and its bypass."""
        return self.row.controls

    @property
    def favourites_first(self) -> tuple[Parameter, ...]:
        """All parameters, the favourites before the others."""
        chosen = tuple(self.parameter(key) for key in self.favourites)
        return chosen + tuple(p for p in self.parameters if p.id not in self.favourites)

    def parameter(self, key: str) -> Parameter:
        """A parameter by its id. Raises ZolvekError if there is none."""
        return self.row.parameter(key)

    @property
    def has_bypass(self) -> bool:
        """Whether its bypass is the one that every device has, not one of its own description."""
        return bool(self.parameters) and self.parameters[-1] is BYPASS

    def at(self, values: dict[str, float]) -> Device:
        """The device with some of its parameters at other positions."""
        by_id = dict(values)
        bypass = by_id.pop(BYPASS.id, None) if self.has_bypass else None
        result = replace(self, values={**self.values, **by_id}) if by_id else self
        return result if bypass is None else replace(result, bypassed=bypass >= 0.5)

    def position(self, key: str) -> float:
        """The present position of a parameter, 0..1."""
        if key == BYPASS.id and self.has_bypass:
            return float(BYPASS.position(float(self.bypassed)))
        value = self.values.get(key)
        return self.parameter(key).default_position if value is None else value


class Cycle(Record, frozen=True):
    """A lane's own loop: it plays on to the end of the span once, then repeats the span."""

    beat: Beat
    length: Length

    def __post_init__(self) -> None:
        if not (self.length >= 1.0 / 64.0):
            raise ZolvekError("The loop is too short.", remedy="Select a span of a 1/256 note or more.")


class Switch(Record, frozen=True):
    """From `beat` on the lane plays the pattern in slot `slot`, or its own curve at −1."""

    beat: Beat
    slot: int


class Lane(Record, frozen=True):
    """Drives one parameter of one device of its track.

    `reach` is the two positions that the curve's 0 and 1 stand for (low above high inverts).
    Bypassed: kept, not applied. Hidden: applied, not shown. Relative: drawn around where the control
    stands, its reach counted from −1 to 1 of the travel. `voltage`: what it ranges over as a control voltage, a key of
    VOLTAGES, "" where it is none.
    """

    id: str
    device: str
    parameter: str
    curve: Curve = field(default_factory=lambda: flat(0.5))
    reach: Reach = (0.0, 1.0)
    bypassed: bool = False
    hidden: bool = False
    midi: MidiTarget = field(default_factory=MidiTarget)
    name: str = ""  # a person's own, shown before the parameter's
    colour: Colour = 0  # of the theme's lane inks
    locked: bool = False
    tall: bool = False
    cycle: Cycle | None = None
    slots: tuple[Pattern, ...] = ()
    switches: tuple[Switch, ...] = ()
    layers: tuple[Layer, ...] = ()
    takes: tuple[Take, ...] = ()
    comp: Comp | None = None
    pins: tuple[Beat, ...] = ()  # beats at which points stay when the lane is thinned
    relative: bool = False
    fit: bool = False  # what layers take beyond the reach is fitted into it, not clipped
    voltage: str = ""

    def __post_init__(self) -> None:
        if any(not -1 <= switch.slot < len(self.slots) for switch in self.switches):
            raise ZolvekError("A slot change names a slot that does not exist.", f"lane {self.id}")
        if self.voltage and self.voltage not in VOLTAGES:
            raise ZolvekError(f"There is no range of a control voltage “{self.voltage}”.", f"lane {self.id}")
        if len({layer.id for layer in self.layers}) < len(self.layers):
            raise ZolvekError("Two layers have the same id.", f"lane {self.id}")
        if self.curve.beat[0] < 0.0:
            raise ZolvekError("A point is before the start.", f"lane {self.id}", "Beats count from 0.")
        low, high = self.reach
        if not (0.0 <= low <= 1.0 and 0.0 <= high <= 1.0) or low == high:
            raise ZolvekError(
                f"A reach from {low} to {high} can't be used.",
                f"lane {self.id}",
                "Its ends are two different positions from 0 to 1.",
            )

    def to_position(self, value: Numbers) -> Floats:
        """The parameter's positions for values of the curve."""
        return to_position(self.reach, value)

    def from_position(self, position: Numbers) -> Floats:
        """The curve's values for positions of the parameter, kept to 0..1."""
        return from_position(self.reach, position)

    def layer(self, key: str) -> Layer | None:
        """The layer of this id, if there is one."""
        return next((item for item in self.layers if item.id == key), None)

    def at(self, beats: Numbers) -> Floats:
        """The parameter's position at each of `beats`, by the lane's own curve alone."""
        return self.to_position(self.curve.at(beats))


class Link(Record, frozen=True):
    """What moves in lane `lane` moves in lane `other` too, `factor` times as far (negative:
    the opposite way)."""

    lane: str
    other: str
    factor: Factor = 1.0


class Mapping(Record, frozen=True):
    """A control from outside (its id, see core.edits.controller_mappings) that moves a device's parameter."""

    control: str
    device: str
    parameter: str


class DeviceOutput(Record, frozen=True):
    """A pair of a device's outputs beyond left and right, counted from 1: 1 is its third and fourth output."""

    device: str
    pair: int

    def __post_init__(self) -> None:
        if not 1 <= self.pair < MOST_PAIRS:
            raise ZolvekError(f"There is no pair {self.pair} of outputs.", f"device {self.device}")


class Track(Record, frozen=True):
    """A source (notes for the first device, sound clips, what the sends of other tracks carry, or further outputs of
    another track's device), a chain of devices, and lanes."""

    id: str
    name: str
    devices: tuple[Device, ...] = ()
    lanes: tuple[Lane, ...] = ()
    notes: tuple[Note, ...] = ()
    clips: tuple[Clip, ...] = ()
    muted: bool = False
    takes_sends: bool = False
    solo_safe: bool = False  # heard whatever else is soloed
    colour: Colour = 0  # of the theme's lane inks, from 1; 0 is none
    output: DeviceOutput | None = None

    @cached_property
    def _by_id(self) -> dict[str, Device]:
        return {device.id: device for device in self.devices}

    @cached_property
    def _driven(self) -> dict[tuple[str, str], Lane]:
        return {(lane.device, lane.parameter): lane for lane in reversed(self.lanes)}

    def device(self, key: str) -> Device:
        """A device by its id. Raises ZolvekError if there is none."""
        result = self._by_id.get(key)
        if result is None:
            raise ZolvekError(f"There is no device “{key}”.", f"track {self.name}")
        return result

    def lane_on(self, device: str, parameter: str) -> Lane | None:
        """The lane of a parameter, if it has one."""
        return self._driven.get((device, parameter))


class Project(Record, frozen=True):
    """The whole document. `length` in beats. Raises ZolvekError when ids clash or lead nowhere."""

    name: str = "Untitled"
    tempo: TempoMap = field(default_factory=TempoMap)
    meter: MeterMap = field(default_factory=MeterMap)
    length: Length = 128.0
    sections: tuple[Section, ...] = ()
    tracks: tuple[Track, ...] = ()
    links: tuple[Link, ...] = ()
    mappings: tuple[Mapping, ...] = ()
    states: tuple[State, ...] = ()
    morphs: tuple[Morph, ...] = ()
    pads: tuple[Pad, ...] = ()
    sounds: dict[str, str] = field(default_factory=dict)  # file of a clip -> what its content is given by
    sync: SyncSetup = field(default_factory=SyncSetup, name="beside")  # other programs

    def __post_init__(self) -> None:
        ids = [track.id for track in self.tracks]
        ids += [lane.id for lane in self.lanes()]
        ids += [device.id for track in self.tracks for device in track.devices]
        twice = {key for key, count in Counter(ids).items() if count > 1}
        if twice:
            raise ZolvekError(f"The id “{min(twice)}” is used twice.", "project")
        for track in self.tracks:
            for lane in track.lanes:
                track.device(lane.device).parameter(lane.parameter)
        known = {lane.id for lane in self.lanes()}
        if any({link.lane, link.other} - known for link in self.links):
            raise ZolvekError("A link names a lane that does not exist.", "project")
        for mapping in self.mappings:
            self.device_track(mapping.device).device(mapping.device).parameter(mapping.parameter)

    @cached_property
    def _lanes(self) -> dict[str, tuple[Track, Lane]]:
        """Every lane by its id, with its track: looked up often, and among thousands."""
        return {lane.id: (track, lane) for track in self.tracks for lane in track.lanes}

    @cached_property
    def _devices(self) -> dict[str, Track]:
        return {device.id: track for track in self.tracks for device in track.devices}

    def lanes(self) -> Iterator[Lane]:
        """All lanes, track by track."""
        return (lane for track in self.tracks for lane in track.lanes)

    def has_lane(self, lane: str) -> bool:
        """Whether there is a lane of this id."""
        return lane in self._lanes

    def has_device(self, device: str) -> bool:
        """Whether there is a device of this id."""
        return device in self._devices

    def track_of(self, lane: str) -> Track:
        """The track of a lane. Raises ZolvekError if there is none."""
        return self._found(lane)[0]

    def lane(self, key: str) -> Lane:
        """A lane by its id. Raises ZolvekError if there is none."""
        return self._found(key)[1]

    def _found(self, lane: str) -> tuple[Track, Lane]:
        result = self._lanes.get(lane)
        if result is None:
            raise ZolvekError(f"There is no lane “{lane}”.", "project", "`zolvek lanes` lists the ones there are.")
        return result

    def device_track(self, device: str) -> Track:
        """The track of a device. Raises ZolvekError if there is none."""
        result = self._devices.get(device)
        if result is None:
            raise ZolvekError(f"There is no device “{device}”.", "project")
        return result

    def device_of(self, lane: str) -> Device:
        """The device that a lane drives."""
        return self.track_of(lane).device(self.lane(lane).device)

    def parameter_of(self, lane: str) -> Parameter:
        """The parameter that a lane drives."""
        return self.device_of(lane).parameter(self.lane(lane).parameter)

    def label_of(self, lane: str) -> str:
        """Track, device and parameter: no two lanes read the same."""
        track, device = self.track_of(lane), self.device_of(lane)
        label = f"{track.name} · {device.name} · {self.parameter_of(lane).name}"
        name = self.lane(lane).name
        return f"{name} ({label})" if name else label

    def section_spans(self) -> list[tuple[Section, float, float]]:
        """Each section that begins inside the project, in order of time, with its first and last
        beat: it lasts until the next one, or to the end."""
        inside = sorted((s for s in self.sections if s.beat < self.length), key=lambda s: s.beat)
        ends = [*(section.beat for section in inside[1:]), self.length]
        return [(s, s.beat, end) for s, end in zip(inside, ends, strict=False)]

    def section_at(self, beat: float) -> tuple[float, float]:
        """First and last beat of the section that holds `beat`; what lies before the first one, or
        all when there is none."""
        spans = [(first, last) for _, first, last in self.section_spans() if last > first]
        for first, last in reversed(spans):
            if beat >= first:
                return first, last
        return 0.0, spans[0][0] if spans and spans[0][0] > 0.0 else self.length
