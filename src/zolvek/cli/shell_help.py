# SPDX-License-Identifier: GPL-3.0-or-later
"""What a shell and `man` know of the commands: completion for bash, zsh and fish, and a manual page."""

from __future__ import annotations

import re

import click
from click.shell_completion import BashComplete, FishComplete, ShellComplete, ZshComplete

NAME, VARIABLE = "zolvek", "_ZOLVEK_COMPLETE"
# Shell -> what writes its script, and where that goes below the data folder.
SHELLS: dict[str, tuple[type[ShellComplete], str]] = {
    "bash": (BashComplete, f"bash-completion/completions/{NAME}"),
    "zsh": (ZshComplete, f"zsh/site-functions/_{NAME}"),
    "fish": (FishComplete, f"fish/vendor_completions.d/{NAME}.fish"),
}
MANUAL = f"man/man1/{NAME}.1"


def completion(commands: click.Command, shell: str) -> str:
    """The script that a shell reads to complete the commands."""
    kind, _ = SHELLS[shell]
    complete = kind(commands, {}, NAME, VARIABLE)
    return complete.source_template % complete.source_vars()


def manual(commands: click.Group, version: str) -> str:
    """The manual page, in the language of man(7)."""
    context = click.Context(commands, info_name=NAME)
    lines = [
        f'.TH ZOLVEK 1 "" "Zolvek {version}" "User commands"',
        ".SH NAME",
        "zolvek \\- draw and shape automation curves, hear them, and export them",
        ".SH SYNOPSIS",
        ".B zolvek\n[\\fIFILE\\fR | \\fICOMMAND\\fR [\\fIARGUMENTS\\fR]]",
        ".SH DESCRIPTION",
        _escaped(commands.help or ""),
        ".SH COMMANDS",
    ]
    for name in sorted(commands.list_commands(context)):
        command = commands.get_command(context, name)
        assert command is not None
        within = click.Context(command, info_name=name, parent=context)
        usage = " ".join(command.collect_usage_pieces(within))
        lines += [".TP", f".B {_escaped(name)} {_escaped(usage)}", _escaped(command.help or "")]
        for option in command.params:
            if isinstance(option, click.Option) and option.help:
                lines += [".RS", ".TP", f".B {_escaped(', '.join(option.opts))}", _escaped(option.help), ".RE"]
    lines += [
        ".SH EXIT STATUS",
        "0 when all was done, 1 when it failed, 2 for wrong arguments.",
        ".SH ENVIRONMENT",
        ".TP\n.B ZOLVEK_VERBOSE\nWhen set, what the window's libraries print is shown.",
    ]
    return "\n".join(lines) + "\n"


def _escaped(text: str) -> str:
    """Text of a help as roff reads it: one paragraph, no line that begins like a request."""
    plain = " ".join(text.split()).replace("\\", "\\e").replace("-", "\\-")
    return re.sub(r"^([.'])", r"\\&\1", plain)
