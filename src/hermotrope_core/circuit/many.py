"""A run over arrays of draws: the same circuit and duty with many values of each uncertain input at once.

The scalar run (`discharge`) solves every piece in closed form; here the time over a piece is a
Gauss-Legendre sum. A duty with several modes is followed along its average for as many whole cycles
as surely run, and segment by segment in midpoint steps from there to its end. Both agree with the
scalar run to a few parts in ten thousand, where diodes fade to a few in a thousand (tests hold
them together), far below any spread.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil
from typing import Any

import numpy as np

from hermotrope_core.circuit.arrays import Array
from hermotrope_core.circuit.asleep import off_after
from hermotrope_core.circuit.discharge import NeverEnds
from hermotrope_core.circuit.laws import Bundle, Factors, Front
from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.kinds.effects import CAUSES, Cause
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import maybe

LAST_CYCLES = 2.0
"""So many cycles before the first mode must stop, the average is left and every segment is followed."""
MOST_STEPS = 100
STEP_SOC = 0.02
BEND_SOC, STEPS_OF_A_FADE = 1e-3, 4.0
"""Largest change of charge in one step of a segment."""
SOC_EPS = 1e-12
NOTHING = "the duty draws nothing from the pack, so it never ends"


@dataclass(frozen=True)
class Runs:
    """Seconds and the end's cause (index into `CAUSES`) of each draw."""

    runtime_s: Array
    cause: np.ndarray[Any, np.dtype[np.int64]]

    def causes(self) -> dict[Cause, float]:
        """Share of the draws by cause, most first."""
        counts = np.bincount(self.cause, minlength=len(CAUSES)) / len(self.cause)
        order = sorted(range(len(CAUSES)), key=lambda i: -counts[i])
        return {CAUSES[i]: float(counts[i]) for i in order if counts[i] > 0.0}


def runs(case: Case, factors: Factors, n: int) -> Runs:
    """Follow `n` draws of a finished case to their ends. Raises what `discharge.run` raises."""
    if case.source is not None and CHEMISTRIES[case.source.chemistry].endless:
        raise NeverEnds("a wall adapter does not run empty: it lasts as long as the mains")
    bundle = Bundle(case, factors, n, circuit_of(case))
    order = {mode.name: i for i, mode in enumerate(case.duty_modes())}
    turns = [(order[mode], lasts) for mode, lasts in case.duty.turns()]
    front = bundle.front(turns)
    times, cause = (_stepped if len(front.laws) > 1 else _steady)(front, bundle.circuit, turns)
    off = _off_times(bundle, turns)
    sleeps = off < times
    times, cause = np.where(sleeps, off, times), np.where(sleeps, CAUSES.index("auto-off"), cause)
    if case.duty.once:
        over = times >= case.duty.seconds
        times, cause = np.where(over, case.duty.seconds, times), np.where(over, CAUSES.index("programme over"), cause)
    return Runs(times, cause)


def _floor(circuit: Circuit) -> tuple[float, int]:
    reserve = circuit.reserve_soc
    return reserve, CAUSES.index("reserve" if reserve > 0.0 else "empty")


def _steady(front: Front, circuit: Circuit, _turns: list[tuple[int, float]]) -> tuple[Array, Any]:
    """One mode all the time, from the start down to where it must stop."""
    law = front.laws[0]
    floor, why = _floor(circuit)
    start = np.full(len(front.rated), circuit.start_soc)
    times = front.seconds([(0, 1.0)], start, np.maximum(law.stop, floor))
    if not np.isfinite(times).all():
        raise NeverEnds(NOTHING)
    too_high = start > law.top
    times = np.where(too_high | (law.stop >= start), 0.0, times)
    stopped = (law.stop >= floor) | (law.stop >= start)
    return times, np.where(too_high, CAUSES.index("converter input too high"), np.where(stopped, law.cause, why))


