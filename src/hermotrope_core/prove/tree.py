"""The gates of a supply that feeds several devices: the source once, each way alone, then all of it together."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from hashlib import sha1

import msgspec

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply, chain
from hermotrope_core.prove.gate import Ask, Gate, Meter, Setup, below, within
from hermotrope_core.prove.gates import basis_of, gates
from hermotrope_core.prove.progress import Progress, Reading, newest, progress, proved
from hermotrope_core.prove.source_gate import OTHER
from hermotrope_core.several.load import Load, everything
from hermotrope_core.several.trunk import trunk_case

TOGETHER_SHARE = 0.15
"""What is drawn by all together may be so far off what was planned (typical of modes that nobody metered)."""
SAG_SHARE = 0.02
"""Joints and leads of a build cost so much more than planned (typical)."""
MOST_EQUAL = 12
"""Of more equal devices than this one stands for all."""
SOURCE, TOGETHER = "source", "together"


class WayGates(msgspec.Struct, frozen=True):
    """Gates that are read in one arrangement: what is joined then, and the gates in order.

    `key` stays the same while the way hangs in its place; readings are told apart by it.
    """

    key: str
    name: str
    arrangement: str
    gates: tuple[Gate, ...]
    place: int = -1
    """Which branch it is; -1 for the source and for all together."""
    copy: int = 1
    of: int = 1
    """The so-many-th of so many equal devices."""


class WayProgress(msgspec.Struct, frozen=True):
    """A way with the state of its gates."""

    way: WayGates
    rows: tuple[Progress, ...]

    @property
    def passed(self) -> bool:
        return not self.rows or proved(self.rows)


def tree_gates(
    supply: Supply, conditions: Conditions, taken: Mapping[str, Mapping[str, float]] | None = None
) -> tuple[WayGates, ...]:
    """The source alone, each device's way with the others off the junction, everything at once.

    `taken` are the readings so far by way and ask. Raises ValueError where a device's draw is unknown or its way makes
    no sense on this supply.
    """
    read = taken or {}
    ways = [Situation(chain(supply, place, conditions)) for place in range(len(supply.branches))]
    if not ways:
        return ()
    before, known = basis_of(trunk_case(supply, conditions)), read.get(SOURCE, {})
    shared = {f"{OTHER}{i}" for i in range(len(supply.trunk))}
    source = _only(gates(ways[0], {})[0], lambda ask: not ask.key.startswith(OTHER) or ask.key in shared)
    source = msgspec.structs.replace(source, basis=before)
    made = [WayGates(SOURCE, supply.source.name, "Nothing is joined to it but the meter.", (source,))]
    for place, (branch, way) in enumerate(zip(supply.branches, ways, strict=True)):
        copies = branch.count if branch.count <= MOST_EQUAL else 1
        for copy in range(1, copies + 1):
            key = f"{place}" if copies == 1 else f"{place}.{copy}"
            name = way.case.device.name if copies == 1 else f"{way.case.device.name} {copy}"
            words = f"Only the way of {name} is joined; every other one is off the junction."
            found = tuple(_of_a_way(way, {**known, **read.get(key, {})}, shared))
            made.append(WayGates(key, name, words, found, place, copy, copies))
    if len(ways) > 1 or supply.branches[0].count > 1:
        made.append(_together(supply, conditions, [way.case for way in ways]))
    return tuple(made)


def tree_progress(
    supply: Supply, conditions: Conditions, readings: Iterable[tuple[str, Reading]]
) -> tuple[WayProgress, ...]:
    """Where each way stands, `readings` told apart by their ways, oldest first.

    A way is locked until the source has passed, all together until every way has. Raises what `tree_gates` raises.
    """
    by_way: dict[str, list[Reading]] = {}
    for key, one in readings:
        by_way.setdefault(key, []).append(one)
    taken = {key: {ask: one.value for ask, one in newest(found).items()} for key, found in by_way.items()}
    done: list[WayProgress] = []
    for way in tree_gates(supply, conditions, _counting(supply, conditions, by_way, taken)):
        rows = progress(way.gates, by_way.get(way.key, ()), ())
        wanted = done if way.key == TOGETHER else done[:1]
        locked_by = next((one.way.name for one in wanted if not one.passed), "")
        done.append(WayProgress(way, tuple(_locked(row, locked_by) for row in rows) if locked_by else rows))
    return tuple(done)


def _counting(
    supply: Supply, conditions: Conditions, by_way: Mapping[str, list[Reading]], taken: Mapping[str, dict[str, float]]
) -> dict[str, dict[str, float]]:
    """The readings that still count: of parts that have not changed since."""
    bases = {
        (way.key, ask.key): gate.basis
        for way in tree_gates(supply, conditions)
        for gate in way.gates
        for ask in gate.asks
    }
    latest = {key: newest(found) for key, found in by_way.items()}
    return {
        key: {ask: value for ask, value in found.items() if latest[key][ask].basis == bases.get((key, ask))}
        for key, found in taken.items()
    }


def _locked(row: Progress, by: str) -> Progress:
    return msgspec.structs.replace(row, state="locked", locked_by=by)


def _only(gate: Gate, wanted: Callable[[Ask], bool]) -> Gate:
    return msgspec.structs.replace(gate, asks=tuple(ask for ask in gate.asks if wanted(ask)))


def _of_a_way(way: Situation, taken: Mapping[str, float], shared: set[str]) -> Iterator[Gate]:
    """The gates of a device alone; how long it runs is a matter of all together."""
    first, *rest = gates(way, taken)
    others = _only(first, lambda ask: ask.key.startswith(OTHER) and ask.key not in shared)
    if others.asks:
        yield msgspec.structs.replace(others, title="Its other supply alone")
    yield from (gate for gate in rest if gate.key != "run-down")


def _together(supply: Supply, conditions: Conditions, cases: list[Case]) -> WayGates:
    """Volts at the junction and amperes from the source with every device in its heaviest mode."""
    words = "Every way is joined, every device is in its heaviest mode."
    load = Load(supply, conditions, everything(supply))
    if load.flow is None or load.full is None:
        return WayGates(TOGETHER, "All together", words, ())  # the outing says why this cannot be
    volts = sorted((load.flow.junction_v, load.full.junction_v))
    amps = sorted((load.flow.source_a, load.full.source_a))
    least = volts[0] * (1 - SAG_SHARE) - within(volts[0])
    sag = "the pack or what all share sags: a joint, a thinner lead than planned, a weak pack"
    drawn = (amps[0] * (1 - TOGETHER_SHARE), amps[1] * (1 + TOGETHER_SHARE))
    asks = (
        _ask("junction", "V", (least, volts[1] + within(volts[1])), volts[1], sag),
        _ask("amps", "A", drawn, amps[1], "a device is off or off the junction"),
    )
    connect = ("Switch them on one after the other; stop where the volts at the junction leave their window.",)
    parts = [(basis_of(case), branch.count) for case, branch in zip(cases, supply.branches, strict=True)]
    basis = sha1(msgspec.json.encode(parts), usedforsecurity=False).hexdigest()[:12]
    return WayGates(
        TOGETHER, "All together", words, (Gate("device", "All together", connect, asks, basis, energises=True),)
    )


READ: dict[str, tuple[str, Meter]] = {
    "junction": ("Volts at the junction", "volts"),
    "amps": ("Amperes from the source", "amps"),
}


def _ask(key: str, unit: str, window: tuple[float, float], expected: float, less: str) -> Ask:
    what, meter = READ[key]
    because = "with everything in its heaviest mode, from full to nearly empty"
    rules = (below(window[0], "fail", less),)
    return Ask(f"together.{key}", what, unit, meter, *window, Setup(), because, rules=rules, expected=expected)
