"""A run over arrays of draws: the same circuit and duty with many values of each uncertain input at once.

The scalar run (`discharge`) solves every piece in closed form; here the time over a piece is a
Gauss-Legendre sum. A duty with several modes is followed along its average for as many whole cycles
as surely run, and segment by segment in midpoint steps from there to its end. Both agree with the
scalar run to a few parts in ten thousand (a test holds them together), far below any spread.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, ClassVar

import numpy as np

from hermotrope_core.circuit.discharge import GAUSS, NeverEnds, off_after
from hermotrope_core.circuit.point import Circuit, Stretch, circuit_of, mode_demand
from hermotrope_core.kinds.effects import CAUSES, Cause, Holder
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import maybe, number

Array = np.ndarray[Any, np.dtype[np.float64]]
Factors = dict[str, Array]
"""By the document's place of an input: one factor per draw."""

LAST_CYCLES = 2.0
"""So many cycles before the first mode must stop, the average is left and every segment is followed."""
MOST_STEPS = 100
STEP_SOC = 0.02
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


@dataclass
class _Law:
    """One mode seen by the first stretch: a demand that does not depend on charge, and where it must stop."""

    kind: str
    value: Array
    ohm: Array
    drop: float
    stop: Array
    """Charge at or below which it cannot run; +inf where it never can."""
    top: Array
    """Charge above which a converter's input is too high; +inf where there is none."""
    cause: np.ndarray[Any, np.dtype[np.int64]]
    port_a: Array
    falls_at: Array
    """EMF below which a board passes its input on and the mode follows `falls_to`; -inf where none does."""
    falls_soc: Array
    """The charge at that EMF."""
    falls_to: _Law | None = None

    ARRAYS: ClassVar = ("value", "ohm", "stop", "top", "cause", "port_a", "falls_at", "falls_soc")

    def some(self, keep: Any) -> _Law:
        """The same for the draws that `keep` (a mask or indices) chooses."""
        later = None if self.falls_to is None else self.falls_to.some(keep)
        varies = {name: getattr(self, name)[keep] for name in self.ARRAYS}
        return replace(self, **varies, falls_to=later)

    def turns(self) -> list[Array]:
        """The charges at which the mode's law changes, one array for each change."""
        return [] if self.falls_to is None else [self.falls_soc, *self.falls_to.turns()]

    def amps(self, emf: Array) -> Array:
        """Current from the cells at an EMF, amperes."""
        if self.kind == "current":
            amps = self.value
        elif self.kind == "resistance":
            amps = np.maximum(emf - self.drop, 0.0) / (self.ohm + self.value)
        else:
            volts = np.maximum(emf - self.drop, 1e-9)
            amps = 2.0 * self.value / (volts + np.sqrt(np.maximum(volts * volts - 4.0 * self.ohm * self.value, 0.0)))
        return amps if self.falls_to is None else np.where(emf > self.falls_at, amps, self.falls_to.amps(emf))


