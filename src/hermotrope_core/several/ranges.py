"""The range of a night: many draws of every uncertain input of pack, shared line and branches, followed side by side.

The same circuit as `setting` and `follow`, with one value per draw. Time goes in steps that end at every change of a
mode; the charge by the midpoint rule; what stops inside a step is put where its charge is reached, by proportion. Held
against `follow` by a test to a few parts in a thousand, far below any spread.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from math import inf

import msgspec
import numpy as np

from hermotrope_core.circuit.estimate import factors, normals
from hermotrope_core.circuit.laws import Array, Asked, Bundle, Law
from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.kinds.effects import Element
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Branch, Supply
from hermotrope_core.plan.outing_document import JUNCTION, branch_case
from hermotrope_core.plan.spread import Input, inputs
from hermotrope_core.several.clock import Clock, changes
from hermotrope_core.several.follow import follow, trunk_case
from hermotrope_core.several.inner import fed
from hermotrope_core.values.known import maybe

DRAWS = 1_500
STEPS = 48
"""A night is cut into at least so many steps."""
LONGEST = 4.0
"""Without hours, draws are followed for so many times what the plain run lasts."""
MOST_CHANGES = 2_000
NEWTON_STEPS = 8
CLOSE = 1e-5
VOLTS = msgspec.structs.replace(JUNCTION, cells_in_series=10, ocv=((0.0, 0.01), (1.0, 100.0)))
"""Stands before a branch like `JUNCTION`; its table makes volts out of the charges in which laws state their ends."""

Mask = np.ndarray[tuple[int], np.dtype[np.bool_]]


class Lasts(msgspec.Struct, frozen=True):
    """5th, 50th and 95th percentile of a device's seconds, and the share of the draws in which it lasts to the end."""

    device: str
    p5: float
    p50: float
    p95: float
    whole: float


class NightRange(msgspec.Struct, frozen=True):
    """The range of every device of a supply, and of the charge that is left."""

    branches: tuple[Lasts, ...]
    left: tuple[float, float, float]


@dataclass(frozen=True)
class Flow:
    """Over the draws: amperes from the cells while all draw, on average, the junction's volts, where it collapses."""

    source_a: Array
    mean_a: Array
    junction_v: Array
    broken: Mask


@dataclass(frozen=True)
class Limits:
    """The charge at or below which the source ends, and each branch."""

    source: Array
    branches: list[Array]


@dataclass
class _Branch:
    """One branch over the draws: a law per mode, which draws still run, when each ended."""

    branch: Branch
    laws: dict[str, Law]
    clock: Clock
    running: Mask
    end_s: Array
    shunt_a: float
    stop_v: dict[str, Array] = field(default_factory=dict)

    def volts(self, law: Law) -> Array:
        """Volts at the junction at which a law stops."""
        table = VOLTS.ocv
        assert table is not None
        low, high = (VOLTS.cells_in_series * volts for _, volts in table)
        return low + law.stop * (high - low)

    def amps(self, volts: Array) -> tuple[Array, Array, Array]:
        """While it draws: amperes, their slope over the volts, and the mean amperes; 0 where it has stopped."""
        law = self.laws[self.clock.mode]
        on, slope = _amps(law, volts)
        runs = self.running * float(self.branch.count)
        if self.shunt_a:
            on = on + self.shunt_a
        drawn = runs * on
        if law.share == 1.0:
            return drawn, runs * slope, drawn
        between = _amps(law.between, volts)[0] if law.between is not None else 0.0
        return drawn, runs * slope, law.share * drawn + (1.0 - law.share) * runs * (between + self.shunt_a)


def _amps(law: Law, volts: Array) -> tuple[Array, Array]:
    """Amperes and slope of a law; beyond its collapse those of the fold."""
    if law.falls_to is not None:
        later = _amps(law.falls_to, volts)
        here = _amps(replace(law, falls_to=None), volts)
        holds = volts > law.falls_at
        return np.where(holds, here[0], later[0]), np.where(holds, here[1], later[1])
    if law.kind == "power":
        over = np.maximum(volts - law.drop, 1e-9)
        root = np.sqrt(np.maximum(over * over - 4.0 * law.ohm * law.value, 1e-18))
        amps = 2.0 * law.value / (over + root)
        return amps, -amps / root
    if law.kind == "resistance":
        slope = (volts > law.drop) / (law.ohm + law.value)
        return (volts - law.drop) * slope, slope
    return law.value, np.zeros(len(volts))


