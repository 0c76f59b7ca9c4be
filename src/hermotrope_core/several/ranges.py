"""The range of a night: many draws of every uncertain input of pack, shared line and branches, followed side by side.

The same circuit as `setting` and `follow`, with one value per draw. Time goes in steps that end at every change of a
mode; the charge by the midpoint rule; what stops inside a step is put where its charge is reached, by proportion. Held
against `follow` by a test to a few parts in a thousand, far below any spread.
"""

from __future__ import annotations

from dataclasses import dataclass
from math import inf

import msgspec
import numpy as np

from hermotrope_core.circuit.arrays import Array
from hermotrope_core.circuit.estimate import factors, usual_normals
from hermotrope_core.circuit.laws import Asked, Bundle, Law
from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.kinds.effects import Element
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.plan.outing_document import branch_case
from hermotrope_core.plan.spread import inputs
from hermotrope_core.several.clock import changes
from hermotrope_core.several.draws import (
    VOLTS,
    BranchDraws,
    Drawing,
    Drawn,
    Indices,
    Mask,
    Together,
    branch_draws,
    own_inputs,
)
from hermotrope_core.several.follow import follow
from hermotrope_core.several.inner import fed
from hermotrope_core.several.trunk import trunk_case
from hermotrope_core.values.known import maybe

DRAWS = 1_500
STEPS = 24
"""A night is cut into at least so many steps."""
LONGEST = 4.0
"""Without hours, draws are followed for so many times what the plain run lasts."""
MOST_CHANGES = 2_000
NEWTON_STEPS = 8
CLOSE = 1e-5
ALL = slice(None)
"""Every draw."""


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

    def patched(self, some: Flow, keep: Indices) -> Flow:
        """The same with other values in some of the draws."""
        pairs = ((getattr(self, name).copy(), getattr(some, name)) for name in self.__dataclass_fields__)
        made = []
        for whole, part in pairs:
            whole[keep] = part
            made.append(whole)
        return Flow(*made)


