# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands that make movement: into a curve in a CSV file, or as a layer of a project's lane."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from zolvek.cli.choices import random_kinds, spreads, waves
from zolvek.cli.command_common import (
    LANE_ID,
    Names,
    in_range,
    load,
    need_use,
    read_settings,
    say,
    seed,
    seed_of,
    settings,
    span,
)
from zolvek.cli.curve_commands import curve, say_at_limit, tool
from zolvek.cli.standard_streams import input_file, output_file
from zolvek.core.errors import ZolvekError
from zolvek.core.movement.movement_settings import (
    HAND_SETTINGS,
    JITTER_SETTINGS,
    LFO_SETTINGS,
    RANDOM_SETTINGS,
)

if TYPE_CHECKING:
    from zolvek.core.curve.pattern import Pattern
    from zolvek.core.movement.generators.lfo import Lfo
    from zolvek.core.movement.generators.randomness import RandomMove

NO_SECONDS = "It counts for values in s or Hz."
TEMPO = click.option("--tempo", default=120.0, show_default=True, help="Tempo in BPM, for values in s or Hz.")
LANE = click.option("--lane", required=True, type=LANE_ID, help="Lane id; `zolvek lanes` lists them.")
OUTPUT = output_file("The project file to write.", ".zolvek")
PERIOD = click.option("--rate", "--period", "period", required=True, help="A cycle: 1/4, 1/8t, 2bars, 0.5s or 3Hz.")


def _steady(tempo: float) -> Any:
    from zolvek.core.time.tempo import TempoMap, TempoPoint

    return TempoMap((TempoPoint(0.0, tempo),))


# --- randomness and the user ---


def _random_options(command: Any) -> Any:
    for option in reversed(
        (
            click.option("--kind", type=Names(random_kinds), default="steps", show_default=True, help="How it moves."),
            click.option(
                "--spread", type=Names(spreads), default="even", show_default=True, help="How its values spread."
            ),
            settings(RANDOM_SETTINGS),
            seed,
        )
    ):
        command = option(command)
    return command


def _random(values: dict[str, Any]) -> tuple[RandomMove, float]:
    """The movement that the options say, taken out of `values`, and its amount."""
    from zolvek.core.movement.settings_parser import random_of

    read = read_settings(RANDOM_SETTINGS, values)
    in_range("--depth", 100.0 * (read["amount"] or 0.0), 0.0, 100.0)
    kind, spread = values.pop("kind"), values.pop("spread")
    need_use("levels", spread == "levels", "It belongs to --spread levels.")
    return random_of(kind, read, spread, seed_of(values.pop("seed")))


@tool(
    "random",
    _random_options,
    click.option("--follow/--no-follow", default=True, help="Around the current curve, or around the middle."),
    TEMPO,
)
def curve_random(drawn: Any, follow: bool, tempo: float, **values: Any) -> Any:
    """Add random movement to a curve, within --depth of it."""
    from zolvek.core.curve.spans import splice
    from zolvek.core.movement.generators.randomness import randomised

    move, amount = _random(values)
    first, last = float(drawn.beat[0]), float(drawn.beat[-1])
    need_use("tempo", move.every.timed, NO_SECONDS)
    put = randomised(drawn, first, last, move, amount, _steady(tempo), follow)
    result = splice(drawn, first, put, last)
    say_at_limit(drawn, result)
    return result


@tool("humanise", settings(HAND_SETTINGS), seed)
def curve_humanise(drawn: Any, **values: Any) -> Any:
    """Humanise a curve: small, slow deviations, none at its ends."""
    from zolvek.core.curve.spans import splice
    from zolvek.core.movement.generators.randomness import humanised

    strength = read_settings(HAND_SETTINGS, values)["strength"] or 0.0
    in_range("--strength", 100.0 * strength, 0.0, 100.0)
    first, last = float(drawn.beat[0]), float(drawn.beat[-1])
    put = humanised(drawn, first, last, strength, seed_of(values["seed"]))
    result = splice(drawn, first, put, last)
    say_at_limit(drawn, result)
    return result


