"""Commands that deal with other programs and machines."""

from __future__ import annotations

import json

import click

from zolvek.cli.common import print_csv


@click.command()
@click.option("--json", "as_json", is_flag=True, help="As JSON instead of CSV.")
def ports(as_json: bool) -> None:
    """Print the machine's MIDI ports that Zolvek can listen to or send to."""
    from zolvek.sound import ports as machine

    rows = [("midi", "in", name) for name in machine.inputs()]
    rows += [("midi", "out", name) for name in machine.outputs()]
    if as_json:
        keys = ("kind", "direction", "name")
        click.echo(json.dumps([dict(zip(keys, row, strict=True)) for row in rows], indent=1))
        return
    print_csv(("kind", "direction", "name"), rows)


COMMANDS = (ports,)
