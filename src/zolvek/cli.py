"""The `zolvek` command: a thin layer over core, formats and sound.

Nothing slow is imported before a command needs it. Argument errors and bad files exit with
status 2 and one line.
"""

from __future__ import annotations

import csv
import os
import signal
import sys
from pathlib import Path
from typing import Any

import click

from zolvek import __version__
from zolvek.cli_common import in_range, load, number, span
from zolvek.cli_deliver import COMMANDS
from zolvek.core.errors import Failure, ZolvekError

NO_DISPLAY = (
    "There is no display to open a window on; "
    "for a picture without one, run `./zolvek shots`, which writes docs/screenshots/*.png."
)
MOST_ROWS = 10_000_000  # of a table asked for: more is a slip in the step


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(__version__, prog_name="zolvek")
def zolvek() -> None:
    """Draw and shape automation curves, hear them, and deliver them as files."""


@zolvek.command()
@click.option("--write", "target", type=click.Path(), help="Write the demo project and stop.")
def demo(target: str | None) -> None:
    """Open the demo piece, "Night Regatta"."""
    if target is None:
        return _window(None)
    from zolvek.demo.night_regatta import build
    from zolvek.formats import project_file

    project_file.save(build(), target)


@zolvek.command("open")
@click.argument("file", type=click.Path(), required=False)
def open_(file: str | None) -> None:
    """Open a project in the window; without one, the demo piece."""
    if file is None:
        return _window(None)
    from zolvek.formats import project_file

    project_file.load(file)  # a broken file is said here, before a window comes up
    _window(Path(file))


