# SPDX-License-Identifier: GPL-3.0-or-later
"""Debian packages: installed as root, asked for otherwise."""

from __future__ import annotations

import os
import shutil
import subprocess

from launcher.output import say, stop
from zolvek.system_libraries import QUIET, apt_names


def may_install() -> bool:
    return os.geteuid() == 0 and bool(shutil.which("apt-get"))


def install(packages: list[tuple[str, ...]], why: str) -> None:
    """Install them, or say the one command that does, and stop."""
    if not may_install():
        names = " ".join(apt_names(packages))
        stop(
            f"{why}: system packages are missing. Run this once, then start again:\n"
            f"  sudo apt-get install -y --no-install-recommends {names}"
        )
    subprocess.run(["apt-get", "update", "-q"], check=False, capture_output=True, env=QUIET)
    names_ = apt_names(packages)
    say(f"Installing system packages for {why[0].lower() + why[1:]}: {' '.join(names_)}")
    command = ["apt-get", "install", "-y", "--no-install-recommends", *names_]
    waiting = ["-o", "DPkg::Lock::Timeout=600"]  # seconds, for another program that installs
    done = subprocess.run([*command, *waiting], check=False, capture_output=True, text=True, env=QUIET)
    if done.returncode:
        last = [line for line in done.stderr.splitlines() if line.startswith("E:")]
        stop(
            f"The packages could not be installed: {last[-1][2:].strip() if last else 'apt-get failed'}\n"
            f"Try by hand:\n  {' '.join(command)}"
        )
