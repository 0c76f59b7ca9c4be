"""The gates before any load: open voltage, continuity, set-points, polarity at the plug."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import pairwise
from math import inf

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.inlets import STANDARD, Connector, fixed_by_standard, knows_sign
from hermotrope_core.know.connectors import contacts_of
from hermotrope_core.plan.case import Case
from hermotrope_core.prove.gate import (
    METER_LEADS_OHM,
    OPEN_OHM,
    PLUG_IN,
    Ask,
    Gate,
    Meter,
    Rule,
    Setup,
    Spot,
    above,
    asleep,
    below,
    within,
)
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe, number

NEARLY_FULL = 0.95
"""A pack at or above this charge counts as full."""
PORT_SHARE = 0.05
"""A port's volts may be so far off (the usual tolerance of a 5 V port)."""
SET_SHARE, FIXED_SHARE = 0.015, 0.05
"""How close an adjustable output is to be set, and how far a fixed one may be off (typical)."""
JOINT_SLACK = 1.5
NO_SHORT_OHM, SHORT_OHM = 1000.0, 2.0
"""Between plus and minus with nothing running: at least the first (typical); under the second it is a short."""
NOTHING_V = 0.3


def open_voltage(situation: Situation, basis: str) -> Gate:
    """Volts and sign of the source alone."""
    source, circuit = situation.source, situation.circuit
    contacts = _contacts(source.outlet, "the port" if source.regulated_output else "the pack")
    mains = situation.case.mains_at(0)  # nobody is to probe a mains connector
    red, black = (None, None) if mains else (Spot(0, "+", contacts[0]), Spot(0, "-", contacts[1]))
    meter: Meter = "mains" if mains else "volts"
    swapped = below(
        -NOTHING_V,
        "stop",
        "it reads minus: plus and minus are swapped, at the probes or at the pack. Mark the contacts anew before anything else",
    )
    setup = Setup(cuts=(0,))
    if source.regulated_output is not None:
        volts = number(source.regulated_output.output_v)
        low, high = volts * (1 - PORT_SHARE), volts * (1 + PORT_SHARE)
        rules: tuple[Rule, ...] = (
            swapped,
            Rule(
                -NOTHING_V,
                NOTHING_V,
                "fail",
                "the bank gives nothing: press its button, try another lead or port"
                if asleep(situation)
                else "it gives nothing: is it in an outlet that is on, and its plug all the way in?",
            ),
            Rule(NOTHING_V, low, "fail", f"less than this port's volts: {_why_less(situation)}"),
            above(high, "stop", f"more than this port is meant to give: do not connect; {_why_more(situation)}"),
        )
        ask = Ask(
            "open-voltage.port",
            "Volts at the adapter’s plug" if situation.cell.endless else "Volts at the bank’s port",
            "V",
            meter,
            low,
            high,
            setup,
            f"{volts:g} V ± {100 * PORT_SHARE:.0f} %",
            red,
            black,
            rules,
            expected=volts,
        )
        name = "adapter" if situation.cell.endless else "bank"
        ready = "Plug the adapter in. " if situation.cell.endless else ""
        connect = (f"{ready}Nothing is connected to the {name} but the meter.",)
        return Gate("open-voltage", f"The {name} alone", connect, (ask,), basis)
    full = situation.full_emf
    nearly = circuit.emf(NEARLY_FULL)
    low, high = min(nearly, full) - within(nearly), full + within(full)
    flat = min(circuit.cutoff_v, nearly)
    rules = (
        swapped,
        Rule(
            -NOTHING_V,
            NOTHING_V,
            "fail",
            "nothing: a contact that does not touch, a protection that has opened, or the wrong contacts",
        ),
        Rule(NOTHING_V, flat, "fail", "under its cut-off: charge it first; a pack that does not come back is spent"),
        *_charge_rules(situation, flat, low),
        above(high, "stop", "more than this pack can have: it is not the pack that was planned. Do not connect it"),
    )
    ask = Ask(
        "open-voltage.volts",
        "Volts at the pack’s open contacts",
        "V",
        meter,
        low,
        high,
        setup,
        f"full {full:.2f} V, at {100 * NEARLY_FULL:.0f} % charge {nearly:.2f} V, and what a hand meter may be off",
        red,
        black,
        rules,
        expected=full,
    )
    ready = "Charge the pack." if situation.cell.rechargeable else "Fresh cells, all of one make and age."
    alone = "Nothing is connected to it but the meter."
    return Gate("open-voltage", "The pack alone", (f"{ready} {alone}",), (ask,), basis)


