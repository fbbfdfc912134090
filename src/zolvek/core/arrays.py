# SPDX-License-Identifier: GPL-3.0-or-later
"""Names for the arrays the core passes around, and the two helpers every module wants."""

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


def frozen(values: Any, dtype: Any = np.float64) -> Any:
    """A read-only contiguous array; shares memory when `values` is one already."""
    array = np.ascontiguousarray(values, dtype=dtype)
    if array.flags.writeable:
        # A view can be made read-only without locking the caller's own array.
        array = array.copy() if array is values else array
        array.flags.writeable = False
    return array