@tool(
    "jitter",
    settings(JITTER_SETTINGS),
    click.option("--step", type=float, help="Beats; times move by multiples of this step."),
    seed,
    TEMPO,
)
def curve_jitter(drawn: Any, step: float | None, tempo: float, **values: Any) -> Any:
    """Jitter the points of a curve, never past a neighbour."""
    import numpy as np

    from zolvek.core.movement.generators.randomness import jittered

    read = read_settings(JITTER_SETTINGS, values)
    value, seconds = read["value"] or 0.0, read["time"] or 0.0
    in_range("--value", 100.0 * value, 0.0, 100.0)
    in_range("--time", seconds, 0.0, 60.0)
    in_range("--step", 1.0 if step is None else step, 1e-6, 1e6)
    beats = seconds * float(_steady(tempo).bpm(0.0)) / 60.0
    result = jittered(drawn, np.arange(len(drawn)), value, beats, seed_of(values["seed"]), step)
    say_at_limit(drawn, result)
    return result


# --- LFOs ---


def _lfo_options(amount: str, **without: None) -> Any:
    def declare(command: Any) -> Any:
        for option in reversed((
            click.option("--wave", "--shape", "shape", type=Names(waves), required=True, help="One cycle of it."),
            PERIOD,
            settings(LFO_SETTINGS, rate=None, phase=None, amount=amount, **without),
            click.option(
                "--phase", default=0.0, show_default=True, help="Cycles; a sine is at its centre, rising, at 0."
            ),
            click.option("--pattern", metavar="NAME|FILE", help="A stored pattern: one cycle of the wave `pattern`."),
            click.option("--rate-path", "--rate-way", "rate_way", metavar="NAME|FILE",
                help="A stored pattern: the path of the rate sweep."),
            click.option("--linear-sweep", "--equal-steps", "equal_steps", is_flag=True,
                help="Linear rate sweep in Hz instead of exponential."),
            click.option("--invert", is_flag=True, help="Inverts the wave."),
            seed,
        )):  # fmt: skip
            command = option(command)
        return command

    return declare


def _pattern(option: str, name: str | None) -> Pattern | None:
    """The pattern kept under a name, or in a file."""
    from pathlib import Path

    from zolvek.formats import pattern_library

    if not name:
        return None
    path = Path(name) if Path(name).is_file() else pattern_library.path_of(name)
    if not path.is_file():
        kept = ", ".join(f"“{each.name}”" for each in pattern_library.load_all()[0])
        raise ZolvekError(f"There is no pattern “{name}”.", option, f"Stored patterns: {kept or 'none'}.")
    return pattern_library.load(path)


def _lfo(values: dict[str, Any]) -> Lfo:
    """The LFO that the options say, taken out of `values`."""
    from zolvek.core.movement.generators.waves import WAVES
    from zolvek.core.movement.settings_parser import EQUAL, EVEN, lfo_of
    from zolvek.core.time.rates import parse_rate

    shape, pattern = values.pop("shape"), _pattern("--pattern", values.pop("pattern"))
    need_use("width", shape == "pulse", "It is that of a pulse.")
    need_use("seed", WAVES[shape].random, "Only random waves have a seed.")
    if (shape == "pattern") != (pattern is not None):
        raise ZolvekError(
            "A pattern needs the wave `pattern`, and the wave a pattern.",
            "--pattern",
            "Give both, or neither.",
        )
    path, equal = _pattern("--rate-path", values.pop("rate_way")), values.pop("equal_steps")
    if path and (equal or not values.get("rate_end")):
        raise ZolvekError(
            "The path of a rate sweep needs an end.",
            "--rate-path",
            "Give --rate-end, without --linear-sweep.",
        )
    phase = values.pop("phase")  # in cycles here
    read = read_settings(LFO_SETTINGS, values)
    if read["skew"] and WAVES[shape].unskewed:
        raise ZolvekError(WAVES[shape].unskewed, "--skew", "Leave it out.")
    given = values.pop("seed")
    need_use("equal_steps", bool(read["rate_end"]), "It belongs to --rate-end.")
    result = lfo_of(
        shape,
        {**read, "rate": parse_rate(values.pop("period")), "phase": phase},
        EQUAL if equal else EVEN,
        path.curve.having(beat=path.curve.beat / path.length) if path else None,
        pattern=pattern,
        invert=values.pop("invert"),
        seed=seed_of(given) if WAVES[shape].random else given or 1,
    )
    timed = result.rate.timed or (result.rate_end is not None and result.rate_end.timed) or result.soften > 0.0
    if "tempo" in click.get_current_context().params:
        need_use("tempo", timed, NO_SECONDS)
    return result


