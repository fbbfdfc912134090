# SPDX-License-Identifier: GPL-3.0-or-later
"""Peak levels: the highest sample, and the true peak between samples.

ITU-R BS.1770-4, Annex 2: four times as many samples by a filter of 48 taps, of which the highest counts. The taps are
those of the annex's table, from memory; tests hold them to tones whose true peak is known.
"""

from __future__ import annotations

import numpy as np

_FIRST = (
    0.0017089843750, 0.0109863281250, -0.0196533203125, 0.0332031250000, -0.0594482421875, 0.1373291015625,
    0.9721679687500, -0.1022949218750, 0.0476074218750, -0.0266113281250, 0.0148925781250, -0.0083007812500,
)  # fmt: skip
_SECOND = (
    -0.0291748046875, 0.0292968750000, -0.0517578125000, 0.0891113281250, -0.1665039062500, 0.4650878906250,
    0.7797851562500, -0.2003173828125, 0.1015625000000, -0.0582275390625, 0.0330810546875, -0.0189208984375,
)  # fmt: skip
PHASES = np.array([_FIRST, _SECOND, _SECOND[::-1], _FIRST[::-1]])
TAPS = PHASES.shape[1]


class PeakMeter:
    """Fed block by block. `peak`, `true_peak`: linear; `over`: frames beyond full scale; `faults`: frames that are not
    numbers."""

    def __init__(self) -> None:
        self.peak = self.true_peak = 0.0
        self.over = self.faults = 0
        self.kept: np.ndarray | None = None  # the last samples of each channel

    def feed(self, block: np.ndarray) -> np.ndarray:
        """Measure a block (channels, frames), and return it, with silence for what is not a number."""
        wrong = ~np.isfinite(block)
        if wrong.any():
            self.faults += int(wrong.any(axis=0).sum())
            block = np.where(wrong, 0.0, block).astype(block.dtype)
        if not block.shape[1]:
            return block
        size = np.abs(block)
        self.peak = max(self.peak, float(size.max()))
        self.over += int((size > 1.0).any(axis=0).sum())
        if self.kept is None or len(self.kept) != len(block):
            self.kept = np.zeros((len(block), TAPS - 1), block.dtype)
        whole = np.concatenate((self.kept, block), axis=1)
        self.true_peak = max(self.true_peak, _between(whole), self.peak)
        self.kept = whole[:, -(TAPS - 1) :]
        return block


def _between(rows: np.ndarray) -> float:
    """The highest of what lies between the samples."""
    highest = 0.0
    for row in rows.astype(np.float64):
        for phase in PHASES:
            highest = max(highest, float(np.abs(np.convolve(row, phase, "valid")).max(initial=0.0)))
    return highest


def decibels(peak: float) -> float:
    """A linear peak in dB of full scale."""
    return 20.0 * float(np.log10(peak)) if peak > 0.0 else -np.inf