def _window(path: Path | None) -> None:
    named = os.environ.get("QT_QPA_PLATFORM", "")
    if not (named or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        raise ZolvekError(NO_DISPLAY)
    from zolvek.studio.app import run

    sys.exit(run(path))


@zolvek.command()
@click.argument("project", type=click.Path())
def lanes(project: str) -> None:
    """Print the lanes as JSON: id, track, device, parameter, unit, reach, points."""
    import msgspec

    loaded = load(project)
    rows = [
        {
            "id": lane.id,
            "track": track.name,
            "device": track.device(lane.device).name,
            "parameter": track.device(lane.device).parameter(lane.parameter).name,
            "unit": track.device(lane.device).parameter(lane.parameter).unit,
            "reach": list(lane.reach),
            "points": len(lane.curve),
        }
        for track in loaded.tracks
        for lane in track.lanes
    ]
    click.echo(msgspec.json.format(msgspec.json.encode(rows), indent=1).decode())


@zolvek.command()
@click.argument("project", type=click.Path())
@click.option("--lane", required=True, help="Lane id; `zolvek lanes` lists them.")
@click.option("--step", required=True, type=float, help="Beats (quarter notes) between rows.")
@click.option("--from", "first", help="Position: bar.beat.tick or m:ss.mmm. Default: the start.")
@click.option("--to", "last", help="Position, included. Default: the end of the project.")
def sample(project: str, lane: str, step: float, first: str | None, last: str | None) -> None:
    """Print a lane's values as CSV: beat,seconds,position,value,text."""
    loaded = load(project)
    from zolvek.core.playing import played
    from zolvek.formats.names import cell

    found, parameter = played(loaded.lane(lane), loaded), loaded.parameter_of(lane)
    beats = _steps(*span(loaded, first, last), step)
    position = found.at(beats)
    columns = (beats, loaded.tempo.seconds(beats), position, parameter.value(position))
    rows = zip(*(column.tolist() for column in columns), strict=True)
    _print_csv(
        ("beat", "seconds", "position", "value", "text"),
        ((*row, cell(parameter.text(row[2]))) for row in rows),
    )


@zolvek.command()
@click.argument("kind", required=False)
def devices(kind: str | None) -> None:
    """Print the device descriptions that ship as JSON: all of them, or the one of KIND."""
    import msgspec

    from zolvek.core.catalogue import KINDS, plain

    if kind is not None and kind not in KINDS:
        raise ZolvekError(f"There is no device “{kind}”.", "KIND", f"There are {', '.join(KINDS)}.")
    rows: Any = plain(KINDS[kind]) if kind else [plain(row) for row in KINDS.values()]
    click.echo(msgspec.json.format(msgspec.json.encode(rows), indent=1).decode())


@zolvek.command()
@click.argument("project", type=click.Path())
def states(project: str) -> None:
    """Print the states as JSON: device, name, values (position 0 to 1 by parameter id)."""
    import msgspec

    rows = [
        {"device": part.device, "name": state.name, "values": part.values}
        for state in load(project).states
        for part in state.parts
    ]
    click.echo(msgspec.json.format(msgspec.json.encode(rows), indent=1).decode())


@zolvek.command()
@click.argument("project", type=click.Path())
@click.option("--device", required=True, help="Device id; `zolvek states` tells those with states.")
@click.option("--from", "start", required=True, help="State it goes from.")
@click.option("--to", "end", required=True, help="State it goes to.")
@click.option(
    "--span", "part", required=True, nargs=2, help="Two positions: bar.beat.tick or m:ss.mmm."
)
@click.option("--shape", default="line", show_default=True, help="Of every segment.")
@click.option("--amount", default=0.0, show_default=True, help="Of the shape.")
@click.option("-o", "--output", required=True, type=click.Path(), help="The project file to write.")
def morph(
    project: str, device: str, start: str, end: str, part: tuple[str, str], shape: str,
    amount: float, output: str,
) -> None:  # fmt: skip
    """Move every parameter of a device from one state to another over a span."""
    from zolvek.core.morph import Way
    from zolvek.core.morphing import chained
    from zolvek.core.states import state_of
    from zolvek.formats import project_file

    loaded = load(project)
    first, last = span(loaded, *part)
    loaded.device_track(device)
    stops = [(first, state_of(loaded, start).id), (last, state_of(loaded, end).id)]
    project_file.save(chained(loaded, device, stops, Way(shape, amount)), output)


@zolvek.group()
def curve() -> None:
    """Work on a curve in a CSV file: beat,value,shape,amount."""


@curve.command("eval")
@click.argument("file", type=click.Path())
@click.option("--step", required=True, type=float, help="Beats between rows.")
@click.option("--from", "first", type=float, help="First beat. Default: the first point's.")
@click.option("--to", "last", type=float, help="Last beat, included. Default: the last point's.")
def curve_eval(file: str, step: float, first: float | None, last: float | None) -> None:
    """Print a curve's values as CSV: beat,value."""
    from zolvek.formats import curve_csv

    loaded = curve_csv.load(file)
    low = float(loaded.beat[0]) if first is None else first
    high = float(loaded.beat[-1]) if last is None else last
    beats = _steps(low, high, step)
    _print_csv(("beat", "value"), zip(beats.tolist(), loaded.at(beats).tolist(), strict=True))


def _tool(name: str, *options: Any) -> Any:
    """Declare a command that turns the curve in IN.csv into another: its function takes the
    curve and the options' values, and returns the new curve."""

    def declare(work: Any) -> Any:
        def run(file: str, output: str, **values: Any) -> None:
            from zolvek.formats import curve_csv

            curve_csv.save(work(curve_csv.load(file), **values), output)

        command: Any = run
        for option in reversed(options):
            command = option(command)
        command = click.option(
            "-o", "--output", required=True, type=click.Path(), help="The CSV file to write."
        )(command)
        command = click.argument("file", type=click.Path())(command)
        return curve.command(name, help=work.__doc__)(command)

    return declare


@_tool(
    "quantise",
    click.option(
        "--grid",
        required=True,
        help="1/1 to 1/128, with d (dotted) or t (triplet), or bars such as 2bars.",
    ),
    number("--strength", 100.0, "Percent of the way to the line."),
    number("--swing", 0.0, "Percent of a step that every second line is late, up to 75."),
    number("--offset", 0.0, "Beats after the line, or before it when negative."),
)
def curve_quantise(drawn: Any, grid: str, strength: float, swing: float, offset: float) -> Any:
    """Pull the points of a curve to a grid (4/4, from beat 0)."""
    from zolvek.core.grid import parse_grid
    from zolvek.core.meter import MeterMap
    from zolvek.core.quantise import quantised

    in_range("--strength", strength, 0.0, 100.0)
    in_range("--swing", swing, 0.0, 75.0)
    in_range("--offset", offset, -4.0, 4.0)
    chosen = parse_grid(grid, swing / 100.0, offset)
    done, left = quantised(drawn, chosen, MeterMap(), strength / 100.0)
    if len(left):
        click.echo(f"{len(left)} of {len(drawn)} points could not be placed and stay.", err=True)
    return done


@_tool(
    "repeat",
    click.option(
        "--times", required=True, type=click.IntRange(1, 100_000), help="How often in all."
    ),
    click.option(
        "--every", type=float, help="Beats from one to the next. Default: the curve's own length."
    ),
    number(
        "--scale", 1.0, "Factor by which the distance from the first value grows with each repeat."
    ),
    number("--tilt", 0.0, "Percent of full height that the level rises over each repeat."),
)
def curve_repeat(drawn: Any, times: int, every: float | None, scale: float, tilt: float) -> Any:
    """Repeat a curve one after another."""
    from zolvek.core.shaping import repeated

    first = drawn.beat[0]
    length = float(drawn.beat[-1] - first) if every is None else every
    in_range("--scale", scale, -10.0, 10.0)
    in_range("--tilt", tilt, -100.0, 100.0)
    return _from_zero(drawn, lambda own: repeated(own, length, times, scale, tilt / 100.0))


@_tool(
    "scale",
    click.option(
        "--factor",
        required=True,
        type=float,
        help="What distances from the level are multiplied by.",
    ),
    number("--about", 0.0, "The level that stays, in percent of full height."),
    click.option(
        "--time",
        "in_time",
        is_flag=True,
        help="Stretch time from the first point on instead of values.",
    ),
)
def curve_scale(drawn: Any, factor: float, about: float, in_time: bool) -> Any:
    """Scale a curve in value about a level, or in time."""
    from zolvek.core.shaping import scaled, stretched

    in_range("--factor", factor, -1e6, 1e6)
    in_range("--about", about, 0.0, 100.0)
    return stretched(drawn, factor) if in_time else scaled(drawn, factor, about / 100.0)


@_tool(
    "tilt",
    number("--left", 0.0, "Percent of full height that the first point is raised by."),
    number("--right", 0.0, "Percent of full height that the last point is raised by."),
)
def curve_tilt(drawn: Any, left: float, right: float) -> Any:
    """Raise or lower the two ends of a curve, what lies between in proportion."""
    from zolvek.core.shaping import tilted

    in_range("--left", left, -100.0, 100.0)
    in_range("--right", right, -100.0, 100.0)
    return tilted(drawn, left / 100.0, right / 100.0)


@_tool("mirror")
def curve_mirror(drawn: Any) -> Any:
    """Turn a curve back to front in time, its first and last beat staying."""
    from zolvek.core.shaping import mirrored

    return mirrored(drawn)


@_tool("invert", number("--about", 50.0, "The level that stays, in percent of full height."))
def curve_invert(drawn: Any, about: float) -> Any:
    """Turn a curve upside down about a level."""
    from zolvek.core.shaping import inverted

    in_range("--about", about, 0.0, 100.0)
    return inverted(drawn, about / 100.0)


@_tool(
    "stamp",
    click.option(
        "--form", required=True, help="ramp, swell, dip, gate, staircase, build, drop or tremble."
    ),
    click.option("--from", "first", required=True, type=float, help="Beat at which it begins."),
    click.option("--to", "last", required=True, type=float, help="Beat at which it ends."),
    click.option(
        "--start",
        type=float,
        help="Level it begins at, in percent. Default: the one that is there.",
    ),
    click.option(
        "--end", type=float, help="Level it goes to, in percent. Default: the one that is there."
    ),
    click.option(
        "--set",
        "sliders",
        multiple=True,
        metavar="NAME=VALUE",
        help="A slider of the form; may be repeated.",
    ),
)
def curve_stamp(
    drawn: Any,
    form: str,
    first: float,
    last: float,
    start: float | None,
    end: float | None,
    sliders: tuple[str, ...],
) -> Any:
    """Put a ready form into a span of a curve."""
    from zolvek.core.forms import stamped
    from zolvek.core.spans import splice

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
            raise ZolvekError(
                f"“{slider}” is not NAME=VALUE.", "--set", "Such as --set count=8."
            ) from None
    return splice(drawn, first, stamped(form, last - first, *levels, **values))


@_tool(
    "smooth",
    click.option(
        "--beats", required=True, type=float, help="Standard deviation of the low-pass in beats."
    ),
)
def curve_smooth(drawn: Any, beats: float) -> Any:
    """Smooth a curve over time, its two ends staying."""
    from zolvek.core.shaping import smoothed

    in_range("--beats", beats, 1e-6, 1e5)
    return smoothed(drawn, beats)


@curve.command("thin")
@click.argument("file", type=click.Path())
@click.option("--tolerance", type=float, help="Percent of full height that it stays within.")
@click.option("--count", type=click.IntRange(2), help="Points to keep, at the least error.")
@click.option("--shapes", is_flag=True, help="With bends, cosines and S-curves, not lines only.")
@click.option("-o", "--output", required=True, type=click.Path(), help="The CSV file to write.")
def curve_thin(
    file: str, tolerance: float | None, count: int | None, shapes: bool, output: str
) -> None:
    """Thin a curve; ends and jumps stay, the bound holds at every instant."""
    from zolvek.core.thinning import thinned, thinned_to
    from zolvek.formats import curve_csv

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
    click.echo(
        f"{done.before} points before, {done.after} after; "
        f"the greatest error is {100 * done.error:.4f} % at beat {done.beat:.6g}."
    )


@_tool(
    "random",
    number("--amount", 10.0, "Percent of full height either way."),
    click.option("--every", default="1/8", show_default=True, help="How often: 1/8, 1/4t, 2bars, 0.5s, 3Hz."),
    click.option("--kind", default="steps", show_default=True, help="steps, smooth or walk."),
    number("--offset", 0.0, "Percent, −100 to 100, that the middle of the new values lies off."),
    click.option("--seed", required=True, type=click.IntRange(0), help="The same seed, the same curve."),
    click.option("--tempo", default=120.0, show_default=True, help="BPM, for rates in s or Hz."),
)  # fmt: skip
def curve_random(
    drawn: Any, amount: float, every: str, kind: str, offset: float, seed: int, tempo: float
) -> Any:
    """Add random movement to a curve, within --amount of what is there."""
    from zolvek.core.randomness import RandomMove, randomised
    from zolvek.core.rates import parse_rate
    from zolvek.core.spans import splice
    from zolvek.core.tempo import TempoMap, TempoPoint

    in_range("--amount", amount, 0.0, 100.0)
    in_range("--offset", offset, -100.0, 100.0)
    move = RandomMove(kind, parse_rate(every), offset / 100.0, seed=seed)
    first, last = float(drawn.beat[0]), float(drawn.beat[-1])
    steady = TempoMap((TempoPoint(0.0, tempo),))
    put = randomised(drawn, first, last, move, amount / 100.0, steady)
    return splice(drawn, first, put, last)


@curve.command("lfo")
@click.option(
    "--shape",
    required=True,
    help="sine, triangle, saw-up, saw-down, pulse, sample-hold or smooth-random.",
)
@click.option("--period", required=True, help="A cycle: 1/4, 1/8t, 2bars, 0.5s or 3Hz.")
@click.option("--from", "first", required=True, type=float, help="Beat at which it begins.")
@click.option("--to", "last", required=True, type=float, help="Beat at which it ends.")
@click.option("--tempo", default=120.0, show_default=True, help="BPM, for periods in s or Hz.")
@number("--amount", 100.0, "Percent of full height, from lowest to highest.")
@number("--centre", 50.0, "Percent of full height.")
@number("--phase", 0.0, "Cycles; a sine is at its centre, rising, at 0.")
@click.option("--invert", is_flag=True, help="Upside down.")
@number("--skew", 0.0, "Percent, −99 to 99, that the middle of the cycle is late.")
@number("--width", 50.0, "Percent of the cycle that a pulse is high.")
@click.option(
    "--seed", default=1, show_default=True, type=click.IntRange(0), help="Of the random shapes."
)
@click.option("-o", "--output", required=True, type=click.Path(), help="The CSV file to write.")
def curve_lfo(
    shape: str, period: str, first: float, last: float, tempo: float, amount: float, centre: float,
    phase: float, invert: bool, skew: float, width: float, seed: int, output: str,
) -> None:  # fmt: skip
    """Write an LFO as a curve: exact, a cosine at either edge left whole.

    The first or last point may so lie outside --from and --to; between them it is the LFO.
    """
    from zolvek.core.lfo import WAVES, Lfo, as_curve
    from zolvek.core.rates import parse_rate
    from zolvek.core.tempo import TempoMap, TempoPoint
    from zolvek.formats import curve_csv

    if shape not in WAVES or shape == "pattern":
        raise ZolvekError(
            f"There is no shape “{shape}”.",
            "--shape",
            f"There are {', '.join(k for k in WAVES if k != 'pattern')}.",
        )
    for name, beat in (("--from", first), ("--to", last)):
        in_range(name, beat, 0.0, 1e6)
    lfo = Lfo(
        shape, parse_rate(period), phase, amount / 100.0, centre / 100.0, invert, width / 100.0,
        skew / 100.0, seed=seed,
    )  # fmt: skip
    if lfo.rate.fast:
        click.echo("The rate is past a 1/128 note or 100 Hz.", err=True)
    steady = TempoMap((TempoPoint(0.0, tempo),))
    curve_csv.save(as_curve(lfo, first, last, steady, whole=True), output)


@zolvek.command()
@click.argument("project", type=click.Path())
@click.option("--lane", required=True, help="Lane id; `zolvek lanes` lists them.")
@number("--tolerance", 0.2, "Percent of full height that baking stays within.")
@click.option("-o", "--output", required=True, type=click.Path(), help="The project file to write.")
def bake(project: str, lane: str, tolerance: float, output: str) -> None:
    """Write all layers of a lane that are heard into its points."""
    from zolvek.core.layers import baked
    from zolvek.core.project import with_lane
    from zolvek.formats import project_file

    in_range("--tolerance", tolerance, 0.001, 50.0)
    loaded = load(project)
    own = loaded.lane(lane)
    done = baked(own, loaded.tempo, loaded.length, tolerance=tolerance / 100.0)
    project_file.save(with_lane(loaded, done), output)
    click.echo(f"{len(own.curve)} points before, {len(done.curve)} after.")


def _from_zero(drawn: Any, work: Any) -> Any:
    """`work` done to the curve moved to beat 0, and moved back."""
    from zolvek.core.edits import replace

    first = drawn.beat[0]
    done = work(replace(drawn, beat=drawn.beat - first))
    return replace(done, beat=done.beat + first)


def _steps(first: float, last: float, step: float) -> Any:
    """Beats from first to last, both included when the step hits it."""
    import numpy as np

    for name, beats in (("--from", first), ("--to", last), ("--step", step)):
        if not np.isfinite(beats):
            raise ZolvekError(f"{beats} is not a number of beats.", name)
    if step <= 0.0:
        raise ZolvekError(f"A step of {step:g} leads nowhere.", "--step", "Use one above 0.")
    if last < first:
        raise ZolvekError("The span ends before it begins.", "--to", "Let it lie after --from.")
    count = (last - first) / step
    if count > MOST_ROWS:
        raise ZolvekError(f"That makes more than {MOST_ROWS} rows.", "--step", "Use a larger one.")
    return first + np.arange(int(count + 1e-9) + 1) * step


def _print_csv(header: tuple[str, ...], rows: Any) -> None:
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow(header)
    writer.writerows(rows)


for command in COMMANDS:
    zolvek.add_command(command)


def main() -> None:
    """Run the command line; every expected error is one line and status 2, or 1 for what could not be
    done."""
    for each in (signal.SIGTERM, signal.SIGHUP):
        signal.signal(each, _ended)
    try:
        status = zolvek.main(standalone_mode=False) or 0
        sys.stdout.flush()
        sys.exit(status)
    except click.ClickException as error:
        _fail(error.format_message().replace("\n", " "))
    except ZolvekError as error:
        _fail(str(error), 1 if isinstance(error, Failure) else 2)
    except (click.Abort, KeyboardInterrupt):
        _fail("Stopped.", 130)
    except BrokenPipeError:
        _silence()
        sys.exit(0)
    except OSError as error:
        _silence()
        _fail(f"The output can't be written: {error.strerror or error}.", 1)
    except MemoryError:
        _fail("There is not enough memory for that. Use a shorter span or a larger step.", 1)
    except ImportError as error:
        library = str(error).split(":")[0]
        if "cannot open shared object file" not in str(error):
            raise
        _fail(
            f"The system library {library} is missing. Start through the checkout's `./zolvek`, which "
            "names the package that brings it.",
            1,
        )


def _ended(number: int, _: object) -> None:
    """Ended from outside: what is half written goes."""
    raise SystemExit(128 + number)


def _silence() -> None:
    """The reader has gone, or the disk is full: nothing more may be written, not even at exit."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _fail(line: str, status: int = 2) -> None:
    print(f"zolvek: {line}", file=sys.stderr)
    sys.exit(status)


if __name__ == "__main__":
    main()
