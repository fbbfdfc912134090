# SPDX-License-Identifier: GPL-3.0-or-later
"""From a command line to the running program: environment, system libraries, then the program."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import NoReturn

from launcher import environment, packages
from launcher.output import say, stop
from zolvek import system_libraries as libraries

DEVELOPER_COMMANDS = {"test", "check", "bench", "shots"}
OLDEST = (3, 11)
IN_USE = "ZOLVEK_IN_USE"  # of the environment: the handle that says that it is in use

JUCE = "/usr/share/juce/modules"
# Program or file that the tests check against where it is there -> Debian package that brings it.
TEST_TOOLS = {
    "cc": "gcc",
    "c++": "g++",
    "/usr/include/stdio.h": "libc6-dev",
    "/usr/share/doc/libebur128-1": "libebur128-1",
    "fluidsynth": "fluidsynth",
    "/usr/share/sounds/sf2/TimGM6mb.sf2": "timgm6mb-soundfont",
    "desktop-file-validate": "desktop-file-utils",
    "appstreamcli": "appstream",
    "Xvfb": "xvfb",
    "weston": "weston",
    "dbus-daemon": "dbus-daemon",
    "/usr/share/dbus-1/session.conf": "dbus-session-bus-common",
    "/usr/libexec/at-spi-bus-launcher": "at-spi2-core",
    "jackd": "jackd2",
    "pipewire": "pipewire",
    "pw-jack": "pipewire-jack",
    "lv2apply": "lilv-utils",
    "/usr/lib/lv2/mda.lv2/manifest.ttl": "mda-lv2",
    "/usr/lib/lv2/fomp.lv2/manifest.ttl": "fomp",
    "/usr/lib/lv2/eg-amp.lv2/manifest.ttl": "lv2-examples",
    f"{JUCE}/juce_audio_processors/format_types/VST3_SDK/pluginterfaces/base/funknown.h": "juce-modules-source-data",
}


def main(root: Path, arguments: list[str]) -> NoReturn:
    """Run the program, in this process's place, with what it needs set up before."""
    if sys.version_info < OLDEST:
        stop(f"Zolvek needs Python 3.11 or newer; this is {sys.version.split()[0]}.")
    if "\n" in str(root):
        stop(f"The checkout's folder has a line break in its name ({str(root)!r}): rename it, then start again.")
    command = arguments[0] if arguments else ""
    developing = command in DEVELOPER_COMMANDS
    locks = [root / "requirements.lock"]
    if developing:
        locks.append(root / "requirements-dev.lock")
    place = environment.folder(root)
    _system_packages(place, arguments, locks)
    python = environment.ready(root, locks)
    _build_loops(root, python)
    handle = environment.hold(place)
    if handle is not None:
        os.environ[IN_USE] = str(handle)
    os.environ["ZOLVEK_LAUNCHER"] = str(root / "zolvek")
    entry = root / "benchmarks" / "tasks.py" if developing else root / "src" / "zolvek" / "__main__.py"
    # Isolated: neither the current folder nor PYTHON… variables bring in code of others.
    os.execv(python, [str(python), "-I", str(entry), *arguments])


def _build_loops(root: Path, python: Path) -> None:
    """Once, while it is set up: what is built later, after a change, takes a second."""
    native = root / "src" / "zolvek" / "native"
    if libraries.lacks_compiler() or not os.access(native, os.W_OK) or any(native.glob("built/*.so")):
        return
    subprocess.run([str(python), "-I", str(root / "launcher" / "build_loops.py")], check=False, capture_output=True)


def _lacking(place: Path, arguments: list[str], locks: list[Path]) -> tuple[list[tuple[str, ...]], list[str]]:
    """The system packages that are not there (each one of several names), and what needs them."""
    rows: list[tuple[str, ...]] = []
    why = []
    if not environment.whole(place, locks) and environment.lacks_venv():
        rows.append(environment.VENV)
        why.append("the private environment")
    lacking = libraries.missing(libraries.needs(arguments))
    for need, packages_of in lacking.items():
        rows += packages_of
        why.append(need)
    if libraries.WINDOW in lacking:
        rows += libraries.WELCOME
    if packages.may_install() and libraries.lacks_compiler():  # without it all is there, and slower
        rows += libraries.COMPILER
        why.append("faster sound")
    return rows, why


def _system_packages(place: Path, arguments: list[str], locks: list[Path]) -> None:
    """Install, or name in one command, all system packages that a command line needs, before anything is made."""
    tests = arguments[:1] == ["test"]
    rows, why = _lacking(place, arguments, locks)
    tools = _lacking_tools() if tests else []
    if tools and not rows and not packages.may_install():
        say(f"Tests that need these Debian packages will be skipped: {', '.join(tools)}")
        return
    if not rows and not tools:
        return
    if not packages.may_install():
        packages.install([*rows, *((name,) for name in tools)], _named(why, tools))  # says the command, and stops
    with environment.alone(place):
        rows, why = _lacking(place, arguments, locks)  # another start may have done it
        tools = _lacking_tools() if tests else []
        if rows or tools:
            packages.install([*rows, *((name,) for name in tools)], _named(why, tools))


def _named(why: list[str], tools: list[str]) -> str:
    text = " and ".join([*why, *(["the tests"] if tools else [])])
    return text[0].upper() + text[1:]


def _lacking_tools() -> list[str]:
    return sorted({package for name, package in TEST_TOOLS.items() if not (shutil.which(name) or os.path.exists(name))})
