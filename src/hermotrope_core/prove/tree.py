"""The gates of a supply that feeds several devices: the source once, each way alone, then all of it together."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply, chain
from hermotrope_core.prove.gate import Ask, Gate, Meter, Setup, below, within
from hermotrope_core.prove.gates import gates
from hermotrope_core.prove.source_gate import OTHER
from hermotrope_core.several.load import Load, everything

TOGETHER_SHARE = 0.15
"""What is drawn by all together may be so far off what was planned (typical of modes that nobody metered)."""
SAG_SHARE = 0.02
"""Joints and leads of a build cost so much more than planned (typical)."""


class WayGates(msgspec.Struct, frozen=True):
    """Gates that are read in one arrangement: what is joined then, and the gates in order."""

    name: str
    arrangement: str
    gates: tuple[Gate, ...]


def tree_gates(supply: Supply, conditions: Conditions) -> tuple[WayGates, ...]:
    """The source alone, each device's way with the others off the junction, everything at once.

    Raises ValueError where a device's draw is unknown or its way makes no sense on this supply.
    """
    ways = [Situation(chain(supply, place, conditions)) for place in range(len(supply.branches))]
    if not ways:
        return ()
    shared = {f"{OTHER}{i}" for i in range(len(supply.trunk))}
    alone = [gates(way, {})[0] for way in ways]
    source = _only(alone[0], lambda ask: not ask.key.startswith(OTHER) or ask.key in shared)
    made = [WayGates(supply.source.name, "Nothing is joined to it but the meter.", (source,))]
    for way, first in zip(ways, alone, strict=True):
        words = f"Only the way of {way.case.device.name} is joined; every other one is off the junction."
        others = _only(first, lambda ask: ask.key.startswith(OTHER) and ask.key not in shared)
        own = (msgspec.structs.replace(others, title="Its other supply alone"),) if others.asks else ()
        made.append(WayGates(way.case.device.name, words, (*own, *_of_a_way(way))))
    if len(ways) > 1 or supply.branches[0].count > 1:
        made.append(_together(supply, conditions))
    return tuple(made)


def _only(gate: Gate, wanted: Callable[[Ask], bool]) -> Gate:
    return msgspec.structs.replace(gate, asks=tuple(ask for ask in gate.asks if wanted(ask)))


def _of_a_way(way: Situation) -> Iterator[Gate]:
    """The gates of a device alone; how long it runs is a matter of all together."""
    yield from (gate for gate in gates(way, {})[1:] if gate.key != "run-down")


def _together(supply: Supply, conditions: Conditions) -> WayGates:
    """Volts at the junction and amperes from the source with every device in its heaviest mode."""
    words = "Every way is joined, every device is in its heaviest mode."
    load = Load(supply, conditions, everything(supply))
    if load.flow is None or load.full is None:
        return WayGates("All together", words, ())  # the outing says why this cannot be
    volts = sorted((load.flow.junction_v, load.full.junction_v))
    amps = sorted((load.flow.source_a, load.full.source_a))
    least = volts[0] * (1 - SAG_SHARE) - within(volts[0])
    sag = "the pack or what all share sags: a joint, a thinner lead than planned, a weak pack"
    asks = (
        _ask("junction", "Volts at the junction", "V", "volts", (least, volts[1] + within(volts[1])), sag),
        _ask(
            "amps", "Amperes from the source", "A", "amps",
            (amps[0] * (1 - TOGETHER_SHARE), amps[1] * (1 + TOGETHER_SHARE)), "a device is off or off the junction",
        ),
    )  # fmt: skip
    connect = ("Switch them on one after the other; stop where the volts at the junction leave their window.",)
    return WayGates("All together", words, (Gate("device", "All together", connect, asks, "", energises=True),))


def _ask(key: str, what: str, unit: str, meter: Meter, window: tuple[float, float], less: str) -> Ask:
    because = "with everything in its heaviest mode, from full to nearly empty"
    rules = (below(window[0], "fail", less),)
    return Ask(f"together.{key}", what, unit, meter, *window, Setup(), because, rules=rules, expected=window[1])
