# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands that work on a curve in a CSV file."""

from __future__ import annotations

from typing import Any

import click

from zolvek.cli.choices import stamps
from zolvek.cli.command_common import Names, in_range, need_use, number, print_csv, say, steps
from zolvek.cli.standard_streams import input_file, output_file
from zolvek.core.errors import ZolvekError

CLIPPED_LEAST = 1e-9  # of the height, from which on it is said


OUTPUT = output_file("The CSV file to write.", ".csv")


def say_clipped(values: Any) -> None:
    """Say how many of the values that points would have lie beyond the height, and how far."""
    import numpy as np

    from zolvek.core.edits.edit_scope import counted

    over = np.maximum(-values, values - 1.0)
    count, most = int((over > CLIPPED_LEAST).sum()), float(over.max(initial=0.0))
    if count:
        say(f"{counted(count, 'point')} clipped to 0 to 100 %, by up to {100.0 * most:.3g} %.")


def say_at_limit(drawn: Any, done: Any) -> None:
    """Say that a movement was clipped: it lies at a limit that the curve does not touch."""
    before, after = drawn.value, done.value
    for limit, name in ((0.0, "0 %"), (1.0, "100 %")):
        if (after == limit).any() and not (before == limit).any():
            say(f"The movement is clipped at {name}.")


@click.group()
def curve() -> None:
    """Work on a curve in a CSV file: beat,value,shape,amount, of which the last two may be left out."""


@curve.command("eval")
@input_file("file", ".csv")
@click.option("--step", required=True, type=float, help="Beats between rows.")
@click.option("--from", "first", type=float, help="First beat. Default: the first point's.")
@click.option("--to", "last", type=float, help="Last beat, included. Default: the last point's.")
def curve_eval(file: str, step: float, first: float | None, last: float | None) -> None:
    """Print a curve's values as CSV: beat,value."""
    from zolvek.formats.tables import curve_csv

    loaded = curve_csv.load(file)
    low = float(loaded.beat[0]) if first is None else first
    high = float(loaded.beat[-1]) if last is None else last
    beats = steps(low, high, step)
    print_csv(("beat", "value"), zip(beats.tolist(), loaded.at(beats).tolist(), strict=True))


def tool(name: str, *options: Any) -> Any:
    """Declare a command that turns the curve in IN.csv into another: its function takes the
    curve and the options' values, and returns the new curve."""

    def declare(work: Any) -> Any:
        def run(file: str, output: str, **values: Any) -> None:
            from zolvek.formats.tables import curve_csv

            curve_csv.save(work(curve_csv.load(file), **values), output)

        command: Any = run
        for option in reversed(options):
            command = option(command)
        command = input_file("file", ".csv")(OUTPUT(command))
        return curve.command(name, help=work.__doc__)(command)

    return declare


@tool(
    "quantise",
    click.option(
        "--grid",
        required=True,
        help="1/1 to 1/128, with d (dotted) or t (triplet), or bars such as 2bars.",
    ),
    number("--strength", 100.0, "Percent of the distance to the line."),
    number("--swing", 0.0, "Percent of a step by which every second line is late, up to 75."),
    number("--offset", 0.0, "Beats after the line; negative for before."),
)
def curve_quantise(drawn: Any, grid: str, strength: float, swing: float, offset: float) -> Any:
    """Move the points of a curve onto a grid (4/4, from beat 0)."""
    from zolvek.core.curve.quantising import quantised
    from zolvek.core.edits.edit_scope import counted
    from zolvek.core.time.grid import parse_grid
    from zolvek.core.time.meter import MeterMap

    in_range("--strength", strength, 0.0, 100.0)
    in_range("--swing", swing, 0.0, 75.0)
    in_range("--offset", offset, -4.0, 4.0)
    chosen = parse_grid(grid, swing / 100.0, offset)
    done, left = quantised(drawn, chosen, MeterMap(), strength / 100.0)
    if len(left):
        say(f"{len(left)} of {counted(len(drawn), 'point')} could not be placed and did not move.")
    return done


@tool(
    "repeat",
    click.option(
        "--times",
        required=True,
        type=click.IntRange(1, 100_000),
        help="Number of repeats in total.",
    ),
    click.option("--every", type=float, help="Beats from one to the next. Default: the curve's own length."),
    number("--scale", 1.0, "Factor by which the distance from the first value grows with each repeat."),
    number("--tilt", 0.0, "Percent of full height that the level rises over each repeat."),
)
def curve_repeat(drawn: Any, times: int, every: float | None, scale: float, tilt: float) -> Any:
    """Repeat a curve."""
    from zolvek.core.curve.shaping import repeated, repeated_values

    first = drawn.beat[0]
    length = float(drawn.beat[-1] - first) if every is None else every
    in_range("--scale", scale, -10.0, 10.0)
    in_range("--tilt", tilt, -100.0, 100.0)
    result = _from_zero(drawn, lambda shifted: repeated(shifted, length, times, scale, tilt / 100.0))
    say_clipped(repeated_values(drawn.shifted(-float(first)), length, times, scale, tilt / 100.0))
    return result


