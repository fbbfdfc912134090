# SPDX-License-Identifier: GPL-3.0-or-later
"""The program's entry: `python -m zolvek`, and what the launcher starts.

Started as a file, it finds its package next to itself and nothing else: no folder of anybody's gets
onto Python's path. A damaged package of the private environment is noticed here, and the launcher
makes the environment again.
"""

from __future__ import annotations

import contextlib
import os
import sys
from pathlib import Path
from types import ModuleType

if not __package__:
    sys.path.insert(0, str(Path(__file__).resolve().parents[1]))

STAMP = "whole"  # of the environment, as launcher/environment.py has it
IN_USE = "ZOLVEK_IN_USE"  # the handle by which the launcher's start holds it
AGAIN = "ZOLVEK_REBUILT"  # once is enough: then it is something else


def damaged(error: Exception) -> bool:
    """Whether the error is of the environment's own packages, and not of a library of the system."""
    if isinstance(error, AttributeError):  # a package without its first file is an empty module
        module = error.obj
        return isinstance(module, ModuleType) and not module.__name__.startswith("zolvek")
    if "cannot open shared object file" in str(error):
        return False
    name = (error.name or "").split(".")[0] if isinstance(error, ImportError) else ""
    where = getattr(error, "path", None) or getattr(error, "filename", None) or ""
    return name not in ("", "zolvek") or where.startswith(sys.prefix)


def remake(launcher: str, error: Exception, handle: str | None) -> None:
    """Have the launcher make the environment again, and start from there."""
    print(f"zolvek: The environment is damaged ({error}); it is made again.", file=sys.stderr)
    (Path(sys.prefix) / STAMP).unlink(missing_ok=True)
    if handle is not None:
        with contextlib.suppress(OSError, ValueError):
            os.close(int(handle))
    os.environ[AGAIN] = "1"
    os.execv(launcher, [launcher, *sys.argv[1:]])


def run() -> None:
    handle = os.environ.pop(IN_USE, None)
    try:
        from zolvek.cli import main

        main()
    except (ImportError, SyntaxError, AttributeError) as error:
        launcher = os.environ.get("ZOLVEK_LAUNCHER")
        if not launcher or os.environ.get(AGAIN) or not damaged(error):
            raise
        remake(launcher, error, handle)


if __name__ == "__main__":
    run()
