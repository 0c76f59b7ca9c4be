"""One setting of a night: which device is in which mode, what the pack then sees, and at which charge that changes."""

from __future__ import annotations

from collections.abc import Sequence
from math import inf
from typing import Literal

import msgspec

from hermotrope_core.circuit.path import Circuit
from hermotrope_core.circuit.point import Draw, draw_of, section_amps
from hermotrope_core.circuit.series import Span, Spans, Sums
from hermotrope_core.circuit.thresholds import bounds, falls_at, inverse
from hermotrope_core.kinds.effects import CAUSES, Cause, Demand
from hermotrope_core.several.junction import asked, fold, junction_volts
from hermotrope_core.several.pull import Pull

Turn = Literal["source", "stop", "passes", "trunk passes", "weakens"]


class Limit(msgspec.Struct, frozen=True, gc=False):
    """At or below this charge something happens: the source ends, a branch stops, a board passes its input on,
    the pack becomes weaker."""

    soc: float
    turn: Turn
    branch: int
    """Its index; -1 for the source and the trunk."""
    cause: Cause | None = None


class Flow(msgspec.Struct, frozen=True, gc=False):
    """What flows at one charge: amperes from the cells, volts and amperes at the junction."""

    source_a: float
    """While all draw that draw now."""
    junction_v: float
    junction_a: float
    mean_a: float
    """From the cells on average, where some are switched on and off by their controllers."""


