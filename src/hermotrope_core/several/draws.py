"""What the branches of a supply draw together over many draws, as a function of the volts at their junction."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import msgspec
import numpy as np

from hermotrope_core.circuit.arrays import Array
from hermotrope_core.circuit.laws import Bundle, Law
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.kinds.effects import CAUSES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.outing import Branch
from hermotrope_core.plan.outing_document import JUNCTION
from hermotrope_core.plan.spread import Input, inputs
from hermotrope_core.several.clock import Clock
from hermotrope_core.several.pull import HAIR_V, RUNS_AT

VOLTS = msgspec.structs.replace(JUNCTION, cells_in_series=10, ocv=((0.0, 0.01), (1.0, 100.0)))
"""Stands before a branch like `JUNCTION`; its table makes volts out of the charges in which laws state their ends."""

Mask = np.ndarray[tuple[int], np.dtype[np.bool_]]
Drawn = tuple[Array, Array, Array]
"""Amperes at the junction while all draw, their slope over its volts, the mean amperes."""
Indices = np.ndarray[tuple[int], np.dtype[np.intp]]


@dataclass
class BranchDraws:
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

    def some(self, keep: Indices) -> BranchDraws:
        """The same for some of the draws."""
        laws = {self.clock.mode: self.laws[self.clock.mode].some(keep)}
        return replace(self, laws=laws, running=self.running[keep], end_s=self.end_s[keep])

    def amps(self, volts: Array) -> Drawn:
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


@dataclass(frozen=True)
class _Rows:
    """Branches with one kind of law: which, and their values, ohms and volts lost, a row each over the draws."""

    places: list[int]
    value: Array
    ohm: Array
    drop: Array


class Together:
    """All branches in their present modes: those with a law of one piece as rows of a few arrays, the others by name.

    Which draws still run is told by `running`, so that this holds until a mode changes.
    """

    def __init__(self, branches: list[BranchDraws]) -> None:
        laws = [one.laws[one.clock.mode] for one in branches]
        plain = [i for i, law in enumerate(laws) if law.share == 1.0 and law.falls_to is None]
        n = len(branches[0].running)
        self.power = _rows(laws, [i for i in plain if laws[i].kind == "power"], n)
        self.resistance = _rows(laws, [i for i in plain if laws[i].kind == "resistance"], n)
        fixed = {i: laws[i].value for i in plain if laws[i].kind == "current"}
        beside = {i: branches[i].shunt_a for i in plain if branches[i].shunt_a}
        self.fixed = [(i, fixed.get(i, 0.0) + beside.get(i, 0.0)) for i in sorted({*fixed, *beside})]
        self.others = [i for i in range(len(branches)) if i not in plain]

    def running(self, branches: list[BranchDraws]) -> Drawing:
        """What is drawn while these run, in every draw."""
        runs = np.array([one.running * float(one.branch.count) for one in branches])
        powers = loads = None
        if (rows := self.power) is not None:
            powers = (2.0 * runs[rows.places] * rows.value, 4.0 * rows.ohm * rows.value, rows.drop)
        if (rows := self.resistance) is not None:
            loads = (runs[rows.places] / (rows.ohm + rows.value), rows.drop)
        fixed = sum((runs[i] * value for i, value in self.fixed), np.zeros(runs.shape[1]))
        return Drawing(fixed, powers, loads, [branches[i] for i in self.others])


@dataclass(frozen=True)
class Drawing:
    """Amperes as a function of the junction's volts, over the draws; a row for each branch of a kind.

    A power draws 2 P / (V + sqrt(V^2 - 4 R P)) at volts V behind R ohms.
    """

    fixed: Array
    powers: tuple[Array, Array, Array] | None
    """2 P of all that run, 4 R P, and the volts lost before them."""
    loads: tuple[Array, Array] | None
    """Of resistances: amperes per volt of all that run, and the volts up to which they draw nothing."""
    others: list[BranchDraws]

    def some(self, keep: Indices) -> Drawing:
        """The same for some of the draws."""
        powers = loads = None
        if self.powers is not None:
            twice, four, lost = self.powers
            powers = (twice[:, keep], four[:, keep], lost[:, keep])
        if self.loads is not None:
            loads = (self.loads[0][:, keep], self.loads[1][:, keep])
        return Drawing(self.fixed[keep], powers, loads, [one.some(keep) for one in self.others])

    def __call__(self, volts: Array) -> Drawn:
        """Amperes, their slope over the volts, the mean amperes."""
        on, slope = self.fixed, np.zeros(len(volts))
        if self.powers is not None:
            twice, four, lost = self.powers
            over = np.maximum(volts - lost, 1e-9)
            root = np.sqrt(np.maximum(over * over - four, 1e-18))
            amps = twice / (over + root)
            on = on + amps.sum(axis=0)
            slope = slope - (amps / root).sum(axis=0)
        if self.loads is not None:
            per_volt, dark = self.loads
            over = volts - dark
            each = per_volt * (over > 0.0)
            on = on + (over * each).sum(axis=0)
            slope = slope + each.sum(axis=0)
        mean = on
        for one in self.others:
            part = one.amps(volts)
            on, slope, mean = on + part[0], slope + part[1], mean + part[2]
        return on, slope, mean


def _rows(laws: list[Law], places: list[int], n: int) -> _Rows | None:
    if not places:
        return None
    made = np.empty((3, len(places), n))
    for row, i in enumerate(places):
        made[0, row], made[1, row], made[2, row] = laws[i].value, laws[i].ohm, laws[i].drop
    return _Rows(places, *made)


def own_inputs(case: Case) -> list[Input]:
    """What varies in a branch, without what stands before it."""
    return [one for one in inputs(case) if not one.place.startswith("source.")]


def branch_draws(branch: Branch, case: Case, given: dict[str, Array], n: int) -> BranchDraws:
    bundle = Bundle(case, given, n, circuit_of(case))
    names = [mode.name for mode in case.duty_modes()]
    laws = dict(zip(names, bundle.laws, strict=True))
    shunt = bundle.circuit.stretches[0].shunt_a
    made = BranchDraws(branch, laws, Clock(branch.duty), np.ones(n, dtype=bool), np.zeros(n), shunt)
    runs_at = [CAUSES.index(cause) for cause in RUNS_AT]
    made.stop_v = {name: made.volts(law) - HAIR_V * np.isin(law.cause, runs_at) for name, law in laws.items()}
    return made