def _charge_rules(situation: Situation, flat: float, low: float) -> Iterator[Rule]:
    """What lies between flat and nearly full, said as charge."""
    bounds = [0.0, 0.1, 0.25, 0.4, 0.55, 0.7, 0.85, NEARLY_FULL]
    volts = [max(flat, situation.circuit.emf(soc)) for soc in bounds]
    volts[0], volts[-1] = flat, low
    for (a, va), (b, vb) in pairwise(zip(bounds, volts, strict=True)):
        if vb > va:
            says = f"the pack is not full, about {100 * a:.0f} to {100 * b:.0f} %: fine to go on, but the run-down needs it full"
            yield Rule(va, vb, "note", says)


def _why_less(situation: Situation) -> str:
    return "nothing was negotiated, or the lead is poor" if _negotiates(situation) else "it is another one, or worn out"


def _why_more(situation: Situation) -> str:
    negotiated = _negotiates(situation)
    return (
        "it negotiated another profile"
        if negotiated
        else "it may be an unregulated one, which gives more while it is idle"
    )


def _negotiates(situation: Situation) -> bool:
    """Whether a port's volts may be a matter of what was plugged in."""
    outlet = situation.source.outlet
    return not situation.cell.endless or (outlet is not None and outlet.kind in STANDARD)


def continuity(situation: Situation, basis: str) -> Gate:
    """Ohms along plus, part by part of the path that can be read unpowered, and none between plus and minus."""
    case = situation.case
    count = len(case.path)
    asks = [*_spans(case)]
    ends = [] if case.mains_at(0) else [(0, "at the pack’s end")]
    if any(stage.HOLDS for stage in case.path) and not situation.alternating:
        ends.append((count, "at the plug"))
    for gap, where in ends:
        least = _least_across(situation, gap)
        rules = (
            below(SHORT_OHM, "stop", "a short between plus and minus: find it before the pack comes near"),
            Rule(
                SHORT_OHM,
                least,
                "fail",
                "something conducts: wait until capacitors have charged and read again; else look for a bridge or a part the wrong way round",
            ),
        )
        asks.append(
            Ask(
                f"continuity.across-{gap}",
                f"Ohms between plus and minus {where}",
                "Ω",
                "ohms",
                least,
                inf,
                Setup(cuts=(0, count)),
                f"at least {figure(least, 'Ω', 2)}: nothing may conduct but what is meant to",
                Spot(gap, "+", f"plus {where}"),
                Spot(gap, "-", f"minus {where}"),
                rules,
            )
        )
    connect = (
        "Pack off, device off. Fuse in, switch on.",
        "Meter on ohms; touch its probes together first and take that off.",
    )
    return Gate("continuity", "Continuous, and no short", connect, tuple(asks), basis)


def _spans(case: Case) -> Iterator[Ask]:
    """The runs of plain stages between what cannot be read through unpowered (converters, cut-offs)."""
    start = 0
    count = len(case.path)
    for i in range(count + 1):
        stage = case.path[i] if i < count else None
        if stage is not None and stage.READ_THROUGH:
            continue
        plain = [one for one in case.path[start:i] if not one.KEEPS_AWAKE]
        if plain and not case.mains_at(start):
            yield _span(case, start, i)
        start = i + 1


def _span(case: Case, start: int, stop: int) -> Ask:
    stages = case.path[start:stop]
    ohm = sum(s.plus_ohms for s in stages)
    drop = sum(s.drop_v for s in stages)
    swaps = sum(s.turns for s in stages) % 2 == 1
    names = f"from {'the pack’s end' if start == 0 else f'behind part {start}'} to {'the plug' if stop == len(case.path) else f'part {stop + 1}'}"
    far: Spot = Spot(
        stop,
        "+",
        f"plus {'at the plug' if stop == len(case.path) else f'into part {stop + 1}'}"
        + (", on the other wire: it swaps" if swaps else ""),
    )
    near = Spot(start, "+", f"plus {'at the pack’s end' if start == 0 else f'behind part {start}'}")
    setup = Setup(cuts=(0, len(case.path)), stages=(start, stop))
    opened = Rule(
        OPEN_OHM, inf, "fail", "open: a fuse without its link, a switch that is off, or a joint that does not conduct"
    )
    if drop:
        high = 1.5 * drop + 0.3
        return Ask(
            f"continuity.plus-{start}",
            f"Diode test along plus, {names}",
            "V",
            "diode",
            0.3 * drop,
            high,
            setup,
            f"the diodes drop {figure(drop, 'V', 2)}; red on the pack’s side",
            near,
            far,
            (Rule(high, inf, "fail", "open: a diode the wrong way round, a fuse without its link, or a loose joint"),),
            expected=drop,
        )
    high = JOINT_SLACK * ohm + METER_LEADS_OHM
    low = 0.8 * ohm - METER_LEADS_OHM if ohm > 2.0 else 0.0
    rules = (opened, Rule(high, OPEN_OHM, "fail", "too much: a poor joint, a thin wire, or dirty contacts"))
    return Ask(
        f"continuity.plus-{start}",
        f"Ohms along plus, {names}",
        "Ω",
        "ohms",
        max(0.0, low),
        high,
        setup,
        f"{figure(ohm, 'Ω', 2)} by the parts, times {JOINT_SLACK:g} for joints, and {METER_LEADS_OHM:g} Ω of the meter’s own leads",
        near,
        far,
        rules,
        expected=ohm,
    )