@dataclass(frozen=True)
class Limits:
    """The charge at or below which the source ends, and each branch."""

    source: Array
    branches: list[Array]


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
        found = [inputs(case), *(own_inputs(one) for one in cases)]
        z = usual_normals(sum(len(part) for part in found), n)
        drawn = np.split(z, np.cumsum([len(part) for part in found])[:-1])
        given = [factors(part, own) for part, own in zip(found, drawn, strict=True)]
        self.until, self.n = until, n
        self.circuit: Circuit = circuit_of(case)
        self.trunk = Bundle(case, given[0], n, self.circuit)
        self.branches = [
            branch_draws(b, one, f, n) for b, one, f in zip(supply.branches, cases, given[1:], strict=True)
        ]
        self.endless = CHEMISTRIES[supply.source.chemistry].endless
        self.soc = np.full(n, self.circuit.start_soc)
        self.time = 0.0
        port = supply.source.regulated_output
        self.least_a = maybe(port.output_min_current_a) if port else None
        self.sleeps_s = port.sleeps_after_s if port else inf
        self.light_s = np.zeros(n)
        self.longest = longest
        self.warm: Array | None = None
        self.together: dict[tuple[str, ...], Together] = {}
        self.drawing: Drawing | None = None
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
            self._stop(one, np.flatnonzero(one.running), self.time)

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
                self._stop(one, np.flatnonzero(one.running), self.time)
        self.warm = self.drawing = None
        return bool(due)

    def _stop(self, one: BranchDraws, places: Indices, at: Array | float) -> None:
        one.end_s[places] = at
        one.running = one.running.copy()
        one.running[places] = False
        self.warm = self.drawing = None

    def _flow(self, soc: Array, keep: Indices | None = None) -> Flow:
        """What flows at a charge, in all draws or in some."""
        emf, first = np.interp(soc, self.trunk.socs, self.trunk.emfs), self.circuit.stretches[0]
        chosen = ALL if keep is None else keep
        if not self.circuit.holders:
            warm = None if self.warm is None else self.warm[chosen]
            ohm, drawing = self.trunk.ohms[0][chosen], self._drawing()
            found = solved(emf - first.drop_v, ohm, drawing if keep is None else drawing.some(keep), warm)
            volts, (on, _, mean), broken = found
            if keep is None:
                self.warm = volts  # at less charge the volts are lower: the next solution is reached from above again
            return Flow(on, mean + first.shunt_a, volts, broken | self._tripped(emf, on, chosen))
        held, rest = (self.held, self.rest) if keep is None else (self.held.some(keep), self.rest.some(keep))
        broken = self.held_broken[chosen] | (soc <= held.stop)
        return Flow(held.amps(emf), rest.amps(emf) + first.shunt_a, self.held_v[chosen], broken)

    def _tripped(self, emf: Array, amps: Array, chosen: Indices | slice) -> Mask:
        """Where a cut-off before the junction opens."""
        volts, found = emf, np.zeros(len(emf), dtype=bool)
        for element, ohm in self._elements():
            if element.trips_v is not None:
                found |= volts <= element.trips_v
            volts = volts - element.drop_v - amps * ohm[chosen]
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

    def _drawing(self) -> Drawing:
        """What all branches draw, kept until one stops or changes its mode."""
        if self.drawing is None:
            modes = tuple(one.clock.mode for one in self.branches)
            together = self.together.get(modes)
            if together is None:
                together = self.together[modes] = Together(self.branches)
            self.drawing = together.running(self.branches)
        return self.drawing

    def _limits(self, keep: Indices) -> Limits:
        """The charges at or below which the source and each branch end, in some of the draws."""
        if self.circuit.holders:
            ends = [np.where(self.held_v <= one.stop_v[one.clock.mode], inf, -inf)[keep] for one in self.branches]
            return Limits(np.where(self.held_broken, inf, self.held.stop)[keep], ends)
        first, drawing = self.circuit.stretches[0], self._drawing().some(keep)
        whole = self.trunk.ohms[0][keep]
        source = np.full(len(keep), -inf)
        ohm, drop = np.zeros(len(keep)), 0.0
        for element, own in self._elements():
            if element.trips_v is not None:
                source = np.maximum(source, self._tapped(element.trips_v, ohm, drop, whole, drawing))
            ohm, drop = ohm + own[keep], drop + element.drop_v
            if element.stage == -1:
                source = np.maximum(source, self._tapped(self.circuit.cutoff_v, ohm, drop, whole, drawing))
        found = []
        for one in self.branches:
            least = one.stop_v[one.clock.mode][keep]
            told = np.isfinite(least)
            volts = np.where(told, least, 1.0)
            on, slope, _ = drawing(volts)
            emf = volts + first.drop_v + whole * on
            stable = told & (1.0 + whole * slope > 0.0)
            soc = self.trunk.inverse(np.where(stable, emf, -inf))
            found.append(np.where(least == inf, inf, soc))
        return Limits(source, found)

    def _tapped(self, volts: float, ohm: Array, drop: float, whole: Array, drawing: Drawing) -> Array:
        """The charge at which a place before the junction, behind `ohm` of `whole` and `drop`, stands at `volts`."""
        rest = np.full(len(ohm), volts - (self.circuit.stretches[0].drop_v - drop))
        _, (on, slope, _), broken = solved(rest, whole - ohm, drawing)
        stable = ~broken & (1.0 + whole * slope > 0.0)
        return self.trunk.inverse(np.where(stable, volts + drop + ohm * on, -inf))

    def _held(self) -> None:
        """Behind a port or a board the junction's volts are the same at any charge."""
        if not self.circuit.holders:
            return
        last = self.circuit.stretches[-1]
        arrives = np.full(self.n, self.circuit.holders[-1].output_v - last.drop_v)
        found = solved(arrives, self.trunk.ohms[-1], self._drawing())
        self.held_v, (on, _, mean), self.held_broken = found
        self.held = self.trunk.worked_back(Asked("current", on, 0.0), None)
        self.rest = self.trunk.worked_back(Asked("current", mean, 0.0), None)

    def _settle(self, before: Array, span: float) -> Flow:
        """End what cannot go on, until nothing changes; what was crossed in the last step ended there."""
        floor = -inf if self.endless else self.circuit.reserve_soc
        flow = self._flow(self.soc)
        while True:
            dead = flow.broken | (self.soc <= floor) | (self.light_s >= self.sleeps_s)
            ends = [one.running & (dead | (flow.junction_v <= one.stop_v[one.clock.mode])) for one in self.branches]
            keep = np.flatnonzero(np.any(ends, axis=0))
            if not len(keep):
                return flow
            self._end(keep, dead[keep], [one[keep] for one in ends], (before[keep], span))
            flow = flow.patched(self._flow(self.soc[keep], keep), keep)

    def _end(self, keep: Indices, dead: Mask, ends: list[Mask], step: tuple[Array, float]) -> None:
        """End branches, or the source, in some of the draws; `step` is the charge before the last step and its length.

        What still runs there goes on without them from the charge at which they ended.
        """
        was, span = step
        soc, limits = self.soc[keep], self._limits(keep)
        least = limits.source if self.endless else np.maximum(limits.source, self.circuit.reserve_soc)
        ends = _first(ends, limits, least, soc)
        early = np.any([stops & (stop > least) for stops, stop in zip(ends, limits.branches, strict=True)], axis=0)
        dead = dead & ~early
        over = np.any([one.running[keep] for one in self.branches], axis=0) & dead & (soc <= least)
        first = np.full(len(keep), -inf)
        for one, stops, stop in zip(self.branches, ends, limits.branches, strict=True):
            at = np.maximum(np.where(soc <= stop, stop, -inf), np.where(soc <= least, least, -inf))
            self._stop(one, keep[stops], (self.time - span + span * _share(was, at, soc))[stops])
            first = np.maximum(first, np.where(stops & ~dead & np.isfinite(stop), at, -inf))
        self.soc = self.soc.copy()  # `before` may be the same array
        self.soc[keep] = np.where(over, np.minimum(np.maximum(soc, least), was), soc)
        self._held()
        lighter = np.isfinite(first) & (first < was)
        if span and lighter.any():
            some = keep[lighter]
            rest = span * (1.0 - _share(was, first, self.soc[keep]))[lighter]
            self.soc[some] = first[lighter]
            self.soc[some] -= rest * self._speed(self._flow(self.soc[some], some), some)

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

    def _speed(self, flow: Flow, chosen: Indices | slice = ALL) -> Array:
        trunk, drawn = self.trunk, flow.source_a + self.circuit.stretches[0].shunt_a
        speed = flow.mean_a / trunk.charge_as[chosen]
        return speed * np.maximum(1.0, drawn / trunk.rated[chosen]) ** trunk.q if trunk.q else speed


