# SPDX-License-Identifier: GPL-3.0-or-later
"""Hard usage: damaged files, kills in the middle of editing, and random actions. Each is a figure of
`./zolvek bench`; tests run short versions of the same."""

from __future__ import annotations

import contextlib
import io
import os
import random
import resource
import signal
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple
from unittest import mock

from zolvek.core.errors import ZolvekError
from zolvek.core.records import replace

HANG_SECONDS = 5.0


# --- damaged files ---


class Reader(NamedTuple):
    """A kind of file: its suffix, a good one, and what reads one and works with it."""

    suffix: str
    good: bytes
    read: Callable[[Path], object]


def readers(folder: Path) -> list[Reader]:
    """All kinds of files that are read."""

    import msgspec
    import numpy as np
    import soundfile

    from zolvek.core.curve.pattern import Pattern
    from zolvek.core.edits import states
    from zolvek.core.edits.replacement import with_lane
    from zolvek.core.model.catalogue import DEVICE_KINDS
    from zolvek.core.model.messages import MidiTarget
    from zolvek.core.model.state import StatePart
    from zolvek.core.time.tempo import TempoMap
    from zolvek.demo.night_regatta import build
    from zolvek.formats import device_file, pattern_library, state_file
    from zolvek.formats.audio import curve_import
    from zolvek.formats.midi import file_in as midi_in
    from zolvek.formats.midi import file_out as midi_out
    from zolvek.formats.project import project_file
    from zolvek.formats.tables import curve_csv

    demo = build()
    small = replace(demo, length=16.0)
    for number, kind in enumerate(("cc", "cc14", "bend", "nrpn", "rpn", "pressure")):
        lane = list(small.lanes())[number]
        small = with_lane(small, replace(lane, midi=MidiTarget(number + 1, number, kind)))
    wav, flac = io.BytesIO(), io.BytesIO()
    signal_ = np.sin(np.arange(3_000) / 200.0)
    soundfile.write(wav, signal_, 8_000, format="WAV", subtype="FLOAT")
    soundfile.write(flac, signal_, 8_000, format="FLAC", subtype="PCM_16")
    csv = curve_csv.to_text(demo.lane("horn.cutoff").curve).encode()
    device = device_file.save(DEVICE_KINDS["synth"], folder / "device.json").read_bytes()
    kept, key = states.kept(demo, "One", (StatePart("horn", states.present(demo.device_track("horn").device("horn"))),))
    state = state_file.save(kept, [states.state_of(kept, key)], folder / "state.json").read_bytes()

    reported = pattern_library.File(
        pattern_library.FORMAT,
        pattern_library.VERSION,
        Pattern("Gate", 192.0, demo.lane("horn.cutoff").curve),
    )
    pattern = msgspec.json.encode(reported, enc_hook=project_file.to_plain)

    def midi(path: Path) -> None:
        midi_in.as_project(midi_in.load(path))

    def control(path: Path) -> None:
        sound, rate = curve_import.read(path)
        curve_import.as_control(sound, rate, TempoMap(), 0.0)
        curve_import.followed(sound, rate, TempoMap(), 0.0)

    return [
        Reader(".zolvek", project_file.encode(demo), project_file.load),
        Reader(".mid", midi_out.encode(small), midi),
        Reader(".csv", csv, curve_csv.load),
        Reader(".wav", wav.getvalue(), control),
        Reader(".flac", flac.getvalue(), control),
        Reader(".json", device, device_file.load),
        Reader(".json", state, lambda path: state_file.load_into(demo, "horn", path)),
        Reader(".json", pattern, pattern_library.load),
    ]


EXTREMES = (
    b"NaN",
    b"1e999",
    b"-1",
    b"1e308",
    b"null",
    b"[]",
    b"{}",
    b'"x"',
    b"99999999999999999999",
)


def mutated(good: bytes, rng: random.Random) -> bytes:
    """The file with one to four kinds of damage."""
    data = bytearray(good)
    for _ in range(rng.randint(1, 4)):
        at, end = sorted(rng.randrange(len(data) + 1) for _ in range(2))
        end = min(end, at + 400)
        kind = rng.randrange(8)
        if kind == 0 and data:
            data[min(at, len(data) - 1)] ^= 1 << rng.randrange(8)
        elif kind == 1:
            del data[at:]
        elif kind == 2:
            data[at:end] = rng.randbytes(rng.randrange(40))
        elif kind == 3:
            del data[at:end]
        elif kind == 4:
            data[at:at] = data[at:end]
        elif kind == 5 and data:
            data[min(at, len(data) - 1)] = rng.choice((0, 1, 127, 128, 255))
        elif kind == 6:
            data[at:at] = rng.choice(EXTREMES)
        else:
            data[at : at + 4] = rng.choice((b"\xff" * 4, b"\0" * 4, b"\x7f\xff\xff\xff", b"\x80\0\0\0"))
    return bytes(data)


class Damage(NamedTuple):
    """What came of it: files read, refused, uncaught faults, and the longest time one took."""

    read: int
    refused: int
    faults: list[str]
    longest: float


