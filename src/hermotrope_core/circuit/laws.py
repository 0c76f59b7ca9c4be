"""Every mode of a case over arrays of draws: what it asks of the pack, at which charge it must stop, how long it takes.

The same circuit as `point` and `piece`, with one value per draw for each uncertain input.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise
from math import sqrt
from typing import Any, ClassVar

import numpy as np

from hermotrope_core.circuit.arrays import (
    Array,
    charge_at,
    collapse_emf,
    fall_seconds,
    note,
    overload_emf,
    section_amps,
    steep,
)
from hermotrope_core.circuit.path import Circuit, Stretch
from hermotrope_core.circuit.point import mode_demand
from hermotrope_core.kinds.effects import CAUSES, Cause, Element, Holder, dark_volts
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import number

Factors = dict[str, Array]
"""By the document's place of an input: one factor per draw."""

# Gauss-Legendre nodes and weights on [0, 1], 3 points (Abramowitz & Stegun 25.4.30, mapped): within 4e-6 of the
# runtime, 6e-4 for a draw that ends where its volts collapse; the draws' own doubt is a thousand times that.
_r = sqrt(3 / 5) / 2
GAUSS = ((0.5 - _r, 5 / 18), (0.5, 8 / 18), (0.5 + _r, 5 / 18))


@dataclass
class Law:
    """One mode seen by the first stretch: a demand that does not depend on charge, and where it must stop."""

    kind: str
    value: Array
    ohm: Array
    drop: Array
    own: Array
    """As `stop`, by what ends it while it neither passes on nor has become weaker."""
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
    falls_to: Law | None = None
    share: float = 1.0
    """Share of its time for which it draws."""
    between: Law | None = None
    """What is drawn in the rest of its time, where that is anything."""
    drain_a: float = 0.0
    """What drains the pack by itself all the time."""
    weaker: Law | None = None
    """The same mode on the pack's next band of charge."""
    weaker_emf: float = -np.inf
    weaker_soc: float = -np.inf

    ARRAYS: ClassVar = ("value", "ohm", "drop", "own", "stop", "top", "cause", "port_a", "falls_at", "falls_soc")

    def some(self, keep: Any) -> Law:
        """The same for the draws that `keep` (a mask or indices) chooses."""
        later = None if self.falls_to is None else self.falls_to.some(keep)
        varies = {name: getattr(self, name)[keep] for name in self.ARRAYS}
        between = None if self.between is None else self.between.some(keep)
        weaker = None if self.weaker is None else self.weaker.some(keep)
        return replace(self, **varies, falls_to=later, between=between, weaker=weaker)

    def band(self, soc: float) -> Law:
        """The law that holds at a charge, alone."""
        if self.weaker is None:
            return self
        return replace(self, weaker=None) if soc >= self.weaker_soc else self.weaker.band(soc)

    def edges(self) -> list[float]:
        """The charges at which the pack becomes weaker."""
        return [] if self.weaker is None else [self.weaker_soc, *self.weaker.edges()]

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
        amps = amps if self.falls_to is None else np.where(emf > self.falls_at, amps, self.falls_to.amps(emf))
        return amps if self.weaker is None else np.where(emf >= self.weaker_emf, amps, self.weaker.amps(emf))


@dataclass(frozen=True)
class Asked:
    """What the first stretch is asked for, over the draws: `Demand` with arrays; `drop` are the device's own volts."""

    kind: str
    value: Array
    drop: float