def _least_across(situation: Situation, gap: int) -> float:
    """The least ohms between plus and minus at a gap: what keep-alive loads on the same side conduct."""
    case = situation.case
    volts = number(case.source.regulated_output.output_v) if case.source and case.source.regulated_output else 0.0
    conducts = 0.0
    for i, stage in enumerate(case.path):
        if isinstance(stage, Holding):
            if i >= gap:
                break
            volts, conducts = number(stage.output_v), 0.0
        elif volts:
            conducts += stage.shunt_a / volts
    return min(NO_SHORT_OHM, 0.8 / conducts) if conducts else NO_SHORT_OHM


def set_points(situation: Situation, basis: str) -> Gate | None:
    """Every converter's output, fed and unloaded; None where nothing holds volts."""
    case = situation.case
    asks = [_set_point(situation, i) for i, stage in enumerate(case.path) if isinstance(stage, Holding)]
    if not asks:
        return None
    connect = (
        "Pack on, fuse in, switch on. What follows the converter is unplugged: it gives to nothing.",
        "Where you can, feed it from a supply with its current limit at 0.2 A first.",
    )
    return Gate(
        "set-point",
        "Set, unloaded",
        connect,
        tuple(asks),
        basis,
        must_pass=True,
        caution="First power-up: one hand, eye on the ammeter, away from anything that burns.",
    )


def _set_point(situation: Situation, i: int) -> Ask:
    case = situation.case
    stage = case.path[i]
    assert isinstance(stage, Holding)
    volts = number(stage.output_v)
    adjustable = stage.set_by_hand
    share = SET_SHARE if adjustable else FIXED_SHARE
    slack = share * volts + 0.5 * within(volts)
    low, high = volts - slack, volts + slack
    last = not any(s.HOLDS for s in case.path[i + 1 :])
    most = maybe(case.device.supply.max_v)
    if last and most is not None and "over-max" not in case.accepted:
        high = max(min(high, most * 1.005), low + 1e-6)
    turn = "turn it down before anything is connected" if adjustable else "it is not the part that was planned"
    lift = "turn it up" if adjustable else "nothing was negotiated, or it is not the part that was planned"
    rules = (
        below(-NOTHING_V, "stop", "it reads minus: probes or input swapped; a converter fed the wrong way round dies"),
        Rule(-NOTHING_V, NOTHING_V, "fail", f"nothing comes out: {asleep(situation)}fuse, switch, or its input"),
        Rule(NOTHING_V, low, "fail", f"under {volts:g} V: {lift}"),
        above(high, "fail", f"over {volts:g} V: {turn}" + (f"; the device stands {most:g} V" if last and most else "")),
    )
    inverter = case.mains_at(i + 1)
    name = "inverter" if inverter else "converter" if stage.SWITCHES else "regulator"
    return Ask(
        f"set-point.{i}",
        f"Volts AC at the mains socket of part {i + 1}, with {PLUG_IN}"
        if inverter
        else f"Volts out of the {name} (part {i + 1}), unloaded",
        "V",
        "mains" if inverter else "volts",
        low,
        high,
        Setup(cuts=(i + 1,)),
        f"{volts:g} V ± {100 * share:g} %, and what a hand meter may be off"
        + (", never above what the device stands" if last and most else ""),
        None if inverter else Spot(i + 1, "+", f"plus out of part {i + 1}"),
        None if inverter else Spot(i + 1, "-", f"minus out of part {i + 1}"),
        rules,
        expected=volts,
    )


