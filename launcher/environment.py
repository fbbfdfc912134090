# SPDX-License-Identifier: GPL-3.0-or-later
"""The private environment: made next to its place and put there when it is whole.

What is half made or damaged is never used: it is noticed by its stamp, or by what of it is missing,
and made again; one that a program runs from never is.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import importlib.util
import os
import pwd
import re
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import NoReturn

from launcher.output import say, stop

STAMP = "whole"
VENV = (f"python3.{sys.version_info.minor}-venv", "python3-venv")  # Debian's package of what makes environments
IN_USE = "pyvenv.cfg"  # locked, shared, by what runs from the environment
FULL_BYTES = 32_000_000  # less than that is left by an installation that did not fit

# What a failing step prints -> what it means and what to do, in one sentence; the first that fits.
FAULTS = (
    (
        r"No space left on device|Errno 28|Disk quota exceeded",
        "The disk is full: make about 1.5 GB of room at {place}, then start again.",
    ),
    (
        r"Permission denied|Read-only file system|Errno 13|Errno 30",
        "The folder can't be written: give yourself write permission to {place}, then start again.",
    ),
    (
        r"Failed to establish a new connection|Temporary failure in name resolution|Name or service not known|"
        r"Network is unreachable|Connection refused|Connection reset|timed out|Max retries exceeded|"
        r"ProxyError|SSLError|ConnectionError",
        "The package index can't be reached: see that the network is there, then start again.",
    ),
    (
        r"No matching distribution found for (?P<what>\S+)",
        "The package {what} can't be had for Python {python} on {machine}: use CPython 3.11 to 3.13 on "
        "x86-64 or aarch64, or an index that has it.",
    ),
    (
        r"No module named '?(?P<what>venv|ensurepip)",
        "Python's module {what} is missing: run `sudo apt-get install python3-venv`, then start again.",
    ),
)


def folder(root: Path) -> Path:
    """Where the environment of this checkout is: in it, else, where that can't be written or bears a
    colon (which no environment may), in the person's cache."""
    if os.access(root, os.W_OK) and os.pathsep not in str(root):
        return root / ".venv"
    mark = hashlib.sha256(os.fsencode(root)).hexdigest()[:12]
    cache = os.environ.get("XDG_CACHE_HOME") or str(home() / ".cache")
    return Path(cache) / "zolvek" / f"env-{mark}"


def home() -> Path:
    """The person's home; stops with a word where there is none, or it is another program's."""
    name = os.environ.get("HOME", "")
    if not name:
        try:
            name = pwd.getpwuid(os.geteuid()).pw_dir
        except KeyError:
            name = ""
    if not name or not os.path.isdir(name):
        stop(
            f"There is no home folder ({f'HOME is {name!r}' if name else 'HOME is not set'}): set HOME to a "
            "folder of yours, or make the checkout's folder writable, then start again."
        )
    if not os.access(name, os.W_OK):
        stop(
            f"The home folder {name} can't be written by you: set HOME to a folder of yours "
            "(`sudo -H` does), then start again."
        )
    return Path(name)


def mark(lock: Path, place: Path, where: Path | None = None) -> str:
    """What a list's packages were installed from: the list, the environment's place and its own Python.
    `where`: where the environment is until it comes to its place.

    That Python is named by its file and its ABI, not by the build of whichever Python runs the launcher: a
    security update of the system's Python leaves the environment whole.
    """
    parts = [*interpreter(where or place), os.fsencode(place), lock.read_bytes()]
    return hashlib.sha256(b"\0".join(parts)).hexdigest()


def interpreter(place: Path) -> tuple[bytes, bytes]:
    """The file of the environment's Python, links followed, and its ABI as the folder of its packages names it.
    Raises OSError where there is none."""
    python = os.path.realpath(place / "bin" / "python", strict=True)
    return os.fsencode(python), os.fsencode(packages_folder(place).parent.name)


def packages_folder(place: Path) -> Path:
    """Where its packages are. Raises OSError where there is no such folder, or several."""
    folders = list(place.glob("lib/python*/site-packages"))
    if len(folders) != 1:
        raise FileNotFoundError(f"{place}: {len(folders)} folders of packages")
    return folders[0]


