# SPDX-License-Identifier: GPL-3.0-or-later
"""Names for the arrays the core passes around, and the helpers every module wants."""

from __future__ import annotations

from typing import Any

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.intp]
Bools = npt.NDArray[np.bool_]
Numbers = npt.ArrayLike


def floats(values: Any) -> Floats:
    """`values` as a float64 array of one dimension or none."""
    return np.asarray(values, dtype=np.float64)


def distinct(values: Any) -> Any:
    """The values in order, each once. numpy's own loads its masked arrays for that, a fifth of a start."""
    array = np.sort(np.ravel(values))
    if len(array) < 2:
        return array
    new = np.empty(len(array), bool)
    new[0] = True
    np.not_equal(array[1:], array[:-1], out=new[1:])
    return array[new]


def among(values: Any, those: Any) -> Bools:
    """Whether each of the values is one of those. As for `distinct`, without numpy's masked arrays."""
    array, known = np.asarray(values), np.sort(np.ravel(those))
    if not len(known):
        return np.zeros(array.shape, bool)
    found = known[np.minimum(known.searchsorted(array), len(known) - 1)] == array
    result: Bools = np.asarray(found, bool)
    return result


def frozen(values: Any, dtype: Any = np.float64) -> Any:
    """A read-only contiguous array; shares memory when `values` is one already."""
    array = np.ascontiguousarray(values, dtype=dtype)
    if array.flags.writeable:
        # A view can be made read-only without locking the caller's own array.
        array = array.copy() if array is values else array
        array.flags.writeable = False
    return array
