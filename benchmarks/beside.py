# SPDX-License-Identifier: GPL-3.0-or-later
"""What `./zolvek bench next to` and `busy` measure: frames of error next to a real server, and cycles that were missed
while the window has its hands full."""

from __future__ import annotations

import os
import socket
import tempfile
import time
import unittest
from collections.abc import Callable
from functools import partial
from pathlib import Path
from unittest import mock

import numpy as np

from tests.sync import wire
from tests.sync.jack_server import Capture, Jack
from tests.sync.test_headless_player import moment_of
from tests.sync.test_jack import CLICKS, RATE, Ports, piece, stretches_of
from zolvek.core.model.sync_setup import SyncSetup
from zolvek.core.movement.evaluation.quantised_steps import Resolution
from zolvek.demo.night_regatta import build
from zolvek.native import building
from zolvek.sound.playback.internal_transport import SilentTransport
from zolvek.sound.playback.playback import Playback
from zolvek.sync.clocks.clock_reader import Follower
from zolvek.sync.jack import link_messages as messages
from zolvek.sync.jack import shared_layout
from zolvek.sync.jack.link import Link
from zolvek.sync.ports.message_streams import OscStream
from zolvek.sync.ports.osc_ports import Output
from zolvek.sync.ports.scheduler import Live
from zolvek.sync.timeline import clock_messages, song_timeline

TRIES = 4
Say = Callable[[str, float, str, str], None]


def figures(say: Say) -> None:
    for work in (_joining, _together, _faster, _followed, _osc):
        try:
            work(say)
        except unittest.SkipTest as error:
            print(error)


def _is_ready(link: Link) -> bool:
    return link.there and bool(link.words[shared_layout.TABLE])


def _joining(say: Say) -> None:
    """From asking for the ports to a song that could be played: with the callbacks to be built, a new process, and the
    same process again."""
    with _Case() as case:
        server = Jack(case, 256)
        with mock.patch.dict(os.environ, server.environment):
            for what, limit, fresh in (("first ever", "at most 3", True), ("a new process", "at most 2", False)):
                if fresh:
                    for built in (building.SOURCES / "built").glob("audio-server-*.so"):
                        built.unlink()
                began = time.monotonic()
                link = Link(lambda _: None)
                case.addCleanup(link.close)
                link.use(case.project, Resolution())
                case.until(partial(_is_ready, link))
                say(f"JACK joined, {what}", time.monotonic() - began, "s", limit)
                if fresh:
                    link.close()
            link.send(messages.Join(False))
            case.until(lambda: not link.there)
            began = time.monotonic()
            link.send(messages.Join(True))
            case.until(partial(_is_ready, link))
            say("JACK joined, switched off and on", time.monotonic() - began, "s", "at most 1")


class _Case(Ports):
    """The tests' own way to a server, without a test."""

    def runTest(self) -> None: ...

    def __enter__(self) -> _Case:
        self.folder = tempfile.TemporaryDirectory()
        self.project = piece(Path(self.folder.name))
        return self

    def __exit__(self, *_: object) -> None:
        self.doCleanups()
        self.folder.cleanup()


def _together(say: Say) -> None:
    """Start, two relocations while it rolls, stop, start again, a loop. On a loaded machine the server may leave a
    client out of a cycle: another try then."""
    for attempt in range(TRIES):
        with _Case() as case:
            kept = _journey(case)
            left_out = int(case.link.words[shared_layout.LEFT_OUT])
            if left_out and attempt < TRIES - 1:
                continue
            _messages(say, case, kept, f"{left_out} cycles that the server left us out of")
            _clock(say, case, kept)
            _clicks(say, kept)
            _bars(say, case, kept)
            return


def _journey(case: _Case) -> dict[str, np.ndarray]:
    server = Jack(case, 256, real_time=True)
    case.join(server, SyncSetup(role="lead", clock=True, code="25"))
    capture = case.listen(server, ("All tracks", "midi"), ("Clock", "clock"), ("Mix left", "sound"))
    transport = case.transport
    transport.start(3.0)
    case.until(case.rolls)
    time.sleep(4.0)
    capture.ask("locate", 1_000_000)
    time.sleep(4.0)
    transport.locate(40.0)
    time.sleep(4.0)
    transport.stop()
    case.until(lambda: not case.link.playing)
    transport.start(60.0)
    case.until(case.rolls)
    time.sleep(4.0)
    transport.set_loop((20.0, 23.0))
    transport.locate(19.0)
    time.sleep(8.0)
    transport.stop()
    case.until(lambda: not case.link.playing)
    return capture.kept()