def pinned(locks: list[Path]) -> list[tuple[str, str]]:
    """Name and version of every package that the lists name."""
    lines = (line.split("#")[0].strip() for lock in locks for line in lock.read_text().splitlines())
    rows = [line.split("==") for line in lines if line]
    return [(re.sub(r"[-_.]+", "_", name).lower(), version) for name, version in rows]


def whole(place: Path, locks: list[Path]) -> bool:
    """Whether all that the lists name is there: by its stamp, its Python, and each package's own list."""
    python = place / "bin" / "python"
    try:
        marks = (place / STAMP).read_text().split()
        if not all(mark(lock, place) in marks for lock in locks):
            return False
        lib = packages_folder(place)
        there = {
            re.sub(r"[-_.]+", "_", name.removesuffix(".dist-info").rsplit("-", 1)[0]).lower()
            for name in os.listdir(lib)
            if name.endswith(".dist-info") and (lib / name / "RECORD").exists()
        }
    except (OSError, UnicodeDecodeError):
        return False
    return os.access(python, os.X_OK) and all(name in there for name, _ in pinned(locks))


def ready(root: Path, locks: list[Path]) -> Path:
    """The environment's Python, with every package that the lists name in it."""
    place = folder(root)
    if not whole(place, locks):
        with alone(place):
            if not whole(place, locks):
                _make(place, locks)
    elif any(os.path.lexists(left) for left in _leftovers(place)):
        with alone(place):
            _sweep(place)
    return place / "bin" / "python"


def hold(place: Path) -> int | None:
    """Say that the environment is in use, for as long as this process, or what is executed in its place, lives.
    Returns the handle that says so."""
    try:
        handle = os.open(place / IN_USE, os.O_RDONLY)
        fcntl.flock(handle, fcntl.LOCK_SH | fcntl.LOCK_NB)
    except OSError:
        return None
    os.set_inheritable(handle, True)
    return handle


def in_use(place: Path) -> bool:
    """Whether a program runs from it."""
    try:
        handle = os.open(place / IN_USE, os.O_RDONLY)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(handle)
    return False


def _leftovers(place: Path) -> tuple[Path, Path]:
    """What a set-up that was killed may have left."""
    return place.with_name(f"{place.name}.new"), place.with_name(f"{place.name}.old")


def _sweep(place: Path) -> None:
    for left in _leftovers(place):
        with contextlib.suppress(OSError):
            _remove(left)


@contextlib.contextmanager
def alone(place: Path) -> Iterator[None]:
    """Only one start at a time sets up; the others wait for it."""
    try:
        place.parent.mkdir(parents=True, exist_ok=True)
        handle = os.open(place.with_name(place.name + ".lock"), os.O_RDWR | os.O_CREAT | os.O_NOFOLLOW, 0o600)
    except OSError as error:
        _fail(place, f"{error} Errno {error.errno}")
    try:
        try:
            fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            say("Another start is setting up; waiting for it.")
            fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def _make(place: Path, locks: list[Path]) -> None:
    """Add what an environment lacks, or make one next to its place and put it there. Whatever ends it, nothing
    half made is ever used."""
    wanted = [lock for lock in locks if not whole(place, [lock])]
    began = time.monotonic()
    signal.signal(signal.SIGTERM, lambda *_: sys.exit(143))
    try:
        if len(wanted) < len(locks):
            # Packages come next to those that are there: what runs from it goes on.
            _install(place, wanted, place)
            _stamp(place, place, [lock for lock in locks if lock not in wanted] + wanted)
        else:
            _make_whole(place, locks)
        say(f"Ready after {time.monotonic() - began:.0f} s.")
    except OSError as error:
        _fail(place, f"{error} Errno {error.errno}")
    except KeyboardInterrupt:
        stop("Stopped; nothing half made was left. The next start sets up again.", 130)
    finally:
        _sweep(place)


