# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands that bring things in and out: sound, MIDI, control signals, tables, pictures."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

import click

from zolvek.cli.choices import cell_contents, depths, rates, splits, swings, time_bases
from zolvek.cli.command_common import LANE_ID, Names, in_range, load, need_use, number, print_json, say, span
from zolvek.cli.standard_streams import input_file, need_name, output_file
from zolvek.core.errors import ZolvekError

if TYPE_CHECKING:
    from collections.abc import Iterator

    from zolvek.core.movement.evaluation.quantised_steps import Resolution

PROJECT = input_file("project", ".zolvek")


FROM = click.option("--from", "first", help="Position: bar.beat.tick or m:ss.mmm. Default: the start.")
TO = click.option("--to", "last", help="Position. Default: the end of the project.")
RATE = click.option(
    "--rate",
    default="48000",
    show_default=True,
    type=Names(rates),
    help="Sample rate in Hz.",
)
COMMANDS: list[click.Command] = []


def _command(name: str, *options: Any) -> Callable[[Callable[..., None]], click.Command]:
    """Declare a command with its options, in the order they are shown."""

    def declare(work: Callable[..., None]) -> click.Command:
        for option in reversed(options):
            work = option(work)
        result = click.command(name)(work)
        COMMANDS.append(result)
        return result

    return declare