def _messages(say: Say, case: _Case, kept: dict[str, np.ndarray], how: str) -> None:
    wanted = case.wanted()
    midi = (kept["port"] == 0) & (kept["song"] >= 0)
    came: dict[int, list[bytes]] = {}
    for at, data in zip(kept["at"][midi].tolist(), kept["data"][midi], strict=True):
        came.setdefault(at, []).append(bytes.fromhex(str(data)))
    due = exact = 0
    for at, song, length in stretches_of(kept):
        for frame in range(song, song + length):
            own = wanted.get(frame, [])
            there = came.get(at + frame - song, [])
            due += len(own)
            exact += sum(message in there for message in own)
    say(f"messages due, {how}", due, "", "as there are")
    say("of them not at their very frame", due - exact, "", "none")


def _clock(say: Say, case: _Case, kept: dict[str, np.ndarray]) -> None:
    frames = song_timeline.clock_frames(case.project, RATE)
    code, data = song_timeline.code_frames(case.project, RATE, clock_messages.RATES["25"])
    mine = (kept["port"] == 1) & (kept["song"] >= 0)
    off = {"clock": 0, "code": 0, "position": 0}
    count = dict.fromkeys(off, 0)
    for song, text in zip(kept["song"][mine].tolist(), kept["data"][mine], strict=True):
        message = bytes.fromhex(str(text))
        if message[0] == clock_messages.CLOCK:
            off["clock"] = max(off["clock"], int(np.abs(frames - song).min()))
            count["clock"] += 1
        elif message[0] == clock_messages.QUARTER_FRAME:
            own = code[data == message[1]]
            off["code"] = max(off["code"], int(np.abs(own - song).min()))
            count["code"] += 1
        elif message[0] == clock_messages.SONG_POSITION:
            reported = message[1] | message[2] << 7
            true = wire.position_at(float(case.project.tempo.beats((song - 0.5) / RATE)))
            off["position"] = max(off["position"], abs(reported - true))
            count["position"] += 1
    say(f"MIDI clock off at most, {count['clock']} messages", off["clock"], "frames", "at most 1")
    say(f"time code off at most, {count['code']} messages", off["code"], "frames", "at most 0")
    say(f"song position off, {count['position']} messages", off["position"], "", "at most 0")


def _clicks(say: Say, kept: dict[str, np.ndarray]) -> None:
    wanted = np.round(CLICKS * RATE).astype(int)
    sounds = dict(zip(kept["block_at"].tolist(), kept["block_sound"], strict=True))
    block, found, off, due = len(kept["block_sound"][0]), 0, 0, 0
    for at, song, length in stretches_of(kept):
        whole = np.concatenate([sounds[at + n] for n in range(0, length, block)])
        places = np.flatnonzero(np.abs(whole) > 0.25) + song
        due += int(((wanted >= song) & (wanted < song + length)).sum())
        found += len(places)
        off = max([off, *(int(np.abs(wanted - p).min()) for p in places)])
    say(f"clicks of the sound off at most, {found} of {due} heard", off, "frames", "at most 0")


def _bars(say: Say, case: _Case, kept: dict[str, np.ndarray]) -> None:
    worst, project = 0.0, case.project
    for frame, bar, beat, _, tick, _ in kept["bars"]:
        start = project.meter.bar_beat(int(bar))
        unit = project.meter.meter_at(start + 1e-6).unit
        reported = start + (beat - 1 + tick / 960.0) * 4.0 / unit
        worst = max(worst, abs(reported - float(project.tempo.beats(frame / RATE))))
    say("beat that others are given, off at most", worst, "beats", "at most 0.000001")


def _faster(say: Say) -> None:
    """Freewheeling without anybody at the sound: a minute of the song."""
    with _Case() as case:
        server = Jack(case, 1024)
        case.join(server, SyncSetup(role="lead"))
        capture = Capture(case, server)
        capture.ask("connect", "Zolvek:All tracks", "capture:midi")
        for side, taker in (("left", 1), ("right", 2)):
            case.link.send(messages.Disconnect(f"Mix {side}", f"system:playback_{taker}"))
        case.until(lambda: not case.link.words[shared_layout.SOUND_WANTED])
        capture.ask("free", 1)
        began = time.perf_counter()
        case.transport.start(0.0)
        case.until(lambda: int(case.link.words[shared_layout.FRAME]) > 55 * RATE)
        took = time.perf_counter() - began
        capture.ask("free", 0)
        case.transport.stop()
        say("a minute of the song faster than real time", took * 60 / 55, "s", "under 1")
        _messages(say, case, capture.kept(), "faster than real time")