def damage(count: int, seed: int = 1) -> Damage:
    """Read `count` damaged files of all kinds."""
    rng = random.Random(seed)
    read = refused = 0
    longest, faults = 0.0, []
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        kinds = readers(folder)
        for number in range(count):
            kind = kinds[number % len(kinds)]
            path = folder / f"damaged{kind.suffix}"
            path.write_bytes(mutated(kind.good, rng))
            began = time.perf_counter()
            try:
                kind.read(path)
                read += 1
            except ZolvekError as error:
                refused += 1
                if not (error.what and (error.where or error.remedy)):
                    faults.append(f"{number}: a message that says nothing: {error}")
            except Exception as error:
                faults.append(f"{number} {kind.suffix}: {type(error).__name__}: {error}")
            longest = max(longest, time.perf_counter() - began)
    return Damage(read, refused, faults, longest)


# --- kills ---

EDITOR = """
import sys, time
from zolvek.core.records import replace
from pathlib import Path
from PyQt6.QtCore import QCoreApplication, QTimer
from zolvek.demo.night_regatta import build
from zolvek.formats.project import project_file
from zolvek.studio.services.files.autosave import Autosave
from zolvek.studio.session.session import Session
from zolvek.studio.session.settings import Settings
app = QCoreApplication([])
path = Path(sys.argv[1])
session = Session(build(), Settings(), path)
keeper = Autosave(session)
keeper.begin()
turn = [0]
def edit():
    turn[0] += 1
    session.document.edit("Name", replace(session.project, name=repr(time.time())))
    if turn[0] % int(sys.argv[2]) == 0:
        project_file.save(session.project, path)
        session.document.mark_saved(path)
        keeper.settled()
timer = QTimer(); timer.setInterval(25); timer.timeout.connect(edit); timer.start()
edit()
project_file.save(session.project, path); session.document.mark_saved(path)
print("ready", flush=True)
app.exec()
"""


ONE_STATE = threading.Lock()  # the place of the copies is given by the environment


def kill_once(folder: Path, rng: random.Random) -> float | None:
    """Seconds of edits that are lost when an editing process is killed at a random moment; None
    when nothing of what it left opens."""
    from zolvek.formats.project import project_file, recovery

    env = {**os.environ, "XDG_STATE_HOME": str(folder), "QT_QPA_PLATFORM": "offscreen"}
    path = folder / "piece.zolvek"
    every = rng.choice((60, 400, 100_000))  # edits between saves
    process = subprocess.Popen(
        [sys.executable, "-c", EDITOR, str(path), str(every)],
        stdout=subprocess.PIPE,
        env=env,
        text=True,
    )
    assert process.stdout is not None
    process.stdout.readline()
    time.sleep(rng.uniform(0.0, 9.0))
    process.send_signal(signal.SIGKILL)
    killed = time.time()
    process.communicate()
    names = []
    with contextlib.suppress(ZolvekError):
        names.append(float(project_file.load(path).name))
    with ONE_STATE, mock.patch.dict(os.environ, XDG_STATE_HOME=str(folder)):
        names += [float(left.project.name) for left in recovery.left_behind()]
    return killed - max(names) if names else None


def kills(count: int, seed: int = 1) -> Iterator[float | None]:
    rng = random.Random(seed)
    for _ in range(count):
        with tempfile.TemporaryDirectory() as folder:
            yield kill_once(Path(folder), rng)


# --- random actions ---


def take_apart(window: Any) -> None:
    """Close a window and have Qt destroy it at once: a theme is put on all that there are."""
    from PyQt6.QtCore import QCoreApplication, QEvent

    close(window)
    KEPT.remove(window)
    window.deleteLater()
    QCoreApplication.processEvents()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)


class Played(NamedTuple):
    """How many actions were done, how many refused with a message, and what went wrong."""

    done: int
    refused: int
    faults: list[str]


LEAVING = {"quit", "new", "demo", "open"}  # these end the document that is looked at
WEIGHTS = (
    ("action", 50),
    ("drag", 22),
    ("undo", 12),
    ("redo", 6),
    ("dial", 6),
    ("save", 2),
    ("focus", 2),
)


@contextlib.contextmanager
def unattended(folder: Path, faults: list[str]) -> Iterator[None]:
    """Boxes and menus are left at once, dialogs of ours are painted before that; faults in what Qt calls are
    collected; nobody's own settings, patterns and copies are touched."""
    import traceback

    from PyQt6.QtWidgets import QDialog, QMenu, QMessageBox

    def raised(*reported: Any) -> None:
        faults.append("".join(traceback.format_exception(*reported)))

    def looked_at(dialog: QDialog) -> int:
        dialog.show()
        dialog.grab()
        dialog.close()
        return 0

    patches: list[Any] = [
        mock.patch.object(sys, "excepthook", raised),
        mock.patch.object(QDialog, "exec", looked_at),
        mock.patch.object(QMessageBox, "exec", lambda self: QMessageBox.StandardButton.Cancel),
        mock.patch.object(QMenu, "exec", lambda self, *_: None),
        mock.patch.dict(
            os.environ,
            {f"XDG_{kind}_HOME": str(folder) for kind in ("CONFIG", "DATA", "STATE", "CACHE")},
        ),
    ]
    with contextlib.ExitStack() as stack:
        for patch in patches:
            stack.enter_context(patch)
        yield


