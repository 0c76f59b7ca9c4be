"""The gate before the device: sign and volts at the plug."""

from __future__ import annotations

from collections.abc import Mapping
from math import inf

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.inlets import knows_sign
from hermotrope_core.parts.craft import OVER
from hermotrope_core.prove.gate import (
    NOTHING_V,
    Ask,
    Gate,
    Rule,
    Setup,
    Spot,
    above,
    below,
    contact_words,
    within,
)
from hermotrope_core.values.figures import fixed
from hermotrope_core.values.known import maybe


def polarity(situation: Situation, basis: str, taken: Mapping[str, float]) -> Gate | None:
    """Sign and volts at the plug, nothing plugged in; None behind an inverter, whose outlet nobody is to probe."""
    if situation.alternating:
        return None
    if not knows_sign(situation.case.device.inlet):
        return _sign_unknown(situation, basis)
    count = len(situation.case.path)
    expected, low, high, because = _at_the_plug(situation, taken)
    contacts = contact_words(situation.case.device.inlet, "the plug")
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
        _plug_rules(low, high),
        expected=expected,
    )
    connect = (
        "Everything joined but the device. Switch on.",
        "Read the sign as well as the volts; wire colours are no proof.",
    )
    return Gate("polarity", "Polarity at the plug", connect, (ask,), basis, must_pass=True)


def _at_the_plug(situation: Situation, taken: Mapping[str, float]) -> tuple[float, float, float, str]:
    """Volts to expect at the unloaded plug, their window, and how it follows; from what was read before, if it was."""
    case, circuit, top = situation.case, situation.circuit, situation.unloaded[-1]
    if circuit.holders:
        last = circuit.holders[-1].stage
        read = taken.get(f"set-point.{last}") if last >= 0 else taken.get("open-voltage.port")
        held = circuit.holders[-1].output_v if read is None else read
        expected = held - circuit.stretches[-1].drop_v
        low, high = expected * 0.98 - 0.03, expected * 1.02 + 0.03
        because = f"{fixed(expected, 2, 'V')} as {'read' if read is not None else 'planned'} before the plug ± 2 %"
    else:
        read = taken.get("open-voltage.volts")
        drop = circuit.stretches[0].drop_v
        expected = top if read is None else read - drop
        low = (circuit.cutoff_v - drop if read is None else situation.settled(read) * 0.98 - drop) - 0.03
        high = expected * 1.01 + within(expected)
        because = (
            f"{fixed(expected, 2, 'V')}: the pack as {'read' if read is not None else 'planned, full'}, less diodes"
        )
        if drop:
            low -= drop  # an unloaded diode drops less than its rated volts, a loaded one all of them
            high += drop
    most = maybe(case.device.supply.max_v)
    dropper = any(stage.NEEDS_CURRENT for stage in case.path)  # which drops nothing without a load
    if most is not None and "over-max" not in case.accepted and not dropper:
        high = min(high, max(most * OVER, low + 1e-6))
    return expected, low, high, because


def _plug_rules(low: float, high: float) -> tuple[Rule, ...]:
    return (
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
