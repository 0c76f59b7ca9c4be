"""The gates of the path before any load: continuity, and the set-point of each converter."""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.parts.craft import OVER
from hermotrope_core.plan.case import Case
from hermotrope_core.prove.gate import (
    METER_LEADS_OHM,
    NOTHING_V,
    OPEN_OHM,
    PLUG_IN,
    Ask,
    Gate,
    Rule,
    Setup,
    Spot,
    above,
    asleep,
    below,
    within,
)
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import maybe, number

SET_SHARE, FIXED_SHARE = 0.015, 0.05
"""How close an adjustable output is to be set, and how far a fixed one may be off (typical)."""
JOINT_SLACK = 1.5
NO_SHORT_OHM, SHORT_OHM = 1000.0, 2.0
"""Between plus and minus with nothing running: at least the first (typical); under the second it is a short."""


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
        plain = [one for one in case.path[start:i] if not one.shunt_a]
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
        f"{figure(ohm, 'Ω', 2)} by the parts, times {JOINT_SLACK:g} for joints, and {stated(METER_LEADS_OHM, 'Ω')} of the meter’s own leads",
        near,
        far,
        rules,
        expected=ohm,
    )


def _least_across(situation: Situation, gap: int) -> float:
    """The least ohms between plus and minus at a gap: what loads across it on the same side conduct."""
    case, port = situation.case, situation.circuit.port
    volts = situation.full_emf if port is None else number(port.output_v)
    conducts = 0.0
    for i, stage in enumerate(case.path):
        if isinstance(stage, Holding):
            if i >= gap:
                break
            volts, conducts = number(stage.output_v), 0.0
        else:
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
        high = max(min(high, most * OVER), low + 1e-6)
    turn = "turn it down before anything is connected" if adjustable else "it is not the part that was planned"
    lift = "turn it up" if adjustable else "nothing was negotiated, or it is not the part that was planned"
    rules = (
        below(-NOTHING_V, "stop", "it reads minus: probes or input swapped; a converter fed the wrong way round dies"),
        Rule(-NOTHING_V, NOTHING_V, "fail", f"nothing comes out: {asleep(situation)}fuse, switch, or its input"),
        Rule(NOTHING_V, low, "fail", f"under {stated(volts, 'V')}: {lift}"),
        above(
            high,
            "fail",
            f"over {stated(volts, 'V')}: {turn}"
            + (f"; the device stands {stated(most, 'V')}" if last and most else ""),
        ),
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
        f"{stated(volts, 'V')} ± {stated(100 * share, '%')}, and what a hand meter may be off"
        + (", never above what the device stands" if last and most else ""),
        None if inverter else Spot(i + 1, "+", f"plus out of part {i + 1}"),
        None if inverter else Spot(i + 1, "-", f"minus out of part {i + 1}"),
        rules,
        expected=volts,
    )