def focus_curve(window: Any) -> Any:
    """What is drawn on."""
    return window.session.target.curve


def wait(milliseconds: int) -> None:
    """Let Qt work for a while."""
    from PyQt6.QtTest import QTest

    QTest.qWait(milliseconds)  # type: ignore[call-arg,arg-type]  # PyQt's stub takes it for a method


def as_saved(window: Any) -> None:
    """Nobody is asked whether it is to be saved."""
    document = window.session.document
    document.saved, document.saved_key = document.project, document.history.key


def close(window: Any) -> None:
    """Close a window whatever it holds, and keep what is left of it."""
    window.leaving = True
    window.close()
    KEPT.append(window)


def actions(count: int, seed: int = 1) -> Played:
    """Do random things in a window on the demo: actions of the table, drags, undo, redo, saves. Then
    undo to the start. Whatever asks is answered with Cancel."""
    from PyQt6.QtCore import QPoint, Qt
    from PyQt6.QtTest import QTest

    from benchmarks.answers import Answers
    from zolvek.core.history import history
    from zolvek.demo.night_regatta import build
    from zolvek.formats.project import project_file
    from zolvek.studio.actions.action_table import ACTIONS
    from zolvek.studio.app.application import application, make_window
    from zolvek.studio.session.settings import Settings

    rng = random.Random(seed)
    faults: list[str] = []
    errors: list[ZolvekError] = []
    app = application()
    folder = Path(tempfile.mkdtemp())
    with (
        unattended(folder, faults),
        mock.patch.object(history, "DEEPEST", 10**9),
    ):
        window = make_window(build(), Settings(), ask=Answers())
        session = window.session
        first = session.project
        window.show_error = errors.append  # type: ignore[method-assign,assignment]  # said to us instead
        session.notices.notifier.listeners[:] = [errors.append]
        window.show()
        window.complete()
        names = [row.id for row in ACTIONS if row.id not in LEAVING]
        held = (
            Qt.KeyboardModifier.NoModifier,
            Qt.KeyboardModifier.ControlModifier,
            Qt.KeyboardModifier.ShiftModifier,
        )
        kinds, weights = zip(*WEIGHTS, strict=True)

        def drag(widget: object, keys: Qt.KeyboardModifier) -> None:
            size = widget.size()  # type: ignore[attr-defined]  # a widget
            spots = [
                QPoint(rng.randrange(max(size.width(), 1)), rng.randrange(max(size.height(), 1))) for _ in range(3)
            ]
            button = Qt.MouseButton.LeftButton
            QTest.mousePress(widget, button, keys, spots[0])  # type: ignore[call-overload]  # widget is one
            for spot in spots[1:]:
                QTest.mouseMove(widget, spot)  # type: ignore[call-overload]  # widget is one
            QTest.mouseRelease(widget, button, keys, spots[2])  # type: ignore[call-overload]  # widget is one

        for number in range(count):
            kind = rng.choices(kinds, weights)[0]
            done = kind
            if kind == "action":
                done = rng.choice(names)
                window.action(done).trigger()
            elif kind == "drag":
                choice = rng.choice(
                    (
                        window.focus_lane,
                        window.focus_lane,
                        window.low_lanes,
                        window.ruler,
                        window.overview,
                    )
                )
                drag(choice, rng.choice(held))
            elif kind == "dial" and window.bench.dials:
                drag(rng.choice(window.bench.dials), held[0])
            elif kind == "focus":
                lanes = [lane.id for lane in session.project.lanes()]
                session.focus.on(rng.choice(lanes) if lanes else None)
            elif kind == "save":
                window.studio.files.save_to(folder / "piece.zolvek")
            elif kind in ("undo", "redo"):
                window.action(kind).trigger()
            app.processEvents()
            if number % 25 == 0:
                # Encoding and decoding runs every rule of the model.
                if project_file.decode(project_file.encode(session.project)) != session.project:
                    faults.append(f"{number} {done}: the project does not read back")
                if window.studio.player.playing:
                    window.studio.player.stop()
            if faults:
                faults[-1] = f"{number} {done}: {faults[-1]}"
                break
        window.studio.player.stop()
        while window.action("undo").isEnabled():
            window.action("undo").trigger()
        if session.project is not first:
            faults.append("undo to the start does not give the first document")
        faults += [f"a message without a remedy: {e}" for e in errors if not (e.what and (e.remedy or e.where))]
        close(window)
        app.processEvents()
        return Played(count, len(errors), faults)


KEPT: list[object] = []  # Qt takes windows apart in an order it does not survive
MOST_MEMORY = 1 << 30


def peak_memory() -> int:
    """The most bytes this process has had at once (getrusage)."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