class _Bundle:
    """Arrays of a case: what varies as one value per draw, the rest as the circuit has it."""

    def __init__(self, case: Case, factors: Factors, n: int, circuit: Circuit) -> None:
        self.case, self.n = case, n
        self.one = np.ones(n)
        self.factors = factors
        source = case.source
        if source is None:
            raise ValueError("no source is chosen")
        self.circuit = circuit
        later = circuit.falls_to
        self.falls_to = None if later is None else _Bundle(case, factors, n, later)
        self.socs, self.emfs = (np.array(column) for column in zip(*self.circuit.emf_by_soc, strict=True))
        health = 1.0 if source.state_of_health is None else number(source.state_of_health)
        aged = np.minimum(health * self.of("source.state_of_health"), 1.0) / health
        self.charge_as = 3600.0 * self.circuit.charge_ah * self.of("source.capacity_ah") * aged
        self.rated = self.circuit.rated_a * self.of("source.capacity_ah")
        self.q = self.circuit.peukert - 1.0
        self.ohms = [self._ohm(stretch) for stretch in self.circuit.stretches]
        first = self.circuit.stretches[0]
        self.drop = first.drop_v
        self.laws = [self.law(mode.name) for mode in case.duty_modes()]

    def of(self, place: str) -> Array:
        return self.factors.get(place, self.one)

    def _element_ohm(self, stage: int, ohm: float) -> Array:
        return ohm * self.of("source.resistance_ohm" if stage == -1 else f"path[{stage}].length_m")

    def _ohm(self, stretch: Stretch) -> Array:
        total = np.zeros(self.n)
        for element in stretch.elements:
            if element.resistance_ohm:
                total = total + self._element_ohm(element.stage, element.resistance_ohm)
        return total

    def law(self, name: str) -> _Law:
        """Work a mode back from the device, as `draw_of` does."""
        index = next(i for i, mode in enumerate(self.case.device.modes) if mode.name == name)
        mode = self.case.device.modes[index]
        demand = mode_demand(mode)
        kind: str = demand.kind
        value = demand.value * self.of(f"device.modes[{index}].{mode.OWN[mode.kind]}")
        circuit = self.circuit
        broken = np.full(self.n, len(CAUSES))
        port = np.zeros(self.n)
        later = None if self.falls_to is None else self.falls_to.law(name)
        for k in range(len(circuit.holders), 0, -1):
            holder, stretch = circuit.holders[k - 1], circuit.stretches[k]
            amps, fails = _amps(holder.output_v - stretch.drop_v, self.ohms[k], kind, value)
            _break(broken, fails, "collapse")
            volts = np.full(self.n, holder.output_v)
            for element in stretch.elements:
                if element.trips_v is not None:
                    _break(broken, volts <= element.trips_v, element.trips)
                if element.most_a is not None:
                    _break(broken, amps > element.most_a, "converter overload")
                volts = volts - element.drop_v - amps * self._element_ohm(element.stage, element.resistance_ohm)
            if k == len(circuit.holders):
                _break(broken, volts < circuit.device_min_v, "device minimum")
            else:
                passes = circuit.holders[k].passes_below_v
                if later is not None and passes is not None and bool((volts < passes).all()):
                    return later
                least = circuit.holders[k].input_min_v if passes is None else passes
                _break(broken, volts < least, circuit.holders[k].low_cause)
                most = circuit.holders[k].input_max_v
                if most is not None:
                    _break(broken, volts > most, "converter input too high")
            amps = amps + stretch.shunt_a
            if holder.output_current_max_a is not None:
                _break(broken, amps > holder.output_current_max_a, "converter overload")
            kind, value = self._held(holder, amps)
            port = amps
        return self._bounded(kind, value, broken, port, later)

    def _held(self, holder: Holder, amps: Array) -> tuple[str, Array]:
        """What a holder asks of its input, with its loss ratio and quiescent draw varied."""
        place = "source.regulated_output" if holder.stage == -1 else f"path[{holder.stage}]"
        if holder.linear:
            return "current", amps + holder.quiescent * self.of(f"{place}.quiescent_a")
        table = holder.efficiency
        share: Any = table if isinstance(table, float) else np.interp(amps, *np.array(table).T)
        loss = (1.0 / share - 1.0) * self.of(f"{place}.efficiency")
        return "power", holder.output_v * amps * (1.0 + loss) + holder.quiescent * self.of(f"{place}.quiescent_w")

    def _bounded(self, kind: str, value: Array, broken: np.ndarray[Any, Any], port: Array, later: _Law | None) -> _Law:
        """The charge at which the first stretch ends this mode, and why: the highest of its bounds."""
        circuit, first = self.circuit, self.circuit.stretches[0]
        bounds: list[tuple[Array, Cause]] = []
        ohm, drop = np.zeros(self.n), 0.0
        for element in first.elements:
            if element.trips_v is not None:
                bounds.append((self._threshold(element.trips_v, ohm, drop, kind, value), element.trips))
            if element.most_a is not None:
                bounds.append((_overload(self.ohms[0], self.drop, kind, value, element.most_a), "converter overload"))
            ohm = ohm + self._element_ohm(element.stage, element.resistance_ohm)
            drop += element.drop_v
            if element.stage == -1:
                bounds.append((self._threshold(circuit.cutoff_v, ohm, drop, kind, value), "pack cut-off"))
        top, turn = np.full(self.n, np.inf), np.full(self.n, -np.inf)
        if circuit.holders:
            holder = circuit.holders[0]
            if holder.passes_below_v is not None:
                turn = self._threshold(holder.passes_below_v, ohm, drop, kind, value)
            if holder.input_min_v > 0.0:
                bounds.append((self._threshold(holder.input_min_v, ohm, drop, kind, value), holder.low_cause))
            if holder.input_max_v is not None:
                top = self._inverse(self._threshold(holder.input_max_v, ohm, drop, kind, value))
        else:
            bounds.append((self._threshold(circuit.device_min_v, ohm, drop, kind, value), "device minimum"))
        bounds.append((_collapse(self.ohms[0], self.drop, kind, value), "collapse"))
        emfs = np.array([emf for emf, _ in bounds])
        best = emfs.argmax(axis=0)
        cause = np.array([CAUSES.index(cause) for _, cause in bounds])[best]
        stop = self._inverse(emfs.max(axis=0))
        falls = turn > emfs.max(axis=0)
        if later is not None and falls.any():
            stop = np.where(falls, np.minimum(later.stop, self._inverse(turn)), stop)
            cause = np.where(falls, later.cause, cause)
        bad = broken < len(CAUSES)
        return _Law(
            kind,
            value,
            self.ohms[0],
            self.drop,
            np.where(bad, np.inf, stop),
            top,
            np.where(bad, np.minimum(broken, len(CAUSES) - 1), cause),
            port,
            turn,
            self._inverse(turn),
            later if falls.any() else None,
        )

    def _threshold(self, volts: float, ohm: Array, drop: float, kind: str, value: Array) -> Array:
        """EMF at which a tap stands at `volts` (`piece.threshold`); -inf where it collapses before."""
        after, drop_after = self.ohms[0] - ohm, self.drop - drop
        amps, fails = _amps(volts - drop_after, after, kind, value)
        emf = volts + drop + ohm * amps
        if kind == "power":
            fails = fails | (amps * amps * self.ohms[0] > value)
        return np.where(fails, -np.inf, emf)

    def _inverse(self, emf: Array) -> Array:
        """The highest charge whose EMF is not above `emf` (`piece.inverse`)."""
        i = np.clip(np.searchsorted(self.emfs, emf, side="right") - 1, 0, len(self.emfs) - 2)
        rise = self.emfs[i + 1] - self.emfs[i]
        inside = self.socs[i] + (self.socs[i + 1] - self.socs[i]) * (emf - self.emfs[i]) / np.where(
            rise > 0.0, rise, 1.0
        )
        return np.where(emf >= self.emfs[-1], np.inf, np.where(emf < self.emfs[0], -np.inf, inside))

    def front(self, turns: list[tuple[int, float]]) -> _Front:
        """The first stretch with every mode's demand, for all draws."""
        laws = [self.laws[mode] for mode in sorted({mode for mode, _ in turns})]
        return _Front(self.socs, self.emfs, self.q, self.charge_as, self.rated, laws)


