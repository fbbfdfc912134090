# SPDX-License-Identifier: GPL-3.0-or-later
"""Remakes docs/screenshots and docs/shortcuts.md from the demo data."""

from __future__ import annotations

import os
import tempfile
import time
import unittest
from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtWidgets import QApplication, QWidget

from benchmarks import hardness, own_plugins, structure_picture
from benchmarks.own_plugins import ESTUARY
from tests.sync.jack_server import Jack
from zolvek.core.curve import shaping
from zolvek.core.curve.construction import curve
from zolvek.core.edits import clips
from zolvek.core.edits.clips import Block
from zolvek.core.edits.takes import auditioned
from zolvek.core.records import replace
from zolvek.demo.night_regatta import bar, build
from zolvek.formats.midi.report import report
from zolvek.studio.actions.action_table import shortcuts_page
from zolvek.studio.app.application import application, make_window
from zolvek.studio.app.window import Window
from zolvek.studio.commands import hits, sections
from zolvek.studio.session.command_scope import shape_scope
from zolvek.studio.session.settings import Settings, WindowSettings
from zolvek.studio.toolkit.fields import NumberEntry, SeedEntry
from zolvek.studio.views.panels.effects_page import EffectsPage
from zolvek.studio.views.panels.export.export_panel import ExportPanel
from zolvek.studio.views.panels.listen_panel import ListenPanel
from zolvek.studio.views.panels.morph.morph_page import MorphPage
from zolvek.studio.views.panels.morph.morph_panel import MorphPanel
from zolvek.studio.views.panels.movement.movement_panel import MovementPanel
from zolvek.studio.views.panels.patterns_panel import PatternsPanel
from zolvek.studio.views.panels.shape_panel import ShapePanel
from zolvek.studio.views.panels.song_panel import SongPanel
from zolvek.studio.views.panels.thin_panel import ThinPanel
from zolvek.studio.views.timeline.hit_test import Hit, HitKind

SIZE = (1280, 800)


def _wait(test: Callable[[], bool], seconds: float = 60.0) -> None:
    """Go on once the test holds: pictures wait for work in the background."""
    end = time.monotonic() + seconds
    while not test() and time.monotonic() < end:
        hardness.wait(20)


def _backdrop(window: Window) -> None:
    backdrops = window.focus_lane.backdrops
    backdrops.begin()
    _wait(lambda: backdrops.shown() is not None)


def _sounds(window: Window) -> None:
    """What sound files look like is known."""
    window.studio.sounds.begin()
    _wait(lambda: bool(window.studio.sounds.peaks))


def _cast_off(window: Window) -> None:
    _backdrop(window)
    window.studio.view.show(bar(8), bar(19) - bar(8))
    window.session.span.choose((bar(9), bar(17)))
    window.session.playhead.go(bar(13.5))
    window.session.points.choose(np.array([2, 3]))
    lane = window.focus_lane
    lane.over = Hit(HitKind.POINT, 3)
    curve = hardness.focus_curve(window)
    at = lane.plot.point(float(curve.beat[3]), float(curve.value[3]))
    lane.pointer = QPointF(at.x(), at.y())


def _connect(window: Window) -> None:
    """Next to a server with a drum machine of our own making, two tracks connected, the song in the lead."""
    import jack

    case, studio, session = unittest.TestCase(), window.studio, window.session
    AFTERWARDS.append(case.doCleanups)
    os.environ.update(Jack(case, 256, real_time=True).environment)
    hardness.wait(1_500)
    other = jack.Client("Boathouse", no_start_server=True)
    case.addCleanup(other.close)
    for name in ("Horn in", "Mallet in"):
        other.midi_inports.register(name)
    other.activate()
    rows = [("mix left", "system:playback_1"), ("mix right", "system:playback_2")]
    rows += [("track hull", "Boathouse:Horn in"), ("track lanterns", "Boathouse:Mallet in")]
    tracks = {track.name.lower(): track.id for track in session.project.tracks}
    rows = [(key if key[:3] == "mix" else f"track {tracks[key[6:]]}", to) for key, to in rows]
    kept = replace(session.project.sync, role="lead", clock=True, connections=tuple(rows))
    session.document.edit("Connections", replace(session.project, sync=kept))
    session.focus.on("fog-filter.cutoff")
    window.rail.show_step("step-connect")
    studio.sync_link.switch(True)
    _wait(lambda: studio.sync_link.through is not None)
    session.playhead.go(bar(11))
    studio.player.play()
    _wait(lambda: session.playhead.beat > bar(13))
    hardness.wait(50)


