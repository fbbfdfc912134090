# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands on installed plugins."""

from __future__ import annotations

import click

from zolvek.cli.command_common import TRACK_NAME, load, print_csv, print_json, say
from zolvek.cli.standard_streams import input_file, output_file
from zolvek.core.errors import ZolvekError


@click.command()
@click.argument("text", required=False, default="")
@click.option("--json", "as_json", is_flag=True, help="As JSON instead of CSV.")
@click.option(
    "--add",
    "bundle",
    type=click.Path(),
    help="Allows a bundle from another folder, and lists its plugins.",
)
@click.option("--again", is_flag=True, help="Reads plugins again that could not be read.")
def plugins(text: str, as_json: bool, bundle: str | None, again: bool) -> None:
    """Print the installed plugins, or those with TEXT in their name, vendor or id, and whether each can be
    used."""
    from zolvek.core.value.text_search import matches, search_words
    from zolvek.sound.hosting.catalogue import installed as plugin_list
    from zolvek.storage.file_names import cell

    words = search_words(text)
    if bundle is not None:
        inside = plugin_list.add(lambda done, total, found: None, bundle)
        added = {item.id for item in inside}
    every, faults = plugin_list.installed(again=again)
    if bundle is not None:
        every = [item for item in every if item.id in added]
    for fault in faults:
        say(f"{fault.what} {fault.remedy}")
    result = [p for p in every if matches(words, f"{p.name} {p.maker} {p.id}")]
    if as_json:
        print_json(result)
        return
    print_csv(
        ("id", "name", "maker", "role", "parameters", "fault", "left_out"),
        ((p.id, cell(p.name), cell(p.maker), p.role, p.parameters, p.fault, ", ".join(p.left_out)) for p in result),
    )


@click.command("add-device")
@input_file("project", ".zolvek")
@click.option("--track", required=True, type=TRACK_NAME, help="Name of the track; a new one is added if there is none.")
@click.option(
    "--plugin",
    required=True,
    help="Its id from `zolvek plugins`, or its bundle; BUNDLE#NAME for one of several.",
)
@click.option("--preset", help="One of the plugin's own presets.")
@output_file("The project file to write.", ".zolvek")
def add_device(project: str, track: str, plugin: str, preset: str | None, output: str) -> None:
    """Add an installed plugin to a track, with its presets as states."""
    from zolvek.core.edits import chains
    from zolvek.core.edits import plugins as hosted
    from zolvek.core.edits.edit_scope import counted
    from zolvek.formats.project import project_file
    from zolvek.sound.hosting.catalogue.installed import found
    from zolvek.sound.jobs.plugin_description import describe_in_process

    loaded, own_plugin = load(project), found(plugin)
    kind = describe_in_process(own_plugin.id)
    if preset is not None and preset not in {item.name for item in kind.presets}:
        names = ", ".join(item.name for item in kind.presets) or "none"
        raise ZolvekError(f"It has no preset “{preset}”.", plugin, f"There are: {names}.")
    this_track = next((item for item in loaded.tracks if item.name == track), None)
    if this_track is None:
        loaded, key = chains.add_track(loaded, track)
    else:
        key = this_track.id
    loaded, device = hosted.added(loaded, key, kind)
    if preset is not None:
        loaded = chains.apply_preset(loaded, device, preset)
    project_file.save(loaded, output)
    say(f"{device}: {counted(len(kind.parameters), 'parameter')}, {counted(len(kind.presets), 'preset')}.")


COMMANDS = (plugins, add_device)
