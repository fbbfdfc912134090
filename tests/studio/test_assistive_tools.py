# SPDX-License-Identifier: GPL-3.0-or-later
"""What an assistive tool gets of the window, over the accessibility bus of a real X display (AT-SPI 2): a lane is made,
drawn and heard by keyboard, and each step has a name and a value. The client asks for single things only: it never
walks a table."""

from __future__ import annotations

import contextlib
import os
import shutil
import subprocess
import sys
import tempfile
import time
import unittest
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

from jeepney import DBusAddress, MatchRule, Message, MessageType, Properties, message_bus, new_method_call
from jeepney.io.blocking import DBusConnection, open_dbus_connection

ACCESSIBLE = "org.a11y.atspi.Accessible"
VALUE = "org.a11y.atspi.Value"
ROOT = ("org.a11y.atspi.Registry", "/org/a11y/atspi/accessible/root")
REGISTRY = DBusAddress("/org/a11y/atspi/registry", "org.a11y.atspi.Registry", "org.a11y.atspi.Registry")
ANSWER_S, FOCUS_S, SETTLED_S = 20.0, 20.0, 20.0
MOST_ASKED = 120  # objects of the window that are asked for while something is looked for
TOOLS = ("Xvfb", "dbus-daemon")
LAUNCHER = "/usr/libexec/at-spi-bus-launcher"

# The program as a person starts it, but that keys come in by lines: a key as the toolkit writes it, or ":text" typed.
DRIVEN = """
import os, sys, threading
from PyQt6.QtCore import QCoreApplication, QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence
from PyQt6.QtTest import QTest
from zolvek.studio.app import application as starting
application, window = starting.start(None, demo=True)
window.complete()
class Keys(QObject):
    came = pyqtSignal(str)
    def press(self, line):
        for letter in line[1:] if line.startswith(":") else ():
            QTest.keyClicks(application.focusWidget() or window, letter)
            QTest.qWait(30)  # on a display, keys come to a widget a little later: to the one that had the keyboard
        if not line.startswith(":"):
            combination = QKeySequence(line)[0]
            QTest.keyClick(application.focusWidget() or window, combination.key(), combination.keyboardModifiers())
            QTest.qWait(30)  # so that a field which it closes is gone before the next one
        print("done", flush=True)
keys = Keys()
keys.came.connect(keys.press)
def read():
    for line in sys.stdin:
        keys.came.emit(line.rstrip("\\n"))
    os._exit(0)
window.activateWindow()
QTest.qWaitForWindowActive(window, 10_000)
window.focus_lane.setFocus()
threading.Thread(target=read, daemon=True).start()
print("ready", flush=True)
application.exec()
"""


class Item(NamedTuple):
    """An object on the bus: who has it, and its path."""

    owner: str
    path: str


class Spoken(NamedTuple):
    """What a screen reader would say of an object."""

    role: str
    name: str
    about: str