def _shape(window: Window) -> None:
    window.studio.view.show(bar(8), bar(19) - bar(8))
    window.session.span.choose((bar(9), bar(13)))
    window.session.playhead.go(bar(11))
    window.rail.show_step("step-shape")
    panel = window.rail.findChild(ShapePanel)
    panel.choose("stamp-tremble")
    last = panel.fields[-1]
    assert isinstance(last, NumberEntry)
    last.setValue(70.0)
    panel.preview.click()


def _patterns(window: Window) -> None:
    window.rail.show_step("step-patterns")
    panel = window.rail.findChild(PatternsPanel)
    for first, last, name in ((17, 21, "Ripple"), (9, 17, "Opening"), (33, 43, "Slow close")):
        window.session.span.choose((bar(first), bar(last)))
        panel.save_as(name)
    panel.list.setCurrentRow(1)
    window.action("slot-add").trigger()
    panel.slots.setCurrentRow(1)
    window.session.playhead.go(bar(26))
    panel.play_here()
    window.studio.view.show(bar(15), bar(35) - bar(15))
    window.session.span.choose((bar(17), bar(21)))


def _controls(window: Window) -> None:
    window.session.focus.on("fog-filter.cutoff")
    _backdrop(window)
    window.studio.view.show(bar(7), bar(19) - bar(7))
    window.session.span.choose((bar(9), bar(11)))
    window.rail.show_page("step-listen", "Controls")
    page = window.rail.findChild(EffectsPage)
    page.scope.setCurrentIndex(page.scope.findData("track"))
    page.question.setCurrentIndex(page.question.findData("brightness"))
    page.start()
    _wait(lambda: page.list.count() > 0 and not page.background.busy)


def _compare(window: Window) -> None:
    window.session.settings.window.backdrop = "waveform"
    window.session.focus.on("fog-strip.level")
    _backdrop(window)
    window.studio.view.show(bar(23), bar(35) - bar(23))
    window.session.audition.keep_version()
    window.session.span.choose((bar(25), bar(29)))
    shape_scope(window.session, "Scale", lambda piece: shaping.scaled(piece, 0.4, 0.5))
    window.rail.show_step("step-listen")
    panel = window.rail.findChild(ListenPanel)
    window.session.audition.compare("kept")
    panel.match.click()
    _wait(lambda: "LUFS" in panel.heard.text())
    window.session.playhead.go(bar(26))


def _movement(window: Window) -> None:
    window.session.focus.on("echo.feedback")
    window.studio.view.show(bar(24), bar(34) - bar(24))
    window.session.span.choose((bar(25), bar(33)))
    window.rail.show_step("step-movement")
    panel = window.rail.findChild(MovementPanel)
    panel.lfo.fields.entries["amount"].setText("5 %")
    panel.lfo.fields.entries["amount_end"].setText("70 %")
    panel.lfo.preview()


def _layers(window: Window) -> None:
    session = window.session
    session.focus.on("lantern-strip.pan")
    window.studio.view.show(bar(32), bar(45) - bar(32))
    window.rail.show_step("step-movement")
    panel = window.rail.findChild(MovementPanel)
    panel.show_page("Layers")
    panel.add_layer("offset")
    drift = curve([(0.0, 0.5), (bar(34), 0.5, "s-curve", 0.4), (bar(41), 0.82, "bend", 0.5), (bar(44), 0.5)])
    session.edit_curve("Draw", drift, np.array([1, 2]))
    session.playhead.go(bar(39))


def _thin(window: Window) -> None:
    session = window.session
    session.focus.on("fog-filter.resonance")
    lane = session.lane
    assert lane is not None
    take = lane.takes[0]
    session.edit_curve("Take", auditioned(lane, [take.id]))
    window.studio.view.show(bar(16), bar(25) - bar(16))
    session.span.choose((take.first, take.last))
    window.rail.show_step("step-thin")
    panel = window.rail.findChild(ThinPanel)
    panel.tolerance.setText("2 %")
    panel.preview()