def _first(ends: list[Mask], limits: Limits, least: Array, soc: Array) -> list[Mask]:
    """Where a branch stopped at more charge than the source ends at, only that one has stopped yet."""
    reached = [stops & (soc <= stop) & (stop > least) for stops, stop in zip(ends, limits.branches, strict=True)]
    early = np.any(reached, axis=0)
    return [np.where(early, own, stops) for own, stops in zip(reached, ends, strict=True)]


def solved(arrives: Array, ohm: Array, drawing: Drawing, warm: Array | None = None) -> tuple[Array, Drawn, Mask]:
    """Volts at the junction, what is drawn there, and where there are none; `warm` are volts that lie a little above.

    By Newton's steps V - (V + R I(V) - E) / (1 + R I'(V)); the last one is so small that what is drawn goes in a line.
    """
    volts, broken = arrives if warm is None else warm, np.zeros(len(arrives), dtype=bool)
    for _ in range(NEWTON_STEPS):
        on, slope, mean = drawing(volts)
        turns = 1.0 + ohm * slope
        broken |= turns <= 0.0
        step = np.where(broken, 0.0, (volts + ohm * on - arrives) / np.where(turns > 0.0, turns, 1.0))
        volts = volts - step
        if not (np.abs(step) > CLOSE * np.abs(volts)).any():
            more = slope * step
            return volts, (on - more, slope, mean - more), broken
    return volts, drawing(volts), broken


def _share(before: Array, at: Array, after: Array) -> Array:
    """How far into a step a charge was reached: the charge falls almost evenly within one."""
    with np.errstate(invalid="ignore", divide="ignore"):
        share = (before - at) / (before - after)
    return np.where(np.isfinite(share), np.clip(share, 0.0, 1.0), 1.0)
