"""A small gauge of an expected window, with the reading on it."""

from __future__ import annotations

from math import isfinite

import msgspec

from hermotrope_core.prove import Ask
from hermotrope_core.prove.judge import written

WIDTH = 300.0
INSET = 10.0


class WindowGauge(msgspec.Struct, frozen=True):
    """A bar of 300 by 34: where the window lies, its ends in words, where the reading is (None without one)."""

    left: float
    right: float
    wide: float
    low: str
    high: str
    expected: float | None
    reading: float | None
    off: str
    """``<`` or ``>`` where the reading lies beyond the bar."""


def window_gauge(ask: Ask, value: float | None) -> WindowGauge:
    """The window in the middle half of the bar; an open end runs to the bar's end."""
    low = ask.low if isfinite(ask.low) else ask.high - abs(ask.high or 1.0)
    high = ask.high if isfinite(ask.high) else ask.low + 3.0 * abs(ask.low or 1.0)
    span = max(high - low, 1e-9)
    start = low - 0.5 * span
    if start < 0.0 <= low and ask.unit != "V":
        start = 0.0
    stop = high + 0.5 * span

    def place(x: float) -> float:
        share = (x - start) / (stop - start)
        return round(INSET + (WIDTH - 2 * INSET) * min(1.0, max(0.0, share)), 1)

    right = place(high) if isfinite(ask.high) else WIDTH - INSET
    reading = None if value is None else place(value) if isfinite(value) else WIDTH - INSET
    off = "" if value is None or start <= value <= stop else "<" if value < start else ">"
    expected = place(ask.expected) if ask.expected is not None and isfinite(ask.expected) else None
    return WindowGauge(
        place(low),
        right,
        round(max(1.0, right - place(low)), 1),
        written(ask.low, ask.unit),
        "" if not isfinite(ask.high) else written(ask.high, ask.unit),
        expected,
        reading,
        off,
    )
