"""Doing its job: what the device puts out over the run, and for how long that is above a wish."""

from __future__ import annotations

from itertools import pairwise

import msgspec

from hermotrope_core.case import number
from hermotrope_core.circuit import mode_demand
from hermotrope_core.discharge import Run, run
from hermotrope_core.interpolate import at as look_up
from hermotrope_core.situation import Situation


class Output(msgspec.Struct, frozen=True):
    """Output of the mode that runs longest: (seconds, output), first and last, and seconds above a wish."""

    mode: str
    unit: str
    points: tuple[tuple[float, float], ...]
    first: float
    last: float
    wish: float
    above_s: float
    outside: bool
    """True where the volts leave the table, whose ends then hold."""


def middle_wish(situation: Situation) -> float | None:
    """A wish to start with: what the device gives at its rated volts; None without a table."""
    table, rated = situation.case.device.output_by_v, situation.case.device.supply.nominal_v
    if not table or rated is None:
        return None
    return 0.9 * look_up(table, number(rated))


def output_over_run(situation: Situation, wish: float) -> Output | None:
    """The output while the mode that the duty spends most time in runs; None without a table or a run."""
    table, case = situation.case.device.output_by_v, situation.case
    if not table or situation.run is None or situation.run.runtime_s <= 0.0:
        return None
    followed: Run = run(case, marks=True)
    spent: dict[str, float] = {}
    for segment in case.duty.repeat:
        spent[segment.mode] = spent.get(segment.mode, 0.0) + number(segment.seconds)
    mode = max(situation.modes, key=lambda one: spent.get(one.name, 0.0))
    draw = mode_demand(mode)
    points = []
    outside = False
    for mark in followed.marks:
        now = situation.at_demand(draw, situation.circuit.emf(mark.soc))
        if now.complete:
            outside |= not table[0][0] <= now.inlet_v <= table[-1][0]
            points.append((mark.seconds, look_up(table, now.inlet_v)))
    if not points:
        return None
    unit = case.device.output_unit or ""
    above = _above(points, wish)
    return Output(mode.name, unit, tuple(points), points[0][1], points[-1][1], wish, above, outside)


def _above(points: list[tuple[float, float]], wish: float) -> float:
    """Seconds during which a line through the points is at or above a wish."""
    total = 0.0
    for (t0, y0), (t1, y1) in pairwise(points):
        if y0 >= wish and y1 >= wish:
            total += t1 - t0
        elif (y0 >= wish) != (y1 >= wish):
            cross = t0 + (t1 - t0) * (wish - y0) / (y1 - y0)
            total += cross - t0 if y0 >= wish else t1 - cross
    return total


def charge_at(followed: Run, seconds: float) -> float:
    """State of charge after so many seconds of a run with marks; that of its end beyond it."""
    for before, after in pairwise(followed.marks):
        if before.seconds <= seconds < after.seconds:
            share = (seconds - before.seconds) / (after.seconds - before.seconds)
            return before.soc + share * (after.soc - before.soc)
    return followed.final_soc