class Bundle:
    """Arrays of a case: what varies as one value per draw, the rest as the circuit has it."""

    def __init__(
        self, case: Case, factors: Factors, n: int, circuit: Circuit, kept: dict[int, Bundle] | None = None
    ) -> None:
        """`kept` are the bundles of circuits that are reached in two ways: by passing on and by growing weaker."""
        self.case, self.n = case, n
        self._known: dict[str, Law] = {}
        kept = {} if kept is None else kept
        kept[id(circuit)] = self
        self.one = np.ones(n)
        self.factors = factors
        source = case.source
        if source is None:
            raise ValueError("no source is chosen")
        self.circuit = circuit
        self.falls_to, self.weaker = (
            None if other is None else kept.get(id(other)) or Bundle(case, factors, n, other, kept)
            for other in (circuit.falls_to, circuit.weaker)
        )
        self.socs, self.emfs = (np.array(column) for column in zip(*self.circuit.emf_by_soc, strict=True))
        health = 1.0 if source.state_of_health is None else number(source.state_of_health)
        aged = np.minimum(health * self.of("source.state_of_health"), 1.0) / health
        self.charge_as = 3600.0 * self.circuit.charge_ah * self.of("source.capacity_ah") * aged
        self.rated = self.circuit.rated_a * self.of("source.capacity_ah")
        self.q = self.circuit.peukert - 1.0
        self.ohms = [self._ohm(stretch) for stretch in self.circuit.stretches]
        self.drop: Array = sum(map(self._drop, self.circuit.stretches[0].elements), np.zeros(n))

    @cached_property
    def laws(self) -> list[Law]:
        """A law for each mode of the duty."""
        return [self.law(mode.name) for mode in self.case.duty_modes()]

    def of(self, place: str) -> Array:
        return self.factors.get(place, self.one)

    def _element_ohm(self, stage: int, ohm: float) -> Array:
        return ohm * self.of("source.resistance_ohm" if stage == -1 else f"path[{stage}].length_m")

    def _drop(self, element: Element) -> Array:
        """Volts that an element of the first stretch takes at any current; what is drawn beside goes with its ohms."""
        ohm = element.resistance_ohm
        return element.drop_v + element.beside_a * (self._element_ohm(element.stage, ohm) - ohm)

    def _ohm(self, stretch: Stretch) -> Array:
        total = np.zeros(self.n)
        for element in stretch.elements:
            if element.resistance_ohm:
                total = total + self._element_ohm(element.stage, element.resistance_ohm)
        return total

    def law(self, name: str) -> Law:
        """Work a mode back from the device, as `draw_of` does."""
        if name not in self._known:
            self._known[name] = self._law(name)
        return self._known[name]

    @cached_property
    def idle(self) -> Law:
        """What is drawn between the pulses of a controller: by what stands in the way alone, as it is then fed."""
        return self.worked_back(
            Asked("power", np.zeros(self.n), 0.0), None if self.falls_to is None else self.falls_to.idle
        )

    def _law(self, name: str) -> Law:
        index = next(i for i, mode in enumerate(self.case.device.modes) if mode.name == name)
        mode = self.case.device.modes[index]
        demand = mode_demand(mode)
        value = demand.value * self.of(f"device.modes[{index}].{mode.OWN[mode.kind]}") ** mode.value_power
        later = None if self.falls_to is None else self.falls_to.law(name)
        on = self.worked_back(Asked(demand.kind, value, demand.drop_v), later)
        if self.weaker is not None:
            within = None if on.falls_to is None else replace(on.falls_to, weaker=None)  # in this band of charge
            on = self._weakening(replace(on, falls_to=within), self.weaker.law(name))
        if mode.share == 1.0:
            return on
        between = replace(self.idle, share=1.0 - mode.share)
        return replace(on, share=mode.share, between=between if on.drain_a or (between.value > 0.0).any() else None)

    def _weakening(self, law: Law, weaker: Law) -> Law:
        """A law of this band of charge, followed by that of the next."""
        soc = self.circuit.weaker_soc
        stays = np.maximum(law.own, law.falls_soc) >= soc
        stop = np.where(stays, law.stop, np.minimum(weaker.stop, soc))
        cause = np.where(stays, law.cause, weaker.cause)
        return replace(law, stop=stop, cause=cause, weaker=weaker, weaker_emf=self.circuit.weaker_emf, weaker_soc=soc)

    def worked_back(self, asked: Asked, later: Law | None) -> Law:
        """A demand at the inlet as the first stretch sees it."""
        kind, value, own = asked.kind, asked.value, asked.drop
        circuit = self.circuit
        broken = np.full(self.n, len(CAUSES))
        port = np.zeros(self.n)
        for k in range(len(circuit.holders), 0, -1):
            holder, stretch = circuit.holders[k - 1], circuit.stretches[k]
            amps, fails = section_amps(holder.output_v - stretch.drop_v, own, self.ohms[k], kind, value)
            note(broken, fails, "collapse")
            volts = np.full(self.n, holder.output_v)
            for element in stretch.elements:
                if element.trips_v is not None:
                    note(broken, volts <= element.trips_v, element.trips)
                if element.most_a is not None:
                    note(broken, amps > element.most_a, "converter overload")
                volts = volts - element.drop_v - amps * self._element_ohm(element.stage, element.resistance_ohm)
            if k == len(circuit.holders):
                note(broken, volts < circuit.device_min_v, "device minimum")
            else:
                passes = circuit.holders[k].passes_below_v
                if later is not None and passes is not None and bool((volts < passes).all()):
                    return later
                least = circuit.holders[k].input_min_v if passes is None else passes
                note(broken, volts < least, circuit.holders[k].low_cause)
                most = circuit.holders[k].input_max_v
                if most is not None:
                    note(broken, volts > most, "converter input too high")
            amps = amps + stretch.shunt_a
            if holder.output_current_max_a is not None:
                note(broken, amps > holder.output_current_max_a, "converter overload")
            kind, value = self._held(holder, amps)
            port, own = amps, 0.0
        return self._bounded(Asked(kind, value, own), broken, port, later)

    def _held(self, holder: Holder, amps: Array) -> tuple[str, Array]:
        """What a holder asks of its input, with its loss ratio and quiescent draw varied."""
        place = "source.regulated_output" if holder.stage == -1 else f"path[{holder.stage}]"
        if holder.linear:
            return "current", amps + holder.quiescent * self.of(f"{place}.quiescent_a")
        table = holder.efficiency
        share: Any = table if isinstance(table, float) else np.interp(amps, *np.array(table).T)
        loss = (1.0 / share - 1.0) * self.of(f"{place}.efficiency")
        return "power", holder.output_v * amps * (1.0 + loss) + holder.quiescent * self.of(f"{place}.quiescent_w")

    def _bounded(self, asked: Asked, broken: np.ndarray[Any, Any], port: Array, later: Law | None) -> Law:
        """The charge at which the first stretch ends this mode, and why: the highest of its bounds."""
        circuit, first = self.circuit, self.circuit.stretches[0]
        kind, value = asked.kind, asked.value
        bounds: list[tuple[Array, Cause]] = []
        ohm, drop = np.zeros(self.n), np.zeros(self.n)
        for element in first.elements:
            if element.trips_v is not None:
                bounds.append((self._threshold(element.trips_v, ohm, drop, asked), element.trips))
            if element.most_a is not None:
                bounds.append(
                    (overload_emf(self.ohms[0], self.drop, kind, value, element.most_a), "converter overload")
                )
            ohm = ohm + self._element_ohm(element.stage, element.resistance_ohm)
            drop = drop + self._drop(element)
            if element.stage == -1:
                bounds.append((self._threshold(circuit.cutoff_v, ohm, drop, asked), "pack cut-off"))
        top, turn = np.full(self.n, np.inf), np.full(self.n, -np.inf)
        if circuit.holders:
            holder = circuit.holders[0]
            if holder.passes_below_v is not None:
                turn = self._threshold(holder.passes_below_v, ohm, drop, asked)
            if holder.input_min_v > 0.0:
                bounds.append((self._threshold(holder.input_min_v, ohm, drop, asked), holder.low_cause))
            if holder.input_max_v is not None:
                top = self.inverse(self._threshold(holder.input_max_v, ohm, drop, asked))
        else:
            bounds.append((self._threshold(circuit.device_min_v, ohm, drop, asked), "device minimum"))
        bounds.append((collapse_emf(self.ohms[0], self.drop + dark_volts(asked.drop), kind, value), "collapse"))
        emfs = np.array([emf for emf, _ in bounds])
        best = emfs.argmax(axis=0)
        cause = np.array([CAUSES.index(cause) for _, cause in bounds])[best]
        stop = own = self.inverse(emfs.max(axis=0))
        falls = turn > emfs.max(axis=0)
        if later is not None and falls.any():
            stop = np.where(falls, np.minimum(later.stop, self.inverse(turn)), stop)
            cause = np.where(falls, later.cause, cause)
        bad = broken < len(CAUSES)
        return Law(
            kind,
            value,
            self.ohms[0],
            self.drop + asked.drop,
            np.where(bad, np.inf, own),
            np.where(bad, np.inf, stop),
            top,
            np.where(bad, np.minimum(broken, len(CAUSES) - 1), cause),
            port,
            turn,
            self.inverse(turn),
            later if falls.any() else None,
            drain_a=first.shunt_a,
        )

    def _threshold(self, volts: float, ohm: Array, drop: Array, asked: Asked) -> Array:
        """EMF at which a tap stands at `volts` (`piece.threshold`); -inf where it collapses before."""
        after, drop_after = self.ohms[0] - ohm, self.drop - drop
        amps, fails = section_amps(volts - drop_after, asked.drop, after, asked.kind, asked.value)
        emf = volts + drop + ohm * amps
        if asked.kind == "power":
            fails = fails | (amps * amps * self.ohms[0] > asked.value)
        return np.where(fails, -np.inf, emf)

    def inverse(self, emf: Array) -> Array:
        """The highest charge whose EMF is not above `emf`."""
        return charge_at((self.socs, self.emfs), emf)

    def front(self, turns: list[tuple[int, float]]) -> Front:
        """The first stretch with every mode's demand, for all draws."""
        laws = [self.laws[mode] for mode in sorted({mode for mode, _ in turns})]
        return Front(self.socs, self.emfs, self.q, self.charge_as, self.rated, laws)


