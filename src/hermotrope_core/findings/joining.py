"""Polarity and connectors: the things that are measured, never assumed."""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.bay import BayError, plan_of
from hermotrope_core.case import Converter, Lead, number
from hermotrope_core.design import add
from hermotrope_core.findings.finding import Finding
from hermotrope_core.pins import nets_of
from hermotrope_core.situation import Situation
from hermotrope_core.wiring import PARTS

CENTRE = ("centre-positive", "centre-negative")
MAINS_LEAST_V = 100.0
TWO_SUPPLIES = "keep its cells or its own adapter, or make a second supply for the middle and judge it by itself"


def polarity_unknown(situation: Situation) -> Iterator[Finding]:
    """An inlet or outlet whose polarity nobody knows, or an inlet that nobody measured."""
    inlet, outlet = situation.case.device.inlet, situation.source.outlet
    if situation.alternating:
        pass  # alternating current has none, and nobody is to probe it
    elif inlet is None or inlet.polarity == "unknown":
        yield _unknown("The polarity of the device's inlet is not known.", situation.device_stage)
    elif not inlet.measured:
        yield _unknown(
            "The polarity of the device's inlet is stated but nobody has measured it; colours and labels lie.",
            situation.device_stage,
        )
    if outlet is None or outlet.polarity == "unknown":
        yield _unknown("The polarity of the source's outlet is not known.", -1)


def _unknown(message: str, stage: int) -> Finding:
    return Finding(
        "polarity-unknown",
        "refuse",
        message,
        stage,
        cure="measure it: black probe on the sleeve or minus contact, red on the other; a reading without a "
        "minus sign means red is plus",
    )


def polarity_reversed(situation: Situation) -> Iterator[Finding]:
    """Centre signs that differ without a swapping lead, or agree with one."""
    inlet, outlet = situation.case.device.inlet, situation.source.outlet
    if inlet is None or outlet is None:
        return
    both_centre = inlet.polarity in CENTRE and outlet.polarity in CENTRE
    both_marked = inlet.polarity == outlet.polarity == "marked"
    if not (both_centre or both_marked):
        return
    leads = [(i, stage) for i, stage in enumerate(situation.case.path) if isinstance(stage, Lead)]
    odd = sum(lead.swaps_polarity for _, lead in leads) % 2 == 1
    differ = inlet.polarity != outlet.polarity
    if differ == odd:
        return
    if differ:
        text = f"The source gives {outlet.polarity}, the device takes {inlet.polarity}, and no lead swaps them."
        cure = "make the last lead a swapping one: centre to sleeve, sleeve to centre"
    else:
        text = f"Source and device agree ({inlet.polarity}), but a lead swaps plus and minus."
        cure = "use a straight lead"
    target = next(((i, lead) for i, lead in reversed(leads) if differ or lead.swaps_polarity), None)
    change = () if target is None else (add(f"/path/{target[0]}/swaps_polarity", not target[1].swaps_polarity),)
    yield Finding("polarity-reversed", "refuse", text, situation.device_stage, cure=cure, change=change)


def polarity_swapped(situation: Situation) -> Iterator[Finding]:
    """Two centres that differ, and a lead that exchanges plus and minus on purpose."""
    inlet, outlet = situation.case.device.inlet, situation.source.outlet
    if inlet is None or outlet is None or {inlet.polarity, outlet.polarity} != set(CENTRE):
        return
    swapping = [i for i, s in enumerate(situation.case.path) if isinstance(s, Lead) and s.swaps_polarity]
    if len(swapping) % 2 == 1:
        yield Finding(
            "polarity-swapped",
            "note",
            f"The source gives {outlet.polarity}, the device takes {inlet.polarity}: the lead swaps plus and minus.",
            swapping[-1],
            cure="mark that lead at both ends, and measure its plug before the device is connected",
        )