def _recording(window: Window) -> None:
    """A pass in the middle of being recorded: the user is given what it did, for no one is here."""
    session, settings = window.session, window.session.settings
    settings.recording.mode, settings.recording.count_in = "latch", 0
    session.focus.on("fog-filter.resonance")
    lane = session.lane
    assert lane is not None
    take = lane.takes[0]
    session.passes.arm("fog-filter.resonance")
    window.studio.view.show(bar(16), bar(25) - bar(16))
    window.rail.show_step("step-perform")
    session.playhead.go(bar(17))
    window.studio.recorder.begin()
    reported = window.studio.recorder.passes["fog-filter.resonance"]
    for beat in np.linspace(bar(17), bar(21), 300):
        reported.add(float(beat), 0.1 + float(take.curve.at(beat)))
    window.studio.player.timer.stop()  # the moment of the picture
    window.studio.recorder.held = {"fog-filter.resonance": 0.1 + float(take.curve.at(bar(21)))}
    session.held.hold(window.studio.recorder.held)
    session.playhead.go(bar(21))


def _table(window: Window) -> None:
    """A stepped transposition as a table, two of its points selected."""
    window.session.focus.on("mallet.transpose")
    window.studio.view.show(bar(20), bar(46) - bar(20))
    window.action("points-table").trigger()
    window.session.points.choose(np.array([2, 3]))
    window.session.playhead.go(bar(24))


def _pad(window: Window) -> None:
    session = window.session
    session.focus.on("echo.mix")
    window.studio.view.show(bar(32), bar(44) - bar(32))
    window.rail.show_step("step-morph")
    window.rail.findChild(MorphPanel).show_page("Pad")
    session.span.choose((bar(33), bar(43)))
    session.playhead.go(bar(37.5))


def _devices(window: Window) -> None:
    window.session.touch("fog-filter", "resonance")
    _backdrop(window)
    window.studio.view.show(bar(7), bar(35) - bar(7))
    window.rail.show_step("step-devices")


def _export(window: Window) -> None:
    window.session.focus.on("echo.feedback")
    window.session.playhead.go(bar(24.5))
    window.rail.show_step("step-export")
    panel = window.rail.shown["step-export"].widget()
    assert isinstance(panel, ExportPanel)
    page = panel.midi
    page.show_report(report(window.session.project))
    page.stale = False


def _beginning(window: Window) -> None:
    window.beginning()


def _time(window: Window) -> None:
    session = window.session
    window.action("time-rows").trigger()
    window.rail.show_step("step-piece")
    for number, colour in ((1, 2), (3, 3), (4, 1)):
        sections.change_section(session, number, "Colour", colour=colour)
    session.arranging.pick_section(1)
    window.action("version-new").trigger()
    session.span.choose((bar(9), bar(17)))
    shape_scope(session, "Scale", lambda piece_: shaping.scaled(piece_, 0.55, 0.2))
    session.span.choose(None)
    panel = window.rail.shown["step-piece"].widget()
    assert isinstance(panel, SongPanel)
    panel.versions.setCurrentRow(0)
    session.playhead.go(bar(13))


def _blocks(window: Window) -> None:
    """A sound that is split and fades in, and a duck on every note of another track."""
    session, studio = window.session, window.studio
    session.focus.on("fog-strip.level")
    fog = session.project.track_of("fog-strip.level")
    block = Block(fog.id, 0)
    session.playhead.go(bar(13))
    session.arranging.pick_block(block)
    window.action("block-split").trigger()
    session.arranging.pick_block(Block(fog.id, 1))
    clip = session.project.track_of("fog-strip.level").clips[1]
    made = clips.changed(session.project, Block(fog.id, 1), replace(clip, fade_in=1.4, gain_db=-3.0))
    session.document.edit("Fade", made)
    studio.hits.choose(session.project.track_of("mallet.transpose").id)
    studio.view.show(bar(11), 5 * 4.0)
    session.span.choose((bar(13), bar(15)))
    hits.stamp(studio, "duck", 0.5, "1/16", "1/32")
    session.span.choose(None)
    window.action("hits-snap").trigger()
    session.arranging.pick_block(Block(fog.id, 1))


def _plugin_list(window: Window) -> QWidget:
    """Two plugins of our own."""
    from zolvek.studio.toolkit.plugin_dialog import PluginDialog

    studio = window.studio
    studio.session.settings.plugins.favourites = [ESTUARY.uri]
    dialog = PluginDialog(studio.plugins, studio.session.settings.plugins, studio.ask.folder, window)
    dialog.show()
    _wait(lambda: studio.plugins.found is not None)
    return dialog


