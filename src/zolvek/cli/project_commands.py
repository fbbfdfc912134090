# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands that read a project, or write it changed."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from zolvek.cli.choices import device_kinds, shapes
from zolvek.cli.command_common import (
    DEVICE_ID,
    LANE_ID,
    STATE_NAME,
    Names,
    in_range,
    load,
    load_with_folder,
    need_use,
    number,
    print_csv,
    print_json,
    say,
    span,
    steps,
)
from zolvek.cli.standard_streams import input_file, output_file

if TYPE_CHECKING:
    from zolvek.core.model.project import Lane, Project, Track
    from zolvek.core.value.parameter import Parameter

CLIPPED_LEAST = 1e-6  # of a lane's height, from which on it is said


@click.command()
@click.argument("files", nargs=-1, type=click.Path())
@click.option("--tempo", type=float, help="BPM. Default: that of the first MIDI file, else 120.")
@click.option("--meter", help="Such as 4/4. Default: that of the first MIDI file, else 4/4.")
@output_file("The project file to write.", ".zolvek")
def new(files: tuple[str, ...], tempo: float | None, meter: str | None, output: str) -> None:
    """Make a project: empty, or with a track for each of the FILES (audio, MIDI, devices)."""
    from zolvek.core.edits import new_project
    from zolvek.core.edits.edit_scope import counted
    from zolvek.formats import track_import
    from zolvek.formats.project import project_file

    if files or tempo is not None or meter is not None:
        start = new_project.timed(
            new_project.TEMPO if tempo is None else tempo,
            meter or "4/4",
            1 if files else new_project.BARS,
        )
        brought = track_import.read(files)
        project = track_import.with_files(start, brought, tempo is None, meter is None)
        if track_import.left_out(brought):
            say(f"Left out: {track_import.left_out(brought)}.")
    else:
        project = new_project.fresh()
    project_file.save(project, output)
    bars = project.meter.bar_at(project.length - 1e-6)
    say(f"{counted(len(project.tracks), 'track')}, {counted(bars, 'bar')}.")


@click.command()
@input_file("project", ".zolvek")
def lanes(project: str) -> None:
    """Print the lanes as JSON: id, track, device, parameter, unit, reach, points."""
    loaded = load(project)
    print_json([_lane_row(track, lane) for track in loaded.tracks for lane in track.lanes])


def _lane_row(track: Track, lane: Lane) -> dict[str, Any]:
    device = track.device(lane.device)
    parameter = device.parameter(lane.parameter)
    low, high = (float(parameter.value(position)) for position in lane.reach)
    positions = dict(zip(("low_position", "high_position"), lane.reach, strict=True))
    return {
        "id": lane.id,
        "track": track.name,
        "track_id": track.id,
        "device": device.name,
        "device_id": device.id,
        "parameter": parameter.name,
        "parameter_id": parameter.id,
        "unit": parameter.unit,
        "reach": {"low": low, "high": high, "unit": parameter.unit, **positions},
        "points": len(lane.curve),
        "layers": len(lane.layers),
    }


@click.command()
@input_file("project", ".zolvek")
@click.option("--lane", required=True, type=LANE_ID, help="Lane id; `zolvek lanes` lists them.")
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
@click.argument("kind", required=False, type=Names(device_kinds))
@click.option("--plugin", help="Id of an installed plugin, to print its description.")
def devices(kind: str | None, plugin: str | None) -> None:
    """Print the device descriptions that ship as JSON: all of them, or the one of KIND."""
    from zolvek.core.model.catalogue import DEVICE_KINDS
    from zolvek.formats.device_file import plain

    need_use("--plugin", kind is None, "Leave it out, or KIND.")
    if plugin is not None:
        from zolvek.sound.hosting.catalogue.installed import found
        from zolvek.sound.jobs.plugin_description import describe_in_process

        plugin_kind = found(plugin)
        print_json(plain(describe_in_process(plugin_kind.id)))
        return
    rows: Any = plain(DEVICE_KINDS[kind]) if kind else [plain(row) for row in DEVICE_KINDS.values()]
    print_json(rows)


@click.command()
@input_file("project", ".zolvek")
def states(project: str) -> None:
    """Print the states as JSON: device, name, values by parameter id."""
    loaded = load(project)
    rows = []
    for state in loaded.states:
        for part in state.parts:
            device = loaded.device_track(part.device).device(part.device)
            known = {parameter.id: parameter for parameter in device.parameters}
            values = {key: _value_row(known.get(key), position) for key, position in part.values.items()}
            rows.append({"device": part.device, "name": state.name, "values": values})
    print_json(rows)


