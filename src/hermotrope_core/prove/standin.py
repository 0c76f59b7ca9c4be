"""A stand-in for the real bench: what every instrument would read of this very case, with a fault if asked for.

It knows the plan and departs from it as real parts do (a little, always the same for a case), so that a rehearsal
has something to find out. Nothing here draws random numbers; instruments add their own noise.
"""

from __future__ import annotations

from math import inf
from typing import Literal
from zlib import crc32

import msgspec

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.point import mode_demand, peak_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.heat import part_heats
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.spread import times
from hermotrope_core.prove.gate import Ask
from hermotrope_core.values.known import maybe, number

Fault = Literal["reversed-leads", "set-point-high", "weak-pack", "sleepy-bank", "missing-fuse-link"]
FAULTS: dict[Fault, str] = {
    "reversed-leads": "leads swapped at the plug",
    "set-point-high": "converter set too high",
    "weak-pack": "a weak pack",
    "sleepy-bank": "a bank that falls asleep",
    "missing-fuse-link": "no link in the fuse",
}
TOO_HIGH = 1.25
WEAK_OHM, WEAK_AH = 6.0, 0.6
WEAK_SHARE = 0.06
"""A weak pack loses at least this share of its volts under the heaviest mode."""
SLEEPY_S = 5.0
CAPACITY, RESISTANCE, LOAD = 0.05, 0.12, 0.03
"""How far the stand-in's pack and loads may depart from the plan, relative."""


def applicable(case: Case) -> tuple[Fault, ...]:
    """The faults that this case can have."""
    found: list[Fault] = [] if Situation(case).alternating else ["reversed-leads"]
    if any(stage.HOLDS for stage in case.path):
        found.append("set-point-high")
    if case.source is not None and case.source.regulated_output is None:
        found.append("weak-pack")
    if case.source is not None and case.source.regulated_output is not None:
        found.append("sleepy-bank")
    if any(stage.opens_above_a is not None for stage in case.path):
        found.append("missing-fuse-link")
    return tuple(found)


def _share(case: Case, of: str) -> float:
    """A fixed number for a case and a name, from 0.5 to 1 on either side of 0: no real part is exactly as planned."""
    drawn = crc32(f"{case.title}/{case.device.name}/{of}".encode())
    return (1.0 if drawn & 1 else -1.0) * (0.5 + (drawn >> 1) % 1001 / 2000.0)


def truth(case: Case, fault: Fault | None) -> Case:
    """The case as it "really" is on the stand-in bench."""
    replace = msgspec.structs.replace
    source = case.source
    assert source is not None
    ohm = 1.0 + RESISTANCE * _share(case, "resistance")
    ah = 1.0 + CAPACITY * _share(case, "capacity")
    resistance = times(source.resistance_ohm, ohm, "resistance_ohm")
    if fault == "weak-pack":
        ah *= WEAK_AH
        resistance = max(number(resistance) * WEAK_OHM, _weak_ohm(case))
    source = replace(source, resistance_ohm=resistance, capacity_ah=times(source.capacity_ah, ah, "capacity_ah"))
    if fault == "sleepy-bank" and source.regulated_output is not None:
        lightest = Situation(case)
        amps = lightest.draw(demand_of(lightest, lightest.lightest.name)).port_a
        port = replace(source.regulated_output, output_min_current_a=1.5 * amps + 0.01, output_off_delay_s=SLEEPY_S)
        source = replace(source, regulated_output=port)
    load = 1.0 + LOAD * _share(case, "load")
    modes = tuple(_drawing(mode, load) for mode in case.device.modes)
    path = case.path
    if fault == "set-point-high":
        at = max(i for i, stage in enumerate(path) if isinstance(stage, Holding))
        stage = path[at]
        assert isinstance(stage, Holding)
        path = (*path[:at], replace(stage, output_v=TOO_HIGH * number(stage.output_v)), *path[at + 1 :])
    return replace(case, source=source, path=path, device=replace(case.device, modes=modes))


def _weak_ohm(case: Case) -> float:
    now = Situation(case).at(Situation(case).heaviest, 1.0)
    amps = now.source_a if now.complete else 1.0
    return WEAK_SHARE * now.stations[0].volts_in / max(amps, 1e-3)


def _drawing(mode: Mode, factor: float) -> Mode:
    if mode.draw is None:
        return mode
    own = Mode.OWN[mode.kind]
    return msgspec.structs.replace(mode, **{own: times(mode.draw, factor, own)})


