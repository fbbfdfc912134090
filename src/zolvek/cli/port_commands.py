# SPDX-License-Identifier: GPL-3.0-or-later
"""Commands on ports and other programs."""

from __future__ import annotations

import signal
import sys

import click

from zolvek.cli.command_common import Names, load, print_csv, print_json, say, span
from zolvek.cli.standard_streams import input_file
from zolvek.core.errors import Failure, ZolvekError

SYNC = ("internal", "follow", "lead")
ROLES = {"internal": "alone"}  # -> keys of model.sync_setup.ROLES, where they are others
OUTS = ("jack", "alsa", "silent")
EVERY = 10  # reports to a line, where no terminal shows them in one place


@click.command()
@click.option("--json", "as_json", is_flag=True, help="As JSON instead of CSV.")
def ports(as_json: bool) -> None:
    """Print the ports that Zolvek can connect to: MIDI ports, and ports of programs on JACK or PipeWire."""
    from zolvek.sync.jack import port_query
    from zolvek.sync.ports import midi_ports as machine

    rows = [("midi", "in", name) for name in machine.inputs()]
    rows += [("midi", "out", name) for name in machine.outputs()]
    rows += port_query.ports()
    if as_json:
        keys = ("kind", "direction", "name")
        print_json([dict(zip(keys, row, strict=True)) for row in rows])
        return
    print_csv(("kind", "direction", "name"), rows)


@click.command()
@input_file("project", ".zolvek")
@click.option("--from", "first", help="Start position: bar.beat.tick or m:ss.mmm. Default: the start.")
@click.option(
    "--loop",
    nargs=2,
    default=None,
    metavar="POS POS",
    help="Loop between two positions.",
)
@click.option(
    "--out",
    type=click.Choice(OUTS),
    default="jack",
    show_default=True,
    help="jack: audio and messages through JACK or PipeWire; alsa: messages at a MIDI port; silent: neither.",
)
@click.option(
    "--sync",
    "--clock",
    "clock",
    type=Names(lambda: SYNC, {"alone": "internal"}),
    default="internal",
    show_default=True,
    help="internal, follow another transport, or lead it.",
)
@click.option("--osc", metavar="HOST:PORT", help="Send the lanes as OSC to this address.")
@click.option("--allow-missing", is_flag=True, help="Play even if audio files or plugins can't be played.")
def play(
    project: str,
    first: str | None,
    loop: tuple[str, str] | None,
    out: str,
    clock: str,
    osc: str | None,
    allow_missing: bool,
) -> None:
    """Play a project until its end or Ctrl+C."""
    from zolvek.sound.engine import clip_playback
    from zolvek.sound.hosting.catalogue import installed
    from zolvek.sound.jobs.mix_export import need_plugins
    from zolvek.sync.headless_player import Performance
    from zolvek.sync.timeline.osc_messages import place

    loaded = load(project)
    if not allow_missing:
        clip_playback.need(loaded)
        need_plugins(loaded, dict(installed.missing(loaded)))
    begin = loaded.meter.parse(first, loaded.tempo) if first is not None else 0.0
    if begin >= loaded.length:
        raise ZolvekError("This is beyond the end of the project.", "--from", "Start earlier.")
    looped = span(loaded, *loop) if loop else None
    if looped is not None and first is None:
        begin = looped[0]
    to = place(osc) if osc else None
    performance = Performance(loaded, out, ROLES.get(clock, clock), to, say)
    shown = sys.stderr.isatty()
    try:
        for number, report in enumerate(performance.play(begin, looped)):
            seconds = float(loaded.tempo.seconds(report.beat))
            line = (
                f"{loaded.meter.text(report.beat):>12}  {int(seconds // 60)}:{seconds % 60:06.3f}  "
                f"{float(loaded.tempo.bpm(report.beat)):6.2f} BPM  {'playing' if report.playing else 'stopped'}  "
                f"{report.ports}"
            )
            if shown:
                click.echo(f"\r{line:<78}", nl=False, err=True)
            elif number % EVERY == 0:
                click.echo(line, err=True)
    except KeyboardInterrupt:
        signal.setitimer(signal.ITIMER_REAL, 0.0)  # how it is meant to be ended: it need not be given again
    finally:
        performance.close()
        if shown:
            click.echo(err=True)
    if performance.lost and not allow_missing:
        raise Failure("Not everything was played.", project, "Use --allow-missing to accept this.")


COMMANDS = (ports, play)
