"""Polarity and connectors: the things that are measured, never assumed."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from hermotrope_core.circuit.situation import Look, Situation
from hermotrope_core.judge.cures import add
from hermotrope_core.judge.findings.finding import Finding, Level
from hermotrope_core.judge.findings.looks import held, worst
from hermotrope_core.judge.findings.rule import LOADED, Basis, rule
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.inlets import Connector, fixed_by_standard, knows_sign, mains_like
from hermotrope_core.kinds.lead import leads_of
from hermotrope_core.know.bay import LOOK_ALIKES, BayError, plan_of
from hermotrope_core.know.connectors import connector_words
from hermotrope_core.know.joints import joint_fit, stated_joints
from hermotrope_core.know.pins import nets_of
from hermotrope_core.parts.craft import MAINS_LEAST_V, OVER_TIMES
from hermotrope_core.parts.wire import PARTS
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe

CENTRE = ("centre-positive", "centre-negative")
RED_ON_PLUS = "a reading without a minus sign means that red is on plus"
TWO_SUPPLIES = "keep its cells or its own adapter, or make a second supply for the middle and judge it by itself"


@rule(Basis("polarity-unknown", ("refuse",), "what is recorded of inlet and outlet", ("inlet", "outlet")))
def polarity_unknown(situation: Situation) -> Iterator[Finding]:
    """An inlet or outlet whose polarity nobody knows, or an inlet that nobody measured."""
    inlet, outlet = situation.case.device.inlet, situation.source.outlet
    if not situation.alternating:  # alternating current has none, and nobody is to probe it
        if not knows_sign(inlet):
            yield _unknown("The polarity of the device's inlet is not known.", situation.device_stage, inlet)
        elif inlet is not None and not inlet.measured and not fixed_by_standard(inlet):
            yield _unknown(
                "The polarity of the device's inlet is stated but nobody has measured it; colours and labels lie.",
                situation.device_stage,
                inlet,
            )
    if not knows_sign(outlet) and not (outlet is not None and mains_like(outlet)):
        cure = "measure it, connected to nothing: one probe on each contact; " + RED_ON_PLUS
        yield Finding("polarity-unknown", "refuse", "The polarity of the source's outlet is not known.", -1, cure=cure)


def _unknown(message: str, stage: int, connector: Connector | None) -> Finding:
    return Finding("polarity-unknown", "refuse", message, stage, cure=how_to_measure(connector))


def how_to_measure(connector: Connector | None) -> str:
    """How the polarity of a connector is found, as an instruction."""
    match connector.kind if connector else "":
        case "barrel":
            return f"measure it with the original supply: black probe on the sleeve, red in the centre; {RED_ON_PLUS}"
        case "pins":
            return f"measure it with the original supply, pin against pin; {RED_ON_PLUS}"
        case "cell-bay":
            probes = "black on the last minus spring, red on the first plus"
            return f"measure it with the original cells in: {probes}; {RED_ON_PLUS}"
    return f"measure it with the original supply: one probe on each contact; {RED_ON_PLUS}"


@rule(
    Basis("polarity-reversed", ("refuse",), "signs of inlet and outlet, leads that swap", ("inlet", "outlet", "path"))
)
def polarity_reversed(situation: Situation) -> Iterator[Finding]:
    """Centre signs that differ without a swapping lead, or agree with one."""
    inlet, outlet = situation.case.device.inlet, situation.source.outlet
    if inlet is None or outlet is None:
        return
    both_centre = inlet.kind == outlet.kind == "barrel" and inlet.polarity in CENTRE and outlet.polarity in CENTRE
    both_marked = inlet.polarity == outlet.polarity == "marked"
    if not (both_centre or both_marked):
        return
    leads = leads_of(situation.case.path)
    odd = sum(lead.turns for _, lead in leads) % 2 == 1
    differ = inlet.polarity != outlet.polarity
    if differ == odd:
        return
    if differ:
        text = f"The source gives {outlet.polarity}, the device takes {inlet.polarity}, and no lead swaps them."
        cure = "let the last lead swap: centre to sleeve, sleeve to centre"
    else:
        text = f"Source and device agree ({inlet.polarity}), but a lead swaps plus and minus."
        cure = "use a straight lead"
    target = next(((i, lead) for i, lead in reversed(leads) if differ or lead.swaps_polarity), None)
    change = () if target is None else (add(f"/path/{target[0]}/swaps_polarity", not target[1].swaps_polarity),)
    yield Finding("polarity-reversed", "refuse", text, situation.device_stage, cure=cure, change=change)


@rule(Basis("polarity-swapped", ("note",), "signs of inlet and outlet, leads that swap", ("inlet", "outlet", "path")))
def polarity_swapped(situation: Situation) -> Iterator[Finding]:
    """Two centres that differ, and a lead that exchanges plus and minus on purpose."""
    inlet, outlet = situation.case.device.inlet, situation.source.outlet
    if inlet is None or outlet is None or {inlet.polarity, outlet.polarity} != set(CENTRE):
        return
    swapping = [i for i, s in enumerate(situation.case.path) if s.turns]
    if len(swapping) % 2 == 1:
        yield Finding(
            "polarity-swapped",
            "note",
            f"The source gives {outlet.polarity}, the device takes {inlet.polarity}: the lead swaps plus and minus.",
            swapping[-1],
            cure="mark that lead at both ends, and measure its plug before the device is connected",
        )


@rule(Basis("plug-mismatch", ("care", "refuse"), "ends of outlet, leads and inlet", ("outlet", "inlet")))
def plug_mismatch(situation: Situation) -> Iterator[Finding]:
    """Ends that do not go into each other: a lead's into the outlet, the next lead or the inlet."""
    for stage, near, far, words in stated_joints(situation.case):
        fit = joint_fit(near, far)
        if fit == "mates":
            continue
        ends = f"{connector_words(near)} and {connector_words(far)}"
        if fit == "loose":
            text = f"{words}: {ends} look alike and do not fit: a loose plug flickers and burns, a tight one breaks."
        else:
            text = f"{words}: {ends} do not go into each other."
        cure = "take a lead whose ends mate with both sides, or change the plug"
        yield Finding("plug-mismatch", "care" if fit == "loose" else "refuse", text, stage, cure=cure)


