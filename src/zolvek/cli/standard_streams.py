# SPDX-License-Identifier: GPL-3.0-or-later
"""`-` in the place of a file: standard input where one is read, standard output where one is written.

Both go through a temporary file, so that every command takes them alike, formats that need to go back in a file among
them, and nothing comes out where a command fails.
"""

from __future__ import annotations

import shutil
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import click

from zolvek.core.errors import ZolvekError
from zolvek.storage.opening import LARGEST_BYTES

STREAM = "-"
BLOCK_BYTES = 1 << 20
ZIP = b"PK\x03\x04"  # what a collected project begins with


def input_file(name: str, suffix: str, **more: Any) -> Any:
    """Declare an argument that is a file to read; what comes in by `-` counts as one that ends in `suffix`."""
    return click.argument(name, type=click.Path(), callback=lambda ctx, _, value: _read(ctx, value, suffix), **more)


def output_file(help_: str, suffix: str, *names: str, required: bool = True) -> Any:
    """Declare `--output`, or an option of other names, as a file to write; what goes out by `-` is one that ends in
    `suffix`."""
    return click.option(
        *(names or ("-o", "--output")),
        required=required,
        type=click.Path(),
        help=f"{help_} - for standard output.",
        callback=lambda ctx, _, value: _write(ctx, value, suffix),
    )


def need_name(output: str, option: str) -> None:
    """Raises ZolvekError where several files would go to standard output."""
    if Path(output).parent.name.startswith(PREFIX):
        raise ZolvekError("Several files can't go to standard output.", option, "Name a file with -o.")


PREFIX = "zolvek-stream-"


def _folder(ctx: click.Context) -> Path:
    return Path(ctx.with_resource(tempfile.TemporaryDirectory(prefix=PREFIX)))


def _read(ctx: click.Context, value: str | None, suffix: str) -> str | None:
    if value != STREAM or ctx.resilient_parsing:
        return value
    stream = sys.stdin.buffer
    begin = stream.read(len(ZIP))
    path = _folder(ctx) / f"standard-input{'.zip' if begin == ZIP else suffix}"
    size = len(begin)
    with path.open("wb") as file:
        file.write(begin)
        while block := stream.read(BLOCK_BYTES):
            size += len(block)
            if size > LARGEST_BYTES:
                raise ZolvekError("There is more than 1 GB on standard input.", STREAM, "Name a file instead.")
            file.write(block)
    return str(path)


def _write(ctx: click.Context, value: str | None, suffix: str) -> str | None:
    if value != STREAM or ctx.resilient_parsing:
        return value
    path = _folder(ctx) / f"standard-output{suffix}"
    ctx.call_on_close(_poured(path))  # closed before the folder goes
    return str(path)


def _poured(path: Path) -> Callable[[], None]:
    def pour() -> None:
        if path.exists():
            with path.open("rb") as file:
                shutil.copyfileobj(file, sys.stdout.buffer)
            sys.stdout.flush()

    return pour
