# SPDX-License-Identifier: GPL-3.0-or-later
"""Makes tests/sound/data/onsets.json again: what librosa says of the sounds of tests.sound.test_onsets. It is not among
the project's packages: `pip install librosa==0.11.0 hypothesis` into a copy of its environment, then
`python -m benchmarks.onset_fixture`."""

from __future__ import annotations

import json
import warnings
from importlib.metadata import version
from pathlib import Path

import numpy as np

from tests.sound.test_onsets import known_sounds
from zolvek.sound.analysis.onsets import RATE

TARGET = Path(__file__).parents[1] / "tests" / "sound" / "data" / "onsets.json"


def main() -> None:
    """Onset times and tempo of each sound, as the library's documentation finds them."""
    import librosa

    rows = []
    for sound, _, bpm in known_sounds():
        samples = sound.astype(np.float32)
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            times = librosa.onset.onset_detect(y=samples, sr=RATE, units="time")
            tempo = float(librosa.feature.tempo(y=samples, sr=RATE)[0]) if bpm else 0.0
        rows.append({"onsets": [round(float(at), 6) for at in times], "tempo": tempo})
    TARGET.write_text(json.dumps({"librosa": version("librosa"), "sounds": rows}, indent=1) + "\n")


if __name__ == "__main__":
    main()