def _make_whole(place: Path, locks: list[Path]) -> None:
    """Raises OSError."""
    if in_use(place):
        stop(
            f"The environment in {place} has to be made again, and a program runs from it: close that, then "
            "start again."
        )
    _need_venv()
    new, old = _leftovers(place)
    for left in (new, old):
        _remove(left)
    size = 540 if len(locks) == 1 else 650
    say(
        f"The environment in {place} is not whole, or for other packages: making it again."
        if place.exists()
        else f"Setting up a private environment in {place} (once: about a minute, {size} MB)."
    )
    _run([sys.executable, "-I", "-m", "venv", str(new)], place)
    _install(new, locks, place)
    _settle(new, place)
    _stamp(new, place, locks)
    if os.path.lexists(place):
        os.rename(place, old)
    os.rename(new, place)


def _install(into: Path, locks: list[Path], place: Path) -> None:
    """The lists' packages, into an environment that is, or will be, at `place`."""
    names = " and ".join(lock.name for lock in locks)
    say(f"Installing the {len(pinned(locks))} packages of {names}.")
    pip = [str(into / "bin" / "python"), "-I", "-m", "pip", "install", "-q", "--no-deps"]
    options = ["--disable-pip-version-check", "--no-input", "--no-warn-script-location"]
    _run([*pip, *options, *(word for lock in locks for word in ("-r", str(lock)))], place)


def _stamp(where: Path, place: Path, locks: list[Path]) -> None:
    """Say last, and at once, what is in it."""
    beside = where / f"{STAMP}.new"
    beside.write_text("\n".join(mark(lock, place, where) for lock in locks) + "\n")
    os.replace(beside, where / STAMP)


def _remove(path: Path) -> None:
    if path.is_symlink() or path.is_file():
        path.unlink()
    elif path.exists():
        shutil.rmtree(path)


def _settle(new: Path, place: Path) -> None:
    """Let the scripts name the place that the environment will have."""
    for script in (new / "bin").iterdir():
        if script.is_file() and not script.is_symlink():
            data = script.read_bytes()
            settled = data.replace(os.fsencode(new), os.fsencode(place))
            if settled != data:  # it may be linked: the other one stays as it is
                beside = script.with_name(script.name + ".settled")
                beside.write_bytes(settled)
                shutil.copymode(script, beside)
                os.replace(beside, script)


def lacks_venv() -> bool:
    """Whether this Python can't make an environment."""
    importlib.invalidate_caches()
    return not (importlib.util.find_spec("venv") and importlib.util.find_spec("ensurepip"))


def _need_venv() -> None:
    if lacks_venv():
        stop("Python's venv module is missing: run `sudo apt-get install -y python3-venv`, then start again.")


def _run(command: list[str], place: Path) -> None:
    """Run a step; where it fails, say why and what to do."""
    clean = {
        name: value
        for name, value in os.environ.items()
        if not name.startswith("PYTHON") and name != "__PYVENV_LAUNCHER__"
    }
    done = subprocess.run(
        command, capture_output=True, text=True, errors="replace", check=False, env={**clean, "LC_ALL": "C.UTF-8"}
    )
    if done.returncode:
        if done.returncode == -signal.SIGINT:
            raise KeyboardInterrupt
        _fail(place, done.stderr + done.stdout)


def fault(output: str, place: Path) -> str:
    """What a failed step means, and what to do about it, in one sentence."""
    if _full(place) and not re.search(FAULTS[0][0], output):
        output = "No space left on device"  # not every step says so itself
    for pattern, sentence in FAULTS:
        found = re.search(pattern, output)
        if found:
            words = {
                "place": place.parent, "python": sys.version.split()[0], "machine": os.uname().machine,
                "what": "", **found.groupdict(),
            }  # fmt: skip
            return sentence.format(**words)
    last = [line.strip() for line in output.splitlines() if line.strip()]
    errors = [line for line in last if line.lower().startswith("error")] or last or ["no reason given"]
    return f"The environment could not be set up ({errors[-1]}): put that right, then start again."


def _full(place: Path) -> bool:
    """Whether there is next to no room where the environment is made."""
    there = next((each for each in place.parents if each.is_dir()), Path("/"))
    return shutil.disk_usage(there).free < FULL_BYTES


def _fail(place: Path, output: str) -> NoReturn:
    stop(fault(output, place))
