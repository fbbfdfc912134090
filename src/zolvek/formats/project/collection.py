# SPDX-License-Identifier: GPL-3.0-or-later
"""A project with its sounds in one folder, or in one `.zip`, that opens anywhere."""

from __future__ import annotations

import contextlib
import os
import secrets
import shutil
import stat
import time
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path, PurePosixPath

from zolvek.core.edits.chains import own_sound_files, with_file_found
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project
from zolvek.formats.audio.sound_content import with_contents
from zolvek.formats.audio.streams import opened as open_sound
from zolvek.formats.project import project_file
from zolvek.storage.atomic import written
from zolvek.storage.file_names import file_names
from zolvek.storage.opening import opened

SOUNDS = "sounds"
PIECE_BYTES = 1 << 20  # bytes copied between words of progress
LARGEST_BYTES = 64 << 30  # bytes that an archive may hold
MOST_FILES = 10_000
Progress = Callable[[int, int], object]
ROOM_LEFT_BYTES = 64 << 20  # bytes that stay free when an archive is unpacked
# What a damaged archive may come to.
DAMAGE = (
    zipfile.BadZipFile, zipfile.LargeZipFile, zlib.error, NotImplementedError, RuntimeError, EOFError, ValueError,
)  # fmt: skip
Named = str | os.PathLike[str]
COPIED = "The audio files can't be collected"


class OutsideFiles(ZolvekError):
    """Sounds lie where nobody would expect a project's: they are packed only when that is said."""


def collected(
    project: Project, path: Named, progress: Progress | None = None, folder: Path | None = None, anywhere: bool = False
) -> list[Path]:
    """Write the project and all of its own sounds: into a `.zip`, or a new folder of that name. Returns
    what was written. Only what can be read as sound goes in, and, unless `anywhere`, only from `folder`, the project's
    own, and from the home. Raises ZolvekError naming what can't be read or written, OutsideFiles for the latter; then
    nothing is."""
    target = Path(path)
    inside, files = _packed(project, folder, anywhere)
    name = target.stem if target.suffix.lower() == ".zip" else target.name
    counter = _ProgressCounter(files, progress)
    if target.suffix.lower() == ".zip":

        def write(temporary: Path) -> None:
            with zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED) as archive:
                for source, short in files:
                    # Sound hardly gets smaller; a day's stems need not wait for it.
                    about = zipfile.ZipInfo(f"{SOUNDS}/{short}", time.localtime()[:6])
                    with (
                        opened(source) as sound,
                        archive.open(about, "w", force_zip64=True) as out,
                    ):
                        _copy(sound, out, counter)
                archive.writestr(f"{name}{project_file.SUFFIX}", project_file.encode(inside))

        return [written(target, write)]
    return _into_folder(target, name, inside, files, counter)


def _into_folder(
    target: Path, name: str, inside: Project, files: list[tuple[str, str]], counter: _ProgressCounter
) -> list[Path]:
    if target.exists():
        raise ZolvekError("This name is already in use.", str(target), "Choose another name.")
    try:
        temporary = _new_folder(target.resolve().parent)
    except OSError as error:
        raise Failure(f"{COPIED}: {error.strerror}.", str(target), "Choose another folder.") from error
    try:
        (temporary / SOUNDS).mkdir()
        for source, short in files:
            with opened(source) as sound, open(temporary / SOUNDS / short, "wb") as out:
                _copy(sound, out, counter)
        (temporary / f"{name}{project_file.SUFFIX}").write_bytes(project_file.encode(inside))
        os.rename(temporary, target)
    except OSError as error:
        raise Failure(
            f"{COPIED}: {error.strerror}.", str(error.filename or target), "Free some space, or choose another folder."
        ) from error
    finally:
        shutil.rmtree(temporary, ignore_errors=True)
    return [target]


def _new_folder(parent: Path) -> Path:
    """A folder that nobody else has, with the rights that new folders get."""
    folder = parent / f".zolvek-{secrets.token_hex(6)}"
    folder.mkdir()
    return folder


def _packed(project: Project, folder: Path | None, anywhere: bool) -> tuple[Project, list[tuple[str, str]]]:
    """The project with its sounds named inside the folder, and each file with its name there."""
    project = with_contents(project)
    names = own_sound_files(project)
    for name in names:
        try:
            open_sound(name).close()
        except Failure as error:
            raise Failure(error.what, error.where, "Find the missing audio files first, then collect.") from error
    outside = [name for name in names if not (anywhere or _expected(name, folder))]
    if outside:
        noun = "An audio file is" if len(outside) == 1 else f"{len(outside)} audio files are"
        raise OutsideFiles(
            f"{noun} outside the project's folder and your home.",
            ", ".join(outside),
            "Collect with --anywhere to include them.",
        )
    short = file_names(Path(name).stem for name in names)
    files = [(n, f"{s}{Path(n).suffix.lower()}") for n, s in zip(names, short, strict=True)]
    for name, inside in files:
        project = with_file_found(project, name, f"{SOUNDS}/{inside}")
    return project, files