class StandIn:
    """The bench: reads every ask of a plan, under the dummy load that the ask wants or an instrument sets."""

    def __init__(self, case: Case, fault: Fault | None = None) -> None:
        """`case` must be finished and planned. Raises ValueError for a fault that it cannot have."""
        if fault is not None and fault not in applicable(case):
            raise ValueError(f"this conversion cannot have the fault {fault!r}")
        self.fault = fault
        self.case = truth(case, fault)
        self.situation = Situation(self.case)

    def read(self, ask: Ask, load_a: float | None = None) -> float:
        """What the instrument of an ask shows, in its unit; infinite for an open circuit on ohms."""
        if ask.meter in ("ohms", "diode"):
            return self._ohms(ask)
        if ask.unit == "A":
            return self._amps(ask)
        if ask.meter == "temperature":
            return self._warmth(ask)
        if ask.meter == "trip":
            return self._trip(ask)
        if ask.meter == "clock":
            return run(self.case).runtime_s if self._alive() else 0.0
        if ask.meter in ("ripple", "seen") or (ask.meter == "volts" and ask.red is None):
            return ask.expected or 0.0
        return self._volts(ask, ask.setup.load_a if load_a is None else load_a)

    def _alive(self) -> bool:
        return self.fault not in ("missing-fuse-link", "reversed-leads")

    def _fused_before(self, gap: int) -> bool:
        """Whether the missing link lies between the pack and a gap."""
        fuse = next((i for i, stage in enumerate(self.case.path) if stage.opens_above_a is not None), None)
        return self.fault == "missing-fuse-link" and fuse is not None and fuse < gap

    def _volts(self, ask: Ask, load_a: float | None) -> float:
        gap = ask.red.gap if ask.red else max(ask.setup.cuts, default=0)
        if self._fused_before(gap):
            return 0.0
        if load_a and self._fused_before(len(self.case.path)):
            load_a = None
        if load_a and ask.setup.wait_s and self._sleeps(load_a, ask.setup.wait_s):
            return 0.0
        volts = self._loaded(gap, load_a) if load_a else self._unloaded(gap)
        at_plug = gap == len(self.case.path) and ask.key.startswith(("polarity", "dummy-load.plug", "dummy-load.awake"))
        return -volts if at_plug and self.fault == "reversed-leads" else volts

    def _unloaded(self, gap: int) -> float:
        circuit = self.situation.circuit
        if circuit.port is not None and gap == 0:
            return circuit.holders[0].output_v
        before = [i for i, holder in enumerate(circuit.holders) if holder.stage < gap]
        if before:
            volts = circuit.holders[before[-1]].output_v
            first = circuit.holders[before[-1]].stage + 1
        else:
            volts, first = self.situation.full_emf, 0
        drops = sum(s.drop_v for s in self.case.path[first:gap])
        return volts - drops

    def _loaded(self, gap: int, amps: float) -> float:
        settled = self.situation.settled(self.situation.full_emf)
        now = self.situation.at_demand(Demand("current", amps), settled)
        if not now.complete or any(b.cause == "collapse" for b in now.breaches):
            return 0.0
        if gap == 0:
            return now.stations[0].volts_out if self.situation.circuit.port else now.terminal_v
        return now.inlet_v if gap == len(self.case.path) else now.at_stage(gap).volts_in

    def _sleeps(self, amps: float, wait_s: float) -> bool:
        port = self.situation.circuit.port
        least = maybe(port.output_min_current_a) if port else None
        if port is None or least is None:
            return False
        delay = port.sleeps_after_s
        return self.situation.draw(Demand("current", amps)).port_a < least and wait_s > delay

    def _ohms(self, ask: Ask) -> float:
        span = ask.setup.stages
        if span is None:
            return 10.0 * ask.low  # between plus and minus: only what is meant to conduct does
        stages = self.case.path[span[0] : span[1]]
        if self.fault == "missing-fuse-link" and any(stage.opens_above_a is not None for stage in stages):
            return inf
        if ask.meter == "diode":
            return sum(s.drop_v for s in stages)
        return 0.1 + sum(s.plus_ohms for s in stages)

    def _amps(self, ask: Ask) -> float:
        if not self._alive() or ask.setup.mode is None:
            return 0.0
        mode = next(one for one in self.situation.modes if one.name == ask.setup.mode)
        peak = peak_demand(mode) if ask.setup.peak else None
        demand = peak or demand_of(self.situation, mode.name)
        now = self.situation.at_demand(demand, self.situation.circuit.emf(0.97))
        return now.inlet_a if now.complete else 0.0

    def _warmth(self, ask: Ask) -> float:
        stage = ask.red.gap if ask.red else -1
        for one in part_heats(self.situation):
            if one.stage == stage:
                return one.warmest_closed_c if self.situation.closed else one.warmest_open_c
        return self.situation.temperature_c

    def _trip(self, ask: Ask) -> float:
        span = ask.setup.stages
        stage = self.case.path[span[0]] if span else None
        opens = (stage.opens_below_v or stage.warns_below_v) if stage is not None else None
        return ask.expected or 0.0 if opens is None else opens * 1.004


def demand_of(situation: Situation, mode: str) -> Demand:
    """The demand of a mode by name."""
    return mode_demand(next(one for one in situation.modes if one.name == mode))
