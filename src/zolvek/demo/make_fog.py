# SPDX-License-Identifier: GPL-3.0-or-later
"""Makes fog.flac, the demo's harbour texture: `python -m zolvek.demo.make_fog`.

Water and wind are filtered noise; a far buoy bell and a rope's creak are a few partials. All of
it is made here, from a fixed seed, and wraps round without a seam.
"""

from pathlib import Path

import numpy as np

RATE, SECONDS = 24_000, 16
TARGET = Path(__file__).with_name("fog.flac")


def band(noise: np.ndarray, low: float, high: float, slope: float) -> np.ndarray:
    """Noise between two frequencies, tilted by `slope` (power of f), circular in time."""
    spectrum = np.fft.rfft(noise)
    f = np.fft.rfftfreq(len(noise), 1 / RATE)
    weight = (f / 300 + 1e-3) ** slope * (1 / (1 + (low / (f + 1e-9)) ** 4)) / (1 + (f / high) ** 4)
    out = np.fft.irfft(spectrum * weight, len(noise))
    return out / np.abs(out).max()


def bell(length: int, at: float, hz: float, life: float) -> np.ndarray:
    """A bell's inharmonic partials struck at second `at`, its tail wrapped round."""
    t = (np.arange(length) / RATE - at) % SECONDS
    tones = ((1, 1.0), (2.76, 0.5), (5.4, 0.22), (8.93, 0.1))
    return sum(g * np.sin(2 * np.pi * hz * r * t) * np.exp(-t * r**0.5 / life) for r, g in tones)


def make() -> np.ndarray:
    """The texture, float64 (frames, 2)."""
    rng = np.random.Generator(np.random.PCG64(48))
    n = RATE * SECONDS
    t = np.arange(n) / RATE
    turn = 2 * np.pi * t / SECONDS
    water = band(rng.standard_normal(n), 60, 900, -0.6) * (0.65 + 0.35 * np.sin(5 * turn))
    lap = band(rng.standard_normal(n), 700, 5_000, -0.2) * np.clip(np.sin(9 * turn + 1), 0, 1) ** 6
    wind = band(rng.standard_normal(n), 250, 1_400, 0.0) * (0.5 + 0.5 * np.sin(2 * turn + 2)) ** 2
    left = 0.5 * water + 0.16 * lap + 0.16 * wind + 0.05 * bell(n, 3.1, 392, 1.6)
    right = 0.5 * np.roll(water, 900) + 0.16 * np.roll(lap, RATE * 2) + 0.14 * np.roll(wind, 4_000)
    right += 0.05 * bell(n, 9.7, 440, 1.4)
    stereo = np.stack((left, right), axis=1)
    return 0.5 * stereo / np.abs(stereo).max()


if __name__ == "__main__":
    import soundfile

    soundfile.write(TARGET, make(), RATE, subtype="PCM_16", format="FLAC")
    print(f"{TARGET}: {TARGET.stat().st_size} bytes")
