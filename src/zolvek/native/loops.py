# SPDX-License-Identifier: GPL-3.0-or-later
"""The loops of loops.c, called with arrays. Each gives None where they can't be built: then the plain form does it."""

from __future__ import annotations

import ctypes
from collections.abc import Sequence
from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from zolvek.native import building

Floats = NDArray[np.float64]
Ints = NDArray[np.int64]


class _Track(ctypes.Structure):
    """One value for all frames, or one a frame."""

    _fields_ = (("values", ctypes.c_void_p), ("step", ctypes.c_int64))


class Shapes(ctypes.Structure):
    """Codes of the shapes that thinning tries, and the places at which it looks."""

    _fields_ = (
        ("line", ctypes.c_int64),
        ("bent", ctypes.c_int64),
        ("s_curve", ctypes.c_int64),
        ("cosine", ctypes.c_int64),
        ("places", ctypes.c_double * 5),
    )


@lru_cache(maxsize=1)
def library() -> ctypes.CDLL | None:
    """The loops; None where they can't be built here."""
    try:
        loaded = building.library("loops", ("loops.c",))
    except building.NotBuilt:
        return None
    for name in ("zolvek_funnel", "zolvek_farthest", "zolvek_kept", "zolvek_in_order"):
        getattr(loaded, name).restype = ctypes.c_int64
    return loaded


def _floats(array: Any) -> Floats:
    return np.ascontiguousarray(array, np.float64)


def _address(array: np.ndarray) -> ctypes.c_void_p:
    return ctypes.c_void_p(array.ctypes.data)


def _tracks(rows: Sequence[Floats]) -> Any:
    """Tracks of arrays that the caller holds."""
    tracks = (_Track * len(rows))()
    for track, row in zip(tracks, rows, strict=True):
        track.values, track.step = row.ctypes.data, int(row.size > 1)
    return tracks


def _counted(count: int) -> int:
    if count < 0:
        raise MemoryError
    return count


def funnel(x: Floats, low: Floats, high: Floats) -> Floats | None:
    """See core.curve.thinning_loops."""
    loaded = library()
    if loaded is None:
        return None
    x, low, high = _floats(x), _floats(low), _floats(high)
    corners = np.empty((len(x) + 3, 2))
    addresses = (_address(array) for array in (x, low, high))
    count = loaded.zolvek_funnel(*addresses, ctypes.c_int64(len(x)), _address(corners))
    return corners[: _counted(count)]


def farthest(
    x: Floats, y: Floats, corner_x: Floats, corner_y: Floats, tolerance: float, shapes: Shapes
) -> Floats | None:
    """See core.curve.thinning_loops."""
    loaded = library()
    if loaded is None:
        return None
    x, y, corner_x, corner_y = (_floats(array) for array in (x, y, corner_x, corner_y))
    rows = np.empty((len(corner_x), 3))
    count = loaded.zolvek_farthest(
        _address(x), _address(y), ctypes.c_int64(len(x)), _address(corner_x), _address(corner_y),
        ctypes.c_int64(len(corner_x)), ctypes.c_double(tolerance), ctypes.byref(shapes), _address(rows),
    )  # fmt: skip
    return rows[: _counted(count)]


def kept(low: NDArray[Any], high: NDArray[Any]) -> tuple[Ints, Ints] | None:
    """See core.movement.evaluation.quantised_steps."""
    loaded = library()
    if loaded is None:
        return None
    low, high = (np.ascontiguousarray(array, np.int32) for array in (low, high))
    begins, values = np.empty(len(low), np.int64), np.empty(len(low), np.int64)
    addresses = _address(low), _address(high), ctypes.c_int64(len(low)), _address(begins), _address(values)
    count = loaded.zolvek_kept(*addresses)
    return begins[:count], values[:count]


def all_passes(sound: Floats, share: Floats, feedback: Floats, state: Floats) -> Floats | None:
    """See sound.effects.modulation; `state` is written, contiguous."""
    loaded = library()
    if loaded is None:
        return None
    sound, share, feedback = _floats(sound), _floats(share), _floats(feedback)
    out = np.empty_like(sound)
    sizes = (ctypes.c_int64(size) for size in (*sound.shape, state.shape[1] - 1))
    loaded.zolvek_all_passes(*(_address(array) for array in (sound, share, feedback, state, out)), *sizes)
    return out


def svf(x: Floats, settings: Sequence[Any], state: Floats) -> tuple[Floats, Floats] | None:
    """See sound.signal.filters; `settings`: g, k and the mix of input, band and low, one value or one a frame each."""
    loaded = library()
    if loaded is None:
        return None
    x, state = _floats(x), np.array(state, np.float64)
    rows = [_floats(np.ravel(row)) for row in settings]
    out = np.empty_like(x)
    channels, frames = (ctypes.c_int64(size) for size in x.shape)
    loaded.zolvek_svf(_address(x), channels, frames, _tracks(rows), _address(state), _address(out))
    return out, state


