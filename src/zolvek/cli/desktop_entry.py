# SPDX-License-Identifier: GPL-3.0-or-later
"""The program in the desktop's menu: entry, icon, file type and description, in the places that the
freedesktop.org standards name (Desktop Entry, Shared MIME Info, Icon Theme, AppStream)."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

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
# What gives the desktop, where it is there: the command and the folder it looks through.
TELLERS = (("update-desktop-database", "applications"), ("update-mime-database", "mime"))


def data_folder() -> Path:
    """Where a user's programs keep their data (XDG Base Directory)."""
    return folders.data().parent


def launcher() -> str:
    """The command that starts the program: the one next to its source, or the installed one."""
    beside = PACKAGE.parents[1] / "zolvek"
    if beside.is_file() and os.access(beside, os.X_OK):
        return str(beside)
    return shutil.which("zolvek") or f"{sys.executable} -m zolvek"


def entry(text: str, command: str) -> str:
    """The desktop entry with the command that starts this very program."""
    quoted = '"' + command.replace("\\", "\\\\").replace('"', '\\"') + '"' if " " in command else command
    lines = []
    for line in text.splitlines():
        if line.startswith("Exec="):
            line = f"Exec={quoted} open %f"
        elif line.startswith("TryExec="):
            line = f"TryExec={command}"
        lines.append(line)
    return "\n".join(lines) + "\n"


def install(folder: str | None = None) -> list[Path]:
    """Put everything into its place and say the desktop; returns what was written. Raises
    ZolvekError when it can't be."""
    base = Path(folder) if folder else data_folder()
    done = []
    for name, relative in PLACES.items():
        data = read_bytes(SHIPPED / name)
        if name.endswith(".desktop"):
            data = entry(data.decode(), launcher()).encode()
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
    done = [base / target for target in PLACES.values() if (base / target).is_file()]
    for path in done:
        path.unlink()
    _refresh_caches(base)
    return done


def _refresh_caches(base: Path) -> None:
    for command, part in TELLERS:
        if shutil.which(command) and (base / part).is_dir():
            subprocess.run([command, str(base / part)], check=False, capture_output=True)