@contextmanager
def _bar() -> Iterator[Callable[[int, int], None]]:
    silent = not sys.stderr.isatty()
    with click.progressbar(length=1_000, file=sys.stderr, hidden=silent) as bar:

        def progress(done: int, total: int) -> None:
            bar.update(1_000 * done // max(total, 1) - bar.pos)

        yield progress


@_command(
    "render",
    PROJECT,
    output_file("The WAV or FLAC file to write.", ".wav"),
    FROM,
    TO,
    click.option("--bypass", is_flag=True, help="Without the automation."),
    RATE,
    click.option("--bits", type=Names(depths), default="24", show_default=True, help="Bits of a sample."),
    click.option("--tracks", is_flag=True, help="A file for each track instead of the mix."),
    click.option("--tail", is_flag=True, help="Keep the sound that dies away after the end."),
    click.option("--allow-missing", is_flag=True, help="Render even if audio files or plugins can't be played."),
    click.option(
        "--headroom", type=float, help="Decibels between the true peak and full scale; lowers the level if needed."
    ),
)
def render(
    project: str,
    output: str,
    first: str | None,
    last: str | None,
    bypass: bool,
    rate: str,
    bits: str,
    tracks: bool,
    tail: bool,
    allow_missing: bool,
    headroom: float | None,
) -> None:
    """Render the mix, or each track, to an audio file."""
    from zolvek.formats.audio.sound_writer import SoundFormat
    from zolvek.formats.project.own_files import need_other
    from zolvek.sound.jobs.mix_export import export_in_process, files_of

    if tracks:
        need_name(output, "--tracks")
    if headroom is not None:
        in_range("--headroom", headroom, 0.0, 60.0)
    loaded, sound_format = load(project), SoundFormat(int(rate), bits)
    need_other(files_of(loaded, output, tracks), loaded, project)
    part = span(loaded, first, last)
    with _bar() as progress:
        done = export_in_process(loaded, output, sound_format, part, bypass, tail, tracks, progress, allow_missing)
    if headroom is not None and done.true_peak > -headroom:
        lower = done.true_peak + headroom
        with _bar() as progress:
            done = export_in_process(
                loaded, output, sound_format, part, bypass, tail, tracks, progress, allow_missing, lower
            )
        say(f"Lowered by {lower:.1f} dB.")
    for line in done.words:
        say(line)
    if done.cut:
        say("Use --headroom 1, or --bits float.")


RESOLUTION = (
    click.option("--ticks", default=1, show_default=True, help="Minimum interval between changes in ticks (960 per "
                                                               "quarter note)."),
    number("--ms", 0.0, "Minimum interval between changes in milliseconds."),
    number("--tolerance", 0.0, "Tolerance beyond half a step, in percent of full height."),
)  # fmt: skip


EXACT_TIME = click.option(
    "--exact-time",
    is_flag=True,
    help="Adds tempo events that keep the file within 0.1 ms of the project's time.",
)


def _resolution(ticks: int, ms: float, tolerance: float) -> Resolution:
    from zolvek.core.movement.evaluation.quantised_steps import Resolution

    return Resolution(ticks, ms, tolerance / 100.0)


@_command(
    "export",
    PROJECT,
    output_file("The MIDI file to write.", ".mid", "--midi", "midi"),
    *RESOLUTION,
    click.option(
        "--split",
        type=Names(splits),
        default="one",
        show_default=True,
        help="One file in all, one per track, or one per lane.",
    ),
    EXACT_TIME,
)
def export(project: str, midi: str, ticks: int, ms: float, tolerance: float, split: str, exact_time: bool) -> None:
    """Export every lane as MIDI messages of its type."""
    from zolvek.formats.midi import file_out as midi_out
    from zolvek.formats.project.own_files import need_other

    if split != "one":
        need_name(midi, "--split")
    loaded = load(project)
    need_other(midi_out.files_of(loaded, midi, split), loaded, project)
    midi_out.save(loaded, midi, _resolution(ticks, ms, tolerance), split, exact_time=exact_time)


@_command("report", PROJECT, *RESOLUTION, EXACT_TIME)
def report(project: str, ticks: int, ms: float, tolerance: float, exact_time: bool) -> None:
    """Print a report on the MIDI export as JSON, with advice."""
    from zolvek.formats.midi.report import report as made

    close = _resolution(ticks, ms, tolerance)
    print_json(made(load(project), close, exact_time=exact_time))


@_command(
    "import",
    input_file("midi", ".mid"),
    output_file("The project file to write.", ".zolvek"),
    number("--tolerance", 0.2, "Tolerance for joining steps into curves, in percent of full height."),
    click.option("--hold", is_flag=True, help="Hold every step instead."),
)
def import_(midi: str, output: str, tolerance: float, hold: bool) -> None:
    """Import a MIDI file as a project: controllers as lanes, notes, tempo and meter."""
    from zolvek.core.edits.edit_scope import counted
    from zolvek.core.model.project import Project
    from zolvek.formats.midi import file_in as midi_in
    from zolvek.formats.project import project_file
    from zolvek.formats.project.own_files import need_other

    need_use("--tolerance", not hold, "Nothing is joined with --hold.")
    in_range("--tolerance", tolerance, 0.001, 50.0)
    score = midi_in.load(midi)
    need_other([output], Project(), midi)
    project = midi_in.as_project(score, None if hold else tolerance / 100.0)
    project_file.save(project, output)
    notes = sum(len(part.notes) for part in score.parts)
    say(f"{counted(score.lanes, 'lane')}, {counted(notes, 'note')}; left out: {score.left_out_text or 'nothing'}.")


SWING = click.option(
    "--swing",
    type=Names(swings),
    default="both",
    show_default=True,
    help="Range of the height: both (−1 to 1) or up (0 to 1).",
)


@_command(
    "control",
    PROJECT,
    click.option("--lane", required=True, type=LANE_ID, help="Lane id; `zolvek lanes` lists them."),
    output_file("The WAV file to write.", ".wav"),
    FROM,
    TO,
    SWING,
    RATE,
    click.option(
        "--bits", type=click.Choice(("24", "float")), default="float", show_default=True, help="Bits of a sample."
    ),
)
def control(
    project: str, lane: str, output: str, first: str | None, last: str | None, swing: str, rate: str, bits: str
) -> None:
    """Export a lane as a control signal, sample by sample."""
    from zolvek.formats.audio.sound_writer import SoundFormat
    from zolvek.formats.project.own_files import need_other
    from zolvek.sound.jobs.control_export import save_control

    loaded = load(project)
    need_other([output], loaded, project)
    save_control(loaded, lane, output, SoundFormat(int(rate), bits), swing, span(loaded, first, last))


@_command(
    "from-sound",
    input_file("sound", ".wav"),
    output_file("The CSV file to write.", ".csv"),
    SWING,
    click.option(
        "--follow", is_flag=True, help="Follow the level of the sound instead of reading it as a control signal."
    ),
    number("--attack", 10.0, "Attack of the level follower in milliseconds."),
    number("--release", 200.0, "Release of the level follower in milliseconds."),
    number("--tolerance", 0.2, "Thinning tolerance in percent of full height."),
    click.option("--tempo", default=120.0, show_default=True, help="Tempo in BPM, for beats."),
)
def from_sound(
    sound: str, output: str, swing: str, follow: bool, attack: float, release: float, tolerance: float, tempo: float
) -> None:
    """Make a curve from an audio file: a control signal, or its level."""
    from zolvek.core.model.project import Project
    from zolvek.core.time.tempo import TempoMap, TempoPoint
    from zolvek.formats.audio import curve_import
    from zolvek.formats.project.own_files import need_other
    from zolvek.formats.tables import curve_csv

    in_range("--tolerance", tolerance, 0.0001, 50.0)
    need_use("--swing", not follow, "A level has no range below 0: leave it out with --follow.")
    for option in ("--attack", "--release"):
        need_use(option, follow, "It belongs to --follow.")
    need_other([output], Project(), sound)
    samples, rate = curve_import.read(sound)
    steady, within = TempoMap((TempoPoint(0.0, tempo),)), tolerance / 100.0
    if follow:
        result = curve_import.followed(samples, rate, steady, 0.0, attack / 1e3, release / 1e3, within)
    else:
        result = curve_import.as_control(samples, rate, steady, 0.0, within, swing)
    curve_csv.save(result, output)


LANES = click.option("--lane", "lanes", multiple=True, type=LANE_ID, help="Lane id; may be repeated. Default: all.")


@_command(
    "table",
    PROJECT,
    output_file("The CSV file to write.", ".csv"),
    LANES,
    click.option("--step", required=True, type=float, help="Beats or seconds between rows."),
    click.option(
        "--time-base",
        "--clock",
        "unit",
        type=Names(time_bases),
        default="beats",
        show_default=True,
        help="What a step is counted in.",
    ),
    click.option("--cells", type=Names(cell_contents), default="value", show_default=True, help="What cells hold."),
    FROM,
    TO,
)
def table(
    project: str,
    output: str,
    lanes: tuple[str, ...],
    step: float,
    unit: str,
    cells: str,
    first: str | None,
    last: str | None,
) -> None:
    """Export lanes side by side on a common time base as CSV."""
    from zolvek.formats.project.own_files import need_other
    from zolvek.formats.tables import lane_table

    loaded = load(project)
    need_other([output], loaded, project)
    wanted = list(lanes) or [lane.id for lane in loaded.lanes()]
    text = lane_table.to_text(loaded, wanted, step, unit, cells, span(loaded, first, last))
    lane_table.save(output, text)


@_command("picture", PROJECT, output_file("The SVG or PNG file to write.", ".svg"), LANES, FROM, TO)
def picture(project: str, output: str, lanes: tuple[str, ...], first: str | None, last: str | None) -> None:
    """Export lanes as a picture."""
    from zolvek.formats import picture as pictures
    from zolvek.formats.project.own_files import need_other

    loaded = load(project)
    need_other([output], loaded, project)
    wanted, part = list(lanes) or [lane.id for lane in loaded.lanes()], span(loaded, first, last)
    if output.lower().endswith(".png"):
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        from zolvek.studio.app.application import application
        from zolvek.studio.toolkit.svg_to_png import save

        app = application()  # held while it draws
        save(pictures.svg(loaded, wanted, part), output)
        del app
    elif output.lower().endswith(".svg"):
        pictures.save(loaded, wanted, output, part)
    else:
        raise ZolvekError("A picture is SVG or PNG.", output, "End it in .svg or .png.")


@_command("schema")
def schema() -> None:
    """Print the JSON Schema of the project file."""
    import json

    from zolvek.formats.project.schema import schema as made

    click.echo(json.dumps(made(), indent=1))


@_command(
    "install-desktop",
    click.option("--folder", type=click.Path(), help="Data folder to install to. Default: the user's."),
    click.option("--remove", is_flag=True, help="Remove all of it."),
)
def install_desktop(folder: str | None, remove: bool) -> None:
    """Install a desktop entry with icon and file type, completion for bash, zsh and fish, and a manual page."""
    from zolvek.cli import desktop_entry

    commands = click.get_current_context().find_root().command
    assert isinstance(commands, click.Group)
    for path in desktop_entry.remove(folder) if remove else desktop_entry.install(folder, commands):
        click.echo(str(path))
