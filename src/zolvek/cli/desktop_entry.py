# SPDX-License-Identifier: GPL-3.0-or-later
"""The program in the desktop's menu: entry, icon, file type and description, in the places that the
freedesktop.org standards name (Desktop Entry, Shared MIME Info, Icon Theme, AppStream)."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from pathlib import Path

import click

from zolvek import __version__
from zolvek.cli import shell_help
from zolvek.core.errors import ZolvekError
from zolvek.storage import folders
from zolvek.storage.atomic import write_bytes
from zolvek.storage.opening import read_bytes
from zolvek.storage.shipped_files import ASSETS, PACKAGE

ID = "org.zolvek.Zolvek"
SHIPPED = ASSETS / "desktop"
# What is shipped -> where it goes below the data folder.
PLACES = {
    f"{ID}.desktop": f"applications/{ID}.desktop",
    f"{ID}.mime.xml": f"mime/packages/{ID}.xml",
    f"{ID}.metainfo.xml": f"metainfo/{ID}.metainfo.xml",
    f"{ID}.svg": f"icons/hicolor/scalable/apps/{ID}.svg",
}
MENU_ENTRY = PLACES[f"{ID}.desktop"]
# What gives the desktop, where it is there: the command and the folder it looks through.
TELLERS = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


def data_folder() -> Path:
    """Where a user's programs keep their data (XDG Base Directory)."""
    return folders.data().parent


def launcher() -> list[str]:
    """The words that start the program: the script next to its source, or the installed one, from any environment."""
    beside = PACKAGE.parents[1] / "zolvek"
    if beside.is_file() and os.access(beside, os.X_OK):
        return [str(beside)]
    installed = Path(sys.executable).parent / "zolvek"  # of this environment, whichever is on the path
    found = str(installed) if os.access(installed, os.X_OK) else shutil.which("zolvek")
    return [found] if found else [sys.executable, "-m", "zolvek"]


def _quoted(word: str) -> str:
    """A word of an Exec line (Desktop Entry Specification, "The Exec key")."""
    escaped = re.sub(r'([\\"`$])', r"\\\1", word).replace("%", "%%")
    return f'"{escaped}"' if re.search(r"""[\s"'\\><~|&;$*?#()`]""", word) else escaped


def entry(text: str, command: list[str]) -> str:
    """The desktop entry with the command that starts this very program."""
    lines = []
    for line in text.splitlines():
        if line.startswith("Exec="):
            line = f"Exec={' '.join(map(_quoted, command))} open %f"
        elif line.startswith("TryExec="):
            line = f"TryExec={command[0]}"
        lines.append(line)
    return "\n".join(lines) + "\n"


def install(folder: str | None, commands: click.Group) -> list[Path]:
    """Put everything into its place and notify the desktop, with completion and a manual page of the commands; returns
    what was written. Raises ZolvekError when it can't be."""
    base = Path(folder) if folder else data_folder()
    done = []
    files = {relative: read_bytes(SHIPPED / name) for name, relative in PLACES.items()}
    files[MENU_ENTRY] = entry(files[MENU_ENTRY].decode(), launcher()).encode()
    for relative, data in (files | _for_shells(commands)).items():
        target = base / relative
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise ZolvekError(
                f"The folder can't be made: {error.strerror}.",
                str(target.parent),
                "Choose another one.",
            ) from error
        done.append(write_bytes(target, data))
    _refresh_caches(base)
    return done


def remove(folder: str | None = None) -> list[Path]:
    """Take away what `install` has put there; returns what was removed."""
    base = Path(folder) if folder else data_folder()
    places = [*PLACES.values(), *(where for _, where in shell_help.SHELLS.values()), shell_help.MANUAL]
    done = [base / target for target in places if (base / target).is_file()]
    for path in done:
        path.unlink()
    _refresh_caches(base)
    return done


def _for_shells(commands: click.Group) -> dict[str, bytes]:
    """Completion for each shell and the manual page, by where they go."""
    files = {where: shell_help.completion(commands, shell) for shell, (_, where) in shell_help.SHELLS.items()}
    files[shell_help.MANUAL] = shell_help.manual(commands, __version__)
    return {where: text.encode() for where, text in files.items()}


def _refresh_caches(base: Path) -> None:
    for command, part in TELLERS:
        if shutil.which(command) and (base / part).is_dir():
            subprocess.run([command, str(base / part)], check=False, capture_output=True)
