"""The `zolvek` command: a thin layer over core, formats and sound.

Nothing slow is imported before a command needs it. Argument errors and bad files exit with
status 2 and one line.
"""

from __future__ import annotations

import csv
import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from zolvek import __version__
from zolvek.core.errors import ZolvekError

if TYPE_CHECKING:
    from zolvek.core.project import Project

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
@click.argument("file", type=click.Path())
def open_(file: str) -> None:
    """Open a project in the window."""
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

    loaded = _load(project)
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
    loaded = _load(project)
    found, parameter = loaded.lane(lane), loaded.parameter_of(lane)
    beats = _steps(*_span(loaded, first, last), step)
    position = found.at(beats)
    columns = (beats, loaded.tempo.seconds(beats), position, parameter.value(position))
    rows = zip(*(column.tolist() for column in columns), strict=True)
    _print_csv(
        ("beat", "seconds", "position", "value", "text"),
        ((*row, parameter.text(row[2])) for row in rows),
    )


@zolvek.command()
@click.argument("project", type=click.Path())
@click.option("-o", "--output", required=True, type=click.Path(), help="The WAV file to write.")
@click.option("--from", "first", help="Position: bar.beat.tick or m:ss.mmm. Default: the start.")
@click.option("--to", "last", help="Position. Default: the end of the project.")
@click.option("--bypass", is_flag=True, help="Leave the automation out.")
def render(project: str, output: str, first: str | None, last: str | None, bypass: bool) -> None:
    """Render the mix to a 24-bit stereo WAV at 48 kHz."""
    from tqdm import tqdm

    from zolvek.formats import wav_out
    from zolvek.sound.renderer import RATE, render_blocks

    loaded = _load(project)
    span = _span(loaded, first, last)
    with tqdm(total=1, disable=None, bar_format="{percentage:3.0f} % {bar} {remaining}") as bar:

        def progress(done: int, total: int) -> None:
            bar.total = total
            bar.update(done - bar.n)

        blocks = render_blocks(loaded, *span, rate=RATE, bypass=bypass, progress=progress)
        wav_out.save(blocks, RATE, output)


@zolvek.command()
@click.argument("project", type=click.Path())
@click.option("--midi", required=True, type=click.Path(), help="The MIDI file to write.")
def export(project: str, midi: str) -> None:
    """Write every lane as a stream of 7-bit controller messages."""
    from zolvek.formats import midi_out

    midi_out.save(_load(project), midi)


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


def _load(path: str) -> Project:
    from zolvek.formats import project_file

    return project_file.load(path)


def _span(project: Project, first: str | None, last: str | None) -> tuple[float, float]:
    low = project.meter.parse(first, project.tempo) if first is not None else 0.0
    high = project.meter.parse(last, project.tempo) if last is not None else project.length
    if high <= low:
        raise ZolvekError("The span is empty.", "--to", "Let it lie after --from.")
    return low, high


def _steps(first: float, last: float, step: float) -> Any:
    """Beats from first to last, both included when the step hits it."""
    import numpy as np

    for name, number in (("--from", first), ("--to", last), ("--step", step)):
        if not np.isfinite(number):
            raise ZolvekError(f"{number} is not a number of beats.", name)
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


def main() -> None:
    """Run the command line; every expected error is one line and status 2."""
    try:
        sys.exit(zolvek.main(standalone_mode=False) or 0)
    except click.ClickException as error:
        _fail(error.format_message().replace("\n", " "))
    except ZolvekError as error:
        _fail(str(error))
    except (click.Abort, KeyboardInterrupt):
        _fail("Stopped.", 130)
    except BrokenPipeError:
        # The reader has had enough; nothing more may be written, not even at exit.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        sys.exit(0)
    except MemoryError:
        _fail("There is not enough memory for that. Use a shorter span or a larger step.", 1)


def _fail(line: str, status: int = 2) -> None:
    print(f"zolvek: {line}", file=sys.stderr)
    sys.exit(status)


if __name__ == "__main__":
    main()
