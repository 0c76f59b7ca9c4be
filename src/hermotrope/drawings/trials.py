"""Runs against the plan on one axis of time: what was foretold, what each run lasted, what the next one will."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.estimate import Range
from hermotrope_core.fit.trials import Pooled
from hermotrope_core.values.figures import duration

LEFT, WIDE = 86.0, 404.0
ROOM = 1.06
"""How far beyond the shortest and the longest the axis goes."""
DOTS_Y, STEP_Y, ROWS = 46.0, 9.0, 3


class TrialsDrawn(msgspec.Struct, frozen=True):
    """Bars as (x, width), dots as (x, y, ended by itself, odd); ticks as (x, words)."""

    planned: tuple[float, float]
    next: tuple[float, float] | None
    dots: tuple[tuple[float, float, bool, bool], ...]
    ticks: tuple[tuple[float, str], ...]


def trials_drawn(planned: Range, found: Pooled | None, runs: list[tuple[float, bool, bool]]) -> TrialsDrawn:
    """Lay them out; runs as (seconds, ended by itself, odd), the first at the top."""
    all_s = [planned.p5, planned.p95, *(one[0] for one in runs), *((found.p5, found.p95) if found else ())]
    low, high = min(all_s) / ROOM, max(all_s) * ROOM

    def x(seconds: float) -> float:
        return float(round(LEFT + WIDE * (seconds - low) / (high - low), 1))

    def bar(left: float, right: float) -> tuple[float, float]:
        return x(left), round(max(x(right) - x(left), 2.0), 1)

    dots = tuple(
        (x(seconds), DOTS_Y + STEP_Y * (i % ROWS), ended, odd) for i, (seconds, ended, odd) in enumerate(runs)
    )  # fmt: skip
    ticks = tuple((x(at), duration(at)) for at in (low * ROOM, (low + high) / 2.0, high / ROOM))
    return TrialsDrawn(bar(planned.p5, planned.p95), bar(found.p5, found.p95) if found else None, dots, ticks)
