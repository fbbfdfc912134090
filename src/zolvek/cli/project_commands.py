# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands that read a project, or write it changed."""

from __future__ import annotations

from typing import Any

import click

from zolvek.cli.command_common import (
    in_range,
    load,
    load_with_folder,
    number,
    print_csv,
    say,
    span,
    steps,
)
from zolvek.core.errors import ZolvekError


@click.command()
@click.argument("files", nargs=-1, type=click.Path())
@click.option("--tempo", type=float, help="BPM. Default: that of the first MIDI file, else 120.")
@click.option("--meter", help="Such as 4/4. Default: that of the first MIDI file, else 4/4.")
@click.option("-o", "--output", required=True, type=click.Path(), help="The project file to write.")
def new(files: tuple[str, ...], tempo: float | None, meter: str | None, output: str) -> None:
    """Make a project: empty, or with a track for each of the FILES (audio, MIDI, devices)."""
    from zolvek.core.edits import new_project
    from zolvek.core.edits.edit_scope import counted
    from zolvek.formats import track_import
    from zolvek.formats.project import project_file

    own_time = tempo is not None or meter is not None
    if files or own_time:
        start = new_project.timed(
            new_project.TEMPO if tempo is None else tempo,
            meter or "4/4",
            1 if files else new_project.BARS,
        )
        brought = track_import.read(files)
        project = track_import.with_files(start, brought, not own_time)
        if track_import.left_out(brought):
            say(f"Left out: {track_import.left_out(brought)}.")
    else:
        project = new_project.fresh()
    project_file.save(project, output)
    bars = project.meter.bar_at(project.length - 1e-6)
    say(f"{counted(len(project.tracks), 'track')}, {counted(bars, 'bar')}.")


@click.command()
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
            "device_id": lane.device,
            "parameter": track.device(lane.device).parameter(lane.parameter).name,
            "unit": track.device(lane.device).parameter(lane.parameter).unit,
            "reach": list(lane.reach),
            "points": len(lane.curve),
        }
        for track in loaded.tracks
        for lane in track.lanes
    ]
    click.echo(msgspec.json.format(msgspec.json.encode(rows), indent=1).decode())


@click.command()
@click.argument("project", type=click.Path())
@click.option("--lane", required=True, help="Lane id; `zolvek lanes` lists them.")
@click.option("--step", required=True, type=float, help="Beats (quarter notes) between rows.")
@click.option("--from", "first", help="Position: bar.beat.tick or m:ss.mmm. Default: the start.")
@click.option("--to", "last", help="Position, included. Default: the end of the project.")
def sample(project: str, lane: str, step: float, first: str | None, last: str | None) -> None:
    """Print a lane's values as CSV: beat,seconds,position,value,text."""
    loaded = load(project)
    from zolvek.core.movement.evaluation.lane_evaluation import played
    from zolvek.storage.file_names import cell

    result, parameter = played(loaded.lane(lane), loaded), loaded.parameter_of(lane)
    beats = steps(*span(loaded, first, last), step)
    position = result.at(beats)
    columns = (beats, loaded.tempo.seconds(beats), position, parameter.value(position))
    rows = zip(*(column.tolist() for column in columns), strict=True)
    print_csv(
        ("beat", "seconds", "position", "value", "text"),
        ((*row, cell(parameter.text(row[2]))) for row in rows),
    )


@click.command()
@click.argument("kind", required=False)
@click.option("--plugin", help="Id of an installed plugin, to print its description.")
def devices(kind: str | None, plugin: str | None) -> None:
    """Print the device descriptions that ship as JSON: all of them, or the one of KIND."""
    import msgspec

    from zolvek.core.model.catalogue import DEVICE_KINDS
    from zolvek.formats.device_file import plain

    if plugin is not None:
        from zolvek.sound.hosting.catalogue.installed import found
        from zolvek.sound.jobs.plugin_description import describe_in_process

        plugin_kind = found(plugin)
        row = plain(describe_in_process(plugin_kind.id))
        click.echo(msgspec.json.format(msgspec.json.encode(row), indent=1).decode())
        return
    if kind is not None and kind not in DEVICE_KINDS:
        raise ZolvekError(f"There is no device “{kind}”.", "KIND", f"Choose one of {', '.join(DEVICE_KINDS)}.")
    rows: Any = plain(DEVICE_KINDS[kind]) if kind else [plain(row) for row in DEVICE_KINDS.values()]
    click.echo(msgspec.json.format(msgspec.json.encode(rows), indent=1).decode())


@click.command()
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


