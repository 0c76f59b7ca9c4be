"""The gate with a dummy load: sag of the pack, volts at the plug, ripple, and whether a bank stays awake."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from math import inf
from typing import NamedTuple

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.parts.craft import OVER
from hermotrope_core.plan.spread import spread_of
from hermotrope_core.prove.gate import PLUG_IN, Ask, Gate, Meter, Rule, Setup, Spot, above, below, within
from hermotrope_core.values.figures import duration, figure, fixed, stated
from hermotrope_core.values.known import maybe, number

CONTACT_SHARE = 0.25
"""Contacts and joints may add so much of the pack's resistance to the sag (typical)."""
RIPPLE_SHARE, RIPPLE_V = 0.02, 0.1
"""Peak to peak at most this share of the volts, and this many volts are always allowed (typical)."""
AWAKE_S = 10.0
NAP_TIMES = 1.2


def dummy_load(situation: Situation, basis: str, taken: Mapping[str, float]) -> Gate | None:
    """Sag of the pack and volts at the plug while something harmless draws what the device will."""
    heaviest = situation.heaviest
    now = situation.at(heaviest, 1.0)
    if not now.complete or now.inlet_a <= 0.0:
        return None
    case, source = situation.case, situation.source
    amps, count = now.inlet_a, len(case.path)
    setup = Setup(cuts=(count,), load_a=amps, electronic=not situation.alternating)
    ohms = now.inlet_v / amps
    asks = [*_sag(situation, taken, setup), _plug(situation, taken, setup)]
    port = source.regulated_output
    if port is not None and not situation.cell.endless:
        asks.append(_awake(situation))
    if any(stage.SWITCHES for stage in case.path) and not situation.alternating:
        most = max(RIPPLE_V, RIPPLE_SHARE * now.inlet_v)
        rules = (
            above(
                most, "fail", "too rough for electronics: a capacitor at the plug, shorter wires, or another converter"
            ),
        )
        asks.append(
            Ask(
                "dummy-load.ripple",
                "Ripple at the plug, peak to peak",
                "V",
                "ripple",
                0.0,
                most,
                setup,
                f"at most {100 * RIPPLE_SHARE:.0f} % or {stated(RIPPLE_V, 'V')}; a scope, or a meter on AC times 2.8",
                *at_plug(situation),
                rules,
                optional=True,
                expected=0.2 * most,
            )
        )
    watts = now.inlet_v * amps
    connect: tuple[str, ...] = (
        f"In the device’s place a load that draws {figure(amps, 'A', 2)}: {figure(ohms, 'Ω', 2)}, rated {figure(max(0.25, 2 * watts), 'W', 2)} or more"
        f" (what “{heaviest.name}” draws).",
        "A wire-wound resistor, a lamp, or an electronic load. It gets hot: stand it on something that does not burn.",
    )
    if situation.alternating:
        connect = (
            f"At the inverter’s outlet a closed, earthed appliance of about {figure(watts, 'W', 2)}, a lamp say.",
        )
    return Gate("dummy-load", "With a dummy load", connect, tuple(asks), basis)


class _Open(NamedTuple):
    """Open volts of the pack, as read or full; and what stays of them once the surface charge is gone."""

    volts: float
    settled: float
    how: str

    @property
    def words(self) -> str:
        gone = self.volts - self.settled > within(self.volts)
        return self.how + (f", {fixed(self.settled, 2, 'V')} once its surface charge is gone" if gone else "")


def _open(situation: Situation, taken: Mapping[str, float]) -> _Open:
    read = taken.get("open-voltage.volts")
    volts, how = (read, "as read open") if read is not None and read > 0.0 else (situation.full_emf, "full")
    return _Open(volts, situation.settled(volts), how)


def plug_meter(situation: Situation) -> Meter:
    """What reads volts at the plug: behind an inverter a plug-in meter."""
    return "mains" if situation.alternating else "volts"


def at_plug(situation: Situation) -> tuple[Spot | None, Spot | None]:
    """Where both probes go at the plug: behind an inverter nowhere."""
    if situation.alternating:
        return None, None
    count = len(situation.case.path)
    return Spot(count, "+", "plus at the plug"), Spot(count, "-", "minus at the plug")


