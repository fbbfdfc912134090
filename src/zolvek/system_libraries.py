# SPDX-License-Identifier: GPL-3.0-or-later
"""Which system libraries the program loads, and what they are needed for.

The rows were found by looking (the NEEDED entries of the locked packages' shared objects and of the
plugins they load); tests/test_launcher.py looks again, so that a new dependency brings no new gap. The
launcher asks before anything is installed, so this is the standard library alone.
"""

from __future__ import annotations

import os
import re
import shutil
import subprocess
from collections.abc import Iterable

# What can't be done without them, as it is said to a person.
ALWAYS, SOUND, WINDOW = "Zolvek", "sound", "the window"

# What needs it -> library -> the Debian packages that bring it, the first that there is: some names
# changed when Debian's time became 64 bits wide.
LIBRARIES: dict[str, dict[str, tuple[str, ...]]] = {
    ALWAYS: {
        "libstdc++.so.6": ("libstdc++6",),
        "libgcc_s.so.1": ("libgcc-s1",),
        "libz.so.1": ("zlib1g",),
    },
    SOUND: {
        "libatomic.so.1": ("libatomic1",),
    },
    WINDOW: {
        # Qt itself
        "libEGL.so.1": ("libegl1",),
        "libGL.so.1": ("libgl1",),
        "libX11.so.6": ("libx11-6",),
        "libdbus-1.so.3": ("libdbus-1-3",),
        "libfontconfig.so.1": ("libfontconfig1",),
        "libfreetype.so.6": ("libfreetype6",),
        "libglib-2.0.so.0": ("libglib2.0-0t64", "libglib2.0-0"),
        "libgthread-2.0.so.0": ("libglib2.0-0t64", "libglib2.0-0"),
        "libxkbcommon.so.0": ("libxkbcommon0",),
        "libzstd.so.1": ("libzstd1",),
        # its plugin for X11
        "libX11-xcb.so.1": ("libx11-xcb1",),
        "libxcb.so.1": ("libxcb1",),
        "libxcb-cursor.so.0": ("libxcb-cursor0",),
        "libxcb-glx.so.0": ("libxcb-glx0",),
        "libxcb-icccm.so.4": ("libxcb-icccm4",),
        "libxcb-image.so.0": ("libxcb-image0",),
        "libxcb-keysyms.so.1": ("libxcb-keysyms1",),
        "libxcb-randr.so.0": ("libxcb-randr0",),
        "libxcb-render.so.0": ("libxcb-render0",),
        "libxcb-render-util.so.0": ("libxcb-render-util0",),
        "libxcb-shape.so.0": ("libxcb-shape0",),
        "libxcb-shm.so.0": ("libxcb-shm0",),
        "libxcb-sync.so.1": ("libxcb-sync1",),
        "libxcb-util.so.1": ("libxcb-util1",),
        "libxcb-xfixes.so.0": ("libxcb-xfixes0",),
        "libxcb-xkb.so.1": ("libxcb-xkb1",),
        "libxkbcommon-x11.so.0": ("libxkbcommon-x11-0",),
        # its plugins for Wayland
        "libwayland-client.so.0": ("libwayland-client0",),
        "libwayland-cursor.so.0": ("libwayland-cursor0",),
        "libwayland-egl.so.1": ("libwayland-egl1",),
        "libdrm.so.2": ("libdrm2",),
        # its sound output
        "libpulse.so.0": ("libpulse0",),
        "libbrotlidec.so.1": ("libbrotli1",),
        "libgssapi_krb5.so.2": ("libgssapi-krb5-2",),
        "libXext.so.6": ("libxext6",),
        "libXrandr.so.2": ("libxrandr2",),
        "libbz2.so.1": ("libbz2-1.0",),
        # MIDI ports
        "libasound.so.2": ("libasound2t64", "libasound2"),
    },
}

# What builds the loops in C: without it they are slower, and JACK can't be used.
COMPILER: list[tuple[str, ...]] = [("gcc",), ("libc6-dev",)]
COMPILERS = ("cc", "gcc", "clang")

# What a window can do without, and says so: fetched along with what it can't. LV2 plugins need the first, other
# programs next to it through JACK the second.
WELCOME: list[tuple[str, ...]] = [("liblilv-0-0",), ("libjack-jackd2-0",)]

