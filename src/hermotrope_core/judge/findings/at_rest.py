"""What flows, or stands at the device, while it is off or is switched on."""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.circuit.situation import HALF_SOC, Situation
from hermotrope_core.judge.cures import switch_change
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.judge.findings.rule import FULL, Basis, rule
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.parts.craft import INRUSH_FROM_F
from hermotrope_core.values.figures import duration, figure
from hermotrope_core.values.known import maybe


@rule(Basis("no-load-rise", ("care",), "E_full, no current", FULL, "stated", ("device.supply.max_v",)))
def no_load_rise(situation: Situation) -> Iterator[Finding]:
    """A resistor dropper in front of electronics: without current nothing is dropped."""
    if "electronics" not in situation.case.device.traits:
        return
    for i, stage in enumerate(situation.case.path):
        if stage.NEEDS_CURRENT:
            have = situation.unloaded[-1]
            limit = maybe(situation.case.device.supply.max_v)
            yield Finding(
                "no-load-rise",
                "care",
                f"Without current the resistor drops nothing: electronics at rest then see {figure(have, 'V')}.",
                i,
                have,
                limit,
                "V",
                "put in a converter or a linear regulator in place of the resistor",
            )
            return


@rule(Basis("inrush", ("note",), "capacitance at the inlet", ("device.input_capacitance_f",)))
def inrush(situation: Situation) -> Iterator[Finding]:
    """An input capacitance that fills at once when a switch closes or a bank's port wakes."""
    farads = maybe(situation.case.device.input_capacitance_f)
    port = situation.source.regulated_output
    switch = next((i for i, stage in enumerate(situation.case.path) if stage.BY_HAND), None)
    if farads is None or farads < INRUSH_FROM_F or (switch is None and port is None):
        return
    ohm = situation.circuit.stretches[-1].resistance_ohm
    volts = situation.unloaded[-1]
    have = volts / ohm if ohm > 0.0 else None
    rush = "as much as the source gives" if have is None else figure(have, "A", 2)
    yield Finding(
        "inrush",
        "note",
        f"{figure(farads, 'F', 2)} at the inlet fill from {figure(volts, 'V')} when it is switched on: {rush} for an "
        "instant; a port with a fast limit may open and a switch's contacts pit.",
        -1 if switch is None else switch,
        farads,
        INRUSH_FROM_F,
        "F",
        "put in a soft start, or a resistor that is bridged after a moment; or plug the device in before the pack is "
        "switched on",
    )


@rule(
    Basis(
        "standing-drain",
        ("note",),
        "Q / I with the device off",
        ("source.capacity_ah", "source.regulated_output.quiescent_w", "path"),
    )
)
def standing_drain(situation: Situation) -> Iterator[Finding]:
    """What converters and keep-alive loads draw with the device off, where no switch is before them."""
    path = situation.case.path
    switched = next((i for i, s in enumerate(path) if s.BY_HAND), situation.device_stage)
    before = [h.stage for h in situation.circuit.holders if h.stage < switched and h.quiescent > 0.0]
    before += [i for i, stage in enumerate(path[:switched]) if stage.shunt_a > 0.0]
    if not before or situation.cell.endless:
        return
    idle = situation.at_demand(Demand("current", 0.0), situation.circuit.emf(HALF_SOC))
    if not idle.complete or idle.source_a == 0.0:
        return
    days = situation.circuit.charge_ah / idle.source_a / 24.0
    bank = min(before) == -1
    yield Finding(
        "standing-drain",
        "note",
        f"With the device off, {figure(idle.source_a, 'A', 2)} still flow from the pack's cells: "
        f"flat in {duration(days * 86400)}.",
        min(before),
        days,
        None,
        "days",
        "take the bank off or switch it off when you stop" if bank else "put a switch before what draws by itself",
        () if bank else switch_change(situation.case),
    )