@dataclass(frozen=True)
class _Front:
    """The pack with its first stretch, for all draws or some of them."""

    socs: Array
    emfs: Array
    q: float
    charge_as: Array
    rated: Array
    laws: list[_Law]

    def some(self, keep: Any) -> _Front:
        """The same for the draws that `keep` (a mask or indices) chooses."""
        laws = [law.some(keep) for law in self.laws]
        return _Front(self.socs, self.emfs, self.q, self.charge_as[keep], self.rated[keep], laws)

    def emf(self, soc: Array) -> Array:
        return np.asarray(np.interp(soc, self.socs, self.emfs))

    def speed(self, law: _Law, emf: Array) -> Array:
        """-d(soc)/dt of a mode at an EMF, per second."""
        amps = law.amps(emf)
        speed = amps / self.charge_as
        return speed * np.exp(self.q * np.log(np.maximum(1.0, amps / self.rated))) if self.q else speed

    def seconds(self, shares: list[tuple[int, float]], high: Array, low: Array) -> Array:
        """Time from one charge down to another while the laws draw in the given shares, piece by piece."""
        total = np.zeros(len(high))
        edges = [0.0, *(soc for soc in self.socs if 0.0 < soc < 1.0), 1.0]
        turns = np.sort([soc for law, _ in shares for soc in self.laws[law].turns()], axis=0)
        for a, b in pairwise(edges):
            top = np.minimum(high, b)
            bottom = np.minimum(top, np.maximum(low, a))
            if not (top > bottom).any():
                continue
            e0, e1 = np.interp((a, b), self.socs, self.emfs)
            slope = (e1 - e0) / (b - a)
            cuts = [bottom, *(np.clip(turn, bottom, top) for turn in turns), top]
            for lower, upper in pairwise(cuts):
                width = upper - lower
                for x, weight in GAUSS:
                    emf = e0 + slope * (lower + x * width - a)
                    drawn = sum((share * self.speed(self.laws[law], emf) for law, share in shares), np.zeros(len(high)))
                    with np.errstate(divide="ignore", invalid="ignore"):
                        total = total + weight * np.where(width > 0.0, width / drawn, 0.0)
        return total


def runs(case: Case, factors: Factors, n: int) -> Runs:
    """Follow `n` draws of a finished case to their ends. Raises what `discharge.run` raises."""
    if case.source is not None and CHEMISTRIES[case.source.chemistry].endless:
        raise NeverEnds("a wall adapter does not run empty: it lasts as long as the mains")
    bundle = _Bundle(case, factors, n, circuit_of(case))
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


def _steady(front: _Front, circuit: Circuit, _turns: list[tuple[int, float]]) -> tuple[Array, Any]:
    """One mode all the time, from the start down to where it must stop."""
    law = front.laws[0]
    floor, why = _floor(circuit)
    start = np.full(len(front.rated), circuit.start_soc)
    times = front.seconds([(0, 1.0)], start, np.maximum(law.stop, floor))
    if not np.isfinite(times).all():
        raise NeverEnds(NOTHING)
    too_high = start > law.top
    times = np.where(too_high | (law.stop >= start), 0.0, times)
    stopped = (law.stop > floor) | (law.stop >= start)
    return times, np.where(too_high, CAUSES.index("converter input too high"), np.where(stopped, law.cause, why))