def _sag(situation: Situation, taken: Mapping[str, float], setup: Setup) -> Iterator[Ask]:
    """The pack's volts under the load, which tell a weak one; a bank's cells cannot be reached."""
    source = situation.source
    if source.regulated_output is not None or setup.load_a is None:
        return
    pack = _open(situation, taken)
    now = situation.at_demand(Demand("current", setup.load_a), pack.settled)
    if not now.complete:
        return
    amps = now.source_a
    ohm = situation.circuit.at_emf(pack.settled).stretches[0].elements[0].resistance_ohm
    expected = pack.settled - amps * ohm
    worst = 1.0 + max(spread_of(source.resistance_ohm), 0.1) + CONTACT_SHARE
    slack = 0.5 * within(pack.volts)
    low, high = pack.settled - amps * ohm * worst - slack, pack.volts + slack
    rules = (
        below(0.3, "fail", "the pack gives nothing under load: its protection has opened, or a contact is loose"),
        Rule(
            0.3,
            low,
            "fail",
            f"it sags more than a pack of {figure(ohm, 'Ω', 2)} should at {figure(amps, 'A', 2)}: a weak or cold pack, or a poor contact",
        ),
        above(high, "note", "no sag at all: does the dummy load draw what it should?"),
    )
    yield Ask(
        "dummy-load.pack",
        "Volts at the pack, loaded",
        "V",
        "volts",
        low,
        high,
        setup,
        f"{fixed(pack.volts, 2, 'V')} {pack.words}, less {figure(amps, 'A', 2)} × {figure(ohm, 'Ω', 2)}, times {fixed(worst, 2)} for what is not known",
        Spot(0, "+", "plus at the pack, load on"),
        Spot(0, "-", "minus at the pack"),
        rules,
        expected=expected,
    )


def _plug(situation: Situation, taken: Mapping[str, float], setup: Setup) -> Ask:
    """Volts at the plug under the load."""
    assert setup.load_a is not None
    pack = _open(situation, taken)
    now = situation.at_demand(Demand("current", setup.load_a), pack.settled)
    expected = now.inlet_v if now.complete else 0.0
    held = situation.unloaded[-1] if situation.circuit.holders else None
    lost = max(0.0, (pack.settled if held is None else held) - expected)
    least = maybe(situation.case.device.supply.min_v) or 0.0
    most_v = OVER * (maybe(situation.case.device.supply.max_v) or inf)
    low = max(least, expected - 0.6 * lost - 0.01 * expected - 0.03)
    high = max(pack.volts if held is None else held, expected) + within(expected) + 0.01 * expected
    rules = (
        Rule(
            -inf, 0.3, "fail", "nothing: fuse blown, converter shut down, bank asleep, or a joint that opens under load"
        ),
        Rule(
            0.3,
            low,
            "fail",
            "too low under load: thin or long wire, a poor joint, a converter at its limit, a weak pack",
        ),
        above(max(high, most_v), "stop", "more than the device stands: do not connect it"),
        above(high, "note", "higher than computed: does the dummy load draw what it should?"),
    )
    return Ask(
        "dummy-load.plug",
        f"Volts AC at the outlet, loaded, with {PLUG_IN}" if situation.alternating else "Volts at the plug, loaded",
        "V",
        plug_meter(situation),
        low,
        high,
        setup,
        f"{fixed(expected, 2, 'V')} computed with the pack {pack.words}"
        + (f"; the device needs {stated(least, 'V')}" if least else ""),
        *at_plug(situation),
        rules,
        expected=expected,
    )


def _awake(situation: Situation) -> Ask:
    """Whether a bank stays on at the smallest load that lasts."""
    source = situation.source
    port = source.regulated_output
    assert port is not None
    delay = port.sleeps_after_s + AWAKE_S
    delay = min(delay, NAP_TIMES * _longest_nap(situation))
    now = situation.at(situation.lightest, 1.0)
    amps, volts = now.inlet_a, now.inlet_v
    setup = Setup(cuts=(len(situation.case.path),), load_a=amps, electronic=not situation.alternating, wait_s=delay)
    rules = (
        Rule(
            -inf,
            0.5 * volts,
            "fail",
            f"the bank fell asleep at {figure(amps, 'A', 2)}: another port, a keep-alive load, or another source",
        ),
    )
    return Ask(
        "dummy-load.awake",
        f"Volts at the plug after {duration(delay)} at {figure(amps, 'A', 2)}",
        "V",
        plug_meter(situation),
        0.93 * volts,
        1.05 * volts + 0.05,
        setup,
        f"what “{situation.lightest.name}” draws, for as long as the duty does or the bank waits before it sleeps",
        *at_plug(situation),
        rules,
        expected=volts,
    )


def _longest_nap(situation: Situation) -> float:
    """Seconds for which the duty stays in its lightest mode without a break; infinite where it knows no other."""
    name = situation.lightest.name
    if len(situation.modes) == 1:
        return inf
    longest = now = 0.0
    for segment in situation.case.duty.repeat * 2:  # across the seam of two cycles
        now = now + number(segment.seconds) if segment.mode == name else 0.0
        longest = max(longest, now)
    return longest
