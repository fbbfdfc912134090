# SPDX-License-Identifier: GPL-3.0-or-later
"""The MIDI file, read back by two parsers nobody here wrote."""

from __future__ import annotations

import struct
import tempfile
import unittest
from pathlib import Path
from typing import Any

import mido
import numpy as np
import symusic

from zolvek.core.curve.construction import curve
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.evaluation.lane_evaluation import played
from zolvek.core.records import replace
from zolvek.demo.night_regatta import build
from zolvek.formats.midi import file_out as midi_out
from zolvek.formats.midi import step_streams
from zolvek.formats.midi.tempo_events import tempo_messages

# The streams alone: notes have tests of their own.
PROJECT = build()
PROJECT = replace(PROJECT, tracks=tuple(replace(t, notes=()) for t in PROJECT.tracks))


def with_notes(data: bytes) -> bytes:
    """The file with one short note at the start of each track: symusic leaves out tracks that
    have none. Done on the bytes, so that nothing else is written again."""
    parts = data.split(b"MTrk")
    channels = [0] + [heard.lane.midi.channel - 1 for heard in step_streams.exported_lanes(PROJECT)]
    for i, channel in enumerate(channels, 1):
        note = bytes([0, 0x90 | channel, 60, 64, 0, 0x80 | channel, 60, 0])
        parts[i] = struct.pack(">I", len(parts[i]) - 4 + len(note)) + note + parts[i][4:]
    return b"MTrk".join(parts)


class MidiFile(unittest.TestCase):
    path: Path
    mido: Any
    symusic: Any

    @classmethod
    def setUpClass(cls) -> None:
        folder = tempfile.TemporaryDirectory()
        cls.addClassCleanup(folder.cleanup)
        cls.path = Path(folder.name) / "regatta.mid"
        midi_out.save(PROJECT, cls.path)
        cls.mido, cls.symusic = (
            mido.MidiFile(cls.path),
            symusic.Score.from_midi(with_notes(cls.path.read_bytes())),
        )

    def test_both_parsers_see_the_same_streams(self) -> None:
        self.assertEqual(
            (self.mido.type, self.mido.ticks_per_beat, self.symusic.ticks_per_quarter),
            (1, 960, 960),
        )
        lanes = [heard.lane for heard in step_streams.exported_lanes(PROJECT)]
        theirs = {track.name: track.controls for track in self.symusic.tracks}
        self.assertEqual(len(self.mido.tracks), len(lanes) + 1)
        for lane, track in zip(lanes, self.mido.tracks[1:], strict=True):
            now, seen = 0, []
            for message in track:
                now += message.time
                if message.type == "control_change":
                    self.assertEqual(
                        (message.channel + 1, message.control),
                        (lane.midi.channel, lane.midi.controller),
                    )
                    seen.append((now, message.value))
            other = theirs[PROJECT.label_of(lane.id).replace("·", "-")]
            self.assertEqual(seen, [(c.time, c.value) for c in other])
            self.assert_follows(lane, seen)

    def assert_follows(self, lane: Lane, seen: list[tuple[int, int]]) -> None:
        """The stepped stream is within a step of the curve wherever the curve is not steeper
        than a step a tick: here, everywhere."""
        ticks = np.arange(0, int(PROJECT.length * 960), 7)
        held = np.array([v for _, v in seen])[np.searchsorted([t for t, _ in seen], ticks, side="right") - 1]
        self.assertLessEqual(np.abs(held - 127.0 * played(lane, PROJECT).curve.at(ticks / 960.0)).max(), 1.0)

    def test_tempo_and_meter_keep_time(self) -> None:
        """SMF 1.0: tempo in microseconds a quarter note; the ramp's steps may not drift."""
        tempos = [(t.time, t.mspq) for t in self.symusic.tempos]
        self.assertEqual(
            tempos,
            [(int(a), int(b)) for a, b in zip(*tempo_messages(PROJECT.tempo, PROJECT.length), strict=True)],
        )
        ticks = np.array([t for t, _ in tempos] + [round(PROJECT.length * 960)])
        seconds = np.concatenate(([0.0], np.cumsum(np.diff(ticks) / 960 * np.array([m for _, m in tempos]) / 1e6)))
        np.testing.assert_allclose(seconds, PROJECT.tempo.seconds(ticks / 960.0), atol=2e-4)
        meters = [(m.time // 960, m.numerator, m.denominator) for m in self.symusic.time_signatures]
        self.assertEqual(meters, [(0, 4, 4), (184, 6, 4), (190, 4, 4)])

    def test_a_sweep_over_eight_bars_runs_from_0_to_127(self) -> None:
        """Common practice, no source: controllers run 0–127."""
        lane = Lane("x", "d", "p", curve([(0.0, 0.0), (32.0, 1.0)]))
        stream = step_streams.stream(played(lane, Project(length=40.0)), Project(length=40.0))
        self.assertEqual(stream.value.tolist(), list(range(128)), "every step once: no message too many")
        self.assertLess(stream.strays, 0.51)
