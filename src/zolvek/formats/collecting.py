"""A project with its sounds in one folder, or in one `.zip`, that opens anywhere."""

from __future__ import annotations

import os
import shutil
import stat
import tempfile
import zipfile
from collections.abc import Callable
from pathlib import Path, PurePosixPath

from zolvek.core.document.chain import own_sound_files, with_file_found
from zolvek.core.errors import Failure, ZolvekError
from zolvek.core.model.project import Project
from zolvek.formats import project_file
from zolvek.formats.names import file_names
from zolvek.formats.sound_content import told_by_content
from zolvek.storage.atomic import written

SOUNDS = "sounds"
PIECE = 1 << 20  # bytes copied between words of progress
LARGEST = 64 << 30  # bytes that an archive may hold
MOST_FILES = 10_000
Progress = Callable[[int, int], object]
COPIED = "The sounds can't be collected"


def collected(
    project: Project, path: str | os.PathLike[str], progress: Progress | None = None
) -> list[Path]:
    """Write the project and all of its own sounds: into a `.zip`, or a new folder of that name. Returns
    what was written. Raises ZolvekError naming what can't be read or written; then nothing is."""
    target = Path(path)
    inside, files = _packed(project)
    name = target.stem if target.suffix.lower() == ".zip" else target.name
    told = _Told(files, progress)
    if target.suffix.lower() == ".zip":

        def write(temporary: Path) -> None:
            with zipfile.ZipFile(temporary, "w", zipfile.ZIP_DEFLATED) as archive:
                for source, short in files:
                    # Sound hardly gets smaller; a day's stems need not wait for it.
                    about = zipfile.ZipInfo.from_file(source, f"{SOUNDS}/{short}")
                    with (
                        open(source, "rb") as sound,
                        archive.open(about, "w", force_zip64=True) as out,
                    ):
                        _copy(sound, out, told)
                archive.writestr(f"{name}{project_file.SUFFIX}", project_file.encode(inside))

        return [written(target, write)]
    return _into_folder(target, name, inside, files, told)


def _into_folder(
    target: Path, name: str, inside: Project, files: list[tuple[str, str]], told: _Told
) -> list[Path]:
    if target.exists():
        raise ZolvekError("There is something of this name.", str(target), "Choose another name.")
    try:
        temporary = Path(tempfile.mkdtemp(prefix=".zolvek-", dir=target.resolve().parent))
    except OSError as error:
        raise Failure(
            f"{COPIED}: {error.strerror}.", str(target), "Choose another place."
        ) from error
    try:
        (temporary / SOUNDS).mkdir()
        for source, short in files:
            with open(source, "rb") as sound, open(temporary / SOUNDS / short, "wb") as out:
                _copy(sound, out, told)
        (temporary / f"{name}{project_file.SUFFIX}").write_bytes(project_file.encode(inside))
        os.chmod(temporary, 0o777 & ~_umask())
        os.rename(temporary, target)
    except OSError as error:
        raise Failure(f"{COPIED}: {error.strerror}.", str(error.filename or target), "Make room, or choose another place.") from error  # fmt: skip
    finally:
        shutil.rmtree(temporary, ignore_errors=True)
    return [target]


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _packed(project: Project) -> tuple[Project, list[tuple[str, str]]]:
    """The project with its sounds named inside the folder, and each file with its name there."""
    project = told_by_content(project)
    names = own_sound_files(project)
    for name in names:
        try:
            if not stat.S_ISREG(os.stat(name).st_mode):
                raise ZolvekError("This is not a file.", name, "Find it again first.")
        except OSError as error:
            raise Failure(
                "A sound file is not there.", name, "Find missing sounds first, then collect."
            ) from error
    short = file_names(Path(name).stem for name in names)
    files = [(n, f"{s}{Path(n).suffix.lower()}") for n, s in zip(names, short, strict=True)]
    for name, inside in files:
        project = with_file_found(project, name, f"{SOUNDS}/{inside}")
    return project, files


class _Told:
    """Progress over all the files, in kilobytes."""

    def __init__(self, files: list[tuple[str, str]], progress: Progress | None) -> None:
        self.total = max(sum(os.stat(name).st_size for name, _ in files) // 1_024, 1)
        self.done, self.progress = 0, progress

    def add(self, count: int) -> None:
        self.done += count
        if self.progress is not None:
            self.progress(min(self.done // 1_024, self.total), self.total)


def _copy(source: object, out: object, told: _Told) -> None:
    while data := source.read(PIECE):  # type: ignore[attr-defined]  # both are binary files
        out.write(data)  # type: ignore[attr-defined]
        told.add(len(data))


def unpacked(
    path: str | os.PathLike[str], into: Path | None = None, progress: Progress | None = None
) -> Path:
    """Unpack a collected `.zip` into a new folder beside it (or inside `into`) and return the project in
    it. Raises ZolvekError when it is none; nothing is left then."""
    source = Path(path)
    try:
        with zipfile.ZipFile(source) as archive:
            own = _looked_through(archive, source)
            parent = into or source.resolve().parent
            temporary = Path(tempfile.mkdtemp(prefix=".zolvek-", dir=parent))
            try:
                total = max(sum(each.file_size for each in archive.infolist()) // 1_024, 1)
                done = 0
                for each in archive.infolist():
                    archive.extract(each, temporary)
                    done += each.file_size // 1_024
                    if progress is not None:
                        progress(done, total)
                os.chmod(temporary, 0o777 & ~_umask())
                folder = _free(parent / source.stem)
                os.rename(temporary, folder)
            finally:
                shutil.rmtree(temporary, ignore_errors=True)
    except (zipfile.BadZipFile, zipfile.LargeZipFile, NotImplementedError, RuntimeError, EOFError) as error:  # fmt: skip
        raise ZolvekError(
            f"This is no whole archive: {error}.", str(source), "Open another copy."
        ) from error
    except OSError as error:
        raise Failure(
            f"The archive can't be unpacked: {error.strerror or error}.",
            str(source),
            "Copy it to a folder that you may write to, with room.",
        ) from error
    return folder / own


def _looked_through(archive: zipfile.ZipFile, source: Path) -> str:
    """The name of the project in an archive, of which nothing leads out of its folder."""
    rows = archive.infolist()
    for each in rows:
        place = PurePosixPath(each.filename)
        link = stat.S_ISLNK(each.external_attr >> 16)
        if place.is_absolute() or ".." in place.parts or "\\" in each.filename or link:
            raise ZolvekError(
                "The archive leads out of its folder.",
                f"{source}, {each.filename}",
                "Don't use it.",
            )
    if len(rows) > MOST_FILES or sum(each.file_size for each in rows) > LARGEST:
        raise ZolvekError("The archive is too large.", str(source), "Unpack it by hand.")
    own = [each.filename for each in rows if each.filename.endswith(project_file.SUFFIX) and "/" not in each.filename]  # fmt: skip
    if len(own) != 1:
        raise ZolvekError(
            "There is no project in it." if not own else "There are several projects in it.",
            str(source),
            "Open an archive that “Collect” has written.",
        )
    return own[0]


def _free(folder: Path) -> Path:
    found, number = folder, 2
    while found.exists():
        found, number = folder.with_name(f"{folder.name} {number}"), number + 1
    return found
