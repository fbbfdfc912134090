# SPDX-License-Identifier: GPL-3.0-or-later
"""OSC over the network: sent to an address, and listened for at a port."""

from __future__ import annotations

import contextlib
import itertools
import socket
import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Any

from zolvek.core.errors import ZolvekError

LOOPBACK, ANYWHERE = "127.0.0.1", "0.0.0.0"
LARGEST_BYTES = 65_536  # bytes of a packet
HELD_BYTES = 1 << 20  # bytes that have come and are not read yet
POLL_INTERVAL_S = 0.2  # seconds after which a listener looks whether it is to end
CLOSE_TIMEOUT_S = 1.0  # seconds
MOST_TAKEN = 128  # packets that are read at a look
MOST_BUNDLES = 512  # that wait for it
MOST_KEPT = 65_536  # packets, while each is kept
MOST_WAITING = 4_096  # controls whose last value is kept until it is taken


class Output:
    """Packets go to a host and port. Raises ZolvekError where there is no such host."""

    def __init__(self, host: str, port: int) -> None:
        try:
            family, kind, _, _, to = socket.getaddrinfo(host, port, type=socket.SOCK_DGRAM)[0]
            self.to: Any = to
            self.socket = socket.socket(family, kind)
            self.socket.bind(("::" if family == socket.AF_INET6 else "", 0))
        except OSError as error:
            raise ZolvekError("OSC can't be sent to this address.", f"{host}:{port}", str(error)) from error
        self.sent = self.refused = 0
        self.port: int = self.socket.getsockname()[1]  # what it sends comes from

    def send(self, packets: list[bytes]) -> None:
        """What the network refuses is counted: nobody may be listening yet."""
        for packet in packets:
            try:
                self.socket.sendto(packet, self.to)
                self.sent += 1
            except OSError:
                self.refused += 1

    def close(self) -> None:
        """Close the port."""
        self.socket.close()


class Input:
    """Listens at a port, of this machine alone unless `anywhere`; `read` makes address and number of a packet,
    `read_timed` those with their times, `address_of` says a message's address at once. The last packet of each address
    is kept until it is taken: a flood moves a control as often as it is looked at, and not more. `own_port`: that of
    our output; what comes from there is ours, and not taken. Raises ZolvekError where the port is taken."""

    def __init__(
        self,
        port: int,
        read: Callable[[bytes], list[tuple[str, float]]],
        read_timed: Callable[[bytes, float], list[tuple[str, float, float]]],
        address_of: Callable[[bytes], str],
        anywhere: bool = False,
    ) -> None:
        self.read, self.read_timed, self.address_of, self.lock = read, read_timed, address_of, threading.Lock()
        self.latest: dict[str, bytes] = {}
        self.bundles: deque[bytes] = deque(maxlen=MOST_BUNDLES)
        self.came = self.bad = self.left_out = self.own = 0
        self.all: deque[tuple[bytes, float]] = deque(maxlen=MOST_KEPT)  # while each is kept
        self.keeps_all = False
        self.own_port = 0
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, HELD_BYTES)
        try:
            self.socket.bind((ANYWHERE if anywhere else LOOPBACK, port))
        except (OSError, OverflowError) as error:
            self.socket.close()
            raise ZolvekError("The port is in use.", f"port {port}", "Choose another one.") from error
        self.socket.settimeout(POLL_INTERVAL_S)
        self.port = self.socket.getsockname()[1]
        self.running = True
        self.thread = threading.Thread(target=self._work, name="osc in", daemon=True)
        self.thread.start()

    def take(self) -> dict[str, float]:
        """Address -> its last number since the last time; what there is no time for now comes at the next."""
        with self.lock:
            addresses = list(itertools.islice(self.latest, MOST_TAKEN))
            packets = [self.latest.pop(address) for address in addresses]
            while self.bundles and len(packets) < MOST_TAKEN:
                packets.append(self.bundles.popleft())
        taken: dict[str, float] = {}
        for packet in packets:
            try:
                rows = self.read(packet)
            except ZolvekError:
                self.bad += 1
                continue
            self.came += len(rows)
            taken.update(rows)
        return taken

    def keep_all(self, on: bool) -> None:
        """Whether each packet is kept with the time it came at, for a pass, or the last of each address alone."""
        self.keeps_all = on

    def take_all(self) -> list[tuple[str, float, float]]:
        """Address, number and time (of time.perf_counter) of all that has come since: that of a bundle's time tag,
        where it has one."""
        with self.lock:
            packets = list(self.all)
            self.all.clear()
        rows: list[tuple[str, float, float]] = []
        for packet, came in packets:
            try:
                timed = self.read_timed(packet, came)
            except ZolvekError:
                self.bad += 1
                continue
            self.came += len(timed)
            rows += timed
        return sorted(rows, key=lambda row: row[2])

    def _work(self) -> None:
        while self.running:
            try:
                packet, sender = self.socket.recvfrom(LARGEST_BYTES)
            except TimeoutError:
                continue
            except OSError:
                return
            if sender[1] == self.own_port and sender[0] == LOOPBACK:
                self.own += 1
                continue
            self._keep(packet)

    def _keep(self, packet: bytes) -> None:
        address = self.address_of(packet)
        with self.lock:
            if self.keeps_all:
                self.left_out += len(self.all) == MOST_KEPT
                self.all.append((packet, time.perf_counter()))
            elif not address:
                self.left_out += len(self.bundles) == MOST_BUNDLES
                self.bundles.append(packet)
            elif address in self.latest or len(self.latest) < MOST_WAITING:
                self.left_out += address in self.latest
                self.latest[address] = packet
            else:
                self.left_out += 1

    def close(self) -> None:
        """End it; a listener that doesn't come to an end is left behind, and ends with the program."""
        self.running = False
        with contextlib.suppress(OSError):
            self.socket.close()
        self.thread.join(timeout=CLOSE_TIMEOUT_S)
