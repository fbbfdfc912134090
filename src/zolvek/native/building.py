# SPDX-License-Identifier: GPL-3.0-or-later
"""C sources of this package, built by the system's compiler when they are first needed, and kept: next to the sources
where that can be written, else in the person's cache. What is kept is named after all that it was made of."""

from __future__ import annotations

import ctypes
import os
from collections.abc import Sequence
from functools import lru_cache
from hashlib import sha256
from pathlib import Path

SOURCES = Path(__file__).parent
# No sum is fused or reordered: results are the same on every machine.
FLAGS = ("-std=gnu11", "-O2", "-fPIC", "-shared", "-ffp-contract=off", "-fno-strict-aliasing", "-Wall", "-Werror")
COMPILERS = ("cc", "gcc", "clang")
TIMEOUT_S = 60.0
HOW_TO_HAVE_IT = "Install a C compiler: apt install gcc libc6-dev"


class NotBuilt(OSError):
    """There is no compiler, or it failed; its message says which."""


@lru_cache(maxsize=8)
def library(name: str, sources: tuple[str, ...], header: str = "") -> ctypes.CDLL:
    """The library of some sources, loaded; `header`: what they include as "layout.h". Raises NotBuilt."""
    try:
        return ctypes.CDLL(str(built(name, sources, header)), mode=os.RTLD_NOW | os.RTLD_LOCAL)
    except NotBuilt:
        raise
    except OSError as error:
        raise NotBuilt(f"What was built can't be loaded: {error}") from error


def built(name: str, sources: Sequence[str], header: str = "") -> Path:
    """The library's file, built where it is not there yet. Raises NotBuilt."""
    own = [SOURCES / source for source in sources]
    headers = sorted(SOURCES.glob("*.h"))
    parts = [path.read_bytes() for path in (*own, *headers)]
    parts += [header.encode(), " ".join(FLAGS).encode(), _system().encode()]
    key = sha256(b"\0".join(parts)).hexdigest()[:16]
    file = f"{name}-{key}.so"
    folders = (SOURCES / "built", _cache())
    for folder in folders:
        if (folder / file).is_file():
            return folder / file
    for folder in folders:
        try:
            folder.mkdir(parents=True, exist_ok=True)
            return _build(folder / file, own, header)
        except NotBuilt:
            raise
        except OSError:
            continue
    raise NotBuilt(f"No folder to build in: {folders[-1]} can't be written.")


def _build(target: Path, sources: list[Path], header: str) -> Path:
    import shutil  # what is needed once is not loaded at every start
    import subprocess
    import tempfile

    compiler = next((found for name in COMPILERS if (found := shutil.which(name))), None)
    if compiler is None:
        raise NotBuilt(f"There is no C compiler. {HOW_TO_HAVE_IT}.")
    with tempfile.TemporaryDirectory(dir=target.parent, prefix=".build-") as name:
        folder = Path(name)
        (folder / "layout.h").write_text(header)
        out = folder / target.name
        include = [f"-I{folder}", f"-I{SOURCES}"]
        command = [compiler, *FLAGS, *include, *map(str, sources), "-o", str(out), "-lm"]
        try:
            done = subprocess.run(command, capture_output=True, text=True, timeout=TIMEOUT_S, check=False)
        except subprocess.TimeoutExpired as error:
            raise NotBuilt(f"The C compiler took more than {TIMEOUT_S:.0f} s.") from error
        if done.returncode:
            lines = [line for line in done.stderr.splitlines() if "error" in line] or done.stderr.splitlines()
            raise NotBuilt(f"The C compiler failed: {lines[0] if lines else 'no reason given'}. {HOW_TO_HAVE_IT}.")
        os.replace(out, target)
    return target


def _system() -> str:
    """The machine and the C library that it is built for: another machine may see the same folder."""
    try:
        libc = os.confstr("CS_GNU_LIBC_VERSION") or ""
    except (OSError, ValueError):
        libc = ""
    return f"{os.uname().machine}-{libc}"


def _cache() -> Path:
    base = os.environ.get("XDG_CACHE_HOME") or os.path.expanduser("~/.cache")
    return Path(base) / "zolvek" / "native"
