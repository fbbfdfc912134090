# SPDX-License-Identifier: GPL-3.0-or-later
"""An exported volume curve, played by FluidSynth with a General MIDI sound font."""

from __future__ import annotations

import io
import shutil
import subprocess
import tempfile
import unittest
from pathlib import Path

import mido
import numpy as np
import soundfile

from tests import starts_processes
from zolvek.core.curve.construction import curve, flat
from zolvek.core.edits.chains import add_device, add_track
from zolvek.core.edits.replacement import add_lanes, remove_lane
from zolvek.core.model.device_kind import DeviceKind
from zolvek.core.model.project import Project
from zolvek.core.value.parameter import Parameter
from zolvek.formats.midi import file_out as midi_out

FONT = Path("/usr/share/sounds/sf2/TimGM6mb.sf2")
DRAWBAR_ORGAN = 16  # a steady tone (General MIDI sound set, number 17)


def levels(project: Project, beats: np.ndarray) -> np.ndarray:
    """How loud a held note is at each of `beats`, in dB, with the project's messages."""
    file = mido.MidiFile(file=io.BytesIO(midi_out.encode(project)))
    message = mido.Message
    file.tracks.append(
        mido.MidiTrack(
            [
                message("program_change", program=DRAWBAR_ORGAN),
                message("note_on", note=60, velocity=100),
                message("note_off", note=60, time=24 * 960),
            ]
        )
    )
    with tempfile.TemporaryDirectory() as folder:
        source, sound = Path(folder) / "volume.mid", Path(folder) / "volume.wav"
        file.save(source)
        subprocess.run(
            ["fluidsynth", "-ni", "-R", "0", "-C", "0", "-g", "0.4", "-r", "44100", "-F", sound, FONT, source],
            check=True,
            capture_output=True,
        )
        data, rate = soundfile.read(sound)
    wide = 2_205  # frames
    starts = (project.tempo.seconds(beats) * rate).astype(int) - wide // 2
    return np.array([10 * np.log10(np.mean(data[s : s + wide] ** 2)) for s in starts])


@unittest.skipUnless(shutil.which("fluidsynth") and FONT.is_file(), "FluidSynth is not installed")
class VolumeLaw(unittest.TestCase):
    @starts_processes
    def test_a_volume_curve_is_as_loud_as_general_midi_says(self) -> None:
        """General MIDI: controller 7 at v is 40·log10(v/127) dB (MMA, GM developer guidelines)."""
        volume = Parameter("volume", "Volume", high=127.0, sends="cc 7")
        project, track = add_track(Project(length=24.0), "Organ")
        project, device = add_device(project, track, DeviceKind("gm", "GM part", "outside", (volume,)))
        drawn = curve([(0.0, 1.0), (8.0, 1.0, "bend", -0.4), (16.0, 0.2, "s-curve", 0.3), (24.0, 0.9)])
        project = add_lanes(project, device, ["volume"], {"volume": drawn})
        (lane,) = project.lanes()
        self.assertEqual(lane.midi.text, "Controller 7, channel 1")
        beats = np.arange(0.5, 23.5, 0.25)
        # The tone itself beats: what counts is how the exported one compares with a steady one.
        steady = add_lanes(remove_lane(project, lane.id), device, ["volume"], {"volume": flat(1.0)})
        level = levels(project, beats) - levels(steady, beats)
        reported = np.round(127 * drawn.at(beats))
        law = 40.0 * np.log10(reported / 127.0)
        self.assertLess(np.abs(level - law).max(), 1.5, f"{(level - law).round(2)}")
        self.assertGreater(np.ptp(law), 25.0, "the curve goes far down")


if __name__ == "__main__":
    unittest.main()