def polarity(situation: Situation, basis: str, taken: Mapping[str, float]) -> Gate | None:
    """Sign and volts at the plug, nothing plugged in; None behind an inverter, whose outlet nobody is to probe."""
    if situation.alternating:
        return None
    if not knows_sign(situation.case.device.inlet):
        return _sign_unknown(situation, basis)
    case, circuit = situation.case, situation.circuit
    count = len(case.path)
    top = situation.unloaded[-1]
    if circuit.holders:
        last = circuit.holders[-1].stage
        read = taken.get(f"set-point.{last}") if last >= 0 else taken.get("open-voltage.port")
        held = circuit.holders[-1].output_v if read is None else read
        expected = held - circuit.stretches[-1].drop_v
        low, high = expected * 0.98 - 0.03, expected * 1.02 + 0.03
        because = f"{expected:.2f} V as {'read' if read is not None else 'planned'} before the plug ± 2 %"
    else:
        read = taken.get("open-voltage.volts")
        drop = circuit.stretches[0].drop_v
        expected = top if read is None else read - drop
        low = (circuit.cutoff_v - drop if read is None else situation.settled(read) * 0.98 - drop) - 0.03
        high = expected * 1.01 + within(expected)
        because = f"{expected:.2f} V: the pack as {'read' if read is not None else 'planned, full'}, less diodes"
        if drop:
            low -= drop  # an unloaded diode drops less than its rated volts, a loaded one all of them
            high += drop
    most = maybe(case.device.supply.max_v)
    dropper = any(stage.NEEDS_CURRENT for stage in case.path)  # which drops nothing without a load
    if most is not None and "over-max" not in case.accepted and not dropper:
        high = min(high, max(most * 1.005, low + 1e-6))
    contacts = _contacts(case.device.inlet, "the plug")
    rules = (
        below(
            -NOTHING_V,
            "stop",
            "it reads minus: plus and minus have changed places between the last part and the plug. Swap the wires, do not connect the device",
        ),
        Rule(-NOTHING_V, NOTHING_V, "fail", "nothing arrives: fuse, switch, a joint, or a converter that is off"),
        Rule(
            NOTHING_V,
            max(low, NOTHING_V),
            "fail",
            "less than what left the last part: a poor joint, or something draws current",
        ),
        above(high, "stop", "more than what left the last part, or than the device stands: do not connect it"),
    )
    ask = Ask(
        "polarity.plug",
        "Volts at the plug, red where the device takes plus",
        "V",
        "volts",
        low,
        high,
        Setup(cuts=(count,)),
        because,
        Spot(count, "+", contacts[0]),
        Spot(count, "-", contacts[1]),
        rules,
        expected=expected,
    )
    connect = (
        "Everything joined but the device. Switch on.",
        "Read the sign as well as the volts; wire colours are no proof.",
    )
    return Gate("polarity", "Polarity at the plug", connect, (ask,), basis, must_pass=True)


def _sign_unknown(situation: Situation, basis: str) -> Gate:
    """The gate while nobody knows which contact of the device is plus: no reading passes it."""
    volts = situation.unloaded[-1]
    ask = Ask(
        "polarity.plug",
        "Volts at the plug: not before the device’s own polarity is known",
        "V",
        "volts",
        volts,
        volts,
        Setup(cuts=(len(situation.case.path),)),
        "which contact of the device takes plus, nobody has measured",
        rules=(
            Rule(-inf, inf, "stop", "no reading here tells which contact the device takes plus on: measure that first"),
        ),
    )
    connect = (
        "Go to the device’s station and measure its polarity: with the original supply, or as it is told there.",
        "Until then nothing is plugged in.",
    )
    return Gate("polarity", "Polarity at the plug", connect, (ask,), basis, must_pass=True)


def _contacts(connector: Connector | None, of: str) -> tuple[str, str]:
    """Where red and black go on a connector."""
    if connector is None:
        return f"plus of {of}", f"minus of {of}"
    if fixed_by_standard(connector):
        return "V+ of a USB meter or breakout", "its ground"
    if connector.kind == "cell-bay":
        return "the dummy cell where plus goes in", "the dummy cell where minus goes in"
    names = contacts_of(connector)
    if names is None:
        return f"the contact of {of} that you take for plus", "the other one"
    if connector.kind == "barrel" and of == "the plug":
        words = {"centre": "the plug’s centre hole", "sleeve": "its outer sleeve"}
        return words[names[0]], words[names[1]]
    if connector.kind in ("barrel", "pins"):
        return f"{names[0]} of {of}", f"{names[1]} of {of}"
    return f"plus of {of}", f"minus of {of}"