@tool(
    "scale",
    click.option(
        "--factor",
        required=True,
        type=float,
        help="Factor for distances from the level.",
    ),
    number("--about", 0.0, "The level that does not change, in percent of full height."),
    click.option(
        "--time",
        "in_time",
        is_flag=True,
        help="Stretch time from the first point on instead of values.",
    ),
)
def curve_scale(drawn: Any, factor: float, about: float, in_time: bool) -> Any:
    """Scale a curve in value about a level, or in time."""
    from zolvek.core.curve.shaping import scaled, stretched

    in_range("--factor", factor, -1e6, 1e6)
    in_range("--about", about, 0.0, 100.0)
    need_use("--about", not in_time, "It is a level: leave it out with --time.")
    if in_time:
        return stretched(drawn, factor)
    say_clipped(about / 100.0 + (drawn.value - about / 100.0) * factor)
    return scaled(drawn, factor, about / 100.0)


@tool(
    "tilt",
    number("--left", 0.0, "Percent of full height that the first point is raised by."),
    number("--right", 0.0, "Percent of full height that the last point is raised by."),
)
def curve_tilt(drawn: Any, left: float, right: float) -> Any:
    """Offset the two ends of a curve, and what is between in proportion."""
    from zolvek.core.curve.shaping import tilted

    in_range("--left", left, -100.0, 100.0)
    in_range("--right", right, -100.0, 100.0)
    rise = (drawn.beat - drawn.beat[0]) / max(float(drawn.beat[-1] - drawn.beat[0]), CLIPPED_LEAST)
    say_clipped(drawn.value + (left + (right - left) * rise) / 100.0)
    return tilted(drawn, left / 100.0, right / 100.0)


@tool("mirror")
def curve_mirror(drawn: Any) -> Any:
    """Reverse a curve in time between its first and last beat."""
    from zolvek.core.curve.shaping import mirrored

    return mirrored(drawn)


@tool("invert", number("--about", 50.0, "The level that does not change, in percent of full height."))
def curve_invert(drawn: Any, about: float) -> Any:
    """Invert a curve about a level."""
    from zolvek.core.curve.shaping import inverted

    in_range("--about", about, 0.0, 100.0)
    say_clipped(2.0 * about / 100.0 - drawn.value)
    return inverted(drawn, about / 100.0)


@tool(
    "stamp",
    click.option(
        "--stamp",
        "--form",
        "stamp",
        type=Names(stamps),
        required=True,
        help="What to stamp.",
    ),
    click.option("--from", "first", required=True, type=float, help="First beat."),
    click.option("--to", "last", required=True, type=float, help="Last beat."),
    click.option(
        "--start",
        type=float,
        help="Start level in percent. Default: the current one.",
    ),
    click.option("--end", type=float, help="End level in percent. Default: the current one."),
    click.option(
        "--set",
        "sliders",
        multiple=True,
        metavar="NAME=VALUE",
        help="A setting of the stamp; may be repeated.",
    ),
)
def curve_stamp(
    drawn: Any,
    stamp: str,
    first: float,
    last: float,
    start: float | None,
    end: float | None,
    sliders: tuple[str, ...],
) -> Any:
    """Stamp a shape into a span of a curve."""
    from zolvek.core.curve.spans import splice
    from zolvek.core.curve.stamps import stamped

    in_range("--from", first, 0.0, 1e6)
    in_range("--to", last, 0.0, 1e6)
    levels = []
    for name, level, beat in (("--start", start, first), ("--end", end, last)):
        in_range(name, 0.0 if level is None else level, 0.0, 100.0)
        levels.append(float(drawn.at(beat)) if level is None else level / 100.0)
    values = {}
    for slider in sliders:
        name, _, text = slider.partition("=")
        try:
            values[name] = float(text)
        except ValueError:
            raise ZolvekError(f"“{slider}” is not NAME=VALUE.", "--set", "Such as --set count=8.") from None
    return splice(drawn, first, stamped(stamp, last - first, *levels, **values))


@tool(
    "smooth",
    click.option("--beats", required=True, type=float, help="Standard deviation of the low-pass in beats."),
)
def curve_smooth(drawn: Any, beats: float) -> Any:
    """Smooth a curve over time; its ends do not change."""
    from zolvek.core.curve.shaping import smoothed

    in_range("--beats", beats, 1e-6, 1e5)
    return smoothed(drawn, beats)


@curve.command("thin")
@input_file("file", ".csv")
@click.option("--tolerance", type=float, help="Tolerance in percent of full height.")
@click.option("--count", type=click.IntRange(2), help="Number of points to keep, with the smallest error.")
@click.option("--shapes", is_flag=True, help="Use bends, cosines and S-curves, not only lines.")
@OUTPUT
def curve_thin(file: str, tolerance: float | None, count: int | None, shapes: bool, output: str) -> None:
    """Thin a curve. Ends and jumps are kept; the tolerance holds at every instant."""
    from zolvek.core.curve.thinning import thinned, thinned_to
    from zolvek.core.edits.edit_scope import counted
    from zolvek.formats.tables import curve_csv

    if (tolerance is None) == (count is None):
        raise ZolvekError("Give either --tolerance or --count.", "curve thin")
    drawn = curve_csv.load(file)
    if count is not None:
        done = thinned_to(drawn, count, shapes)
    else:
        assert tolerance is not None
        in_range("--tolerance", tolerance, 0.0, 100.0)
        done = thinned(drawn, tolerance / 100.0, shapes)
    curve_csv.save(done.curve, output)
    say(
        f"{counted(done.before, 'point')} before, {done.after} after; "
        f"the largest error is {100 * done.error:.4f} % at beat {done.beat:.6g}."
    )


def _from_zero(drawn: Any, work: Any) -> Any:
    """`work` done to the curve moved to beat 0, and moved back."""
    first = float(drawn.beat[0])
    return work(drawn.shifted(-first)).shifted(first)
