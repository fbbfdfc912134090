# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands that render and listen: which control moves the sound, and where nothing moves."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import click

from zolvek.cli.command_common import DEVICE_ID, TRACK_NAME, in_range, load, print_csv, print_json, say
from zolvek.cli.standard_streams import input_file, output_file
from zolvek.core.errors import ZolvekError

if TYPE_CHECKING:
    from zolvek.core.model.project import Project, Track
    from zolvek.sound.analysis.control_effects import ControlEffect

PROJECT = input_file("project", ".zolvek")
AS_JSON = click.option("--json", "as_json", is_flag=True, help="As JSON instead of CSV.")


def track_named(project: Project, name: str) -> Track:
    """The track of a name. Raises ZolvekError with those there are."""
    tracks = [track for track in project.tracks if track.name == name]
    if not tracks:
        names = ", ".join(f"“{track.name}”" for track in project.tracks) or "none"
        raise ZolvekError(f"No track is called “{name}”. There are: {names}.", "--track", "Use one of these.")
    return tracks[0]


def _row(project: Project, effect: ControlEffect) -> dict[str, Any]:
    from zolvek.sound.analysis.descriptors import KEYS

    device = project.device_track(effect.device).device(effect.device)
    row: dict[str, Any] = {
        "device": effect.device,
        "parameter": effect.parameter,
        "name": device.parameter(effect.parameter).name,
        "reach": list(effect.reach),
        **dict(zip(KEYS, effect.signed.tolist(), strict=True)),
        "returns": list(effect.returns),
    }
    if effect.silent_while is not None:
        row["silent_while"] = " ".join(effect.silent_while)
    if effect.fault:
        row["fault"] = effect.fault
    return row


@click.command()
@PROJECT
@click.option("--track", "track_name", required=True, type=TRACK_NAME, help="The track by its name.")
@click.option("--device", type=DEVICE_ID, help="Only this device of it.")
@click.option("--span", nargs=2, required=True, metavar="POS POS", help="From where to where, such as 9 11.")
@AS_JSON
def impact(project: str, track_name: str, device: str | None, span: tuple[str, str], as_json: bool) -> None:
    """Print what each control of a track does to what is heard, greatest first: brightness in octaves, loudness in LU,
    width and space in dB, noise (flatness, 0 to 1), movement (flux) in dB, rate in Hz, pitch in semitones, each the end
    of the control's travel less its beginning."""
    from zolvek.cli.command_common import span as parsed
    from zolvek.sound.analysis.control_effects import measured
    from zolvek.sound.analysis.descriptors import KEYS

    loaded = load(project)
    track = track_named(loaded, track_name)
    devices = [item.id for item in track.devices if device in (None, item.id)]
    if device is not None and not devices:
        there = ", ".join(item.id for item in track.devices) or "none"
        raise ZolvekError(
            f"{track_name} has no device “{device}”. There are: {there}.", "--device", "Use one of these."
        )
    rows = [_row(loaded, effect) for effect in measured(loaded, devices, parsed(loaded, *span))]
    if as_json:
        print_json(rows)
        return
    head = ("device", "parameter", "reach_low", "reach_high", *KEYS)
    print_csv(head, ((row["device"], row["parameter"], *row["reach"], *(row[key] for key in KEYS)) for row in rows))
    for row in rows:
        if "fault" in row or "silent_while" in row:
            why = row.get("fault") or f"silent while {row['silent_while']}"
            say(f"{row['device']} {row['parameter']}: {why}")


@click.command()
@PROJECT
@AS_JSON
def stillness(project: str, as_json: bool) -> None:
    """Print for each bar how far the automation moves what is heard, in dB, and how far the sound goes by itself; and
    the stretches in which nothing moves, the longest first."""
    from zolvek.sound.analysis.stillness import bar_movement

    moved = bar_movement(load(project))
    stretches = moved.still()
    columns = moved.bars.tolist(), moved.automation.tolist(), moved.sound.tolist(), moved.silent.tolist()
    if as_json:
        bars = [
            dict(zip(("bar", "automation", "sound", "silent"), row, strict=True)) for row in zip(*columns, strict=True)
        ]
        print_json({"still": [{"first": first, "last": last} for first, last in stretches], "bars": bars})
        return
    print_csv(("bar", "automation_db", "sound_db"), zip(*columns[:3], strict=True))
    for first, last in stretches:
        say(f"Nothing moves in bar {first}." if first == last else f"Nothing moves in bars {first} to {last}.")


@click.command()
@AS_JSON
def recipes(as_json: bool) -> None:
    """List the recipes: movements by role, which are fitted to a track by measuring it."""
    from zolvek.formats.recipe_library import recipes as library

    found, faults = library()
    for fault in faults:
        say(str(fault))
    if as_json:
        print_json(found)
        return
    print_csv(
        ("name", "bars", "roles", "about"),
        ((r.name, r.bars, " ".join(dict.fromkeys(part.role for part in r.parts)), r.about) for r in found),
    )


@click.command("apply-recipe")
@PROJECT
@click.option("--recipe", "name", required=True, help="The recipe by its name; `zolvek recipes` lists them.")
@click.option("--track", "track_name", required=True, type=TRACK_NAME, help="The track by its name.")
@click.option("--at", "at", required=True, metavar="POS", help="Where it begins, such as 9.")
@click.option("--bars", type=click.IntRange(1, 64), help="For how many bars. Default: the recipe's own.")
@click.option("--strength", default=100.0, show_default=True, help="Percent of the recipe's amounts.")
@output_file("The project to write.", ".zolvek")
def apply_recipe(
    project: str, name: str, track_name: str, at: str, bars: int | None, strength: float, output: str
) -> None:
    """Fit a recipe to a track: the controls are found by measuring, and the movement comes as layers on their lanes."""
    from zolvek.formats.project import project_file
    from zolvek.formats.recipe_library import named
    from zolvek.sound.analysis.recipe_fitting import fitted

    in_range("--strength", strength, 1.0, 200.0)
    loaded, recipe = load(project), named(name)
    track, meter = track_named(loaded, track_name), loaded.meter
    start = meter.parse(at, loaded.tempo)
    end = min(
        meter.bar_beat(meter.bar_at(start) + (bars or recipe.bars)) + start - meter.bar_beat(meter.bar_at(start)),
        loaded.length,
    )
    if end <= start:
        raise ZolvekError("The recipe begins after the end of the song.", "--at", "Choose an earlier position.")
    result = fitted(loaded, recipe, track.id, start, end, strength / 100.0)
    project_file.save(result.project, output)
    for part in result.parts:
        if part.lane:
            say(f"{part.role}: {result.project.label_of(part.lane)}")
        for note in part.notes:
            say(f"{part.role}: {note}")


COMMANDS = (impact, stillness, recipes, apply_recipe)
