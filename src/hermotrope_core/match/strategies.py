"""The ways to feed a device: which chains of parts come into question, with every set-point designed.

A chain does not know its pack. What is left of a way (fuse, cut-off, lead, how many diodes, which
resistor) is designed when a pack is put before it, in `build`.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import inf, sqrt
from typing import cast

import msgspec

from hermotrope_core.kinds.inlets import mains_like
from hermotrope_core.kinds.lead import lead_ohm
from hermotrope_core.kinds.stages import Converter, Linear
from hermotrope_core.know.bank import fed_from
from hermotrope_core.match.asked import Asked, asked
from hermotrope_core.match.chain import Chain, Strategy, chain_of
from hermotrope_core.match.shelf import OWN_ADAPTER, WORK, Kit, Pack, Part, to_buy
from hermotrope_core.parts.craft import SAME_V
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.source import Source
from hermotrope_core.values.known import maybe, number

QUIET_BOARDS = 2
"""So many boards of each kind are tried before a linear regulator, for a receiver."""
QUIET_MARGIN_V = 0.5
"""A board before a linear regulator is set this far above what the regulator needs."""
MIDDLE_BOARDS = 3
"""So many boards are tried on either side of a voltage in the middle."""


class Target(msgspec.Struct, frozen=True):
    """The device of a request: its case, and what it asks for at the volts a part is set to."""

    case: Case
    at: Asked
    low_v: float
    high_v: float


def target_of(case: Case) -> Target | None:
    """Where to set a part for this device; None where no lead carries what it draws."""
    supply = case.device.supply
    rated, low = number(supply.nominal_v or 0.0), maybe(supply.min_v) or 0.0
    high = maybe(supply.max_v) or rated
    at = asked(case, rated)
    if at is None:
        return None
    lost = lead_ohm(WORK.lead_m, at.area_mm2) * at.heavy_a
    if rated - lost < low and rated + lost <= high:
        at = asked(case, round(rated + lost, 2)) or at
    return Target(case, at, low, high)


def single_chains(target: Target, kit: Kit) -> Iterator[Chain]:
    """One part that holds the device's volts: buck, boost, buck-boost; linear; inverter and adapter."""
    for part in kit.boards:
        stage = cast(Converter, part.stage)
        if _reaches(stage, target.at.volts):
            yield chain_of(target.case, _named(stage), (_set(part, target.at.volts),), target.at)
    for part in linears(target, kit):
        at = asked(target.case, number(cast(Linear, part.stage).output_v))
        if at is not None:
            yield chain_of(target.case, "linear regulator", (part,), at)
    mains = target.case.device.inlet is not None and mains_like(target.case.device.inlet)
    adapter = own_adapter(target)
    for part in kit.inverters:
        if not mains:
            yield chain_of(target.case, "inverter", (part, adapter), target.at, own_lead=True)
            continue
        volts = number(cast(Converter, part.stage).output_v)
        at = asked(target.case, volts)
        if at is not None and target.low_v <= volts <= target.high_v:
            yield chain_of(target.case, "inverter", (part,), at, own_lead=True)


def _named(stage: Converter) -> Strategy:
    return "buck" if stage.topology == "buck" else "boost" if stage.topology == "boost" else "buck-boost"


def linears(target: Target, kit: Kit) -> list[Part]:
    """The shelf's linear regulators within the window, else one that is set to the rated volts."""
    found = [p for p in kit.linears if target.low_v <= number(cast(Linear, p.stage).output_v) <= target.high_v]
    made = Linear(output_v=target.at.volts, **WORK.linear)  # type: ignore[arg-type]  # figures of the data file
    return found or [to_buy(made, "adjustable linear regulator")]


def own_adapter(target: Target) -> Part:
    """The wall adapter that came with the device, behind an inverter; made for its load, so it warms as adapters do."""
    figures = WORK.own_adapter
    out = target.at.volts * target.at.heavy_a
    heat = out / figures["efficiency"] + figures["quiescent_w"] - out
    stage = Converter(
        topology="buck",
        output_v=target.at.volts,
        efficiency=figures["efficiency"],
        quiescent_w=figures["quiescent_w"],
        input_min_v=figures["input_min_v"],
        input_max_v=figures["input_max_v"],
        thermal_k_per_w=figures["rise_k"] / heat,
    )
    return Part(stage, OWN_ADAPTER)


