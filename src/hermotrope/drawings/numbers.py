"""Short figures for drawings; ``feed.js`` writes the same ones while the scrubber moves."""

from __future__ import annotations

from math import ceil, floor, log10

LEAST_WHOLE_A = 0.0995
MANY_V = 99.95


def volts(v: float) -> str:
    """Volts to the hundredth (tenth from 100 V): ``18.24 V``."""
    return f"{v:.1f} V" if abs(v) >= MANY_V else f"{v:.2f} V"


def amps(a: float) -> str:
    """Amperes to the hundredth, or whole milliamperes below a tenth: ``2.40 A``, ``28 mA``."""
    if a == 0.0:
        return "0 A"
    return f"{a:.2f} A" if abs(a) >= LEAST_WHOLE_A else f"{1000 * a:.3g} mA"


def watts(w: float) -> str:
    """Watts to the tenth, or milliwatts below a tenth: ``3.4 W``, ``12 mW``."""
    if w == 0.0:
        return "0 W"
    return f"{w:.1f} W" if abs(w) >= LEAST_WHOLE_A else f"{1000 * w:.2g} mW"


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