def _expected(name: str, folder: Path | None) -> bool:
    """Whether a sound lies in the project's folder or in the home, links followed."""
    path = Path(os.path.realpath(name))
    folders = [folder] if folder is not None else []
    with contextlib.suppress(RuntimeError):
        folders.append(Path.home())
    return any(path.is_relative_to(os.path.realpath(parent)) for parent in folders)


class _ProgressCounter:
    """Progress over all the files, in kilobytes."""

    def __init__(self, files: list[tuple[str, str]], progress: Progress | None) -> None:
        sizes = (os.stat(name).st_size for name, _ in files if os.path.exists(name))
        self.total = max(sum(sizes) // 1_024, 1)
        self.done, self.progress = 0, progress

    def add(self, count: int) -> None:
        self.done += count
        if self.progress is not None:
            self.progress(min(self.done // 1_024, self.total), self.total)


def _copy(source: object, out: object, counter: _ProgressCounter) -> None:
    while data := source.read(PIECE_BYTES):  # type: ignore[attr-defined]  # both are binary files
        out.write(data)  # type: ignore[attr-defined]
        counter.add(len(data))


def unpacked(path: str | os.PathLike[str], into: Path | None = None, progress: Progress | None = None) -> Path:
    """Unpack a collected `.zip` into a new folder next to it (or inside `into`) and return the project in
    it. Raises ZolvekError when it is none; nothing is left then."""
    source = Path(path)
    try:
        with opened(source) as file, zipfile.ZipFile(file) as archive:
            members = _looked_through(archive, source)
            parent = into or source.resolve().parent
            _need_room(sum(item.file_size for item in archive.infolist()), parent, source)
            temporary = _new_folder(parent)
            try:
                total = max(sum(item.file_size for item in archive.infolist()) // 1_024, 1)
                done = 0
                for item in archive.infolist():
                    archive.extract(item, temporary)
                    done += item.file_size // 1_024
                    if progress is not None:
                        progress(done, total)
                folder = _free(parent / source.stem)
                os.rename(temporary, folder)
            finally:
                shutil.rmtree(temporary, ignore_errors=True)
    except ZolvekError:
        raise
    except DAMAGE as error:
        raise ZolvekError(f"This is not a whole archive: {error}.", str(source), "Open another copy.") from error
    except OSError as error:
        raise Failure(
            f"The archive can't be unpacked: {error.strerror or error}.",
            str(source),
            "Copy it to a folder with write permission and free space.",
        ) from error
    return folder / members


def _need_room(size: int, parent: Path, source: Path) -> None:
    free = shutil.disk_usage(parent).free
    if size + ROOM_LEFT_BYTES > free:
        raise Failure(
            f"It needs {size / 1e9:,.1f} GB, but only {free / 1e9:,.1f} GB are free.",
            str(source),
            "Free some space, or copy it elsewhere.",
        )


def _looked_through(archive: zipfile.ZipFile, source: Path) -> str:
    """The name of the project in an archive, of which nothing leads out of its folder."""
    rows = archive.infolist()
    for item in rows:
        member = PurePosixPath(item.filename)
        link = stat.S_ISLNK(item.external_attr >> 16)
        if member.is_absolute() or ".." in member.parts or "\\" in item.filename or link:
            raise ZolvekError(
                "The archive has paths outside its folder.",
                f"{source}, {item.filename}",
                "Don't use it.",
            )
    if len(rows) > MOST_FILES or sum(row.file_size for row in rows) > LARGEST_BYTES:
        raise ZolvekError("The archive is too large.", str(source), "Unpack it by hand.")
    filenames = [row.filename for row in rows if row.filename.endswith(project_file.SUFFIX) and "/" not in row.filename]
    if len(filenames) != 1:
        raise ZolvekError(
            "The archive has no project." if not filenames else "The archive has several projects.",
            str(source),
            "Open an archive that “Collect” has made.",
        )
    return filenames[0]


def _free(folder: Path) -> Path:
    path, number = folder, 2
    while path.exists():
        path, number = folder.with_name(f"{folder.name} {number}"), number + 1
    return path
