# SPDX-License-Identifier: GPL-3.0-or-later
"""What the commands have in common: options, positions, ranges, loading, tables."""

from __future__ import annotations

import csv
import sys
from collections.abc import Callable, Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click
from click.core import ParameterSource
from click.shell_completion import CompletionItem

from zolvek.core.errors import ZolvekError, one_line
from zolvek.core.movement.movement_settings import Setting, new_seed

if TYPE_CHECKING:
    from zolvek.core.model.project import Project

MOST_ROWS = 10_000_000  # of a table asked for: more is a slip in the step


def say(text: str) -> None:
    """A line for a person, on standard error: one line, whatever names are in it."""
    click.echo(one_line(text), err=True)


def number(name: str, default: float, help_: str, **more: Any) -> Any:
    return click.option(name, default=default, show_default=True, type=float, help=help_, **more)


class Names(click.ParamType):
    """One of the names of a table, which is asked for when it is needed, as tables are slow to import. `older`: what
    stands for one of them too, where it was called otherwise once."""

    name = "name"

    def __init__(self, names: Callable[[], Iterable[str]], older: Mapping[str, str] | None = None) -> None:
        self.names = names
        self.older = older or {}

    def get_metavar(self, param: click.Parameter, ctx: click.Context | None = None) -> str:
        """See click."""
        return f"[{'|'.join(self.names())}]"

    def convert(self, value: str, param: click.Parameter | None, ctx: click.Context | None) -> str:
        """See click."""
        names = list(self.names())
        if value not in names and value not in self.older:
            self.fail(f"“{value}” is not one of {', '.join(names)}.", param, ctx)
        return self.older.get(value, value)

    def shell_complete(self, ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        """See click."""
        return [CompletionItem(name) for name in self.names() if name.startswith(incomplete)]


class InProject(click.ParamType):
    """A name that the command's project has, completed by what is in its file."""

    name = "name"

    def __init__(self, names: Callable[[Project], Iterable[str]]) -> None:
        self.names = names

    def shell_complete(self, ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
        """See click. A file that can't be read completes nothing."""
        try:
            # With a value still missing, what was typed before is not a parameter yet.
            names = self.names(load(ctx.params.get("project") or ctx.args[0]))
        except (ZolvekError, IndexError):
            return []
        return [CompletionItem(name) for name in dict.fromkeys(names) if name.startswith(incomplete)]


LANE_ID = InProject(lambda project: (lane.id for lane in project.lanes()))
DEVICE_ID = InProject(lambda project: (device.id for track in project.tracks for device in track.devices))
TRACK_NAME = InProject(lambda project: (track.name for track in project.tracks))
STATE_NAME = InProject(lambda project: (state.name for state in project.states))


def need_use(option: str, applies: bool, remedy: str) -> None:
    """Raises ZolvekError when an option was given that does nothing here. `option`: as its parameter is called, or
    as it is typed."""
    context = click.get_current_context()
    param = next(p for p in context.command.params if option in (p.name, *p.opts))
    if not applies and context.get_parameter_source(str(param.name)) == ParameterSource.COMMANDLINE:
        raise ZolvekError("This option does not apply here.", param.opts[0], remedy)


def in_range(name: str, value: float, low: float, high: float) -> None:
    if not low <= value <= high:
        raise ZolvekError(f"{value:g} is out of range.", name, f"Use {low:g} to {high:g}.")


# What is said of a setting's unit after its help.
UNITS = {"%": " (%)", "s": " (s or ms)", "list": " (%)"}


def settings(table: tuple[Setting, ...], **defaults: str | None) -> Any:
    """Declare the options of a table of settings, its own defaults but for those given; None leaves one
    out."""

    def declare(command: Any) -> Any:
        for item in reversed(table):
            default = defaults.get(item.key, item.default)
            if default is not None:
                command = click.option(
                    *option_names(item.key),
                    item.key,
                    default=default,
                    show_default=bool(default),
                    help=f"{item.label}{UNITS.get(item.unit, '')}. {item.tip}.",
                )(command)
        return command

    return declare


# Options by the names of the window; what they were called before goes on working.
OLDER = {"amount": "depth", "amount-end": "depth-end", "every": "rate", "rate": "rate"}


def option_names(key: str) -> tuple[str, ...]:
    """The option of a setting, and the one that it was before."""
    option = key.replace("_", "-")
    return tuple(dict.fromkeys((f"--{OLDER.get(option, option)}", f"--{option}")))


def read_settings(table: tuple[Setting, ...], texts: dict[str, Any]) -> dict[str, Any]:
    """What the options of `settings` stand for, taken out of `texts`."""
    from zolvek.core.movement.settings_parser import read_setting

    return {item.key: read_setting(item, texts.pop(item.key)) for item in table if item.key in texts}


def seed(command: Any) -> Any:
    """Declare `--seed`: the command is given a number, a new one when there is none."""
    return click.option(
        "--seed",
        type=click.IntRange(0),
        help="The same seed gives the same curve. Default: a new one, which is printed.",
    )(command)


def seed_of(given: int | None) -> int:
    """The seed, or a new one, which is said so that it can be had again."""
    if given is not None:
        return given
    result = new_seed()
    say(f"Seed {result}.")
    return result


def load(path: str) -> Project:
    """A project, or one that was collected into a `.zip`, which is unpacked for as long as this runs."""
    return load_with_folder(path)[0]


def load_with_folder(path: str) -> tuple[Project, Path]:
    """As `load`, and the folder that it lies in, or was unpacked into."""
    from zolvek.cli.standard_streams import PREFIX
    from zolvek.formats.project import project_file

    where = path
    if path.lower().endswith(".zip"):
        import atexit
        import tempfile

        from zolvek.formats.project import collection

        folder = tempfile.TemporaryDirectory(prefix="zolvek-")
        atexit.register(folder.cleanup)
        where = str(collection.unpacked(path, Path(folder.name)))
    streamed = where == path and Path(path).parent.name.startswith(PREFIX)
    project = project_file.load(where, Path() if streamed else None)
    if project_file.is_newer(project):
        say(f"{path}: {project_file.NEWER}")
    return project, Path().resolve() if streamed else Path(where).resolve().parent


def span(project: Project, first: str | None, last: str | None) -> tuple[float, float]:
    low = project.meter.parse(first, project.tempo) if first is not None else 0.0
    high = project.meter.parse(last, project.tempo) if last is not None else project.length
    if high <= low:
        raise ZolvekError("The span is empty.", "--to", "Choose a position after --from.")
    return low, high


def steps(first: float, last: float, step: float) -> Any:
    """Beats from first to last, both included when the step hits it."""
    import numpy as np

    for name, beats in (("--from", first), ("--to", last), ("--step", step)):
        if not np.isfinite(beats):
            raise ZolvekError(f"{beats} is not a number of beats.", name)
    if step <= 0.0:
        raise ZolvekError(f"A step of {step:g} is too small.", "--step", "Use one above 0.")
    if last < first:
        raise ZolvekError("The span ends before it begins.", "--to", "Choose a position after --from.")
    count = (last - first) / step
    if count > MOST_ROWS:
        raise ZolvekError(f"That makes more than {MOST_ROWS} rows.", "--step", "Use a larger one.")
    return first + np.arange(int(count + 1e-9) + 1) * step


def plain_number(value: float) -> float:
    """A number as a person writes it: 12, not 12.000000000000014."""
    return float(f"{value:.12g}")


def rounded(item: Any) -> Any:
    """Plain data with its numbers as a person writes them; None for one that JSON has no word for."""
    if isinstance(item, dict):
        return {key: rounded(value) for key, value in item.items()}
    if isinstance(item, (list, tuple)):
        return [rounded(value) for value in item]
    if isinstance(item, float):
        return plain_number(item) if abs(item) < float("inf") else None
    return item


def print_json(item: Any) -> None:
    """Plain data, or records, on standard output."""
    import msgspec

    plain = rounded(msgspec.to_builtins(item))
    click.echo(msgspec.json.format(msgspec.json.encode(plain), indent=1).decode())


def print_csv(header: tuple[str, ...], rows: Any) -> None:
    writer = csv.writer(sys.stdout, lineterminator="\n")
    writer.writerow(header)
    for row in rows:
        writer.writerow(
            [
                one_line(cell) if isinstance(cell, str) else plain_number(cell) if isinstance(cell, float) else cell
                for cell in row
            ]
        )
