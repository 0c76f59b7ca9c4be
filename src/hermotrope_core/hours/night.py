"""A run through changing temperature: a table of (hours after the start, °C), between whose rows it goes in a line.

The run is followed in pieces of half an hour at most, each at the temperature of its middle. From one piece to the next
the state of charge is kept, so the pack's open-circuit volts do not jump, while what a full charge holds and the pack's
resistance follow the temperature; the duty goes on where it was.
"""

from __future__ import annotations

from math import inf

import msgspec

from hermotrope_core.circuit.discharge import run
from hermotrope_core.hours.job import charge_at
from hermotrope_core.kinds.effects import Cause
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.duty import Duty, Segment
from hermotrope_core.values.interpolate import at as look_up
from hermotrope_core.values.known import number

PIECE_S, ROUNDING_S = 1800.0, 1e-6
"""The table is followed in such pieces; so much later is the same moment."""


class Night(msgspec.Struct, frozen=True):
    """How a run ends when the temperature follows its table: seconds, cause, charge left, and the temperatures met."""

    runtime_s: float
    end_cause: Cause
    final_soc: float
    warmest_c: float
    coldest_c: float


def through_the_night(case: Case) -> Night | None:
    """Follow a finished case through its table; None without one or where it does not run. Raises `NeverEnds`."""
    table, source = case.conditions.temperature_by_h, case.source
    if table is None or source is None:
        return None
    asleep = run(case)
    sleeps_s = asleep.runtime_s if asleep.end_cause == "auto-off" else inf
    time, met = 0.0, []
    soc: float | None = None
    while True:
        last = time >= 3600.0 * table[-1][0]
        lasts = inf if last else PIECE_S
        warmth = look_up(table, (time + (0.0 if last else PIECE_S / 2)) / 3600.0)
        met.append(warmth)
        conditions = msgspec.structs.replace(case.conditions, temperature_c=warmth)
        charged = source if soc is None else msgspec.structs.replace(source, initial_soc=soc)
        duty = msgspec.structs.replace(case.duty, repeat=ahead(case.duty, time))
        piece = msgspec.structs.replace(case, source=charged, conditions=conditions, duty=duty)
        followed = run(piece, marks=True)
        if time + min(followed.runtime_s, lasts) >= sleeps_s:
            return Night(sleeps_s, "auto-off", charge_at(followed, sleeps_s - time), max(met), min(met))
        if followed.runtime_s <= lasts + ROUNDING_S:
            end = time + min(followed.runtime_s, lasts)
            return None if end <= 0.0 else Night(end, followed.end_cause, followed.final_soc, max(met), min(met))
        soc, time = charge_at(followed, lasts), time + lasts


def ahead(duty: Duty, seconds: float) -> tuple[Segment, ...]:
    """What comes after so many seconds of a duty: turned where it goes round, what is left of it where it runs once."""
    if not duty.once:
        return turned(duty.repeat, seconds)
    left: list[Segment] = []
    for segment in duty.repeat:
        lasts = number(segment.seconds)
        if seconds < lasts - 1e-9:
            left.append(msgspec.structs.replace(segment, seconds=lasts - seconds))
        seconds = max(0.0, seconds - lasts)
    return tuple(left)


def turned(repeat: tuple[Segment, ...], seconds: float) -> tuple[Segment, ...]:
    """The duty from so many seconds on: what is left of the segment that is on, the others, and its first part."""
    into = seconds % sum(number(segment.seconds) for segment in repeat)
    for i, segment in enumerate(repeat):
        lasts = number(segment.seconds)
        if into < lasts - 1e-9:
            rest = msgspec.structs.replace(segment, seconds=lasts - into)
            done = (msgspec.structs.replace(segment, seconds=into),) if into > 0.0 else ()
            return (rest, *repeat[i + 1 :], *repeat[:i], *done)
        into -= lasts
    return repeat