# Brought by the system itself (glibc), wherever Python runs.
SYSTEM = {
    "libc.so.6", "libm.so.6", "libdl.so.2", "libpthread.so.0", "librt.so.1", "libmvec.so.1",
    "libresolv.so.2", "ld-linux-x86-64.so.2", "ld-linux-aarch64.so.1",
}  # fmt: skip

# Command -> what it needs besides; those not named need nothing more.
WINDOW_COMMANDS = {"", "demo", "open", "test", "bench", "shots"}
OPENED = (".zolvek", ".zip")  # files that are opened when they are named alone
SOUND_COMMANDS = WINDOW_COMMANDS | {"render"}
QUIET = {**os.environ, "DEBIAN_FRONTEND": "noninteractive", "LC_ALL": "C"}
FOLDERS = ("/lib", "/usr/lib", "/lib64", "/usr/lib64", "/usr/local/lib")


def needs(arguments: list[str]) -> list[str]:
    """What a command line needs, of LIBRARIES."""
    command = arguments[0] if arguments else ""
    if command in ("-h", "--help", "--version") or {"-h", "--help"} & set(arguments[1:]):
        return [ALWAYS]
    opens = command in WINDOW_COMMANDS or command.lower().endswith(OPENED) or os.path.isfile(command)
    shows = opens and not any(each.split("=")[0] == "--write" for each in arguments)
    png = command == "picture" and any(each.lower().endswith(".png") for each in arguments)
    wanted = [(ALWAYS, True), (SOUND, shows or command in SOUND_COMMANDS), (WINDOW, shows or png)]
    if command == "demo" and not shows:
        return [ALWAYS]
    return [name for name, on in wanted if on]


def known() -> str | None:
    """The names of the libraries that the system's loader knows; None where it can't be asked."""
    tool = shutil.which("ldconfig") or "/sbin/ldconfig"
    try:
        done = subprocess.run([tool, "-p"], capture_output=True, text=True, check=True)
    except (OSError, subprocess.CalledProcessError):
        return None  # not a glibc system: the libraries say themselves what they lack
    return done.stdout


def missing(wanted: Iterable[str]) -> dict[str, list[tuple[str, ...]]]:
    """What needs it -> the packages (each one of several names) of the libraries that are not there."""
    there = known()
    if there is None:
        return {}
    names = {line.split()[0] for line in there.splitlines()[1:] if line.strip()}
    found: dict[str, list[tuple[str, ...]]] = {}
    for need in wanted:
        for name, packages in LIBRARIES[need].items():
            if name in names or _in_a_folder(name) or packages in found.get(need, []):
                continue
            found.setdefault(need, []).append(packages)
    return found


def _in_a_folder(name: str) -> bool:
    """Whether a library that the loader's table does not name (one whose own name differs from its
    file's) lies in a folder that the loader looks into."""
    machine = os.uname().machine
    return any(
        os.path.exists(os.path.join(folder, *below, name))
        for folder in FOLDERS
        for below in ((), (f"{machine}-linux-gnu",))
    )


def apt_names(packages: Iterable[tuple[str, ...]]) -> list[str]:
    """Of each package's names the first that this system's lists can give."""
    rows = list(packages)
    tool = shutil.which("apt-cache")
    output = ""
    if tool:
        asked = [tool, "policy", *{name for each in rows for name in each}]
        output = subprocess.run(asked, capture_output=True, text=True, check=False, env=QUIET).stdout
    there = set(re.findall(r"^(\S+):\n  Installed: .*\n  Candidate: (?!\(none\))", output, re.M))
    return sorted({next((name for name in each if name in there), each[-1]) for each in rows})


def lack(arguments: list[str]) -> str:
    """What a command line lacks and the command that brings it, in one line; empty when nothing is missing."""
    lacking = missing(needs(arguments))
    if not lacking:
        return ""
    rows = [each for packages in lacking.values() for each in packages] + (WELCOME if WINDOW in lacking else [])
    names = " ".join(apt_names(rows))
    return (
        f"System libraries for {', '.join(lacking)} are missing. "
        f"On Debian and Ubuntu: `sudo apt-get install -y --no-install-recommends {names}`."
    )


def lacks_compiler() -> bool:
    """Whether there is no C compiler, or not what it needs."""
    headers = os.path.exists("/usr/include/stdio.h")
    return not headers or not any(shutil.which(name) for name in COMPILERS)