@rule(
    Basis(
        "plug-overload",
        ("note", "care", "refuse"),
        "I at 20 % charge in the heaviest mode",
        ("ocv", *LOADED, "heaviest"),
        "stated, or typical of its kind",
    )
)
def plug_overload(situation: Situation) -> Iterator[Finding]:
    """More amperes through a connector than it states, or than its kind usually stands."""
    for stage, name, connector in _connectors(situation.case):
        stated = maybe(connector.rating_a)
        limit = PARTS.connector_a.get(connector.kind) if stated is None else stated
        if limit is None:
            continue
        look = worst(situation.looks, _amps_of(stage), limit)
        if look is None:
            continue
        have = _amps_of(stage)(look)
        level: Level = "note" if stated is None else "refuse" if have > OVER_TIMES * limit else "care"
        knows = "is usually good for" if stated is None else "is rated for"
        text = f"{name} carries {figure(have, 'A')} in {look.words.rstrip(',')}; it {knows} {figure(limit, 'A')}."
        cure = "take a connector rated for more, or several contacts side by side made for it"
        yield Finding("plug-overload", held(look, level), text, stage, have, limit, "A", cure)


@rule(
    Basis(
        "part-overload",
        ("care", "refuse"),
        "I at 20 % charge in the heaviest mode",
        ("ocv", *LOADED, "heaviest"),
        "stated",
        ("stage.rating_a",),
    )
)
def part_overload(situation: Situation) -> Iterator[Finding]:
    """More amperes through a switch or a cut-off than it is stated to carry: its contacts weld, or it burns."""
    for stage, part in enumerate(situation.case.path):
        limit = part.stands_a
        look = None if limit is None else worst(situation.looks, _amps_of(stage), limit)
        if limit is None or look is None:
            continue
        have = _amps_of(stage)(look)
        level: Level = "refuse" if have > OVER_TIMES * limit else "care"
        text = (
            f"The {part.called} carries {figure(have, 'A')} in {look.words.rstrip(',')}; it is rated for "
            f"{figure(limit, 'A')}: its contacts weld, or it burns."
        )
        cure = f"take a {part.called} rated for {figure(1.25 * have, 'A', 2)} of direct current or more"
        yield Finding("part-overload", held(look, level), text, stage, have, limit, "A", cure)


def _amps_of(stage: int) -> Callable[[Look], float]:
    return lambda look: look.at.at_stage(stage).amps_out if stage == -1 else look.at.at_stage(stage).amps_in


def _connectors(case: Case) -> Iterator[tuple[int, str, Connector]]:
    """Every connector that carries the current: path index of where it is read, its name, the connector."""
    if case.source is not None and case.source.outlet is not None:
        yield -1, "The source's outlet", case.source.outlet
    for i, lead in leads_of(case.path):
        for end, name in ((lead.source_end, "the source"), (lead.device_end, "the device")):
            if end is not None:
                yield i, f"The lead's end towards {name}", end
    if case.device.inlet is not None:
        yield len(case.path), "The device's inlet", case.device.inlet


