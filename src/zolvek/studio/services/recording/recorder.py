# SPDX-License-Identifier: GPL-3.0-or-later
"""The recorder: passes, from the count-in to the written lanes."""

from __future__ import annotations

import time
from typing import NamedTuple

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from zolvek.core.arrays import Floats
from zolvek.core.edits import takes
from zolvek.core.edits.replacement import with_lane
from zolvek.core.model.project import Lane, Project
from zolvek.core.movement.evaluation.lane_evaluation import reach_heard
from zolvek.core.movement.recording.passes import Pass, PassMode, written
from zolvek.core.records import replace
from zolvek.studio.services.playback.player import Player
from zolvek.studio.services.recording.pass_checks import (
    depth_written,
    depths_of,
    mode_of,
    stretch_of,
    value_at_start,
)
from zolvek.studio.services.tasks.thread_work import Progress, Work
from zolvek.studio.session.session import Session

AT_ONCE = 4_000  # moves up to which a pass is written while one waits
SHOW_MS = 33  # between updates of what is heard of the user


class Done(NamedTuple):
    """A lane's pass and when it ended, the lane it was written to, and what came of it."""

    passed: Pass
    end: float
    lane: Lane | None
    made: Lane | None


class Recorder(QObject):
    """Moves come in by `press`, `move` and `release`; everything else follows the player.

    Taking a move is no more than noting it down: what is heard and shown follows by a timer.
    """

    changed = pyqtSignal()

    def __init__(self, session: Session, player: Player) -> None:
        super().__init__()
        self.session, self.player = session, player
        self.mode: str = PassMode.READ
        self.passes: dict[str, Pass] = {}
        self.held: dict[str, float] = {}  # lanes that the user has, and their values
        self.start = self.stop_at = 0.0
        self.depths: dict[str, str] = {}  # lane -> the layer whose depth its pass writes
        self.recording = self.looped = False
        self.writing: Work | None = None
        self.reaches: tuple[Project | None, dict[str, tuple[float, float]]] = (None, {})
        self.by_target: dict[tuple[str, str], str] = {}
        self.steps: set[str] = set()  # lanes of stepped parameters
        self.timer = QTimer(self)
        self.timer.setInterval(SHOW_MS)
        self.timer.timeout.connect(self._show)
        player.stopped.connect(self.finish)
        player.begun.connect(self._looped)
        session.passes.changed.connect(self._disarmed)
        session.passes.attach(self)

    # --- passes ---

    def begin(self) -> None:
        """Start a pass over the armed lanes: count-in, pre-roll, and then it writes."""
        session, settings = self.session, self.session.settings
        if self.recording:
            self.player.stop()
            return
        mode = mode_of(session)
        settings.recording.mode = settings.recording.last_mode = mode
        self.player.stop()
        self.settle()
        self.mode = mode
        looping = self.player.looping
        self.start, self.stop_at = stretch_of(session, looping)
        self.passes = {key: Pass(key, looping) for key in session.passes.armed}
        self.reaches = (None, {})
        self.held = {}
        self.by_target = {
            (lane.device, lane.parameter): lane.id for lane in session.project.lanes() if lane.id in self.passes
        }
        self.steps = {key for key in self.passes if session.project.parameter_of(key).steps}
        shown = session.project
        for lane in list(shown.lanes()):
            if lane.id in self.passes and lane.hidden:
                shown = with_lane(shown, replace(lane, hidden=False))
        session.document.edit("Show armed lanes", shown)
        self.recording, self.looped = True, False
        self.depths = depths_of(session)
        self.unarmed: dict[str, None] = {}  # lanes that were moved without being armed
        session.playhead.go(max(self.start - settings.recording.pre_roll, 0.0))
        self.player.play(settings.recording.count_in)
        if mode == PassMode.WRITE:
            for key in self.passes:
                value = value_at_start(session, key, self.depths, self.start)
                self.passes[key].add(self.start, value)
                self.held[key] = value
        self.timer.start()
        self._announce()

    def finish(self) -> None:
        """The pass is over: everything it wrote is one step."""
        if not self.recording:
            return
        self.recording = False
        self.timer.stop()
        session = self.session
        end = min(max(session.playhead.beat, self.start), self.stop_at)
        self.held = {}
        session.held.hold({})
        project, passes, self.passes = session.project, self.passes, {}

        def work(_: Progress) -> list[Done]:
            lanes = {lane.id: lane for lane in project.lanes()}
            return [
                Done(passed, end, lanes.get(key), self._lane(project, lanes.get(key), passed, end))
                for key, passed in passes.items()
            ]

        if not session.settings.recording.keep_mode:
            session.settings.recording.mode = PassMode.READ.value
        if sum(passed.count for passed in passes.values()) <= AT_ONCE:
            self._put(work(lambda *_: None))
        else:
            session.notices.say("Writing the pass…")
            self.writing = Work(work)
            self.writing.finished.connect(self.settle)
            self.writing.start()
        self._announce()

    def settle(self) -> None:
        """A pass that is still being written is in the project after this."""
        work, self.writing = self.writing, None
        if work is None:
            return
        work.wait()
        if work.error is not None:
            self.session.notices.report(work.error)
        else:
            self._put(work.result)
        work.deleteLater()

    def _put(self, rows: list[Done]) -> None:
        """The written lanes into the project, as one step."""
        session = self.session
        project, count, gone, locked = session.project, 0, 0, 0
        known = {lane.id: lane for lane in project.lanes()}
        for row in rows:
            lane, result = known.get(row.passed.lane), row.made
            if lane is None:
                gone += row.passed.count > 0
                continue
            if lane.locked:  # since the pass began
                locked += row.passed.count > 0
                continue
            if lane is not row.lane:  # edited while it was being written
                result = self._lane(project, lane, row.passed, row.end)
            if result is not None:
                project, count = with_lane(project, result), count + 1
        if count:
            noun = "a lane" if count == 1 else f"{count} lanes"
            session.document.edit(f"Record pass on {noun}", project)
            session.notices.say(
                f"Recorded {noun}."
                + (" Removed lanes were skipped." if gone else "")
                + (" Locked lanes were skipped." if locked else "")
            )
        else:
            session.notices.say(self._why_nothing(gone, locked))

    def _why_nothing(self, gone: int, locked: int) -> str:
        """What is said of a pass that wrote nothing; what was moved in vain comes up, to be armed."""
        session = self.session
        if gone or locked:
            return f"Nothing was recorded. The lane {'was removed' if gone else 'is locked'}."
        moved = [key for key in self.unarmed if session.project.has_lane(key)]
        if not moved:
            return "Nothing was recorded. No armed control was moved."
        session.focus.on(moved[0])
        label = session.project.label_of(moved[0])
        return f"Nothing was recorded. {label} was moved but is not armed; press E to arm it."

    def _lane(self, project: Project, lane: Lane | None, passed: Pass, end: float) -> Lane | None:
        """The lane as the pass leaves it: each round a take, the last one written."""
        if lane is None:
            return None
        settings = self.session.settings
        if lane.id in self.depths:
            return depth_written(
                self.session,
                project,
                lane,
                self.depths[lane.id],
                passed,
                self.mode,
                self.start,
                end,
            )
        rounds = [moves for moves in passed.rounds if moves]
        bps = float(project.tempo.bpm(self.start)) / 60.0
        done = None
        for index, moves in enumerate(rounds):
            last = index == len(rounds) - 1
            stop = end if last and end > moves[0].beat else self.stop_at
            recorded = written(
                lane.curve,
                moves,
                self.mode,
                self.start,
                stop,
                settings.recording.return_beats,
                bps,
                lane.id in self.steps,
                settings.recording.tolerance,
            )
            if recorded is not None:
                # A take of a loop ends with it; only the curve glides back beyond.
                ends = min(recorded.last, stop) if passed.loops else recorded.last
                lane = takes.with_take(lane, recorded.raw, recorded.first, max(ends, recorded.first + 1e-3))
                done = recorded
        if done is None:
            return None
        return replace(lane, curve=done.curve)

    def _looped(self, beat: float) -> None:
        """The loop has gone back to its start: the next take begins."""
        if not self.recording or not self.player.looping:
            return
        for key, passed in self.passes.items():
            passed.new_round()
            if key in self.held and passed.rounds[-1] == []:
                passed.add(self.start, self.held[key])

    def _disarmed(self) -> None:
        """A lane disarmed in the middle of a pass: what it has been given so far stays written."""
        for key in list(self.held):
            if key not in self.session.passes.armed:
                self._release(key, time.perf_counter())
                self.held.pop(key, None)
        self.by_target = {t: key for t, key in self.by_target.items() if key in self.session.passes.armed}

    # --- moves ---

    def _taken(self, device: str, key: str) -> str | None:
        return self.by_target.get((device, key)) if self.recording else None

    def _beat(self, seconds: float | None) -> float:
        clock = self.player.clock
        assert clock is not None
        return clock.beat_at(time.perf_counter() if seconds is None else seconds)

    def _reach(self, lane: str) -> tuple[float, float]:
        """The lane's reach, looked up once while the project stays as it is."""
        project = self.session.project
        if self.reaches[0] is not project:
            self.reaches = (
                project,
                {x.id: reach_heard(x, project) for x in project.lanes() if x.id in self.passes},
            )
        return self.reaches[1][lane]

    def missed(self, lane: str) -> None:
        """Note a lane whose control was moved but not recorded."""
        self.unarmed[lane] = None

    def press(self, device: str, key: str, position: float, seconds: float | None) -> bool:
        """A control is held."""
        return self.move(device, key, position, seconds)

    def move(self, device: str, key: str, position: float, seconds: float | None) -> bool:
        """A control moves; whether that is recorded."""
        lane = self._taken(device, key)
        if lane is None:
            return False
        low, high = (0.0, 1.0) if lane in self.depths else self._reach(lane)
        value = min(max((position - low) / (high - low), 0.0), 1.0)
        beat = self._beat(seconds)
        if beat >= self.start - 1e-9:
            self.passes[lane].add(beat, value)
        self.held[lane] = value
        return True

    def release(self, device: str, key: str, seconds: float | None) -> bool:
        """A control is released."""
        lane = self._taken(device, key)
        if lane is None or lane not in self.held:
            return False
        self._release(lane, seconds)
        return True

    def _release(self, lane: str, seconds: float | None) -> None:
        if self.recording and self.passes.get(lane) and self.passes[lane].rounds[-1]:
            self.passes[lane].add(self._beat(seconds), self.held[lane], False)
        if self.mode == PassMode.TOUCH:
            self.held.pop(lane, None)

    def _show(self) -> None:
        """What the user has is heard, and the dials stand there."""
        # A depth is heard when it is written: the curve itself is not held meanwhile.
        self.session.held.hold({k: v for k, v in self.held.items() if k not in self.depths})
        if self.session.playhead.beat >= self.stop_at - 1e-6 and not self.player.looping:
            self.player.stop()

    def _announce(self) -> None:
        self.changed.emit()
        self.session.passes.notify()

    def live(self, lane: str, first: float, last: float) -> tuple[Floats, Floats]:
        """What a lane has been given in this round so far, to draw from one beat to another: beats,
        and values 0..1."""
        passed = self.passes.get(lane) if self.recording else None
        if passed is None:
            return np.zeros(0), np.zeros(0)
        beat, value = passed.drawn()
        low = max(int(np.searchsorted(beat, first)) - 1, 0)
        high = int(np.searchsorted(beat, last, side="right")) + 1
        return beat[low:high], value[low:high]
