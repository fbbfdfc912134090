# SPDX-License-Identifier: GPL-3.0-or-later
"""The order in which tracks are rendered."""

from __future__ import annotations

from zolvek.core.model.project import Track


def track_order(tracks: tuple[Track, ...]) -> list[Track]:
    """Tracks in the order in which they are played: those that take sends in last, as by then all that is
    sent is known; one that a side-chain listens to before the one that listens."""
    result: list[Track] = []
    by_id = {track.id: track for track in tracks}
    owner = {device.id: track for track in tracks for device in track.devices}
    begun: set[str] = set()

    def put(track: Track) -> None:
        if track.id in begun:
            return
        begun.add(track.id)
        before = [by_id.get(device.side_chain) for device in track.devices]
        if track.output is not None:
            before.append(owner.get(track.output.device))
        for source in before:
            if source is not None and source.takes_sends <= track.takes_sends:
                put(source)
        result.append(track)

    for track in sorted(tracks, key=lambda each: each.takes_sends):
        put(track)
    return result