def _plugin_morph(window: Window) -> None:
    """A plugin of ours from one of its presets to another over Cast off, every parameter that differs in its lane."""
    from zolvek.core.edits import plugins
    from zolvek.core.model.morph import Course
    from zolvek.core.movement.morphing.morphs import chained
    from zolvek.sound.jobs.plugin_description import describe_in_process

    session, project = window.session, window.session.project
    track = next(track.id for track in project.tracks if track.name == "Lanterns")
    project, device = plugins.added(project, track, describe_in_process(ESTUARY.uri))
    ends = [next(s for s in project.states if s.name == name) for name in MORPHED]
    way = Course("s-curve", 0.4)
    project = chained(project, device, [(bar(9), ends[0].id), (bar(17), ends[1].id)], way)
    session.document.edit("Morph", project)
    session.touch(device, "cutoff")
    window.studio.view.show(bar(8), bar(19) - bar(8))
    session.span.choose((bar(9), bar(17)))
    window.rail.show_step("step-morph")
    panel = window.rail.findChild(MorphPanel)
    panel.show_page("Morph")
    for box, end in zip((panel.findChild(MorphPage).start, panel.findChild(MorphPage).end), ends, strict=True):
        box.setCurrentIndex(box.findData(end.id))
        box.activated.emit(box.currentIndex())
    session.playhead.go(bar(13))


MORPHED = ("Low tide", "Spring flood")
# Pictures that are made where something is installed: its file, and what it is called.
NEEDS = {
    "plugins": ("/usr/bin/cc", "gcc"),
    "morph": ("/usr/bin/cc", "gcc"),
    "connect": ("/usr/bin/jackd", "jackd2"),
}

SHOTS: tuple[tuple[str, str, Callable[[Window], QWidget | None]], ...] = (
    ("main-window", "vellum", _cast_off),
    ("shape", "vellum", _shape),
    ("patterns", "vellum", _patterns),
    ("controls", "vellum", _controls),
    ("compare", "lamp", _compare),
    ("start", "vellum", _beginning),
    ("time", "vellum", _time),
    ("clips", "vellum", _blocks),
    ("devices", "vellum", _devices),
    ("movement", "vellum", _movement),
    ("layers", "vellum", _layers),
    ("recording", "vellum", _recording),
    ("thinning", "vellum", _thin),
    ("table", "vellum", _table),
    ("morph", "vellum", _plugin_morph),
    ("pad", "lamp", _pad),
    ("plugins", "vellum", _plugin_list),
    ("export", "vellum", _export),
    ("connect", "lamp", _connect),
)


AFTERWARDS: list[Callable[[], object]] = []  # what a picture has begun is ended


def make(docs: Path) -> int:
    """Write every shot to docs/screenshots, the shortcut list and the picture of the structure to docs."""
    # The library of who makes the pictures has no place in them.
    os.environ["XDG_DATA_HOME"] = tempfile.mkdtemp(prefix="zolvek-shots-")
    os.environ["XDG_CACHE_HOME"] = os.environ["XDG_DATA_HOME"]
    os.environ["LV2_PATH"] = os.environ["VST3_PATH"] = f"{os.environ['XDG_DATA_HOME']}/bundles"
    if Path("/usr/bin/cc").exists():
        own_plugins.compiled(Path(os.environ["LV2_PATH"]))
    (docs / "screenshots").mkdir(parents=True, exist_ok=True)
    (docs / "shortcuts.md").write_text(shortcuts_page(), encoding="utf-8")
    (docs / "structure.svg").write_text(structure_picture.draw(), encoding="utf-8")
    for name, theme, prepare in SHOTS:
        needed, called = NEEDS.get(name, ("/", ""))
        if not Path(needed).exists():
            print(f"{name}: {called} is not installed; left as it is")
            continue
        app = application(theme)
        window = make_window(build(), Settings(WindowSettings(theme=theme)))
        window.resize(*SIZE)
        window.show()
        window.complete()
        _sounds(window)
        _settle(app)
        shown = prepare(window) or window
        for seed in window.findChildren(SeedEntry):
            seed.keep(1)  # the same picture every time
        _settle(app)
        path = docs / "screenshots" / f"{name}.png"
        shown.grab().save(str(path))
        print(path)
        window.studio.player.stop()
        hardness.as_saved(window)
        window.close()
        while AFTERWARDS:
            AFTERWARDS.pop()()
    return 0


def _settle(app: QApplication) -> None:
    for _ in range(4):
        app.processEvents()
