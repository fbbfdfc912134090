# SPDX-License-Identifier: GPL-3.0-or-later
"""The sound process killed again and again by plugins that misbehave, while the song plays and is edited."""

from __future__ import annotations

import os
import shutil
import subprocess
import tempfile
import time
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from zolvek.core.curve.construction import flat
from zolvek.core.curve.curve import Curve
from zolvek.core.edits.chains import add_device, add_track, apply_preset
from zolvek.core.edits.replacement import add_lane, with_curve, with_track
from zolvek.core.errors import ZolvekError
from zolvek.core.model.catalogue import DEVICE_KINDS
from zolvek.core.model.project import Note, Project
from zolvek.core.records import replace
from zolvek.sound.jobs.plugin_description import describe_in_process
from zolvek.sound.playback.playback import Playback
from zolvek.sound.playback.silent_clock import SilentClock

SOURCE = Path(__file__).resolve().parents[1] / "tests" / "sound" / "evil.c"
HEAD = "@prefix lv2: <http://lv2plug.in/ns/lv2core#> . @prefix doap: <http://usefulinc.com/ns/doap#> .\n"
SEE = "<http://www.w3.org/2000/01/rdf-schema#seeAlso>"
PORT = 'lv2:port [ a lv2:{kinds} ; lv2:index {n} ; lv2:symbol "{s}" ; lv2:name "{s}" {more}]'
RANGE = "; lv2:minimum 0.0 ; lv2:maximum 1.0 ; lv2:default 0.0 "
WAYS = 10
FORKS = 10  # one way more: it leaves a child behind
REST = 2.5  # seconds from one to the next, and until there is a spare process again
KILLS = (0, 1, 7, 9, 0, 1, 7, 9, 2)  # SIGSEGV, SIGFPE, exit, abort; and a hang now and then


def compiled(folder: Path, ways: Sequence[int] = range(WAYS)) -> list[str]:
    """A bundle for each way of misbehaving; their URIs."""
    uris = []
    for way in ways:
        uri, bundle = f"http://zolvek.org/evil#{way}", folder / f"evil{way}.lv2"
        bundle.mkdir()
        subprocess.run(
            [
                "cc",
                "-w",
                "-shared",
                "-fPIC",
                "-O1",
                f"-DWAY={way}",
                f'-DURI="{uri}"',
                str(SOURCE),
                "-o",
                str(bundle / "e.so"),
                "-lm",
            ],
            check=True,
        )
        (bundle / "manifest.ttl").write_text(f"{HEAD}<{uri}> a lv2:Plugin ; lv2:binary <e.so> ; {SEE} <e.ttl> .\n")
        ports = " ; ".join((
            PORT.format(kinds="ControlPort, lv2:InputPort", n=0, s="harm", more=RANGE),
            PORT.format(kinds="AudioPort, lv2:InputPort", n=1, s="in", more=""),
            PORT.format(kinds="AudioPort, lv2:OutputPort", n=2, s="out", more=""),
        ))  # fmt: skip
        (bundle / "e.ttl").write_text(f'{HEAD}<{uri}> a lv2:Plugin ; doap:name "Evil {way}" ; {ports} .\n')
        uris.append(uri)
    return uris


def harmed(uri: str, length: float, way: Curve) -> tuple[Project, str]:
    """A synth with a note on each beat, through the plugin, which does harm where the curve is high."""
    kind = describe_in_process(uri)
    project, track = add_track(Project(length=length), "T")
    project, _ = add_device(project, track, DEVICE_KINDS["synth"])
    notes = tuple(Note(float(b), 0.9, 45) for b in range(int(length)))
    project = with_track(project, replace(project.tracks[0], notes=notes))
    project, device = add_device(project, track, kind)
    project, lane = add_lane(project, device, "harm")
    return with_curve(project, lane, way), device


class Lost(NamedTuple):
    kills: int
    silent: float  # seconds, the longest from a kill to the next sound
    hung: float  # the same of a hang
    edits: int  # made meanwhile
    missing: int  # of kills that were not given with the plugin's name, or after which it did not go on


def killed(times: int) -> Lost:
    """`times` losses of the sound process, edits going on."""
    if shutil.which("cc") is None:
        raise ZolvekError("There is no C compiler to make plugins with.", "cc")
    with tempfile.TemporaryDirectory() as name:
        os.environ["LV2_PATH"] = name
        uris = compiled(Path(name))
        projects = {kill: harmed(uris[kill], 4_096.0, flat(1.0)) for kill in set(KILLS)}
        reported: list[str] = []
        playback = Playback(projects[0][0])
        playback.on_loss = lambda error, _: reported.append(error.what)
        clock = SilentClock(playback)
        clock.start()
        silent = hung = 0.0
        edits = missing = 0
        playback.use(_harmless(projects[0][0]))
        playback.play(0.0)
        try:
            _rest(playback)
            for number in range(times):
                kill = KILLS[number % len(KILLS)]
                project, device = projects[kill]
                count = len(reported)
                playback.use(project)
                playback.try_again(device)
                began, edited = time.monotonic(), 0
                while len(reported) == count and time.monotonic() - began < 20.0:
                    edited += 1
                    preset = ("Sweep bass", "Warm pad")[edited % 2]
                    playback.use(_edited(project, preset))
                    time.sleep(0.01)
                lost = time.monotonic()
                while not playback.begun and time.monotonic() - lost < 20.0:
                    time.sleep(0.002)
                took = time.monotonic() - lost
                silent, hung = (silent, max(hung, took)) if kill == 2 else (max(silent, took), hung)
                edits += edited
                named = len(reported) > count and f"Evil {kill}" in reported[-1]
                goes_on = playback.playing and playback.begun and device in playback.left_out
                missing += not (named and goes_on)
                _rest(playback, _edited(project, "Warm pad"))
        finally:
            clock.close()
            playback.close()
        return Lost(times, silent, hung, edits, missing)


def _harmless(project: Project) -> Project:
    track = project.tracks[0]
    devices = tuple(device for device in track.devices if device.row.plugin is None)
    return with_track(project, replace(track, devices=devices, lanes=()))


def _rest(playback: Playback, project: Project | None = None) -> None:
    """Play on, with edits, until there is a spare process again that had time to make itself ready."""
    ready = time.monotonic() + REST
    while time.monotonic() < ready:
        if playback.spare is None or not playback.spare.woken:
            ready = time.monotonic() + REST
        if project is not None:
            playback.use(project)
        time.sleep(0.02)


def _edited(project: Project, preset: str) -> Project:
    synth = next(d for d in project.tracks[0].devices if d.role == "instrument")
    names = [each.name for each in synth.row.presets]
    return apply_preset(project, synth.id, preset if preset in names else names[0])
