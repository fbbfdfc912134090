# SPDX-License-Identifier: GPL-3.0-or-later
"""A client of a JACK server that keeps what comes, for tests: `python capture.py FILE`, then lines of JSON, each a
command and its arguments."""

from __future__ import annotations

import gc
import json
import struct
import sys
import time
from typing import Any

import jack
import numpy as np

STARTS_S = 30.0  # that a server may take until it is there, on a busy machine


def opened() -> Any:
    """A client of the server, as soon as there is one."""
    end = time.monotonic() + STARTS_S
    while True:
        try:
            return jack.Client("capture", no_start_server=True)
        except jack.JackError:
            if time.monotonic() > end:
                raise
            time.sleep(0.1)


client: Any = opened()
midi = client.midi_inports.register("midi")
clock = client.midi_inports.register("clock")
sound = client.inports.register("sound")
out = client.midi_outports.register("out")
rows: list[tuple[int, int, int, bytes]] = []  # port, server's frame, song frame (rolling) or -1, message
blocks: list[tuple[int, int, np.ndarray]] = []  # server's frame, song frame, sound
bars: list[tuple[int, int, int, int, float, float]] = []
to_send: list[tuple[int, bytes]] = []  # server's frames
refused: list[int] = []


@client.set_process_callback
def process(frames: int) -> None:
    state, position = client.transport_query_struct()
    rolling, now = state == jack.ROLLING, client.last_frame_time
    for number, port in ((0, midi), (1, clock)):
        for at, data in port.incoming_midi_events():
            rows.append((number, now + at, position.frame + at if rolling else -1, bytes(data)))
    blocks.append((now, position.frame if rolling else -1, sound.get_array().copy()))
    if rolling and position.valid & 0x10:
        # Ticks with their fraction lie where the package has padding (jack/types.h, JackTickDouble).
        raw = bytes(jack._ffi.buffer(position, 108)[100:])
        tick = struct.unpack("d", raw)[0] if position.valid & 0x200 else float(position.tick)
        bars.append((position.frame, position.bar, position.beat, position.tick, tick, position.beats_per_minute))
    out.clear_buffer()
    while to_send and to_send[0][0] < now + frames:
        at, data = to_send.pop(0)
        try:
            out.write_midi_event(max(at - now, 0), data)
        except jack.JackError:
            refused.append(at)


def send(gap: int, messages: list[list[int]]) -> int:
    """Send messages, `gap` frames from each to the next; the first frame is given back."""
    first = client.frame_time + 4 * client.blocksize
    to_send.extend((first + gap * n, bytes(m)) for n, m in enumerate(messages))
    return first


WORK: dict[str, Any] = {
    "connect": lambda one, other: client.connect(one, other),
    "start": client.transport_start,
    "stop": client.transport_stop,
    "locate": client.transport_locate,
    "state": lambda: (client.transport_state == jack.ROLLING, client.transport_frame),
    "free": lambda on: client.set_freewheel(bool(on)),
    "block": lambda frames: setattr(client, "blocksize", frames),
    "frame": lambda: client.frame_time,
    "send": send,
    "property": lambda port, key: jack.get_property(client.get_port_by_name(port), key)[0].decode(),
    "ports": lambda: [port.name for port in client.get_ports()],
}
gc.disable()  # it would hold a cycle up
client.activate()
print("ready", flush=True)
for line in sys.stdin:
    name, *arguments = json.loads(line)
    if name == "quit":
        break
    print(json.dumps(WORK[name](*arguments)), flush=True)
client.deactivate()
np.savez(
    sys.argv[1],
    port=np.array([row[0] for row in rows]),
    at=np.array([row[1] for row in rows], np.int64),
    song=np.array([row[2] for row in rows], np.int64),
    data=np.array([row[3].hex() for row in rows], str),
    block_at=np.array([b[0] for b in blocks], np.int64),
    block_song=np.array([b[1] for b in blocks], np.int64),
    block_sound=np.array([b[2] for b in blocks], object)
    if len({len(b[2]) for b in blocks}) > 1
    else np.array([b[2] for b in blocks]),
    bars=np.array(bars, np.float64).reshape(-1, 6),
)
client.close()