def trigger_chains(target: Target, kit: Kit, volts: float, most_a: float | None) -> Iterator[Chain]:
    """A trigger board on a port that was asked for `volts`: to the device, or to a board before it."""
    trigger = trigger_for(kit, volts, most_a)
    if target.low_v <= volts <= target.high_v:
        at = asked(target.case, volts)
        if at is not None:
            yield chain_of(target.case, "trigger board", (trigger,), at)
        return
    for part in kit.boards:
        stage = cast(Converter, part.stage)
        if _reaches(stage, target.at.volts) and (stage.topology != "boost" or volts < target.at.volts):
            yield chain_of(target.case, "two stages", (trigger, _set(part, target.at.volts)), target.at)


def trigger_for(kit: Kit, volts: float, most_a: float | None) -> Part:
    """The shelf's trigger board for a port's volts, or one to buy."""
    for part in kit.triggers:
        if abs(number(cast(Converter, part.stage).output_v) - volts) <= SAME_V:
            return part
    stage = Converter(topology="trigger", output_v=volts, output_current_max_a=most_a, **WORK.trigger)  # type: ignore[arg-type]  # likewise
    return to_buy(stage, f"Trigger board, {volts:g} V")


def quiet_chains(target: Target, kit: Kit, singles: list[Chain]) -> Iterator[Chain]:
    """For a receiver: a board that holds a little more, and a linear regulator that takes its noise away."""
    if "receiver" not in target.case.device.traits:
        return
    for kind in ("buck", "boost", "buck-boost"):
        able = [chain for chain in singles if chain.strategy == kind and chain.broken is None][:QUIET_BOARDS]
        for regulator in linears(target, kit):
            stage = cast(Linear, regulator.stage)
            volts = round(number(stage.output_v) + number(stage.dropout_v) + QUIET_MARGIN_V, 2)
            at = asked(target.case, number(stage.output_v))
            for chain in able:
                board = chain.parts[0]
                if at is not None and _reaches(cast(Converter, board.stage), volts):
                    yield chain_of(target.case, "two stages", (_set(board, volts), regulator), at)


def middle_chains(target: Target, kit: Kit, full_v: float) -> Iterator[Chain]:
    """Two boards with a voltage in the middle, for packs that no single board brings to the device."""
    volts = round(sqrt(full_v * target.at.volts), 1)
    first = [p for p in kit.boards if _takes(p, full_v) and _reaches(cast(Converter, p.stage), volts)]
    last = [p for p in kit.boards if _takes(p, volts) and _reaches(cast(Converter, p.stage), target.at.volts)]
    for before in first[:MIDDLE_BOARDS]:
        for behind in last[:MIDDLE_BOARDS]:
            parts = (_set(before, volts), _set(behind, target.at.volts))
            yield chain_of(target.case, "two stages", parts, target.at)


def ports(pack: Pack) -> Iterator[tuple[Pack, bool]]:
    """A pack as it is, and by every other port or profile that is better in something at its volts.

    True where the volts are negotiated.
    """
    yield pack, False
    source = pack.source
    seen = [_Offer.of(source)]
    for i, port in enumerate(source.ports):
        lowest = min(number(profile.output_v) for profile in port.profiles)
        for k, profile in enumerate(port.profiles):
            fed = fed_from(source, i, k)
            offer = _Offer.of(fed)
            if not any(offer.no_better_than(other) for other in seen):
                seen.append(offer)
                volts = number(profile.output_v)
                named = msgspec.structs.replace(pack, source=fed, port=f"{port.name} at {volts:g} V")
                yield named, volts > lowest + SAME_V


class _Offer(msgspec.Struct, frozen=True):
    """What tells one port from another for whoever is fed from it."""

    volts: float
    most_a: float
    sleeps_a: float

    @classmethod
    def of(cls, source: Source) -> _Offer:
        port = source.regulated_output
        if port is None:
            return cls(0.0, 0.0, 0.0)
        most = maybe(port.output_current_max_a)
        return cls(number(port.output_v), inf if most is None else most, maybe(port.output_min_current_a) or 0.0)

    def no_better_than(self, other: _Offer) -> bool:
        same = abs(self.volts - other.volts) <= SAME_V
        return same and self.most_a <= other.most_a and self.sleeps_a >= other.sleeps_a


def _reaches(stage: Converter, volts: float) -> bool:
    least, most = maybe(stage.adjusts_from_v), maybe(stage.adjusts_to_v)
    return (least is None or volts >= least) and (most is None or volts <= most)


def _takes(part: Part, volts: float) -> bool:
    stage = cast(Converter, part.stage)
    return (maybe(stage.input_min_v) or 0.0) <= volts <= (maybe(stage.input_max_v) or float("inf"))


def _set(part: Part, volts: float) -> Part:
    return msgspec.structs.replace(part, stage=msgspec.structs.replace(part.stage, output_v=volts))