@rule(Basis("ac-inlet", ("care", "refuse"), "what outlet and inlet are made for", ("outlet", "inlet")))
def ac_inlet(situation: Situation) -> Iterator[Finding]:
    """Direct current at an inlet made for alternating current, or the other way round."""
    device, outlet = situation.case.device, situation.source.outlet
    inlet = device.inlet
    if inlet is None or inlet.kind == "mains":
        return
    held = any(stage.HOLDS for stage in situation.case.path)
    comes = situation.alternating or (not held and outlet is not None and outlet.alternating)
    if comes == inlet.alternating:
        return
    got, made = ("alternating", "direct") if comes else ("direct", "alternating")
    text = f"The inlet is made for {made} current and would get {got} current"
    if device.rectifies:
        text += ": its rectifier takes either, loses about 1.4 V in its diodes, and what is behind it sees the rest."
    else:
        text += ", which it does not rectify: a transformer burns on direct current, electronics on alternating."
    cure = (
        "measure behind the rectifier what the device lives on, and plan for that"
        if device.rectifies
        else (f"feed it {made} current, or feed it behind its transformer and rectifier")
    )
    yield Finding("ac-inlet", "care" if device.rectifies else "refuse", text, situation.device_stage, cure=cure)


@rule(Basis("live-pins", ("care",), "the outlet's end", ("outlet",)))
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


@rule(
    Basis(
        "wrong-socket",
        ("refuse",),
        "volts at the connector",
        ("inlet", "outlet"),
        "a mains connector is for mains volts",
    )
)
def wrong_socket(situation: Situation) -> Iterator[Finding]:
    """Low-voltage direct current on a connector made for mains."""
    inlet, outlet = situation.case.device.inlet, situation.source.outlet
    if outlet is not None and outlet.kind == "mains":
        yield _mains("source's outlet", situation.full_emf, -1)
    if inlet is not None and inlet.kind == "mains":
        last = next((s for s in reversed(situation.case.path) if isinstance(s, Holding) and s.SWITCHES), None)
        volts = situation.unloaded[-1]
        if last is None or not last.alternating or last.held_v < MAINS_LEAST_V:
            yield _mains("device's inlet", volts, situation.device_stage)


def _mains(where: str, volts: float, stage: int) -> Finding:
    own = "device" in where
    cure = (
        "feed the device's own adapter from an inverter, or feed it behind that adapter through a connector that "
        "fits no mains outlet"
        if own
        else "end the source in a connector that fits no mains outlet"
    )
    text = (
        f"The {where} is a mains connector and would carry {figure(volts, 'V')}: one day somebody plugs it into the "
        "wall, or a mains device into it."
    )
    return Finding("wrong-socket", "refuse", text, stage, volts, MAINS_LEAST_V, "V", cure)


@rule(Basis("second-supply", ("refuse",), "what was measured at the bay or the pins", ("inlet",)))
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
                f"Pin {pin} stands at {figure(volts, 'V')} between minus and plus at {figure(nets.volts, 'V')}: "
                "the device takes a second voltage, and one supply gives only one.",
                situation.device_stage,
                volts,
                nets.volts,
                "V",
                TWO_SUPPLIES,
            )


@rule(Basis("mixed-cells", ("refuse",), "what is stated of the cells", ("chemistry",)))
def mixed_cells(situation: Situation) -> Iterator[Finding]:
    """A pack whose cells are not alike: the weakest is driven below zero or overcharged by the others."""
    if situation.source.mixed_cells:
        yield Finding(
            "mixed-cells",
            "refuse",
            "Its cells differ in make, age or charge: the weakest is driven below zero volts by the others, and leaks, "
            "vents or burns.",
            -1,
            cure="take cells of one make, one age and one charge",
            change=(add("/source/mixed_cells", False),),
        )


@rule(
    Basis(
        "look-alike-cells",
        ("care", "refuse"),
        "volts of one fresh cell",
        ("chemistry",),
        "the most that a cell made for that slot gives",
    )
)
def look_alike_cells(situation: Situation) -> Iterator[Finding]:
    """Cells put into a bay that they fit and whose volts they are not made for; or cells that look like others."""
    bay, outlet = situation.case.device.bay, situation.source.outlet
    in_bay = bay is not None and outlet is not None and outlet.kind == "cell-bay"
    limit = PARTS.cell_most_v.get(bay.size) if bay is not None and in_bay else None
    have = situation.cell.full_v
    if bay is not None and limit is not None and have > limit:
        yield Finding(
            "look-alike-cells",
            "refuse",
            f"These cells fit a bay for {bay.size} and give {figure(have, 'V')} each; {figure(limit, 'V')} is the most "
            "such a slot is made for.",
            -1,
            have,
            limit,
            "V",
            f"take cells of the volts that the bay is made for: at most {figure(limit, 'V')} each, never mixed",
        )
        return
    size = situation.source.cell_size
    twin = LOOK_ALIKES.get(size or "")
    if twin is None:
        return
    most = PARTS.cell_most_v[twin]
    yield Finding(
        "look-alike-cells",
        "care",
        f"These {size} cells look like {twin} and give {figure(have, 'V')} each; whatever is made for {twin} stands "
        f"{figure(most, 'V')}.",
        -1,
        have,
        most,
        "V",
        f"mark them, keep them in a box of their own, away from every {twin} bay and charger",
    )
