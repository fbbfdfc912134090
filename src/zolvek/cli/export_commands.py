# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands that bring things in and out: sound, MIDI, control signals, tables, pictures."""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any

import click

from zolvek.cli.command_common import in_range, load, number, say, span
from zolvek.core.errors import ZolvekError

if TYPE_CHECKING:
    from collections.abc import Iterator

    from zolvek.core.movement.evaluation.quantised_steps import Resolution

PROJECT = click.argument("project", type=click.Path())
FROM = click.option("--from", "first", help="Position: bar.beat.tick or m:ss.mmm. Default: the start.")
TO = click.option("--to", "last", help="Position. Default: the end of the project.")
RATE = click.option(
    "--rate",
    default=48_000,
    show_default=True,
    type=int,
    help="Sample rate in Hz, 44100 to 192000.",
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


def _output(help_: str) -> Any:
    return click.option("-o", "--output", required=True, type=click.Path(), help=help_)


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
    _output("The WAV or FLAC file to write."),
    FROM,
    TO,
    click.option("--bypass", is_flag=True, help="Without the automation."),
    RATE,
    click.option("--bits", default="24", show_default=True, help="16, 24 or float."),
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
    rate: int,
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

    if headroom is not None:
        in_range("--headroom", headroom, 0.0, 60.0)
    loaded, sound_format = load(project), SoundFormat(rate, bits)
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
    click.option("--midi", required=True, type=click.Path(), help="The MIDI file to write."),
    *RESOLUTION,
    click.option("--split", default="one", show_default=True, help="One file in all, one per track, or one per lane."),
    EXACT_TIME,
)
def export(project: str, midi: str, ticks: int, ms: float, tolerance: float, split: str, exact_time: bool) -> None:
    """Export every lane as MIDI messages of its type."""
    from zolvek.formats.midi import file_out as midi_out
    from zolvek.formats.project.own_files import need_other

    loaded = load(project)
    need_other(midi_out.files_of(loaded, midi, split), loaded, project)
    midi_out.save(loaded, midi, _resolution(ticks, ms, tolerance), split, exact_time=exact_time)


@_command("report", PROJECT, *RESOLUTION, EXACT_TIME)
def report(project: str, ticks: int, ms: float, tolerance: float, exact_time: bool) -> None:
    """Print a report on the MIDI export as JSON, with advice."""
    import msgspec

    from zolvek.formats.midi.report import report as made

    close = _resolution(ticks, ms, tolerance)
    result = made(load(project), close, exact_time=exact_time)
    click.echo(msgspec.json.format(msgspec.json.encode(result), indent=1).decode())


@_command(
    "import",
    click.argument("midi", type=click.Path()),
    _output("The project file to write."),
    number("--tolerance", 0.2, "Tolerance for joining steps into curves, in percent of full height."),
    click.option("--hold", is_flag=True, help="Hold every step instead."),
)
def import_(midi: str, output: str, tolerance: float, hold: bool) -> None:
    """Import a MIDI file as a project: controllers as lanes, notes, tempo and meter."""
    from zolvek.core.model.project import Project
    from zolvek.formats.midi import file_in as midi_in
    from zolvek.formats.project import project_file
    from zolvek.formats.project.own_files import need_other

    in_range("--tolerance", tolerance, 0.001, 50.0)
    score = midi_in.load(midi)
    need_other([output], Project(), midi)
    project = midi_in.as_project(score, None if hold else tolerance / 100.0)
    project_file.save(project, output)
    notes = sum(len(part.notes) for part in score.parts)
    say(f"{score.lanes} lanes, {notes} notes; left out: {score.left_out_text or 'nothing'}.")


SWING = click.option(
    "--swing", default="both", show_default=True, help="Range of the height: both (−1 to 1) or up (0 to 1)."
)


@_command(
    "control",
    PROJECT,
    click.option("--lane", required=True, help="Lane id; `zolvek lanes` lists them."),
    _output("The WAV file to write."),
    FROM,
    TO,
    SWING,
    RATE,
    click.option("--bits", default="float", show_default=True, help="24 or float."),
)
def control(
    project: str, lane: str, output: str, first: str | None, last: str | None, swing: str, rate: int, bits: str
) -> None:
    """Export a lane as a control signal, sample by sample."""
    from zolvek.formats.audio.sound_writer import SoundFormat
    from zolvek.formats.project.own_files import need_other
    from zolvek.sound.jobs.control_export import save_control

    loaded = load(project)
    need_other([output], loaded, project)
    save_control(loaded, lane, output, SoundFormat(rate, bits), swing, span(loaded, first, last))


@_command(
    "from-sound",
    click.argument("sound", type=click.Path()),
    _output("The CSV file to write."),
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
    need_other([output], Project(), sound)
    samples, rate = curve_import.read(sound)
    steady, within = TempoMap((TempoPoint(0.0, tempo),)), tolerance / 100.0
    if follow:
        result = curve_import.followed(samples, rate, steady, 0.0, attack / 1e3, release / 1e3, within)
    else:
        result = curve_import.as_control(samples, rate, steady, 0.0, within, swing)
    curve_csv.save(result, output)


LANES = click.option("--lane", "lanes", multiple=True, help="Lane id; may be repeated. Default: all.")


@_command(
    "table",
    PROJECT,
    _output("The CSV file to write."),
    LANES,
    click.option("--step", required=True, type=float, help="Beats or seconds between rows."),
    click.option("--clock", "unit", default="beats", show_default=True, help="beats or seconds."),
    click.option("--cells", default="value", show_default=True, help="position, value or text."),
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


@_command("picture", PROJECT, _output("The SVG or PNG file to write."), LANES, FROM, TO)
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