@unittest.skipUnless(
    all(map(shutil.which, TOOLS)) and Path(LAUNCHER).exists(), "Xvfb, dbus-daemon or at-spi2-core is not installed"
)
class AssistiveTools(unittest.TestCase):
    bus: DBusConnection
    program: subprocess.Popen[str]

    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory(ignore_cleanup_errors=True)
        self.addCleanup(folder.cleanup)
        os.chmod(folder.name, 0o700)
        homes = {f"XDG_{kind}_HOME": folder.name for kind in ("CONFIG", "DATA", "STATE", "CACHE")}
        env = {**os.environ, **homes, "XDG_RUNTIME_DIR": folder.name, "QT_QPA_PLATFORM": "xcb"}
        env.pop("WAYLAND_DISPLAY", None)
        screen = ["-screen", "0", "1280x800x24", "-nolisten", "tcp"]
        env["DISPLAY"] = f":{self.served(['Xvfb', '-displayfd', '1', *screen], env)}"
        address = self.served(["dbus-daemon", "--session", "--print-address=1", "--nofork"], env)
        env |= {"DBUS_SESSION_BUS_ADDRESS": address, "QT_LINUX_ACCESSIBILITY_ALWAYS_ON": "1"}
        with open_dbus_connection(address) as session:
            launcher = DBusAddress("/org/a11y/bus", "org.a11y.Bus", "org.a11y.Bus")
            reply = session.send_and_get_reply(new_method_call(launcher, "GetAddress"), timeout=ANSWER_S)
        self.bus = open_dbus_connection(reply.body[0])
        self.addCleanup(self.bus.close)
        rule = MatchRule(type="signal", interface="org.a11y.atspi.Event.Object", member="StateChanged")
        self.ask(message_bus.AddMatch(rule))
        signals = self.bus.filter(rule, bufsize=10_000)
        self.signals = signals.__enter__()  # what comes while an answer is waited for is kept
        self.addCleanup(signals.close)
        for attempt in range(5):  # the registry comes up with the first call
            with contextlib.suppress(LookupError):
                self.ask(new_method_call(REGISTRY, "RegisterEvent", "s", ("object:StateChanged:focused",)))
                break
            time.sleep(0.2 * (attempt + 1))
        self.program = subprocess.Popen(
            [sys.executable, "-c", DRIVEN], env=env, text=True,
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        )  # fmt: skip
        self.addCleanup(self.end_program)
        self.assertEqual(self.answer(), "ready")
        self.focused: Item | None = None

    def served(self, command: list[str], env: dict[str, str]) -> str:
        """Start a server; the line that it says where it is in."""
        server = subprocess.Popen(command, env=env, text=True, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        self.addCleanup(lambda: server.stdout and server.stdout.close())
        self.addCleanup(server.wait)
        self.addCleanup(server.terminate)
        assert server.stdout is not None
        return server.stdout.readline().strip()

    def end_program(self) -> None:
        self.program.kill()
        self.program.communicate()

    def answer(self) -> str:
        assert self.program.stdout is not None
        return self.program.stdout.readline().strip()

    # --- the bus ---

    def ask(self, message: Message) -> Any:
        reply = self.bus.send_and_get_reply(message, timeout=ANSWER_S)
        if reply.header.message_type == MessageType.error:
            raise LookupError(reply.body)  # gone meanwhile, such as the field of a cell
        return reply.body[0] if reply.body else None

    def call(self, item: Item, method: str, interface: str = ACCESSIBLE) -> Any:
        return self.ask(new_method_call(DBusAddress(item.path, item.owner, interface), method))

    def get(self, item: Item, name: str, interface: str = ACCESSIBLE) -> Any:
        return self.ask(Properties(DBusAddress(item.path, item.owner, interface)).get(name))[1]

    def spoken(self, item: Item) -> Spoken:
        return Spoken(self.call(item, "GetRoleName"), self.get(item, "Name"), self.get(item, "Description"))

    def values(self, item: Item) -> tuple[float, float, float]:
        """Lowest, highest and current value."""
        low, high, now = (self.get(item, f"{name}Value", VALUE) for name in ("Minimum", "Maximum", "Current"))
        return low, high, now

    def until(self, test: Callable[[], Any], what: Callable[[], str]) -> Any:
        end = time.monotonic() + SETTLED_S
        while time.monotonic() < end:
            if result := test():
                return result
            time.sleep(0.05)
        self.fail(what())

    def items(self) -> Iterator[Item]:
        """The objects of the window, the outer ones first; into tables, trees and lists nobody goes."""
        line = [Item(*child) for child in self.call(Item(*ROOT), "GetChildren")]
        for _ in range(MOST_ASKED):
            if not line:
                return
            item = line.pop(0)
            yield item
            if self.call(item, "GetRoleName") not in ("table", "tree", "list", "menu bar", "combo box"):
                line += [Item(*child) for child in self.call(item, "GetChildren")]

    # --- the keyboard ---

    def key(self, *lines: str) -> None:
        for line in lines:
            assert self.program.stdin is not None
            self.program.stdin.write(f"{line}\n")
            self.program.stdin.flush()
            self.assertEqual(self.answer(), "done")

    def focus(self, role: str, name: str) -> Item:
        """The object that says that it has the keyboard, once it is the wanted one."""
        end = time.monotonic() + FOCUS_S
        heard = []
        while time.monotonic() < end:
            try:
                message = self.bus.recv_until_filtered(self.signals, timeout=0.2)
            except TimeoutError:
                message = None
            if message is not None:
                kind, on = message.body[:2]
                if kind == "focused" and on:
                    fields = {int(key): value for key, value in message.header.fields.items()}
                    self.focused = Item(fields[7], fields[1])  # sender, path (D-Bus specification, header fields)
            with contextlib.suppress(LookupError):
                if self.focused is not None:
                    spoken = self.spoken(self.focused)
                    heard.append(spoken)
                    if (spoken.role, spoken.name) == (role, name):
                        return self.focused
        self.fail(f"{role} “{name}” wanted: {heard[-3:]}")

    def about(self, item: Item, words: str) -> str:
        """Its description, once it has some words."""
        texts: list[str] = []

        def has() -> bool:
            texts.append(self.get(item, "Description"))
            return words in texts[-1]

        self.until(has, lambda: f"“{words}” is not in “{texts[-1]}”")
        return texts[-1]

    def found(self, role: str, name: str) -> Item:
        """The object of a role and a name, which is there."""
        for item in self.items():
            if self.get(item, "Name") == name and self.call(item, "GetRoleName") == role:
                return item
        self.fail(f"there is no {role} “{name}”")

    def test_a_lane_is_made_drawn_and_heard_by_keyboard(self) -> None:
        self.key("Ctrl+F")
        self.focus("text", "Find a parameter")
        self.key(":noise level", "Return")
        lane = self.focus("panel", "Focus lane")
        self.key("A")
        self.about(lane, "Hull · Horn · Noise level: 1 point, 0 % to 100 %, 0 % at 1.1.0")
        self.key("Ctrl+Shift+Right", "Ins")
        self.about(lane, "2 points, 1 selected, 0 % to 100 %, 0 % at 2.1.0")
        self.key("Ctrl+J")
        self.focus("table", "Points")
        self.key("Up")
        self.focus("cell", "Position of point 1: 1.1.0, selected")
        self.key("Down")
        self.focus("cell", "Position of point 2: 2.1.0, selected")
        self.key("Right")
        self.focus("cell", "Value of point 2: 0 %, selected")
        self.key(":50 st", "Return")
        field = self.focus("text", "Value of point 2")
        self.about(field, "“50 st”")
        self.key("Ctrl+A", ":50 %", "Return", "Up", "Down")
        self.focus("cell", "Value of point 2: 50 %, selected")
        self.key("Escape")
        self.focus("panel", "Focus lane")
        self.about(lane, "50 % at 2.1.0")
        dial = self.found("slider", "Noise level")
        self.about(dial, "50 %")
        self.assertEqual(self.values(dial), (0.0, 1_000.0, 500.0))
        self.key("Home", "Space")
        self.until(lambda: 20.0 < self.values(dial)[2] < 480.0, lambda: f"{self.values(dial)} while it plays")
        self.key("Space")
        self.about(self.found("panel", "Ruler"), "in Moorings, 112 BPM, 4/4, nothing selected")

    def test_an_assistive_tool_turns_a_dial(self) -> None:
        dial = self.found("slider", "Pulse width")
        self.about(dial, "50 %")
        address = DBusAddress(dial.path, dial.owner, VALUE)
        self.ask(Properties(address).set("CurrentValue", "d", 250.0))
        self.about(dial, "27.5 %")
        self.assertEqual(self.values(dial)[2], 250.0)
        names = {self.spoken(item)[:2] for item in self.items()}
        for name in ("Focus lane", "Ruler", "Track row", "Overview of the whole project", "Sections, meter and tempo"):
            self.assertIn(("panel", name), names)


if __name__ == "__main__":
    unittest.main()