def live_pins(situation: Situation) -> Iterator[Finding]:
    """A source that ends in exposed pins."""
    outlet = situation.source.outlet
    if outlet is not None and outlet.gender == "plug":
        yield Finding(
            "live-pins",
            "care",
            "The source ends in bare pins that are live: they short on the first key they meet.",
            -1,
            cure="end the source in a socket; power leaves through a socket and enters through a plug",
        )


def wrong_socket(situation: Situation) -> Iterator[Finding]:
    """Low-voltage direct current on a connector made for mains."""
    inlet, outlet = situation.case.device.inlet, situation.source.outlet
    if outlet is not None and outlet.kind == "mains":
        yield _mains("source's outlet", situation.full_emf, -1)
    if inlet is not None and inlet.kind == "mains":
        last = next((s for s in reversed(situation.case.path) if isinstance(s, Converter)), None)
        volts = situation.unloaded[-1]
        if last is None or last.topology != "inverter" or number(last.output_v) < MAINS_LEAST_V:
            yield _mains("device's inlet", volts, situation.device_stage)


def _mains(where: str, volts: float, stage: int) -> Finding:
    return Finding(
        "wrong-socket",
        "refuse",
        f"The {where} is a mains connector carrying {volts:.3g} V: one day somebody plugs it into the wall, "
        "or a mains device into it.",
        stage,
        volts,
        MAINS_LEAST_V,
        "V",
        "use a connector that fits no mains outlet",
    )


def mixed_cells(situation: Situation) -> Iterator[Finding]:
    """A pack whose cells are not alike: the weakest is driven below zero or overcharged by the others."""
    if situation.source.mixed_cells:
        yield Finding(
            "mixed-cells",
            "refuse",
            "Its cells differ in make, age or charge: the weakest is driven below zero volts by the others, and leaks, "
            "vents or burns.",
            -1,
            cure="cells of one make, one age and one charge",
            change=(add("/source/mixed_cells", False),),
        )


def look_alike_cells(situation: Situation) -> Iterator[Finding]:
    """Cells put into a bay that they fit and whose volts they are not made for."""
    bay, outlet = situation.case.device.bay, situation.source.outlet
    if bay is None or outlet is None or outlet.kind != "cell-bay":
        return
    limit = PARTS.cell_most_v.get(bay.size)
    have = situation.cell.full_v
    if limit is not None and have > limit:
        yield Finding(
            "look-alike-cells",
            "refuse",
            f"These cells fit a bay for {bay.size} and give {have:.3g} V each; {limit:.3g} V is the most such a slot "
            "is made for.",
            -1,
            have,
            limit,
            "V",
            f"cells of the size and the volts that the bay is made for: at most {limit:.3g} V each, never mixed",
        )


def second_supply(situation: Situation) -> Iterator[Finding]:
    """A device that takes more than one voltage: a bay tapped in the middle, or pins at other volts."""
    device = situation.case.device
    if device.bay is not None:
        try:
            plan = plan_of(device.bay)
        except BayError:
            return
        for tap in plan.taps:
            yield Finding(
                "second-supply",
                "refuse",
                f"The bay is tapped at {tap.contact}, {tap.cells} of {plan.cells_in_series} cells up: the device takes "
                "two voltages from it, and one supply gives only one.",
                situation.device_stage,
                float(tap.cells),
                float(plan.cells_in_series),
                "cells",
                TWO_SUPPLIES,
            )
    elif device.inlet is not None and device.inlet.kind == "pins":
        nets = nets_of(device.inlet)
        if nets.others and nets.volts is not None:
            pin, volts = nets.others[0]
            yield Finding(
                "second-supply",
                "refuse",
                f"Pin {pin} stands at {volts:.3g} V between minus and plus at {nets.volts:.3g} V: the device takes a "
                "second voltage, and one supply gives only one.",
                situation.device_stage,
                volts,
                nets.volts,
                "V",
                TWO_SUPPLIES,
            )
