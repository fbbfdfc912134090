"""OSC over the network: sent to an address, and listened for at a port."""

from __future__ import annotations

import contextlib
import socket
import threading
from collections.abc import Callable
from typing import Any

from zolvek.core.errors import ZolvekError

LOOPBACK, ANYWHERE = "127.0.0.1", "0.0.0.0"
LARGEST = 65_536  # bytes of a packet
HELD = 1 << 20  # bytes that have come and are not read yet
WOKEN = 0.2  # seconds after which a listener looks whether it is to end
MOST_WAITING = 4_096  # controls whose last value is kept until it is taken


class Output:
    """Packets go to a host and port. Raises ZolvekError where there is no such host."""

    def __init__(self, host: str, port: int) -> None:
        try:
            family, kind, _, _, to = socket.getaddrinfo(host, port, type=socket.SOCK_DGRAM)[0]
            self.to: Any = to
            self.socket = socket.socket(family, kind)
        except OSError as error:
            raise ZolvekError("Nothing can be sent there.", f"{host}:{port}", str(error)) from error
        self.sent = self.refused = 0

    def send(self, packets: list[bytes]) -> None:
        """What the network refuses is counted: nobody may be listening yet."""
        for packet in packets:
            try:
                self.socket.sendto(packet, self.to)
                self.sent += 1
            except OSError:
                self.refused += 1

    def close(self) -> None:
        self.socket.close()


class Input:
    """Listens at a port, of this machine alone unless `anywhere`; `read` makes address and number of a
    packet. The last number of each address is kept until it is taken: a flood moves a control no more often
    than it is looked at. Raises ZolvekError where the port is taken."""

    def __init__(
        self, port: int, read: Callable[[bytes], list[tuple[str, float]]], anywhere: bool = False
    ) -> None:
        self.read, self.lock = read, threading.Lock()
        self.latest: dict[str, float] = {}
        self.came = self.bad = 0
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, HELD)
        try:
            self.socket.bind((ANYWHERE if anywhere else LOOPBACK, port))
        except (OSError, OverflowError) as error:
            self.socket.close()
            raise ZolvekError(
                "The port can't be listened to.", f"port {port}", "Another program has it: take another one."
            ) from error  # fmt: skip
        self.socket.settimeout(WOKEN)
        self.port = self.socket.getsockname()[1]
        self.running = True
        self.thread = threading.Thread(target=self._work, name="osc in", daemon=True)
        self.thread.start()

    def take(self) -> dict[str, float]:
        """Address -> its last number since the last time."""
        with self.lock:
            taken, self.latest = self.latest, {}
        return taken

    def _work(self) -> None:
        while self.running:
            try:
                packet, _ = self.socket.recvfrom(LARGEST)
            except TimeoutError:
                continue
            except OSError:
                return
            try:
                rows = self.read(packet)
            except ZolvekError:
                self.bad += 1
                continue
            with self.lock:
                self.came += len(rows)
                for address, number in rows:
                    if address in self.latest or len(self.latest) < MOST_WAITING:
                        self.latest[address] = number

    def close(self) -> None:
        self.running = False
        with contextlib.suppress(OSError):
            self.socket.close()
        self.thread.join()