def _leap(front: Front, circuit: Circuit, turns: list[tuple[int, float]], floor: float) -> tuple[Array, Array]:
    """Seconds and charge after the whole cycles that surely run, along the average of the duty.

    The charge after k cycles solves seconds(start -> soc) = k cycles: two steps of Newton from a little before the end.
    """
    cycle = sum(lasts for _, lasts in turns)
    shares = [(mode, lasts / cycle) for mode, lasts in turns]
    start = np.full(len(front.rated), circuit.start_soc)

    def mean(soc: Array) -> Array:
        emf = front.emf(soc)
        return np.asarray(sum(share * front.speed(front.laws[mode], emf) for mode, share in shares))

    low = np.maximum(np.array([law.stop for law in front.laws]).max(axis=0), floor)
    near = low + LAST_CYCLES * cycle * mean(np.clip(low, 0.0, 1.0))
    runs_at_once = start <= np.array([law.top for law in front.laws]).min(axis=0)
    near = np.where(runs_at_once & (near < start), near, start)
    spent = front.seconds(shares, start, near)
    spent = np.where(np.isfinite(spent), spent, 0.0)
    cycles = np.floor(spent / cycle)
    soc = np.clip(near + mean(near) * (spent - cycles * cycle), near, start)
    late = spent - front.seconds(shares, soc, near) - cycles * cycle
    soc = np.clip(soc + mean(soc) * np.where(np.isfinite(late), late, 0.0), near, start)
    return cycles * cycle, np.where(cycles > 0.0, soc, start)


def _stepped(front: Front, circuit: Circuit, turns: list[tuple[int, float]]) -> tuple[Array, Any]:
    """Segment by segment, all draws side by side; those that have ended are left behind."""
    n = len(front.rated)
    floor, why = _floor(circuit)
    time, cause = np.zeros(n), np.full(n, why)
    here = np.arange(n)
    if circuit.start_soc <= floor:
        law = front.laws[turns[0][0]]
        return time, np.where(law.stop >= circuit.start_soc, law.cause, why)
    clock, soc = _leap(front, circuit, turns, floor)

    alone: dict[int, Front] = {}

    def only(mode: int) -> Front:
        """The draws that still run, in one mode: with hundreds of modes only that whose turn it is follows them."""
        return alone.get(mode) or alone.setdefault(mode, front.only(mode, here))

    def leave(gone: Any, at: Any, because: Any) -> None:
        nonlocal here, soc, clock
        time[here[gone]], cause[here[gone]] = at, because
        here, soc, clock = here[~gone], soc[~gone], clock[~gone]
        alone.clear()

    while len(here):
        before = soc.max()
        for mode, lasts in turns:
            high = soc > only(mode).laws[0].top
            if high.any():
                leave(high, clock[high], CAUSES.index("converter input too high"))
            law = only(mode).laws[0]
            dead = soc <= law.stop
            if dead.any():
                leave(dead, clock[dead], law.cause[dead])
            if not len(here):
                break
            now = only(mode)
            law = now.laws[0]
            after = _advance(now, soc, lasts)
            low = np.maximum(law.stop, floor)
            ends = after <= low
            if ends.any():
                spent = now.only(0, ends).seconds([(0, 1.0)], soc[ends], low[ends])
                lives = spent > lasts  # the steps were too coarse for a draw that fades: it comes close, no further
                after[ends] = low[ends] + SOC_EPS
                ends[ends], spent = ~lives, spent[~lives]
            if ends.any():
                reason = np.where(law.stop >= floor, law.cause, why)[ends]
                after = after[~ends]
                leave(ends, clock[ends] + np.minimum(spent, lasts), reason)
            soc = after
            clock = clock + lasts
        if len(here) and before - soc.max() <= SOC_EPS:
            raise NeverEnds(NOTHING)
    return time, cause


def _advance(front: Front, soc: Array, lasts: float) -> Array:
    """Charge after so many seconds of its one mode: midpoint steps, as the current changes slowly over charge."""
    (law,) = front.laws

    def rate(at: Array) -> Array:
        return front.speed(law, front.emf(at))

    first = rate(soc)
    steps = float(first.max()) * lasts / STEP_SOC
    if law.kind == "resistance" and np.max(law.drop) > 0.0:  # it fades, the quicker the steeper its volts fall
        bend = (first - rate(soc - BEND_SOC)).max() / BEND_SOC
        steps = max(steps, STEPS_OF_A_FADE * float(bend) * lasts)
    steps = min(MOST_STEPS, max(1, ceil(steps)))
    h = lasts / steps
    for step in range(steps):
        speed = first if step == 0 else rate(soc)
        soc = soc - h * rate(soc - 0.5 * h * speed)
    return soc


def _off_times(bundle: Bundle, turns: list[tuple[int, float]]) -> Array:
    """When a bank falls asleep in each draw (inf if never), as `discharge` decides it."""
    port = bundle.circuit.port
    least = maybe(port.output_min_current_a) if port else None
    off = np.full(bundle.n, np.inf)
    if port is None or least is None:
        return off
    delay = port.sleeps_after_s
    low = np.array([law.port_a < least for law in bundle.laws])
    for pattern in np.unique(low.T, axis=0):
        here = (pattern == low.T).all(axis=1)
        off[here] = off_after(list(pattern), turns, delay, once=bundle.case.duty.once)
    return off