def night_range(supply: Supply, conditions: Conditions, hours: float | None, draws: int = DRAWS) -> NightRange:
    """The range of a supply's night. Raises what `follow` raises."""
    plain = follow(supply, conditions, hours, most=MOST_CHANGES)
    until = 3600.0 * hours if hours is not None else LONGEST * max(plain.runtime_s, 1.0)
    if changes(supply, until) > MOST_CHANGES:
        raise ValueError(f"more than {MOST_CHANGES} changes of mode: too many to draw")
    made = _Draws(
        fed(supply, conditions, hours), conditions, until, min(until, max(plain.runtime_s, 1.0)) / STEPS, draws
    )
    made.follow()
    branches = []
    for one in made.branches:
        p5, p50, p95 = (float(x) for x in np.percentile(one.end_s, (5, 50, 95)))
        whole = float(np.mean(one.end_s >= until)) if hours is not None else 0.0
        branches.append(Lasts(one.branch.device.name, p5, p50, p95, whole))
    low, middle, high = (max(0.0, float(x)) for x in np.percentile(made.soc, (5, 50, 95)))
    return NightRange(tuple(branches), (low, middle, high))


class _Draws:
    """The state of all draws at one moment."""

    def __init__(self, supply: Supply, conditions: Conditions, until: float, longest: float, n: int) -> None:
        case = trunk_case(supply, conditions)
        cases = [branch_case(branch, VOLTS) for branch in supply.branches]
        found = [inputs(case), *(_own(one) for one in cases)]
        z = normals(sum(len(part) for part in found), n)
        drawn = np.split(z, np.cumsum([len(part) for part in found])[:-1])
        given = [factors(part, own) for part, own in zip(found, drawn, strict=True)]
        self.until, self.n = until, n
        self.circuit: Circuit = circuit_of(case)
        self.trunk = Bundle(case, given[0], n, self.circuit)
        self.branches = [_made(b, one, f, n) for b, one, f in zip(supply.branches, cases, given[1:], strict=True)]
        self.endless = CHEMISTRIES[supply.source.chemistry].endless
        self.soc = np.full(n, self.circuit.start_soc)
        self.time = 0.0
        port = supply.source.regulated_output
        self.least_a = maybe(port.output_min_current_a) if port else None
        self.sleeps_s = port.sleeps_after_s if port else inf
        self.light_s = np.zeros(n)
        self.longest = longest
        self.warm: Array | None = None
        self.held: Law
        self.rest: Law
        self.held_v: Array
        self.held_broken: Mask

    def follow(self) -> None:
        """Step by step to the end of the last draw."""
        before, span = self.soc, 0.0
        self._held()
        while True:
            while self._weakened():
                self._held()
            flow = self._settle(before, span)
            if self.time >= self.until or not any(one.running.any() for one in self.branches):
                break
            if self._turned():
                before, span = self.soc, 0.0
                self._held()
                continue
            change = min(one.clock.next_s for one in self.branches)
            span = min(change - self.time, self.longest, self.until - self.time, self._nap())
            before = self.soc
            self._fall(flow, span)
            self.time += span
        for one in self.branches:
            self._stop(one, one.running, np.full(self.n, self.time))

    def _weakened(self) -> bool:
        """Whether the pack, in the middle of the draws, has come down to its next band of charge, which then holds."""
        if self.circuit.weaker is None or float(np.mean(self.soc)) > self.circuit.weaker_soc:
            return False
        self.circuit, self.trunk, self.warm = self.circuit.weaker, self.trunk.weaker or self.trunk, None
        return True

    def _turned(self) -> bool:
        """Whether a mode changes at this moment, which is then done."""
        due = [one for one in self.branches if one.clock.next_s <= self.time * (1.0 + 1e-12)]
        for one in due:
            one.clock.turn()
            if one.clock.over:
                self._stop(one, one.running, np.full(self.n, self.time))
        self.warm = None
        return bool(due)

    def _stop(self, one: _Branch, stops: Mask, at: Array) -> None:
        one.end_s[stops] = at[stops]
        one.running = one.running & ~stops
        self.warm = None

    def _flow(self, soc: Array) -> Flow:
        """What flows at a charge."""
        emf, first = np.interp(soc, self.trunk.socs, self.trunk.emfs), self.circuit.stretches[0]
        if not self.circuit.holders:
            volts, broken = self._solved(emf - first.drop_v, self.trunk.ohms[0], self.warm)
            self.warm = volts  # at less charge the volts are lower: the next solution is reached from above again
            on, _, mean = self._drawn(volts)
            return Flow(on, mean + first.shunt_a, volts, broken | self._tripped(emf, on))
        broken = self.held_broken | (soc <= self.held.stop)
        return Flow(self.held.amps(emf), self.rest.amps(emf) + first.shunt_a, self.held_v, broken)

    def _tripped(self, emf: Array, amps: Array) -> Mask:
        """Where a cut-off before the junction opens."""
        volts, found = emf, np.zeros(self.n, dtype=bool)
        for element, ohm in self._elements():
            if element.trips_v is not None:
                found |= volts <= element.trips_v
            volts = volts - element.drop_v - amps * ohm
            if element.stage == -1:
                found |= volts <= self.circuit.cutoff_v
        return found

    def _elements(self) -> list[tuple[Element, Array]]:
        """The plain stages before the junction with their ohms."""
        found = []
        for one in self.circuit.stretches[0].elements:
            place = "source.resistance_ohm" if one.stage == -1 else f"path[{one.stage}].length_m"
            found.append((one, one.resistance_ohm * self.trunk.of(place)))
        return found

    def _solved(self, arrives: Array, ohm: Array, warm: Array | None = None) -> tuple[Array, Mask]:
        """Volts at the junction, and where there are none; `warm` are volts that lie a little above."""
        volts, broken = arrives if warm is None else warm, np.zeros(self.n, dtype=bool)
        for _ in range(NEWTON_STEPS):
            on, slope, _ = self._drawn(volts)
            turns = 1.0 + ohm * slope
            broken |= turns <= 0.0
            step = np.where(broken, 0.0, (volts + ohm * on - arrives) / np.where(turns > 0.0, turns, 1.0))
            volts = volts - step
            if not (np.abs(step) > CLOSE * np.abs(volts)).any():
                break
        return volts, broken

    def _drawn(self, volts: Array) -> tuple[Array, Array, Array]:
        parts = [one.amps(volts) for one in self.branches]
        on, slope, mean = parts[0]
        for part in parts[1:]:
            on, slope, mean = on + part[0], slope + part[1], mean + part[2]
        return on, slope, mean

    def _limits(self) -> Limits:
        """The charges at or below which the source and each branch end, as everything now runs."""
        if self.circuit.holders:
            ends = [np.where(self.held_v <= one.stop_v[one.clock.mode], inf, -inf) for one in self.branches]
            return Limits(np.where(self.held_broken, inf, self.held.stop), ends)
        first = self.circuit.stretches[0]
        source = np.full(self.n, -inf)
        ohm, drop = np.zeros(self.n), 0.0
        for element, own in self._elements():
            if element.trips_v is not None:
                source = np.maximum(source, self._tapped(element.trips_v, ohm, drop))
            ohm, drop = ohm + own, drop + element.drop_v
            if element.stage == -1:
                source = np.maximum(source, self._tapped(self.circuit.cutoff_v, ohm, drop))
        found = []
        for one in self.branches:
            least = one.stop_v[one.clock.mode]
            told = np.isfinite(least)
            volts = np.where(told, least, 1.0)
            on, slope, _ = self._drawn(volts)
            emf = volts + first.drop_v + self.trunk.ohms[0] * on
            stable = told & (1.0 + self.trunk.ohms[0] * slope > 0.0)
            soc = self.trunk.inverse(np.where(stable, emf, -inf))
            found.append(np.where(least == inf, inf, soc))
        return Limits(source, found)

    def _tapped(self, volts: float, ohm: Array, drop: float) -> Array:
        """The charge at which a place before the junction, behind `ohm` and `drop`, stands at `volts`."""
        rest = np.full(self.n, volts - (self.circuit.stretches[0].drop_v - drop))
        junction, broken = self._solved(rest, self.trunk.ohms[0] - ohm)
        on, slope, _ = self._drawn(junction)
        stable = ~broken & (1.0 + self.trunk.ohms[0] * slope > 0.0)
        return self.trunk.inverse(np.where(stable, volts + drop + ohm * on, -inf))

    def _held(self) -> None:
        """Behind a port or a board the junction's volts are the same at any charge."""
        if not self.circuit.holders:
            return
        last = self.circuit.stretches[-1]
        arrives = np.full(self.n, self.circuit.holders[-1].output_v - last.drop_v)
        self.held_v, self.held_broken = self._solved(arrives, self.trunk.ohms[-1])
        on, _, mean = self._drawn(self.held_v)
        self.held = self.trunk.worked_back(Asked("current", on, 0.0), None)
        self.rest = self.trunk.worked_back(Asked("current", mean, 0.0), None)

    def _settle(self, before: Array, span: float) -> Flow:
        """End what cannot go on, until nothing changes; what was crossed in the last step ended there."""
        floor = -inf if self.endless else self.circuit.reserve_soc
        while True:
            flow = self._flow(self.soc)
            dead = flow.broken | (self.soc <= floor) | (self.light_s >= self.sleeps_s)
            ends = [one.running & (dead | (flow.junction_v <= one.stop_v[one.clock.mode])) for one in self.branches]
            if not any(one.any() for one in ends):
                return flow
            limits = self._limits()
            least = np.maximum(limits.source, floor)
            ends = self._first(ends, limits, least)
            dead = dead & ~np.any(
                [stops & (stop > least) for stops, stop in zip(ends, limits.branches, strict=True)], axis=0
            )
            over = np.any([one.running for one in self.branches], axis=0) & dead & (self.soc <= least)
            first = np.full(self.n, -inf)
            for one, stops, stop in zip(self.branches, ends, limits.branches, strict=True):
                at = np.maximum(np.where(self.soc <= stop, stop, -inf), np.where(self.soc <= least, least, -inf))
                self._stop(one, stops, self.time - span + span * _share(before, at, self.soc))
                first = np.maximum(first, np.where(stops & ~dead & np.isfinite(stop), at, -inf))
            self.soc = np.where(over, np.minimum(np.maximum(self.soc, least), before), self.soc)
            self._held()
            lighter = np.isfinite(first) & (first < before)
            if span and lighter.any():  # the rest of the step goes on without what stopped
                rest = span * (1.0 - _share(before, first, self.soc))
                self.soc = np.where(lighter, first, self.soc)
                self.soc = self.soc - np.where(lighter, rest * self._speed(self._flow(self.soc)), 0.0)

    def _first(self, ends: list[Mask], limits: Limits, least: Array) -> list[Mask]:
        """Where a branch stopped at more charge than the source ends at, only that one has stopped yet."""
        reached = [
            stops & (self.soc <= stop) & (stop > least) for stops, stop in zip(ends, limits.branches, strict=True)
        ]
        early = np.any(reached, axis=0)
        return [np.where(early, own, stops) for own, stops in zip(reached, ends, strict=True)]

    def _fall(self, flow: Flow, span: float) -> None:
        """The charge after so many seconds, by the midpoint rule."""
        alive = np.any([one.running for one in self.branches], axis=0)
        self.light_s = np.where(self._light(), self.light_s + span, 0.0)
        if self.endless:
            return
        middle = self.soc - 0.5 * span * self._speed(flow) * alive
        self.soc = self.soc - span * self._speed(self._flow(middle)) * alive

    def _light(self) -> Mask:
        """Where a bank's port is loaded too lightly to stay awake."""
        if self.least_a is None or not self.circuit.holders:
            return np.zeros(self.n, dtype=bool)
        alive = np.any([one.running for one in self.branches], axis=0)
        return np.asarray(alive & (self.held.port_a < self.least_a))

    def _nap(self) -> float:
        """Seconds until the first of the banks that are loaded too lightly falls asleep; inf where none is."""
        light = self._light()
        return self.sleeps_s - float(self.light_s[light].max()) if light.any() else inf

    def _speed(self, flow: Flow) -> Array:
        trunk, drawn = self.trunk, flow.source_a + self.circuit.stretches[0].shunt_a
        speed = flow.mean_a / trunk.charge_as
        return speed * np.maximum(1.0, drawn / trunk.rated) ** trunk.q if trunk.q else speed


def _share(before: Array, at: Array, after: Array) -> Array:
    """How far into a step a charge was reached: the charge falls almost evenly within one."""
    with np.errstate(invalid="ignore", divide="ignore"):
        share = (before - at) / (before - after)
    return np.where(np.isfinite(share), np.clip(share, 0.0, 1.0), 1.0)


def _own(case: Case) -> list[Input]:
    """What varies in a branch, without what stands before it."""
    return [one for one in inputs(case) if not one.place.startswith("source.")]


def _made(branch: Branch, case: Case, given: dict[str, Array], n: int) -> _Branch:
    bundle = Bundle(case, given, n, circuit_of(case))
    names = [mode.name for mode in case.duty_modes()]
    laws = dict(zip(names, bundle.laws, strict=True))
    shunt = bundle.circuit.stretches[0].shunt_a
    made = _Branch(branch, laws, Clock(branch.duty), np.ones(n, dtype=bool), np.zeros(n), shunt)
    made.stop_v = {name: made.volts(law) for name, law in laws.items()}
    return made
