# SPDX-License-Identifier: GPL-3.0-or-later
"""Asks the user for paths: the folder to start in, and the suggested name."""

from __future__ import annotations

from pathlib import Path

from zolvek.core.edits.edit_scope import counted
from zolvek.formats.project.own_files import need_other
from zolvek.formats.project.project_file import SUFFIX
from zolvek.storage import folders
from zolvek.studio.session.asking import Ask
from zolvek.studio.session.document import Document

# Suffix -> others that a file of its kind may have.
SIBLINGS = {".mid": (".midi",), ".wav": (".flac",), ".flac": (".wav",), ".svg": (".png",)}


def folder(document: Document) -> str:
    """The project's folder, else the person's own."""
    return str(document.path.parent if document.path else folders.home())


def to_write(document: Document, ask: Ask, title: str, suffix: str, kinds: str) -> Path | None:
    """Ask where to write what is made of the project, under its name to begin with."""
    stem = document.path.stem if document.path else document.project.name
    path = ask.path_to_write(title, str(Path(folder(document)) / f"{stem}{suffix}"), kinds)
    if path is None:
        return None
    whole = with_suffix(path, suffix)
    if suffix != SUFFIX:
        need_other([whole], document.project, document.path)
    # The system's dialog has asked about the name that was typed, not about the one with its suffix.
    if whole != path and whole.exists() and not ask.confirm(f"Replace {whole.name}?", str(whole.parent)):
        return None
    return whole


def with_suffix(path: Path, suffix: str) -> Path:
    """The path with `suffix`, where it has none of its kind."""
    known = path.suffix.lower() in {suffix, *SIBLINGS.get(suffix, ())}
    return path if known else path.with_name(path.name + suffix)


def may_replace(document: Document, ask: Ask, asked: Path, files: list[Path]) -> bool:
    """Whether files that are there may be replaced: one question for all of them. For the one that was
    named the question has been put already. Raises ZolvekError for the project's own."""
    need_other(files, document.project, document.path)
    there = [file for file in files if file != asked and file.exists()]
    names = ", ".join(item.name for item in there)
    return not there or ask.confirm(
        f"Replace {counted(len(there), 'file')} in {asked.parent.name or asked.parent}?",
        f"{names}.",
    )
