# SPDX-License-Identifier: GPL-3.0-or-later
"""The `zolvek` command itself: its groups joined, the window opened, errors reported.

Nothing slow is imported before a command needs it. Argument errors and bad files exit with
status 2 and one line.
"""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path

import click

from zolvek import __version__
from zolvek.cli.curve_commands import curve
from zolvek.cli.export_commands import COMMANDS as EXPORTS
from zolvek.cli.listening_commands import COMMANDS as LISTENING
from zolvek.cli.movement_commands import COMMANDS as MOVEMENTS
from zolvek.cli.plugin_commands import COMMANDS as PLUGINS
from zolvek.cli.port_commands import COMMANDS as PORTS
from zolvek.cli.project_commands import COMMANDS as PROJECTS
from zolvek.cli.sound_commands import COMMANDS as SOUNDS
from zolvek.cli.standard_streams import output_file
from zolvek.core.errors import Failure, ZolvekError, one_line
from zolvek.storage import freed_memory

NO_DISPLAY = (
    "There is no display to open a window on; "
    "for a picture without one, run `./zolvek shots`, which writes docs/screenshots/*.png."
)

REPORTED_AGAIN_S = 1.0  # seconds, far more than it takes to leave


OPENED = (".zolvek", ".zip")  # files that are opened when they are named alone
IN_CHECKOUT = "In a checkout also: ./zolvek test, check, bench and shots, each with --help."


class Commands(click.Group):
    """Nothing at all opens the window, and a file alone opens it there."""

    def parse_args(self, ctx: click.Context, args: list[str]) -> list[str]:
        """See click."""
        opens = not args and not ctx.resilient_parsing  # which is how a shell asks what could come
        return super().parse_args(ctx, ["open"] if opens else args)

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        """See click."""
        name = args[0]
        is_file = name.lower().endswith(OPENED) or Path(name).is_file()
        if name not in self.commands and is_file:
            args = ["open", *args]
        elif name not in self.commands and not name.startswith("-"):
            raise click.UsageError(f"There is no command or file “{name}”. `zolvek --help` lists the commands.")
        return super().resolve_command(ctx, args)


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]}, epilog=IN_CHECKOUT)
@click.version_option(__version__, prog_name="zolvek")
def zolvek() -> None:
    """Draw and shape automation curves, hear them, and export them. Without a command: open the window on the start
    screen, or on a project FILE."""


@zolvek.command()
@output_file("Write the demo project and stop.", ".zolvek", "--write", "target", required=False)
def demo(target: str | None) -> None:
    """Open the demo song, "Night Regatta"."""
    if target is None:
        return _window(None, demo=True)
    from zolvek.demo.night_regatta import build
    from zolvek.formats.project import project_file

    project_file.save(build(), target)


@zolvek.command("open")
@click.argument("file", type=click.Path(), required=False)
def open_(file: str | None) -> None:
    """Open a project in the window, or a collected .zip; without one, the start screen."""
    if file is None:
        return _window(None)
    from zolvek.formats.project import collection, project_file

    if file.lower().endswith(".zip"):
        file = str(collection.unpacked(file))

    project_file.load(file)  # a broken file is said here, before a window comes up
    _window(Path(file))


def _window(path: Path | None, demo: bool = False) -> None:
    named = os.environ.get("QT_QPA_PLATFORM", "")
    if not (named or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY")):
        raise ZolvekError(NO_DISPLAY)
    said = ""
    if "ZOLVEK_LAUNCHER" not in os.environ:  # the launcher has looked
        from zolvek.system_libraries import lack

        said = lack(["open"])  # some of it the window may do without
        if said:
            print(f"zolvek: {said}", file=sys.stderr, flush=True)
    try:
        from zolvek.studio.app.application import run
    except ImportError:
        if said:
            sys.exit(1)  # the reason has been given
        raise
    sys.exit(run(path, demo))


for command in (*PROJECTS, *PLUGINS, *PORTS, *SOUNDS, *LISTENING, *MOVEMENTS, curve, *EXPORTS):
    zolvek.add_command(command)


def main() -> None:
    """Run the command line; every expected error is one line and status 2, or 1 for what could not be
    done."""
    freed_memory.keep()
    for item in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        if signal.getsignal(item) is not signal.SIG_IGN:  # as for what runs on without a terminal
            signal.signal(item, _ended)
    try:
        status = zolvek.main(prog_name="zolvek", standalone_mode=False) or 0
        sys.stdout.flush()
        sys.exit(status)
    except click.exceptions.NoArgsIsHelpError as error:
        print(error.format_message(), file=sys.stderr)
        sys.exit(2)
    except click.ClickException as error:
        _fail(error.format_message())
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
        if "cannot open shared object file" not in str(error):
            raise
        from zolvek.system_libraries import lack

        library = str(error).split(":")[0]
        _fail(lack(sys.argv[1:]) or f"The system library {library} is missing. Install it, then start again.", 1)
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0.0)


def _ended(number: int, _: object) -> None:
    """Ended from outside: what is half written goes.

    Given again after a while: what comes up while a library is being loaded, or in what it calls back,
    may be lost there.
    """
    signal.signal(signal.SIGALRM, lambda *_: _ended(number, None))
    signal.setitimer(signal.ITIMER_REAL, REPORTED_AGAIN_S)
    raise KeyboardInterrupt if number == signal.SIGINT else SystemExit(128 + number)


def _silence() -> None:
    """The reader has gone, or the disk is full: nothing more may be written, not even at exit."""
    os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


def _fail(line: str, status: int = 2) -> None:
    print(f"zolvek: {one_line(line)}", file=sys.stderr)
    sys.exit(status)


if __name__ == "__main__":
    main()