@dataclass(frozen=True)
class Front:
    """The pack with its first stretch, for all draws or some of them."""

    socs: Array
    emfs: Array
    q: float
    charge_as: Array
    rated: Array
    laws: list[Law]

    def only(self, law: int, keep: Any) -> Front:
        """The same with one law, for the draws that `keep` (a mask or indices) chooses."""
        laws = [self.laws[law].some(keep)]
        return Front(self.socs, self.emfs, self.q, self.charge_as[keep], self.rated[keep], laws)

    def emf(self, soc: Array) -> Array:
        return np.asarray(np.interp(soc, self.socs, self.emfs))

    def speed(self, law: Law, emf: Array) -> Array:
        """-d(soc)/dt of a mode at an EMF, per second."""
        amps = law.amps(emf) + law.drain_a
        speed = law.share * amps / self.charge_as
        if self.q and (fast := np.maximum(1.0, amps / self.rated)).max() > 1.0:
            speed = speed * np.exp(self.q * np.log(fast))
        return speed if law.between is None else speed + self.speed(law.between, emf)

    def _closed(self, law: Law) -> bool:
        """Whether the time of a law is known in closed form: a constant power all along, without Peukert's law."""
        alone = law.falls_to is None and law.weaker is None and law.between is None and not law.drain_a
        power = alone and law.kind == "power" and bool((law.value > 0.0).all())
        return power and not self.q and steep(self.socs, self.emfs)

    def seconds(self, shares: list[tuple[int, float]], high: Array, low: Array) -> Array:
        """Time from one charge down to another while the laws draw in the given shares, over all pieces at once."""
        if len(shares) == 1 and self._closed(law := self.laws[shares[0][0]]):
            top = np.clip(high, 0.0, 1.0)
            times = fall_seconds((self.socs, self.emfs), (law.value, law.ohm, law.drop), top, np.clip(low, 0.0, top))
            return times * self.charge_as / (shares[0][1] * law.share)
        total = np.zeros(len(high))
        weaker = {soc for law, _ in shares for soc in self.laws[law].edges() if 0.0 < soc < 1.0}
        for a, b in pairwise(sorted({0.0, 1.0, *weaker})):
            laws = [(self.laws[law].band(0.5 * (a + b)), share) for law, share in shares]
            kinks = [soc for soc in self.socs if a < soc < b] + [soc for law, _ in laws for soc in law.turns()]
            top = np.minimum(high, b)
            bottom = np.minimum(top, np.maximum(low, a))
            cuts = np.sort([np.clip(soc, bottom, top) for soc in (a, *kinks, b)], axis=0)
            crossed = (cuts[1:] > cuts[:-1]).any(axis=1)
            if not crossed.any():
                continue
            lower, upper = cuts[:-1][crossed], cuts[1:][crossed]
            width, e0, e1 = upper - lower, self.emf(lower), self.emf(upper)
            for x, weight in GAUSS:
                emf = e0 + x * (e1 - e0)
                drawn = sum((share * self.speed(law, emf) for law, share in laws), np.zeros(emf.shape))
                with np.errstate(divide="ignore", invalid="ignore"):
                    total = total + weight * np.where(width > 0.0, width / drawn, 0.0).sum(axis=0)
        return total