def _value_row(parameter: Parameter | None, position: float) -> dict[str, Any]:
    """A value in its unit; the position alone where the device lacks the parameter."""
    if parameter is None:
        return {"position": position}
    value, text = float(parameter.value(position)), parameter.text(position)
    return {"position": position, "value": value, "unit": parameter.unit, "text": text}


@click.command()
@input_file("project", ".zolvek")
@click.option("--device", required=True, type=DEVICE_ID, help="Device id; `zolvek states` lists those with states.")
@click.option("--from", "start", required=True, type=STATE_NAME, help="Start state.")
@click.option("--to", "end", required=True, type=STATE_NAME, help="End state.")
@click.option("--span", "part", required=True, nargs=2, help="Two positions: bar.beat.tick or m:ss.mmm.")
@click.option("--shape", type=Names(shapes), default="line", show_default=True, help="Of every segment.")
@click.option("--amount", default=0.0, show_default=True, help="Of the shape.")
@output_file("The project file to write.", ".zolvek")
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
    from zolvek.core.curve.shapes import CODES, NONE, SHAPES
    from zolvek.core.edits.states import state_of
    from zolvek.core.model.morph import Course
    from zolvek.core.movement.morphing.morphs import chained
    from zolvek.formats.project import project_file

    need_use("--amount", SHAPES[CODES[shape]].amount is not NONE, f"The shape {shape} has no amount.")
    loaded = load(project)
    first, last = span(loaded, *part)
    loaded.device_track(device)
    stops = [(first, state_of(loaded, start).id), (last, state_of(loaded, end).id)]
    project_file.save(chained(loaded, device, stops, Course(shape, amount)), output)


@click.command()
@input_file("project", ".zolvek")
@click.option("--lane", required=True, type=LANE_ID, help="Lane id; `zolvek lanes` lists them.")
@number("--tolerance", 0.2, "Baking tolerance in percent of full height.")
@output_file("The project file to write.", ".zolvek")
def bake(project: str, lane: str, tolerance: float, output: str) -> None:
    """Bake all active layers of a lane into its points."""
    from zolvek.core.edits.edit_scope import counted
    from zolvek.core.edits.replacement import with_lane
    from zolvek.core.movement.evaluation.layering import baked
    from zolvek.formats.project import project_file

    in_range("--tolerance", tolerance, 0.001, 50.0)
    loaded = load(project)
    this_lane = loaded.lane(lane)
    done = baked(this_lane, loaded.tempo, loaded.length, tolerance=tolerance / 100.0)
    project_file.save(with_lane(loaded, done), output)
    say(f"{counted(len(this_lane.curve), 'point')} before, {len(done.curve)} after.")
    over = _beyond(this_lane, loaded)
    if over > CLIPPED_LEAST:
        say(f"The layers are clipped: they go beyond the lane's reach by up to {100.0 * over:.3g} % of its height.")


def _beyond(lane: Lane, project: Project) -> float:
    """How far a lane's layers take it out of its reach, in parts of its height, where they are clipped."""
    import numpy as np

    from zolvek.core.movement.evaluation.layering import layered

    if lane.fit:
        return 0.0
    whole = layered(lane.curve, lane, project.tempo, project.length)
    low, high = whole.ranges(np.array([0.0, max(project.length, float(lane.curve.beat[-1]))]), raw=True)
    return max(-float(low[0]), float(high[0]) - 1.0)


def _bars(verb: str) -> Any:
    def declare(run: Any) -> Any:
        for option in (
            output_file("The project file to write.", ".zolvek"),
            click.option("--count", required=True, type=int, help="How many bars."),
            click.option("--at", "bar", required=True, type=int, help=f"The bar {verb}."),
            input_file("project", ".zolvek"),
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
@input_file("project", ".zolvek")
@output_file("A .zip, or a new folder.", ".zip")
@click.option(
    "--anywhere",
    is_flag=True,
    help="Also audio files outside the project's folder and your home folder.",
)
def collect(project: str, output: str, anywhere: bool) -> None:
    """Collect the project with all its audio in one .zip, or one folder."""
    from zolvek.core.edits.chains import own_sound_files
    from zolvek.core.edits.edit_scope import counted
    from zolvek.formats.project import collection
    from zolvek.formats.project.own_files import need_other

    loaded, folder = load_with_folder(project)
    need_other([output], loaded, project)
    collection.collected(loaded, output, folder=folder, anywhere=anywhere)
    count = len(own_sound_files(loaded))
    say(f"1 project, {counted(count, 'sound')}.")


COMMANDS = (new, lanes, sample, devices, states, morph, bake, insert_bars, remove_bars, collect)