class Setting:
    """The pulls of every running branch on one trunk, solved once and kept for every turn that has them."""

    def __init__(self, trunk: Circuit, running: Sequence[tuple[int, Pull]], endless: bool) -> None:
        """`running` are branches by index with what they draw; `endless` says that the charge does not fall."""
        self.trunk, self.running, self.endless = trunk, running, endless
        self.pulls = [pull for _, pull in running]
        self.pulsed = any(pull.share < 1.0 for pull in self.pulls)
        self.held: Draw | None = None
        self.mean: Demand | None = None
        """What a trunk that holds is asked for on average."""
        self.held_v = self.held_a = 0.0
        self.dead: Cause | None = None
        """Why it can run at no charge."""
        self.moves_on = False
        """Whether a board in the trunk passes on whatever the charge."""
        if trunk.holders:
            self._hold()
        self.limits = () if self.dead else tuple(sorted(self._limits(), key=lambda one: -one.soc))
        self.collapse_soc = -inf if self.dead else self._collapse_soc()
        self._spans: list[Spans] = []

    def _hold(self) -> None:
        """The junction behind a board or a bank's port: the same at every charge."""
        last = self.trunk.stretches[-1]
        found = junction_volts(self.trunk.holders[-1].output_v - last.drop_v, last.resistance_ohm, self.pulls)
        if found is None:
            self.dead = "collapse"
            return
        self.held_v, self.held_a = found
        draw = draw_of(self.trunk, Demand("current", self.held_a), -1)
        self.moves_on = draw.circuit is not self.trunk
        self.held = draw
        if self.pulsed:
            mean_a = sum(pull.mean_amps(self.held_v) for pull in self.pulls)
            self.mean = draw_of(self.trunk, Demand("current", mean_a), -1).demand
        if not self.moves_on and draw.breaches:
            self.dead = min((one.cause for one in draw.breaches), key=CAUSES.index)
        elif draw.demand is None:
            self.dead = "collapse"

    @property
    def port_a(self) -> float:
        """Amperes from the first holder of the trunk, a bank's port."""
        return self.held.port_a if self.held else 0.0

    def flow(self, emf: float) -> Flow | None:
        """What flows at an EMF; None where it collapses."""
        first = self.trunk.stretches[0]
        if self.held is not None:
            assert self.held.demand is not None
            amps = section_amps(emf - first.drop_v, first.resistance_ohm, self.held.demand)
            if amps is None:
                return None
            mean = section_amps(emf - first.drop_v, first.resistance_ohm, self.mean) if self.mean else None
            return Flow(amps, self.held_v, self.held_a, (amps if mean is None else mean) + first.shunt_a)
        found = junction_volts(emf - first.drop_v, first.resistance_ohm, self.pulls)
        if found is None:
            return None
        volts, amps = found
        mean = sum(pull.mean_amps(volts) for pull in self.pulls) if self.pulsed else amps
        return Flow(amps, volts, amps, mean + first.shunt_a)

    def overfed(self, emf: float) -> list[int]:
        """The branches whose first board gets too many volts."""
        if all(pull.most_v == inf for pull in self.pulls):
            return []
        found = self.flow(emf)
        if found is None:
            return []
        return [i for i, pull in self.running if pull.overfed(found.junction_v, _amps(pull, found.junction_v))]

    def trunk_overfed(self, emf: float) -> bool:
        """Whether the first board of the trunk gets too many volts."""
        most = self.trunk.holders[0].input_max_v if self.trunk.holders else None
        if most is None:
            return False
        first, found = self.trunk.stretches[0], self.flow(emf)
        return found is not None and emf - first.drop_v - found.source_a * first.resistance_ohm > most

    def _limits(self) -> list[Limit]:
        table = self.trunk.emf_by_soc
        found = [Limit(inverse(table, emf), "source", -1, cause) for emf, cause in self._source_ends()]
        for i, pull in self.running:
            found.append(Limit(inverse(table, self._asked(pull.stop_v)), "stop", i, pull.cause))
            if pull.passes_v > -inf:
                found.append(Limit(inverse(table, self._asked(pull.passes_v)), "passes", i))
        if self.held is not None and self.held.falls_to is not None:
            found.append(Limit(inverse(table, falls_at(self.held)), "trunk passes", -1))
        if self.trunk.weaker is not None and not self.endless:
            found.append(Limit(self.trunk.weaker_soc, "weakens", -1))
        return [one for one in found if one.soc > -inf]

    def _asked(self, junction_v: float) -> float:
        """EMF at which the junction falls to these volts."""
        if abs(junction_v) == inf:
            return junction_v
        if self.held is not None:
            return inf if self.held_v <= junction_v else -inf
        first = self.trunk.stretches[0]
        return asked(junction_v, first.resistance_ohm, first.drop_v, self.pulls)

    def _source_ends(self) -> list[tuple[float, Cause]]:
        """EMF at which each condition before the junction ends it, with its cause."""
        if self.held is not None:
            turn = falls_at(self.held)
            return [(emf, cause) for emf, cause in bounds(self.held) if emf > turn]
        first = self.trunk.stretches[0]
        found: list[tuple[float, Cause]] = []
        ohm = drop = 0.0
        for element in first.elements:
            if element.trips_v is not None:
                found.append((self._tap(element.trips_v, ohm, drop), element.trips))
            if element.most_a is not None:
                found.append((self._overload(element.most_a), "converter overload"))
            ohm += element.resistance_ohm
            drop += element.drop_v
            if element.stage == -1:
                found.append((self._tap(self.trunk.cutoff_v, ohm, drop), "pack cut-off"))
        return found

    def _tap(self, volts: float, ohm: float, drop: float) -> float:
        """EMF at which a place before the junction, behind `ohm` and `drop`, stands at `volts`; -inf if never."""
        first = self.trunk.stretches[0]
        found = junction_volts(volts - (first.drop_v - drop), first.resistance_ohm - ohm, self.pulls)
        if found is None or asked(found[0], first.resistance_ohm, first.drop_v, self.pulls) == -inf:
            return -inf
        return volts + drop + ohm * found[1]

    def _overload(self, most_a: float) -> float:
        """EMF below which more than `most_a` flow; halving, since the sum of branches has no closed form."""
        table = self.trunk.emf_by_soc
        low, high = table[0][1], table[-1][1]
        if self._over(high, most_a):
            return inf
        if not self._over(low, most_a):
            return -inf
        for _ in range(100):
            middle = 0.5 * (low + high)
            low, high = (middle, high) if self._over(middle, most_a) else (low, middle)
        return high

    def _over(self, emf: float, most_a: float) -> bool:
        found = self.flow(emf)
        return found is None or found.source_a > most_a

    def _collapse_soc(self) -> float:
        """The charge at or below which the pack cannot carry all of this together."""
        if self.held is not None:
            return -inf  # `bounds` has it among the ends of the source
        first = self.trunk.stretches[0]
        return inverse(self.trunk.emf_by_soc, fold(first.resistance_ohm, first.drop_v, self.pulls))

    # over the charge

    def speed(self, flow: Flow) -> float:
        """-d(soc)/dt, per second."""
        if self.endless:
            return 0.0
        trunk, amps = self.trunk, flow.source_a + self.trunk.stretches[0].shunt_a
        fast: float = (amps / trunk.rated_a) ** (trunk.peukert - 1.0) if amps > trunk.rated_a else 1.0
        return flow.mean_a * fast / (3600.0 * trunk.charge_ah)

    def watts(self, emf: float, flow: Flow) -> tuple[float, ...]:
        """Watts from the terminals, then into each running branch's devices."""
        beside, ohm = self.trunk.stretches[0].shunt_a, self.trunk.stretches[0].elements[0].resistance_ohm
        pulled = flow.mean_a - beside
        source = pulled * (emf - (flow.source_a + beside) * ohm) + beside * (emf - flow.mean_a * ohm)
        into = [pull.watts(flow.junction_v, _amps(pull, flow.junction_v)) for pull in self.pulls]
        return (source, *into)

    def _rates(self, soc: float) -> Sums:
        emf = self.trunk.emf(soc)
        flow = self.flow(emf)
        if flow is None:
            return (0.0,) * (2 + len(self.pulls))
        seconds = 1.0 / self.speed(flow)
        return (seconds, *(seconds * watts for watts in self.watts(emf, flow)))

    def span(self, soc: float, floor: float) -> Span:
        """The smooth span that lies under a charge, made when it is first needed; nothing lies under `floor`."""
        for one in self._spans:
            if one.low < soc <= one.high:
                return one.under(soc)
        knots = [knot for knot, _ in self.trunk.emf_by_soc]
        low = max([floor, *(knot for knot in knots if knot < soc)])
        high = min([1.0, *(knot for knot in knots if knot >= soc)])
        self._spans.append(Spans(low, max(high, soc), self._rates))
        return self._spans[-1].under(soc)


def _amps(pull: Pull, volts: float) -> float:
    found = pull.amps(volts)
    return 0.0 if found is None else found[0]