@curve.command("lfo")
@_lfo_options("100 %")
@click.option("--from", "first", required=True, type=float, help="First beat.")
@click.option("--to", "last", required=True, type=float, help="Last beat.")
@TEMPO
@output_file("The CSV file to write.", ".csv")
def curve_lfo(first: float, last: float, tempo: float, output: str, **values: Any) -> None:
    """Write an LFO as a curve."""
    from zolvek.core.movement.generators.lfo_points import as_curve, clips
    from zolvek.formats.tables import curve_csv

    for name, beat in (("--from", first), ("--to", last)):
        in_range(name, beat, 0.0, 1e6)
    lfo = _lfo(values)
    if lfo.rate.fast:
        say("The rate is above a 1/128 note or 100 Hz.")
    if clips(lfo):
        say("The LFO is clipped at 0 or 100 %: lower its depth, or move its centre.")
    curve_csv.save(as_curve(lfo, first, last, _steady(tempo)), output)


# --- layers ---


@click.group()
def layer() -> None:
    """Add a movement to a lane as a layer, which `bake` writes into its points."""


def _put(
    project: str,
    lane: str,
    first: str | None,
    last: str | None,
    output: str,
    kind: str,
    amount: float,
    **movement: Any,
) -> None:
    from zolvek.core.edits.layers import free_layer_id, with_layer
    from zolvek.core.model.layer import LAYER_KINDS, Layer
    from zolvek.formats.project import project_file

    loaded = load(project)
    this_lane = loaded.lane(lane)
    low, high = span(loaded, first, last)
    result = Layer(
        free_layer_id(this_lane),
        kind,
        LAYER_KINDS[kind][0],
        low,
        None if last is None else high,
        amount,
        **movement,
    )
    project_file.save(with_layer(loaded, lane, result), output)
    say(f"{result.id}: {result.label}, {len(this_lane.layers) + 1} on {lane}.")


def _layer_options(command: Any) -> Any:
    for option in (
        OUTPUT,
        click.option("--to", "last", help="Position. Default: the end."),
        click.option("--from", "first", help="Position: bar.beat.tick or m:ss.mmm. Default: the start."),
        LANE,
        input_file("project", ".zolvek"),
    ):
        command = option(command)
    return command


@layer.command("lfo")
@_layer_options
@_lfo_options("60 %", centre=None)
def layer_lfo(project: str, lane: str, first: str | None, last: str | None, output: str, **values: Any) -> None:
    """Add an LFO as a layer."""
    from zolvek.core.records import replace

    result = _lfo(values)
    amount = result.amount * (-1.0 if result.invert else 1.0)
    plain = replace(result, amount=1.0, centre=0.5, invert=False)
    _put(project, lane, first, last, output, "lfo", amount, lfo=plain)


@layer.command("random")
@_layer_options
@_random_options
def layer_random(project: str, lane: str, first: str | None, last: str | None, output: str, **values: Any) -> None:
    """Add random movement as a layer."""
    move, amount = _random(values)
    _put(project, lane, first, last, output, "random", amount, random=move)


COMMANDS = (layer,)