def _followed(say: Say) -> None:
    rng, worst, wrong = np.random.default_rng(1), 0.0, 0.0
    for bpm in (60.0, 112.5, 174.0):
        for _ in range(10):
            follower, step = Follower("clock"), 60.0 / bpm / clock_messages.CLOCKS
            follower.take(b"\xfa", 10.0)
            for number in range(24 * 16):
                at = 10.0 + number * step
                follower.take(b"\xf8", at + rng.uniform(-1e-3, 1e-3))
                if number >= 48:
                    off = follower.beat_at(at) - number / clock_messages.CLOCKS
                    worst = max(worst, abs(off) * 60.0 / bpm)
                    wrong = max(wrong, abs(follower.bpm / bpm - 1.0))
    say("a clock with 1 ms of jitter: place off after two beats", 1e3 * worst, "ms", "at most 1")
    say("its tempo off", 1e2 * wrong, "%", "at most 0.1")


def _osc(say: Say) -> None:
    """From the moment that a bundle names to its arrival."""
    project = build()
    playback = Playback(project)
    transport = SilentTransport(playback)
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as other:
        other.bind(("127.0.0.1", 0))
        other.settimeout(0.2)
        output = Output("127.0.0.1", other.getsockname()[1])
        stream = OscStream(output)
        stream.use(project, 120.0)
        live = Live(stream, lambda: playback, lambda beat: float(project.tempo.seconds(beat)), lambda: 0.0)
        transport.start(32.0)
        late, end = [], time.time() + 6.0
        while time.time() < end:
            try:
                packet = other.recv(65_536)
            except TimeoutError:
                continue
            late.append(time.time() - moment_of(packet))
        live.close()
        output.close()
    transport.close()
    playback.close()
    say(f"OSC: arrival after the moment named, median of {len(late)}", 1e3 * float(np.median(late)), "ms", "under 1")


def busy(say: Say, seconds: float) -> None:
    """The window plays through a server, records, has points dragged, for minutes."""
    for real_time in (True, False):
        try:
            _busy(say, seconds if real_time else min(seconds, 60.0), real_time)
        except unittest.SkipTest as error:
            print(error)


def _busy(say: Say, seconds: float, real_time: bool) -> None:
    from PyQt6.QtTest import QTest

    def wait(milliseconds: int) -> None:
        QTest.qWait(milliseconds)  # type: ignore[call-arg, arg-type]  # the stub takes it for a method

    from benchmarks.answers import Answers
    from zolvek.core.curve.curve import Curve
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.session.settings import Settings

    case = _Case()
    server = Jack(case, 256, real_time=real_time)
    app = application()
    with mock.patch.dict(os.environ, server.environment):
        window = make_window(build(), Settings(), ask=Answers())
        window.show()
        window.complete()
        studio = window.studio
        studio.sync_link.switch(True)
    end = time.monotonic() + 90.0
    while studio.sync_link.through is None and time.monotonic() < end:
        wait(20)
    link = studio.sync_link.link
    assert link is not None
    studio.player.set_looping(True)
    studio.player.play()
    wait(1_000)
    before = {
        word: int(link.words[word]) for word in (shared_layout.XRUNS, shared_layout.MISSING, shared_layout.CYCLES)
    }
    lane, edits = studio.session.lane, 0
    assert lane is not None
    session, end = studio.session, time.monotonic() + seconds
    while time.monotonic() < end:
        gesture = object()
        for step in range(40):  # a point is dragged up and down
            curve = session.lane.curve  # type: ignore[union-attr]  # it stays
            value = curve.value.copy()
            value[len(value) // 2] = 0.5 + 0.4 * np.sin(step / 6.0)
            session.edit_curve("Drag", Curve(curve.beat, value, curve.shape, curve.amount), gesture=gesture)
            edits += 1
            wait(8)
    counts = {word: int(link.words[word]) - was for word, was in before.items()}
    kind = "with" if real_time else "without"
    say(
        f"cycles of 256 frames missed in {seconds:.0f} s of dragging ({edits} edits), {kind} real-time scheduling, of "
        f"{counts[shared_layout.CYCLES]}",
        counts[shared_layout.XRUNS],
        "",
        "none" if real_time else "unchanged",
    )
    say("frames of sound that were not ready", counts[shared_layout.MISSING], "", "unchanged")
    studio.player.stop()
    studio.close()
    window.leaving = True
    window.close()
    app.processEvents()
    case.doCleanups()
