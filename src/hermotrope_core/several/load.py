"""What a supply carries at once: its branches in chosen modes, held against every limit before the junction."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Literal

import msgspec

from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.circuit.point import draw_of, mode_demand, peak_demand
from hermotrope_core.circuit.situation import LOW_SOC
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.wire import safe_amps, warm_share
from hermotrope_core.plan.device import Mode, rated_watts
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Branch, Supply
from hermotrope_core.plan.outing_document import branch_case
from hermotrope_core.several.follow import stop_words
from hermotrope_core.several.pull import Pull, pulls
from hermotrope_core.several.setting import Flow, Setting
from hermotrope_core.several.trunk import trunk_circuit
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe, number

MOST_ALIKE = 100


class Over(msgspec.Struct, frozen=True):
    """A limit that is passed, in words with both figures."""

    limit_of: Literal["source", "port", "fuse", "part", "lead", "volts", "device"]
    says: str


def heaviest(branch: Branch) -> Mode:
    """The mode with most watts at the rated volts, of those that its duty runs."""
    rated = maybe(branch.device.supply.nominal_v) or 12.0
    return max(branch_case(branch).duty_modes(), key=lambda mode: rated_watts(mode, rated))


def pull_of(branch: Branch, mode: Mode, demand: Demand | None = None, count: int | None = None) -> Pull:
    """A branch in a mode, or at a demand of its own (a peak)."""
    case = branch_case(branch)
    asked = mode_demand(mode) if demand is None else demand
    return pulls(draw_of(circuit_of(case), asked, len(case.path)), mode, count or branch.count)[0]


def start_of(branch: Branch, count: int | None = None) -> Pull:
    """A branch as all its devices start: the greatest stated peak of its duty, or its heaviest mode."""
    found = [(peak, mode) for mode in branch_case(branch).duty_modes() if (peak := peak_demand(mode)) is not None]
    if not found:
        return pull_of(branch, heaviest(branch), None, count)
    rated = maybe(branch.device.supply.nominal_v) or 12.0
    peak, mode = max(found, key=lambda one: _watts(one[0], rated))
    return pull_of(branch, mode, peak, count)


def _watts(demand: Demand, rated: float) -> float:
    if demand.kind == "power":
        return demand.value
    return demand.value * rated if demand.kind == "current" else rated * rated / demand.value


def everything(supply: Supply) -> list[tuple[int, Pull]]:
    """Every branch in its heaviest mode at once."""
    return [(i, pull_of(branch, heaviest(branch))) for i, branch in enumerate(supply.branches)]


class Load:
    """A supply under some pulls: currents full and nearly empty, since a resistance draws most of a full pack."""

    def __init__(self, supply: Supply, conditions: Conditions, running: Sequence[tuple[int, Pull]]) -> None:
        self.supply, self.conditions, self.running = supply, conditions, running
        self.trunk: Circuit = trunk_circuit(supply, conditions)
        self.setting = Setting(self.trunk, running, CHEMISTRIES[supply.source.chemistry].endless)
        self.soc = max(LOW_SOC, self.trunk.reserve_soc)
        self.flow, self.full = self._flow(self.soc), self._flow(1.0)
        flows = [one for one in (self.full, self.flow) if one is not None]
        self.source_a = max((one.source_a for one in flows), default=0.0)
        self.junction_a = max((one.junction_a for one in flows), default=0.0)

    def _flow(self, soc: float) -> Flow | None:
        emf = self.trunk.emf(soc)
        trunk = self.trunk.at_emf(emf)
        setting = self.setting if trunk is self.trunk else Setting(trunk, self.running, self.setting.endless)
        return None if setting.dead else setting.flow(emf)

    def over(self, *, moment: bool = False) -> Iterator[Over]:
        """Every limit that is passed; in a `moment` (a start) only what trips or browns out at once."""
        yield from self._volts()
        source = self.supply.source
        most = maybe(source.peak_current_a) if moment else maybe(source.max_current_a)
        if most is not None and self.source_a > most:
            word = "for a moment" if moment else "for as long as it lasts"
            yield self._amps("source", f"{source.name} gives at most {figure(most, 'A')} {word}", self.source_a)
        if moment:
            return
        for stage in self.supply.trunk:
            amps = self.junction_a if self._behind_board(stage) else self.source_a
            if stage.opens_above_a is not None and amps > stage.opens_above_a:
                words = f"the shared fuse opens above {figure(stage.opens_above_a, 'A')}"
                yield self._amps("fuse", words, amps)
            if stage.stands_a is not None and amps > stage.stands_a:
                yield self._amps("part", f"the shared {stage.called} is rated for {figure(stage.stands_a, 'A')}", amps)
            safe = self.safe_amps(stage)
            if safe is not None and amps > safe:
                words = f"the shared lead stands {figure(safe, 'A')}"
                yield self._amps("lead", words, amps)

    def safe_amps(self, stage: object) -> float | None:
        """What a lead stands at the temperature of the outing, amperes; None for other stages."""
        area = getattr(stage, "area_mm2", None)
        return None if area is None else safe_amps(number(area)) * warm_share(number(self.conditions.temperature_c))

    def _behind_board(self, stage: object) -> bool:
        before = self.supply.trunk[: self.supply.trunk.index(stage)]
        return self.supply.source.regulated_output is not None or any(one.HOLDS for one in before)

    def _amps(self, limit_of: Literal["source", "fuse", "part", "lead"], words: str, have: float) -> Over:
        return Over(limit_of, f"{words}, and together they draw {figure(have, 'A')}")

    def _volts(self) -> Iterator[Over]:
        """The path collapses, a board or port is overloaded, a device gets too few volts."""
        port = self.supply.source.regulated_output
        if self.setting.dead == "converter overload":
            most = maybe(port.output_current_max_a) if port else None
            have = self.setting.held_a
            words = "what holds the shared volts gives less"
            if most is not None and have > most:
                words = f"the port gives at most {figure(most, 'A')}"
            yield Over("port", f"{words}, and together they draw {figure(have, 'A')}")
            return
        charge = f"{figure(self.soc, '%', 2)} charge"
        if self.setting.dead or self.flow is None or self.soc <= self.setting.collapse_soc:
            yield Over("volts", f"{self.supply.called} cannot give so much at once at {charge}: its volts collapse")
            return
        for limit in self.setting.limits:
            if limit.soc < self.soc:
                break
            own = limit.turn == "stop"
            why = stop_words(limit.cause, by_itself=own) if limit.cause else "a board passes its input on"
            if limit.turn == "source":
                yield Over("volts", f"{why} at {charge}")
            elif limit.turn == "stop":
                branch = self.supply.branches[limit.branch]
                at = f"{figure(self.flow.junction_v, 'V')} at the junction, {charge}"
                yield Over("device", f"{branch.device.name}: {why} ({at})")


class Carried(msgspec.Struct, frozen=True):
    """How many equal devices of a branch a supply carries, and what refuses the next; None where nothing does."""

    steady: int
    next_refused: Over | None
    starting: int
    next_start_refused: Over | None


def how_many(supply: Supply, conditions: Conditions, index: int) -> Carried:
    """So many of one branch's devices beside the others in their heaviest modes: running, and all starting at once."""
    branch = supply.branches[index]
    others = [(i, pull) for i, pull in everything(supply) if i != index]
    mode = heaviest(branch)

    def first(*, moment: bool) -> tuple[int, Over | None]:
        def refused(count: int) -> Over | None:
            pull = start_of(branch, count) if moment else pull_of(branch, mode, None, count)
            running = sorted([*others, (index, pull)], key=lambda one: one[0])
            return next(Load(supply, conditions, running).over(moment=moment), None)

        low, high = 0, MOST_ALIKE + 1
        why: Over | None = None
        while high - low > 1:
            middle = (low + high) // 2
            over = refused(middle)
            low, high, why = (low, middle, over) if over else (middle, high, why)
        return low, why

    steady, starting = first(moment=False), first(moment=True)
    return Carried(steady[0], steady[1], min(steady[0], starting[0]), starting[1])
