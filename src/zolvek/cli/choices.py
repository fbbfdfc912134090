# SPDX-License-Identifier: GPL-3.0-or-later
"""What the options of a list can be: the names in the tables, which are imported when they are asked for."""

from __future__ import annotations

from collections.abc import Iterable


def rates() -> Iterable[str]:
    """The sample rates of audio files."""
    from zolvek.formats.audio.sound_writer import RATES

    return map(str, RATES)


def depths() -> Iterable[str]:
    """What the bits of a sample can be."""
    from zolvek.formats.audio.sound_writer import DEPTHS

    return DEPTHS


def splits() -> Iterable[str]:
    """What a MIDI export can be split by."""
    from zolvek.formats.midi.file_out import SPLITS

    return SPLITS


def swings() -> Iterable[str]:
    """What a control signal can span."""
    from zolvek.sound.jobs.control_export import SWINGS

    return SWINGS


def time_bases() -> Iterable[str]:
    """What the rows of a table can be counted in."""
    from zolvek.formats.tables.lane_table import CLOCKS

    return CLOCKS


def cell_contents() -> Iterable[str]:
    """What the cells of a table can hold."""
    from zolvek.formats.tables.lane_table import CELLS

    return CELLS


def stamps() -> Iterable[str]:
    """The keys of the stamps."""
    from zolvek.core.curve.stamps import BY_KEY

    return BY_KEY


def waves() -> Iterable[str]:
    """The keys of the waves of an LFO."""
    from zolvek.core.movement.generators.waves import WAVES

    return WAVES


def random_kinds() -> Iterable[str]:
    """The kinds of random movement."""
    from zolvek.core.movement.generators.randomness import RANDOM_KINDS

    return RANDOM_KINDS


def spreads() -> Iterable[str]:
    """How the values of a random movement can spread."""
    from zolvek.core.movement.generators.randomness import SPREADS

    return SPREADS


def shapes() -> Iterable[str]:
    """The names of the curve shapes."""
    from zolvek.core.curve.shapes import CODES

    return CODES


def device_kinds() -> Iterable[str]:
    """The keys of the devices that ship."""
    from zolvek.core.model.catalogue import DEVICE_KINDS

    return DEVICE_KINDS