def _leap(front: _Front, circuit: Circuit, turns: list[tuple[int, float]], floor: float) -> tuple[Array, Array]:
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
    soc = np.clip(soc + mean(soc) * (front.seconds(shares, start, soc) - cycles * cycle), near, start)
    return cycles * cycle, np.where(cycles > 0.0, soc, start)


def _stepped(front: _Front, circuit: Circuit, turns: list[tuple[int, float]]) -> tuple[Array, Any]:
    """Segment by segment, all draws side by side; those that have ended are left behind."""
    n = len(front.rated)
    floor, why = _floor(circuit)
    time, cause = np.zeros(n), np.full(n, why)
    here = np.arange(n)
    if circuit.start_soc <= floor:
        law = front.laws[turns[0][0]]
        return time, np.where(law.stop >= circuit.start_soc, law.cause, why)
    clock, soc = _leap(front, circuit, turns, floor)

    def leave(gone: Any, at: Any, because: Any) -> None:
        nonlocal here, soc, clock, front
        time[here[gone]], cause[here[gone]] = at, because
        here, soc, clock, front = here[~gone], soc[~gone], clock[~gone], front.some(~gone)

    while len(here):
        before = soc.max()
        for mode, lasts in turns:
            high = soc > front.laws[mode].top
            if high.any():
                leave(high, clock[high], CAUSES.index("converter input too high"))
            dead = soc <= front.laws[mode].stop
            if dead.any():
                leave(dead, clock[dead], front.laws[mode].cause[dead])
            if not len(here):
                break
            after = _advance(front, mode, soc, lasts)
            law = front.laws[mode]
            low = np.maximum(law.stop, floor)
            ends = after <= low
            if ends.any():
                spent = front.some(ends).seconds([(mode, 1.0)], soc[ends], low[ends])
                reason = np.where(law.stop >= floor, law.cause, why)[ends]
                after = after[~ends]
                leave(ends, clock[ends] + np.minimum(spent, lasts), reason)
            soc = after
            clock = clock + lasts
        if len(here) and before - soc.max() <= SOC_EPS:
            raise NeverEnds(NOTHING)
    return time, cause


def _advance(front: _Front, mode: int, soc: Array, lasts: float) -> Array:
    """Charge after so many seconds of one mode: midpoint steps, which the slow change of current over charge allows."""
    law = front.laws[mode]

    def rate(at: Array) -> Array:
        return front.speed(law, front.emf(at))

    first = rate(soc)
    steps = min(MOST_STEPS, max(1, int(np.ceil(float(first.max()) * lasts / STEP_SOC))))
    h = lasts / steps
    for step in range(steps):
        speed = first if step == 0 else rate(soc)
        soc = soc - h * rate(soc - 0.5 * h * speed)
    return soc


def _off_times(bundle: _Bundle, turns: list[tuple[int, float]]) -> Array:
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


def _amps(volts: float, ohm: Array, kind: str, value: Array) -> tuple[Array, np.ndarray[Any, np.dtype[np.bool_]]]:
    """`section_amps` over arrays: amperes, and where there is no answer."""
    if kind == "current":
        return value, volts - value * ohm <= 0.0
    if kind == "resistance":
        return np.maximum(volts, 0.0) / (ohm + value), np.full(value.shape, volts <= 0.0)
    rest = volts * volts - 4.0 * ohm * value
    fails = (rest < 0.0) | (volts <= 0.0)
    amps = 2.0 * value / np.where(fails, 1.0, volts + np.sqrt(np.maximum(rest, 0.0)))
    return amps, fails & (value > 0.0)


def _collapse(ohm: Array, drop: float, kind: str, value: Array) -> Array:
    if kind == "power":
        return drop + 2.0 * np.sqrt(ohm * value)
    return drop + ohm * value if kind == "current" else np.full(value.shape, drop)


def _overload(ohm: Array, drop: float, kind: str, value: Array, most_a: float) -> Array:
    """`piece.overload_emf` over arrays."""
    if kind == "power":
        return np.where(most_a * most_a * ohm < value, drop + ohm * most_a + value / most_a, -np.inf)
    return np.where(value > most_a, np.inf, -np.inf) if kind == "current" else np.full(value.shape, -np.inf)


def _break(broken: np.ndarray[Any, Any], where: Any, cause: Cause) -> None:
    """Note the first cause, in the order of `CAUSES`, that a draw violates at any charge."""
    index = CAUSES.index(cause)
    np.copyto(broken, index, where=where & (index < broken))
