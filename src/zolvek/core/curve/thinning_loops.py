# SPDX-License-Identifier: GPL-3.0-or-later
"""The two loops of thinning, one number at a time: the plain form of what zolvek/native/loops.c does, which stands in
where that can't be built.

What shapes do is given by the functions of the shapes table. A test sees that every row with a guess is tried, and that
both forms do the same.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from zolvek.core.curve.shapes import BENT, COSINE, LINE, PLACES, S_CURVE, SHAPES

bend, s_curve, cosine = (SHAPES[code].easing for code in (BENT, S_CURVE, COSINE))
bend_guess, bend_by_three = SHAPES[BENT].guesses
(s_curve_guess,) = SHAPES[S_CURVE].guesses
bend_ready, s_curve_ready = (SHAPES[code].prepare for code in (BENT, S_CURVE))
TRIALS = 5  # a line, and what `_guess` knows

INFINITE = 1e300
FLAT_RISE = 1e-12
SLACK = 1e-12  # that a line may be beyond a bound: less than arithmetic is off
STEEPEST = 0.995
FAILURES = 3  # runs that fail in a row before longer ones are cancelled


def funnel(x: Any, low: Any, high: Any) -> Any:
    """The path of fewest links between `low` and `high` at increasing `x`: its corners as rows (x, y). Where low and
    high meet it passes through.

    Greedy, and optimal for corners at free places (Imai and Iri, Polygonal approximations of a curve, 1988): each link
    is the line that gets furthest; the next may begin anywhere on the part of it that lies past its last touch of the
    corridor (its window). Whether a line still passes is decided in constant amortised time by two convex chains
    (O'Rourke, An on-line algorithm for fitting straight lines between data ranges, 1981).

    Invariant, before each bound: `up` and `dn` are the convex hulls of the upper and lower bounds of this link, from
    the points at which the limiting lines touch them; `steep` is the steepest and `flat` the shallowest line that
    passes all bounds so far, and every line that passes lies between the two.

    Long: step one, taking in a bound, runs for every sample. Handed in and out of a function, in arrays, its dozen
    numbers of state took four times as long. Steps two and three run once a link: `_ended` and `_corners`.
    """
    n = len(x)
    # What lines have to stay below and above, as convex chains, and where their tangents are.
    up_x, up_y = np.empty(n + 4), np.empty(n + 4)
    dn_x, dn_y = np.empty(n + 4), np.empty(n + 4)
    up_n, dn_n, up_at, dn_at = 0, 0, 0, 0
    # The steepest and the shallowest line that still pass: a point on it, and its slope.
    steep_x, steep_y, steep = 0.0, 0.0, INFINITE
    flat_x, flat_y, flat = 0.0, 0.0, -INFINITE
    lines = np.empty((n + 2, 3))  # x, y, slope of every link
    windows = np.empty((n + 2, 2))  # where the next link may begin: first and last x
    links = 0
    i = 0
    ahead = np.empty((n + 4, 3))  # bounds that a window puts before the next samples: x, y, is it an upper one
    waiting, taken = 0, 0
    phase = 0  # of a sample: its upper bound, then its lower one
    while True:
        if taken < waiting:
            px, py, is_up = ahead[taken, 0], ahead[taken, 1], ahead[taken, 2] == 1.0
            separate = False
        elif i < n:
            px, py, is_up = x[i], high[i] if phase == 0 else low[i], phase == 0
            separate = True
        else:
            break
        blocked = False
        if is_up:
            if dn_n > 0 and flat > -INFINITE and flat_y + flat * (px - flat_x) > py + SLACK:
                blocked = True
            elif dn_n > 0 and (steep == INFINITE or steep_y + steep * (px - steep_x) > py):
                # The steepest line through this bound is the one that touches the chain below.
                best, result = INFINITE, False
                k = dn_at
                while k < dn_n:
                    if dn_x[k] < px:
                        slope = (py - dn_y[k]) / (px - dn_x[k])
                        if slope <= best:
                            best, dn_at, result = slope, k, True
                        else:
                            break
                    k += 1
                if result:
                    steep_x, steep_y, steep = px, py, best
            if not blocked:
                while up_n - up_at >= 2 and (up_y[up_n - 1] - up_y[up_n - 2]) * (px - up_x[up_n - 2]) >= (
                    py - up_y[up_n - 2]
                ) * (up_x[up_n - 1] - up_x[up_n - 2]):
                    up_n -= 1
                up_x[up_n], up_y[up_n] = px, py
                up_n += 1
        else:
            if up_n > 0 and steep < INFINITE and steep_y + steep * (px - steep_x) < py - SLACK:
                blocked = True
            elif up_n > 0 and (flat == -INFINITE or flat_y + flat * (px - flat_x) < py):
                best, result = -INFINITE, False
                k = up_at
                while k < up_n:
                    if up_x[k] < px:
                        slope = (py - up_y[k]) / (px - up_x[k])
                        if slope >= best:
                            best, up_at, result = slope, k, True
                        else:
                            break
                    k += 1
                if result:
                    flat_x, flat_y, flat = px, py, best
            if not blocked:
                while dn_n - dn_at >= 2 and (dn_y[dn_n - 1] - dn_y[dn_n - 2]) * (px - dn_x[dn_n - 2]) <= (
                    py - dn_y[dn_n - 2]
                ) * (dn_x[dn_n - 1] - dn_x[dn_n - 2]):
                    dn_n -= 1
                dn_x[dn_n], dn_y[dn_n] = px, py
                dn_n += 1
        if not blocked:
            if separate:
                if phase == 0:
                    phase = 1
                else:
                    phase = 0
                    i += 1
            else:
                taken += 1
            continue
        if is_up:
            waiting = _ended(True, i, x, high, low, flat_x, flat_y, flat, lines, windows, links, ahead)
        else:
            waiting = _ended(False, i, x, low, high, steep_x, steep_y, steep, lines, windows, links, ahead)
        links += 1
        taken, phase = 0, 0
        up_n, dn_n, up_at, dn_at = 0, 0, 0, 0
        steep, flat = INFINITE, -INFINITE
    # The last link: any line that still passes; half way between the two extremes.
    if steep < INFINITE and flat > -INFINITE:
        cut = steep - flat
        meet = (flat_y - steep_y + steep * steep_x - flat * flat_x) / cut if cut > 0.0 else flat_x
        y_meet = flat_y + flat * (meet - flat_x)
        lines[links, 0], lines[links, 1], lines[links, 2] = meet, y_meet, 0.5 * (steep + flat)
    elif steep < INFINITE:
        lines[links, 0], lines[links, 1], lines[links, 2] = steep_x, steep_y, steep
    else:
        lines[links, 0], lines[links, 1], lines[links, 2] = flat_x, flat_y, flat
    return _corners(x, lines, windows, links + 1)


def _ended(
    is_up: Any, i: Any, x: Any, edge: Any, inner: Any, at_x: Any, at_y: Any, slope: Any,
    lines: Any, windows: Any, links: Any, ahead: Any,
) -> Any:  # fmt: skip
    """Step two: the link that got furthest, from where it last touched the corridor to where it leaves it through
    `edge`. Its window bounds the next link; how many bounds that makes."""
    j = i - 1 if i > 0 else 0
    gap0 = at_y + slope * (x[j] - at_x) - edge[j]
    gap1 = at_y + slope * (x[i] - at_x) - edge[i]
    share = gap0 / (gap0 - gap1) if gap0 != gap1 else 0.0
    out_x = max(x[j] + min(max(share, 0.0), 1.0) * (x[i] - x[j]), at_x)
    lines[links, 0], lines[links, 1], lines[links, 2] = at_x, at_y, slope
    windows[links, 0], windows[links, 1] = at_x, out_x
    this, that = (1.0, 0.0) if is_up else (0.0, 1.0)
    ahead[0, 0], ahead[0, 1], ahead[0, 2] = at_x, at_y, that
    waiting = 1
    for m in range(np.searchsorted(x, at_x, side="right"), i):
        if x[m] < out_x:
            ahead[waiting, 0], ahead[waiting, 1], ahead[waiting, 2] = x[m], inner[m], that
            waiting += 1
    ahead[waiting, 0], ahead[waiting, 1], ahead[waiting, 2] = out_x, at_y + slope * (out_x - at_x), this
    return waiting + 1


def _corners(x: Any, lines: Any, windows: Any, links: Any) -> Any:
    """Step three: where neighbouring links meet, within their windows."""
    corners = np.empty((links + 1, 2))
    corners[0, 0], corners[0, 1] = x[0], lines[0, 1] + lines[0, 2] * (x[0] - lines[0, 0])
    for m in range(1, links):
        ax, ay, a = lines[m - 1, 0], lines[m - 1, 1], lines[m - 1, 2]
        bx, by, b = lines[m, 0], lines[m, 1], lines[m, 2]
        cross = (by - b * bx - ay + a * ax) / (a - b) if a != b else windows[m - 1, 0]
        cross = min(max(cross, windows[m - 1, 0]), windows[m - 1, 1])
        corners[m, 0], corners[m, 1] = cross, ay + a * (cross - ax)
    end = lines[links - 1]
    corners[links, 0], corners[links, 1] = x[-1], end[1] + end[2] * (x[-1] - end[0])
    return corners


def farthest(x: Any, y: Any, corner_x: Any, corner_y: Any, tolerance: float) -> Any:
    """From corner to corner as far as one shape stays within `tolerance` of the samples (x, y):
    rows of corner, shape and amount; the last row is the last corner."""
    count = len(corner_x)
    rows = np.empty((count, 3))
    result, start = 0, 0
    index = np.searchsorted(x, corner_x)
    while start < count - 1:
        best, code, amount = start + 1, LINE, 0.0
        reach, failed, bad = 1, 0, count
        while start + reach < count and failed < FAILURES:
            end = start + reach
            fits, c, a = _follows(x, y, corner_x, corner_y, index, start, end, tolerance)
            if fits:
                best, code, amount, failed, bad = end, c, a, 0, count
            else:
                if failed == 0:
                    bad = end
                failed += 1
            reach = reach * 2 if failed == 0 else reach + max(reach // 3, 1)
        if bad == count and start + reach >= count:
            fits, c, a = _follows(x, y, corner_x, corner_y, index, start, count - 1, tolerance)
            if fits:
                best, code, amount = count - 1, c, a
            else:
                bad = count - 1
        while bad - best > 1:
            middle = (best + bad) // 2
            fits, c, a = _follows(x, y, corner_x, corner_y, index, start, middle, tolerance)
            if fits:
                best, code, amount = middle, c, a
            else:
                bad = middle
        rows[result, 0], rows[result, 1], rows[result, 2] = start, code, amount
        result += 1
        start = best
    rows[result, 0], rows[result, 1], rows[result, 2] = count - 1, LINE, 0.0
    return rows[: result + 1]


def _rise(code: int, k: Any, whole: Any, u: Any) -> Any:
    """How far a shape has risen at u; `k` and `whole` are what it has prepared."""
    if code == BENT:
        return bend(u, k, whole)
    if code == S_CURVE:
        return s_curve(u, k, whole)
    if code == COSINE:
        return cosine(u)
    return u


def _guess(trial: int, a: float, b: float, c: float, d: float, e: float) -> tuple[int, float]:
    """The shape of a trial, and the amount guessed from a run's heights at shapes.PLACES."""
    if trial == 1:
        return BENT, bend_guess(a, b, c, d, e)
    if trial == 2:
        return COSINE, 0.0
    if trial == 3:
        return S_CURVE, s_curve_guess(a, b, c, d, e)
    return BENT, bend_by_three(a, b, c, d, e)


def _between(x: Any, y: Any, at: float, low: int, high: int) -> float:
    """The samples' value at `at`, by lines."""
    m = low + np.searchsorted(x[low:high], at)
    if m <= 0:
        return y[0]
    if m >= len(x):
        return y[len(x) - 1]
    span = x[m] - x[m - 1]
    share = (at - x[m - 1]) / span if span > 0.0 else 0.0
    return y[m - 1] + share * (y[m] - y[m - 1])


def _follows(
    x: Any, y: Any, cx: Any, cy: Any, index: Any, start: int, end: int, tolerance: float
) -> tuple[bool, int, float]:
    """Whether one shape follows the samples between two corners, and which."""
    x0, y0 = cx[start], cy[start]
    span, rise = cx[end] - x0, cy[end] - y0
    first, last = index[start], index[end]
    low, high = max(first - 1, 0), min(last + 2, len(x))
    heights = np.zeros(len(PLACES))
    for trial in range(TRIALS):
        code, amount = LINE, 0.0
        if trial > 0:
            if abs(rise) < FLAT_RISE:
                break
            if trial == 1:
                for m in range(len(PLACES)):
                    heights[m] = (_between(x, y, x0 + PLACES[m] * span, low, high) - y0) / rise
            code, amount = _guess(trial, heights[0], heights[1], heights[2], heights[3], heights[4])
        amount = min(max(amount, -STEEPEST), STEEPEST)
        k: Any = 0.0
        whole: Any = 1.0
        wanted: Any = amount
        if code == BENT:
            k, whole = bend_ready(wanted)
        elif code == S_CURVE:
            k, whole = s_curve_ready(wanted)
        fits = True
        for m in range(first, last + 1):
            if m >= len(x) or x[m] <= x0 or x[m] >= cx[end]:
                continue
            u = (x[m] - x0) / span
            if abs(y0 + rise * _rise(code, k, whole, u) - y[m]) > tolerance:
                fits = False
                break
        if fits:
            return True, code, amount
    return False, LINE, 0.0
