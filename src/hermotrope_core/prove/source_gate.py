"""The first gate: volts and sign of the source alone."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

import msgspec

from hermotrope_core.circuit.pack import rated_volts
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.inlets import STANDARD
from hermotrope_core.prove.gate import (
    NOTHING_V,
    Ask,
    Gate,
    Meter,
    Rule,
    Setup,
    Spot,
    above,
    asleep,
    below,
    contact_words,
    within,
)
from hermotrope_core.values.figures import fixed, stated
from hermotrope_core.values.known import number

OTHER = "open-voltage.other-"
"""How the reading of a changeover's other supply begins; its path index follows."""
NEARLY_FULL = 0.95
"""A pack at or above this charge counts as full."""
PORT_SHARE = 0.05
"""A port's volts may be so far off (the usual tolerance of a 5 V port)."""
AGAIN = "On the Shelf, decode its label again with what you read (like 17.5V unloaded), and plan with that one"
"""How a reading of an adapter gets into the plan whole: its idle volts and how they fall belong together."""


def open_voltage(situation: Situation, basis: str) -> Gate:
    """Volts and sign of the source alone."""
    mains = situation.case.mains_at(0)  # nobody is to probe a mains connector
    contacts = contact_words(situation.source.outlet, "the port" if situation.source.regulated_output else "the pack")
    meter: Meter = "mains" if mains else "volts"
    spots = (None, None) if mains else (Spot(0, "+", contacts[0]), Spot(0, "-", contacts[1]))
    port = situation.source.regulated_output
    if port is not None:
        gate = _port_alone(situation, basis, number(port.output_v), (meter, spots))
    elif situation.cell.endless:
        gate = _adapter_alone(situation, basis, (meter, spots))
    else:
        gate = _pack_alone(situation, basis, (meter, spots))
    return msgspec.structs.replace(gate, asks=(*gate.asks, *_others(situation)))


def _others(situation: Situation) -> Iterator[Ask]:
    """The other supply of every changeover, by itself: it meets the device without the pack's gates in between."""
    for i, stage in enumerate(situation.case.path):
        if stage.beside is None:
            continue
        volts = stage.beside[0]
        rules = (
            below(-NOTHING_V, "stop", "it reads minus: plus and minus of the other supply are swapped. Mark them anew"),
            Rule(-NOTHING_V, NOTHING_V, "fail", "it gives nothing: is it on, and its plug all the way in?"),
            above(volts * (1 + PORT_SHARE), "stop", "more than was planned: do not connect; change the plan to it"),
        )
        named = (
            f"{OTHER}{i}",
            f"Volts of the other supply, by itself, for the {stage.called} (part {i + 1})",
        )
        yield _volts_open(named, volts, ("volts", (None, None)), rules, ", at most,")


How = tuple[Meter, tuple[Spot | None, Spot | None]]
"""The meter, and where its red and black probes go."""
SWAPPED = below(
    -NOTHING_V,
    "stop",
    "it reads minus: plus and minus are swapped, at the probes or at the pack. Mark the contacts anew before anything else",
)


def _volts_open(named: tuple[str, str], volts: float, how: How, rules: tuple[Rule, ...], when: str) -> Ask:
    """Volts of a port or plug with nothing connected, which may be off by a port's usual share."""
    low, high = volts * (1 - PORT_SHARE), volts * (1 + PORT_SHARE)
    because = f"{stated(volts, 'V')}{when} ± {100 * PORT_SHARE:.0f} %"
    return Ask(*named, "V", how[0], low, high, Setup(cuts=(0,)), because, *how[1], rules, expected=volts)


def _port_alone(situation: Situation, basis: str, volts: float, how: How) -> Gate:
    low, high = volts * (1 - PORT_SHARE), volts * (1 + PORT_SHARE)
    rules = (
        SWAPPED,
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
    adapter = situation.cell.endless
    what = "Volts at the adapter’s plug" if adapter else "Volts at the bank’s port"
    ask = _volts_open(("open-voltage.port", what), volts, how, rules, "")
    name = "adapter" if adapter else "bank"
    ready = "Plug the adapter in. " if adapter else ""
    connect = (f"{ready}Nothing is connected to the {name} but the meter.",)
    return Gate("open-voltage", f"The {name} alone", connect, (ask,), basis)


def _adapter_alone(situation: Situation, basis: str, how: How) -> Gate:
    """One that is not regulated: what it gives unloaded decides what the device gets as it is switched on."""
    idle, rated = situation.full_emf, rated_volts(situation.source)
    low, high = idle * (1 - PORT_SHARE), idle * (1 + PORT_SHARE)
    rules = (
        SWAPPED,
        Rule(
            -NOTHING_V,
            NOTHING_V,
            "fail",
            "it gives nothing: is it in an outlet that is on, and its plug all the way in?",
        ),
        Rule(NOTHING_V, 0.9 * rated, "fail", "less than its label: it is another one, or worn out"),
        Rule(0.9 * rated, low, "note", f"less than planned: it may be a regulated one. {AGAIN}"),
        above(high, "stop", f"more than was planned: do not connect. {AGAIN}, and see its verdict"),
    )
    what = "Volts at the adapter’s plug, with nothing connected"
    ask = _volts_open(("open-voltage.idle", what), idle, how, rules, " unloaded")
    connect = ("Plug the adapter in. Nothing is connected to it but the meter.",)
    return Gate("open-voltage", "The adapter alone", connect, (ask,), basis)


def _pack_alone(situation: Situation, basis: str, how: How) -> Gate:
    full = situation.full_emf
    nearly = situation.circuit.emf(NEARLY_FULL)
    low, high = min(nearly, full) - within(nearly), full + within(full)
    flat = min(situation.circuit.cutoff_v, nearly)
    rules = (
        SWAPPED,
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
        how[0],
        low,
        high,
        Setup(cuts=(0,)),
        f"full {fixed(full, 2, 'V')}, at {100 * NEARLY_FULL:.0f} % charge {fixed(nearly, 2, 'V')}, and what a hand meter may be off",
        *how[1],
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