def delay(sound: Floats, back: Floats, feedback: Floats, line: Floats, end: int) -> Floats | None:
    """See sound.effects.delay; `line` is written, contiguous."""
    loaded = library()
    if loaded is None:
        return None
    sound, back, feedback = _floats(sound), _floats(back), _floats(feedback)
    wet = np.empty_like(sound)
    loaded.zolvek_delay(
        _address(sound), ctypes.c_int64(sound.shape[1]), _tracks([back])[0], _tracks([feedback])[0], _address(line),
        ctypes.c_int64(line.shape[1]), ctypes.c_int64(end), _address(wet),
    )  # fmt: skip
    return wet


def saw(phase: Floats, step: Floats) -> Floats | None:
    """See sound.instruments.voices; `step` one value or one a frame."""
    loaded = library()
    if loaded is None:
        return None
    phase, step, out = _floats(phase), _floats(np.ravel(step)), np.empty(len(phase))
    loaded.zolvek_saw(_address(phase), _tracks([step])[0], _address(out), ctypes.c_int64(len(out)))
    return out


def pulse(phase: Floats, step: Floats, width: Floats) -> Floats | None:
    """See sound.instruments.voices; `step` and `width` one value or one a frame each."""
    loaded = library()
    if loaded is None:
        return None
    phase, step, width = _floats(phase), _floats(np.ravel(step)), _floats(np.ravel(width))
    out, tracks = np.empty(len(phase)), _tracks([step, width])
    loaded.zolvek_pulse(_address(phase), tracks[0], tracks[1], _address(out), ctypes.c_int64(len(out)))
    return out


def joined(ticks: Floats, spacing: int, first: int, count: int) -> Floats | None:
    """See sound.instruments.voices; `ticks` reach one beyond the last frame."""
    loaded = library()
    if loaded is None or (first + count - 1) // spacing + 1 >= len(ticks):
        return None
    ticks, out = _floats(ticks), np.empty(count)
    numbers = (ctypes.c_int64(number) for number in (spacing, first))
    loaded.zolvek_joined(_address(ticks), *numbers, _address(out), ctypes.c_int64(count))
    return out


def add_partial(
    phase: Floats, ratio: float, table: Floats, body: Floats, spacing: int, first: int, out: Floats
) -> bool:
    """See sound.instruments.voices: a partial added to `out`, contiguous; False where that has to be done otherwise."""
    loaded = library()
    if loaded is None or (first + len(out) - 1) // spacing + 1 >= len(body):
        return False
    phase, body = _floats(phase), _floats(body)
    loaded.zolvek_partial(
        _address(phase), ctypes.c_double(ratio), _address(table), ctypes.c_int64(len(table)), _address(body),
        ctypes.c_int64(spacing), ctypes.c_int64(first), _address(out), ctypes.c_int64(len(out)),
    )  # fmt: skip
    return True


def noise(seed: int, piece: int, count: int) -> Floats | None:
    """See sound.signal.phases."""
    loaded = library()
    if loaded is None:
        return None
    out = np.empty(count)
    keys = ctypes.c_uint64(seed), ctypes.c_uint64(piece & 0xFFFFFFFFFFFFFFFF)
    loaded.zolvek_noise(*keys, _address(out), ctypes.c_int64(count))
    return out


SHAPES = ("hold", "line", "bend", "s-curve", "cosine", "stairs", "pulses", "waves")  # that `curve_at` knows, in order


class CurveColumns:
    """The arrays of a curve as `curve_at` takes them, all contiguous: `first` and `second` are the constants that the
    shapes prepare. Their addresses are looked up once: a curve is evaluated many times."""

    def __init__(self, beat: Floats, value: Floats, shape: NDArray[Any], first: Floats, second: Floats) -> None:
        self.arrays = beat, value, shape, first, second
        self.words = (*(_address(array) for array in self.arrays), ctypes.c_int64(len(beat)))


def curve_at(columns: CurveColumns, at: Floats) -> Floats | None:
    """See core.curve.curve; `at` contiguous."""
    loaded = library()
    if loaded is None:
        return None
    out = np.empty(len(at))
    loaded.zolvek_curve_at(*columns.words, _address(at), ctypes.c_int64(len(at)), _address(out))
    return out


def in_order(beat: Floats, value: Floats, closest: float, most: float) -> bool | None:
    """See core.curve.rules; both arrays contiguous."""
    loaded = library()
    if loaded is None:
        return None
    limits = ctypes.c_double(closest), ctypes.c_double(most)
    return bool(loaded.zolvek_in_order(_address(beat), _address(value), ctypes.c_int64(len(beat)), *limits))