@click.command()
@click.argument("project", type=click.Path())
@click.option("--device", required=True, help="Device id; `zolvek states` lists those with states.")
@click.option("--from", "start", required=True, help="Start state.")
@click.option("--to", "end", required=True, help="End state.")
@click.option("--span", "part", required=True, nargs=2, help="Two positions: bar.beat.tick or m:ss.mmm.")
@click.option("--shape", default="line", show_default=True, help="Of every segment.")
@click.option("--amount", default=0.0, show_default=True, help="Of the shape.")
@click.option("-o", "--output", required=True, type=click.Path(), help="The project file to write.")
def morph(
    project: str,
    device: str,
    start: str,
    end: str,
    part: tuple[str, str],
    shape: str,
    amount: float,
    output: str,
) -> None:
    """Move every parameter of a device from one state to another over a span."""
    from zolvek.core.edits.states import state_of
    from zolvek.core.model.morph import Course
    from zolvek.core.movement.morphing.morphs import chained
    from zolvek.formats.project import project_file

    loaded = load(project)
    first, last = span(loaded, *part)
    loaded.device_track(device)
    stops = [(first, state_of(loaded, start).id), (last, state_of(loaded, end).id)]
    project_file.save(chained(loaded, device, stops, Course(shape, amount)), output)


@click.command()
@click.argument("project", type=click.Path())
@click.option("--lane", required=True, help="Lane id; `zolvek lanes` lists them.")
@number("--tolerance", 0.2, "Baking tolerance in percent of full height.")
@click.option("-o", "--output", required=True, type=click.Path(), help="The project file to write.")
def bake(project: str, lane: str, tolerance: float, output: str) -> None:
    """Bake all active layers of a lane into its points."""
    from zolvek.core.edits.replacement import with_lane
    from zolvek.core.movement.evaluation.layering import baked
    from zolvek.formats.project import project_file

    in_range("--tolerance", tolerance, 0.001, 50.0)
    loaded = load(project)
    this_lane = loaded.lane(lane)
    done = baked(this_lane, loaded.tempo, loaded.length, tolerance=tolerance / 100.0)
    project_file.save(with_lane(loaded, done), output)
    click.echo(f"{len(this_lane.curve)} points before, {len(done.curve)} after.")


def _bars(verb: str) -> Any:
    def declare(run: Any) -> Any:
        for option in (
            click.option("-o", "--output", required=True, type=click.Path(), help="The project file to write."),
            click.option("--count", required=True, type=int, help="How many bars."),
            click.option("--at", "bar", required=True, type=int, help=f"The bar {verb}."),
            click.argument("project", type=click.Path()),
        ):  # fmt: skip
            run = option(run)
        return run

    return declare


def _change_bars(change: str, project: str, bar: int, count: int, output: str) -> None:
    from zolvek.core.edits import bars
    from zolvek.formats.audio.sound_lengths import lengths_of
    from zolvek.formats.project import project_file

    loaded = load(project)
    done = getattr(bars, change)(loaded, bar, count, lengths_of(loaded))
    project_file.save(done.project, output)
    say(f"{done.words}.")


@click.command("insert-bars")
@_bars("before which to insert")
def insert_bars(project: str, bar: int, count: int, output: str) -> None:
    """Insert empty bars. Everything after them moves later."""
    _change_bars("insert_bars", project, bar, count, output)


@click.command("remove-bars")
@_bars("to remove first")
def remove_bars(project: str, bar: int, count: int, output: str) -> None:
    """Remove bars with their contents. Everything after them moves earlier."""
    _change_bars("remove_bars", project, bar, count, output)


@click.command()
@click.argument("project", type=click.Path())
@click.option("-o", "--output", required=True, type=click.Path(), help="A .zip, or a new folder.")
@click.option(
    "--anywhere",
    is_flag=True,
    help="Also audio files outside the project's folder and your home folder.",
)
def collect(project: str, output: str, anywhere: bool) -> None:
    """Collect the project with all its audio in one .zip, or one folder."""
    from zolvek.core.edits.chains import own_sound_files
    from zolvek.formats.project import collection
    from zolvek.formats.project.own_files import need_other

    loaded, folder = load_with_folder(project)
    need_other([output], loaded, project)
    collection.collected(loaded, output, folder=folder, anywhere=anywhere)
    count = len(own_sound_files(loaded))
    say(f"1 project, {count} sound{'s' * (count != 1)}.")


COMMANDS = (new, lanes, sample, devices, states, morph, bake, insert_bars, remove_bars, collect)
