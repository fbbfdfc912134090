# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands that analyse audio files."""

from __future__ import annotations

import click

from zolvek.cli.command_common import print_csv
from zolvek.cli.standard_streams import input_file


@click.command()
@input_file("sound", ".wav")
def hits(sound: str) -> None:
    """Print the hits of an audio file as CSV: seconds, and the strength, in all and in the low, middle and high band
    (0 to 1)."""
    from zolvek.sound.analysis.onsets import hits_of

    result = hits_of(sound)
    rows = zip(result.seconds.tolist(), result.strength.tolist(), *result.bands.T.tolist(), strict=True)
    head = ("seconds", "strength", "low", "middle", "high")
    print_csv(head, ((f"{at:.6f}", *(f"{how:.4f}" for how in strengths)) for at, *strengths in rows))


@click.command()
@input_file("sound", ".wav")
def tempo(sound: str) -> None:
    """Print the tempo of an audio file as CSV: bpm, the second of the first beat, reliability (0 to 1)."""
    from zolvek.core.errors import ZolvekError
    from zolvek.sound.analysis.onsets import hits_of, tempo_of

    heard = hits_of(sound)
    try:
        result = tempo_of(heard)
    except ZolvekError as error:
        raise error.at(sound) from error
    print_csv(("bpm", "first", "sure"), [(f"{result.bpm:g}", f"{result.first:.6f}", f"{result.sure:.3f}")])


COMMANDS = (hits, tempo)
