"""Volts for drawings, and round steps for their axes; ``figures.js`` writes the same while the scrubber moves."""

from __future__ import annotations

from math import ceil, floor, log10

from hermotrope_core.values.figures import fixed

MANY_V = 99.95


def volts(v: float) -> str:
    """Volts along a line, to the hundredth (tenth from 100 V) as a meter shows them: ``18.24 V``."""
    return fixed(v, 1, "V") if abs(v) >= MANY_V else fixed(v, 2, "V")


def step(span: float, about: int = 7) -> float:
    """A step of 1, 2 or 5 times a power of ten that divides `span` into roughly so many."""
    raw = span / about
    power = float(10 ** floor(log10(raw)))
    return next(m * power for m in (1, 2, 5, 10) if m * power >= raw)


def ticks(low: float, high: float, about: int = 7) -> list[float]:
    """Round values from `low` to `high`, roughly so many."""
    size = step(high - low, about)
    first = ceil(low / size - 1e-9)
    return [round(i * size, 6) for i in range(first, floor(high / size + 1e-9) + 1)]
