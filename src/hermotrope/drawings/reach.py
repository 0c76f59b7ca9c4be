"""How far a runtime reaches, as a bar: the range, the most likely, what was measured."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.estimate import Range
from hermotrope_core.values.figures import duration

WIDE = 560.0
ROOM = 1.12
"""How far beyond the greatest of them the bar goes."""


class Reach(msgspec.Struct, frozen=True):
    """Places along a bar of `WIDE` that begins at nought."""

    left: float
    wide: float
    likely: float
    measured: float | None
    words: str


def reach(found: Range, measured_s: float | None) -> Reach:
    """The bar of a range of runtimes and, where it was tried as it is, how long it ran; all in seconds."""
    top = max(found.p95, measured_s or 0.0) * ROOM or 1.0
    left, likely, right = (round(WIDE * s / top, 1) for s in (found.p5, found.p50, found.p95))
    ran = None if measured_s is None else round(WIDE * measured_s / top, 1)
    low, high = duration(found.p5), duration(found.p95)
    told = "" if measured_s is None else f"; it ran {duration(measured_s)}"
    words = f"Nine of ten runs last {low} to {high}, most likely {duration(found.p50)}{told}"
    return Reach(left, round(max(right - left, 2.0), 1), likely, ran, words)
