"""Doing its job: what the device puts out over the run, and for how long that is above a wish."""

from __future__ import annotations

from itertools import pairwise

import msgspec

from hermotrope_core.circuit.discharge import Run, run
from hermotrope_core.circuit.point import mode_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.values.interpolate import at as look_up
from hermotrope_core.values.known import number


class Output(msgspec.Struct, frozen=True):
    """Output of the mode it belongs to: (seconds, output), first and last, and how long it is enough.

    `until_s` is the moment at which it first falls under the wish; `on_s` of `of_s` seconds in which the mode itself
    is on are above it.
    """

    mode: str
    unit: str
    points: tuple[tuple[float, float], ...]
    first: float
    last: float
    wish: float
    until_s: float
    on_s: float
    of_s: float
    asked: bool
    """False where nobody said to which mode the output belongs: then it is that of the mode that is on longest."""
    outside: bool
    """True where the volts leave the table, whose ends then hold."""


def middle_wish(situation: Situation) -> float | None:
    """A wish to start with: what the device gives at its rated volts; None without a table."""
    table, rated = situation.case.device.output_by_v, situation.case.device.supply.nominal_v
    if not table or rated is None:
        return None
    return 0.9 * look_up(table, number(rated))


def output_over_run(situation: Situation, wish: float) -> Output | None:
    """The output of the mode it belongs to, at that mode's own volts; None without a table or a run."""
    table, case = situation.case.device.output_by_v, situation.case
    if not table or situation.run is None or situation.run.runtime_s <= 0.0:
        return None
    followed: Run = run(case, marks=True)
    spent: dict[str, float] = {}
    for segment in case.duty.repeat:
        spent[segment.mode] = spent.get(segment.mode, 0.0) + number(segment.seconds)
    stated = next((one for one in situation.modes if one.name == case.device.output_mode), None)
    mode = stated or max(situation.modes, key=lambda one: spent.get(one.name, 0.0))
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
    share = spent.get(mode.name, 0.0) / (sum(spent.values()) or 1.0)
    on, of = _above(points, wish) * share, points[-1][0] * share
    ends = points[0][1], points[-1][1]
    return Output(
        mode.name, unit, tuple(points), *ends, wish, _until(points, wish), on, of, stated is not None, outside
    )


def _until(points: list[tuple[float, float]], wish: float) -> float:
    """The moment at which a line through the points first falls under a wish; its end where it never does."""
    if points[0][1] < wish:
        return 0.0
    for (t0, y0), (t1, y1) in pairwise(points):
        if y1 < wish:
            return t0 + (t1 - t0) * (wish - y0) / (y1 - y0) if y1 != y0 else t0
    return points[-1][0]


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
