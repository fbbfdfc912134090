# SPDX-License-Identifier: GPL-3.0-or-later
"""A window of the X Window System that another library draws into, by cffi in ABI mode: Xlib alone."""

from __future__ import annotations

import contextlib
from functools import lru_cache
from typing import Any, NamedTuple

from zolvek.core.errors import Failure

LIBRARY = "libX11.so.6"
# Of X11/Xlib.h and X11/X.h, for 64-bit systems: an event is 24 words.
DECLARED = """
typedef void Display; typedef unsigned long Window; typedef unsigned long Atom;
Display* XOpenDisplay(const char*);
int XCloseDisplay(Display*);
Window XDefaultRootWindow(Display*);
Window XCreateSimpleWindow(Display*, Window, int, int, unsigned, unsigned, unsigned, unsigned long, unsigned long);
int XDestroyWindow(Display*, Window);
int XMapRaised(Display*, Window);
int XMapSubwindows(Display*, Window);
int XSelectInput(Display*, Window, long);
int XStoreName(Display*, Window, const char*);
Atom XInternAtom(Display*, const char*, int);
int XSetWMProtocols(Display*, Window, Atom*, int);
int XChangeProperty(Display*, Window, Atom, Atom, int, int, const unsigned char*, int);
int XPending(Display*);
int XNextEvent(Display*, long*);
int XResizeWindow(Display*, Window, unsigned, unsigned);
int XQueryTree(Display*, Window, Window*, Window*, Window**, unsigned*);
int XGetGeometry(Display*, Window, Window*, int*, int*, unsigned*, unsigned*, unsigned*, unsigned*);
int XFree(void*);
int XFlush(Display*);
int XSync(Display*, int);
void* XSetErrorHandler(int (*)(Display*, void*));
"""
STRUCTURE_NOTIFY, REPLACE = 1 << 17, 0
DESTROY_NOTIFY, CONFIGURE_NOTIFY, CLIENT_MESSAGE = 17, 22, 33
FIRST_SIZE = 320, 240
SMALLEST, LARGEST = 8, 8_192  # pixels of a side


class X11(NamedTuple):
    """cffi's interface and the library."""

    ffi: Any
    lib: Any


@lru_cache(maxsize=1)
def loaded() -> X11:
    """Raises Failure where the system has none."""
    from cffi import FFI

    ffi = FFI()
    ffi.cdef(DECLARED)
    try:
        return X11(ffi, ffi.dlopen(LIBRARY))
    except OSError as error:
        raise Failure("Plugins' own windows need libX11.", LIBRARY, "Install it: apt install libx11-6") from error


class TopLevel:
    """A window with a title, closed by its user or by `close`. Raises Failure without an X server."""

    def __init__(self, title: str) -> None:
        self.ffi, self.lib = ffi, lib = loaded()
        self.display = lib.XOpenDisplay(ffi.NULL)
        if self.display == ffi.NULL:
            raise Failure("There is no X server for the plugin's window.", title, "On Wayland, start Xwayland.")

        @ffi.callback("int(Display*, void*)")
        def outlived(display: Any, event: Any) -> int:
            return 0  # Xlib would end the process at any error

        self.outlived = outlived
        lib.XSetErrorHandler(outlived)
        root = lib.XDefaultRootWindow(self.display)
        self.window = lib.XCreateSimpleWindow(self.display, root, 0, 0, *FIRST_SIZE, 0, 0, 0)
        self._name(title)
        self.delete = lib.XInternAtom(self.display, b"WM_DELETE_WINDOW", 0)
        lib.XSetWMProtocols(self.display, self.window, ffi.new("Atom*", self.delete), 1)
        lib.XSelectInput(self.display, self.window, STRUCTURE_NOTIFY)
        self.event = ffi.new("long[24]")
        self.size = FIRST_SIZE
        self.closed = False

    def _name(self, title: str) -> None:
        lib = self.lib
        lib.XStoreName(self.display, self.window, title.encode("latin-1", "replace"))
        # What window managers of today show (Extended Window Manager Hints, _NET_WM_NAME).
        name, text = (lib.XInternAtom(self.display, atom, 0) for atom in (b"_NET_WM_NAME", b"UTF8_STRING"))
        data = title.encode()
        lib.XChangeProperty(self.display, self.window, name, text, 8, REPLACE, data, len(data))

    @property
    def child(self) -> int:
        """The window that was put into it; 0 for none."""
        ffi = self.ffi
        root, parent, count = ffi.new("Window*"), ffi.new("Window*"), ffi.new("unsigned*")
        children = ffi.new("Window**")
        if not self.lib.XQueryTree(self.display, self.window, root, parent, children, count):
            return 0
        result = int(children[0][0]) if count[0] else 0
        if children[0] != ffi.NULL:
            self.lib.XFree(children[0])
        return result

    def show(self) -> None:
        """Show it, as large as what lies in it."""
        ffi, lib = self.ffi, self.lib
        lib.XSync(self.display, 0)
        child = self.child
        if child and self.size == FIRST_SIZE:
            root, place = ffi.new("Window*"), ffi.new("int[2]")
            numbers = ffi.new("unsigned[4]")
            known = lib.XGetGeometry(
                self.display, child, root, place, place + 1, numbers, numbers + 1, numbers + 2, numbers + 3
            )
            if known and numbers[0] > 1 and numbers[1] > 1:
                self.resize(numbers[0], numbers[1])
        lib.XMapSubwindows(self.display, self.window)
        lib.XMapRaised(self.display, self.window)
        lib.XFlush(self.display)

    def resize(self, width: int, height: int) -> None:
        """As large as it is asked to be."""
        self.size = min(max(width, SMALLEST), LARGEST), min(max(height, SMALLEST), LARGEST)
        self.lib.XResizeWindow(self.display, self.window, *self.size)
        self.lib.XFlush(self.display)

    def poll(self) -> None:
        """Take what has happened to it; what lies in it gets its size."""
        while not self.closed and self.lib.XPending(self.display):
            self.lib.XNextEvent(self.display, self.event)
            kind = self.event[0] & 0xFFFFFFFF
            asked = kind == CLIENT_MESSAGE and self.event[7] == self.delete
            if asked or (kind == DESTROY_NOTIFY and self.event[5] == self.window):
                self.closed = True
            elif kind == CONFIGURE_NOTIFY and self.event[5] == self.window:
                self._configured(self.event[7] & 0xFFFFFFFF, self.event[7] >> 32)

    def _configured(self, width: int, height: int) -> None:
        if (width, height) != self.size and width > 0 and height > 0:
            self.size = width, height
            child = self.child
            if child:
                self.lib.XResizeWindow(self.display, child, width, height)

    def close(self) -> None:
        """Take it off the screen."""
        with contextlib.suppress(OSError):
            self.lib.XDestroyWindow(self.display, self.window)
            self.lib.XCloseDisplay(self.display)
