"""Parts that hold volts, one behind the other, and the cheap tests that spare a pack the full judgement.

A chain is worked back from the device once; what it then asks of a pack is one demand per mode. A
pair of pack and chain is refused here by the first limit that is broken for certain. Every limit is
one that the findings hold too, so nothing is refused that the full judgement would let pass.
"""

from __future__ import annotations

from typing import Literal

import msgspec

from hermotrope_core.circuit.point import section_amps
from hermotrope_core.circuit.situation import LOW_SOC, Situation
from hermotrope_core.kinds.effects import Demand, Holder
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.match.asked import Asked
from hermotrope_core.match.shelf import Pack, Part
from hermotrope_core.parts.craft import HOT_REFUSE_K, OVER, UNDER
from hermotrope_core.parts.thermal import CLOSED_BOX_DERATING
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import maybe, number

Strategy = Literal[
    "direct",
    "series diodes",
    "series resistor",
    "linear regulator",
    "buck",
    "boost",
    "buck-boost",
    "trigger board",
    "two stages",
    "inverter",
    "wall adapter",
]


class Reason(msgspec.Struct, frozen=True, gc=False):
    """The one number that refuses a way."""

    code: str
    have: float
    limit: float
    unit: str


class Chain(msgspec.Struct, frozen=True, gc=False):
    """Holding parts from the pack to the device, set to their volts."""

    strategy: Strategy
    parts: tuple[Part, ...]
    demands: tuple[Demand, ...]
    """What its first part asks of whatever feeds it, one per mode."""
    heaviest: int
    input_min_v: float
    input_max_v: float
    topology: str
    area_mm2: float
    """Copper of the lead behind it; 0 where the last part has its own."""
    broken: Reason | None
    """A limit that the chain breaks whatever feeds it."""
    from_v: float | None = None
    """A trigger asks its port for these volts, and is of use at no others."""


class Facts(msgspec.Struct, frozen=True, gc=False):
    """A pack as a chain sees it: volts full and by charge, resistance, what it may give."""

    pack: Pack
    full_v: float
    volts_at_full: float
    volts_when_low: float
    ohm: float
    most_a: float | None
    port_v: float | None


def facts_of(pack: Pack, case: Case) -> Facts:
    """What chains must know of a pack at the case's temperature."""
    situation = Situation(msgspec.structs.replace(case, source=pack.source, path=()))
    port, circuit = pack.source.regulated_output, situation.circuit
    if port is not None:
        volts, most = number(port.output_v), maybe(port.output_current_max_a)
        return Facts(pack, volts, volts, volts, 0.0, most, volts)
    ohm = circuit.stretches[0].resistance_ohm
    most = maybe(pack.source.max_current_a)
    return Facts(pack, situation.full_emf, circuit.emf(1.0), circuit.emf(LOW_SOC), ohm, most, None)


def chain_of(case: Case, strategy: Strategy, parts: tuple[Part, ...], at: Asked, own_lead: bool = False) -> Chain:
    """Work a chain back from the device. Its last part must be set to ``at.volts``."""
    broken: Reason | None = None
    amps, peaks = at.amps, [amps for amps, _ in at.peaks]
    demands: tuple[Demand, ...] = ()
    derating = CLOSED_BOX_DERATING if case.conditions.enclosure == "closed" else 1.0
    holders = [_held(part.stage).holder(i) for i, part in enumerate(parts)]
    for k in range(len(parts) - 1, -1, -1):
        holder, stage = holders[k], parts[k].stage
        broken = _own_limits(case, holder, stage, (amps[at.heaviest], max(amps), derating)) or broken
        demands = tuple(holder.demand(a) for a in amps)
        if k > 0:
            volts = holders[k - 1].output_v
            broken = _fed_badly(holder, stage, volts) or broken
            drawn = [section_amps(volts, 0.0, demand) for demand in demands]
            amps = tuple(a or 0.0 for a in drawn)
            peaks = [section_amps(volts, 0.0, holder.demand(a)) or 0.0 for a in peaks]
    first = holders[0]
    return Chain(
        strategy=strategy,
        parts=parts,
        demands=demands,
        heaviest=at.heaviest,
        input_min_v=first.input_min_v,
        input_max_v=float("inf") if first.input_max_v is None else first.input_max_v,
        topology=parts[0].stage.called,
        area_mm2=0.0 if own_lead else at.area_mm2,
        broken=broken,
        from_v=first.output_v if parts[0].stage.called == "trigger" else None,
    )


def screen(facts: Facts, chain: Chain) -> Reason | None:
    """The first limit that a pack breaks with a chain for certain, or None: then the full judgement decides."""
    if facts.full_v > chain.input_max_v * OVER:
        return Reason("converter-input-high", facts.full_v, chain.input_max_v, "V")
    if chain.topology == "boost":
        volts = _held(chain.parts[0].stage).held_v
        if facts.full_v > volts * OVER:
            return Reason("converter-input-high", facts.full_v, volts, "V")
    heavy = chain.demands[chain.heaviest]
    amps = section_amps(facts.volts_at_full, facts.ohm, heavy)
    if amps is None:
        most = facts.volts_at_full**2 / (4.0 * facts.ohm) if facts.ohm > 0.0 else 0.0
        return Reason("collapse", heavy.value, most, "W")
    volts = facts.volts_at_full - amps * facts.ohm
    if volts < chain.input_min_v * UNDER:
        code = "under-min-at-full" if chain.topology == "linear" else "converter-input-low"
        return Reason(code, volts, chain.input_min_v, "V")
    if facts.most_a is not None:
        for demand in chain.demands:
            low = section_amps(facts.volts_when_low, facts.ohm, demand)
            if low is not None and low > facts.most_a:
                return Reason("source-overload", low, facts.most_a, "A")
    return None


def _own_limits(case: Case, holder: Holder, stage: Stage, drawn: tuple[float, float, float]) -> Reason | None:
    """Overload and heat of one part: `drawn` is (heaviest mode's amperes, the most, derating)."""
    heavy, most, derating = drawn
    rated = holder.output_current_max_a
    if rated is not None and most > rated * derating:
        return Reason("converter-overload", most, rated * derating, "A")
    if stage.SWITCHES:
        out = holder.output_v * heavy
        rise = (out / holder.efficiency_at(heavy) + holder.quiescent - out) * stage.k_per_w(
            closed=case.conditions.enclosure == "closed"
        )
        if rise > HOT_REFUSE_K:
            return Reason("hot-part", rise, HOT_REFUSE_K, "K")
    return None


def _fed_badly(holder: Holder, stage: Stage, volts: float) -> Reason | None:
    """A part whose input from the part before it is outside its range."""
    if holder.input_max_v is not None and volts > holder.input_max_v * OVER:
        return Reason("converter-input-high", volts, holder.input_max_v, "V")
    if stage.called == "boost" and volts > holder.output_v * OVER:
        return Reason("converter-input-high", volts, holder.output_v, "V")
    if not holder.linear and volts < holder.input_min_v * UNDER:
        return Reason("converter-input-low", volts, holder.input_min_v, "V")
    return None


def _held(stage: Stage) -> Holding:
    if not isinstance(stage, Holding):
        raise TypeError(f"{type(stage).__name__} holds no volts")
    return stage
