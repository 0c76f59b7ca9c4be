"""What a reading tells: which faults it leaves, how much it is worth before it is taken, the best ones in their order.

Every fault of a line is as likely as the next. A reading parts them into groups that the meter cannot tell apart; its
worth is the entropy of that parting, in bits (Shannon).
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import lru_cache
from itertools import product
from math import inf, log2

import msgspec

from hermotrope_core.prove.drill_line import SIZES, WIDE, FaultKind, Hidden, Line
from hermotrope_core.prove.drill_meter import MODES, Probe, Reading, State, at_the_device, read

SHARE, LEAST = 0.03, 0.06
"""What a meter and the line's own parts may be off: this share and this much (V, A; ohms ten times that)."""


class Worth(msgspec.Struct, frozen=True):
    """A reading and what it is worth, in bits."""

    probe: Probe
    bits: float


def usual(kind: FaultKind) -> Hidden:
    """The fault at its usual size."""
    return Hidden(kind, SIZES.get(kind, 1.0))


def probes(line: Line) -> Iterable[Probe]:
    """Readings that make sense: over a part or against a minus; volts in each state, ohms without the pack."""
    count = len(line.points())
    pairs = [(a, b) for a in range(count) for b in range(a + 1, count) if b == a + 1 or b >= count - 2]
    for (red, black), switch in product(pairs, (True, False)):
        for load in (False, True):
            yield Probe(red, black, "V", State(True, switch, load))
        yield Probe(red, black, "Ω", State(False, switch, False))


class Shown(msgspec.Struct, frozen=True):
    """What a fault shows at a reading: from, to (a fault's size is not known), and what happens besides."""

    low: float
    high: float
    event: str


@lru_cache(maxsize=50_000)
def shows(line: Line, kind: FaultKind, probe: Probe) -> Shown:
    """What this fault shows, at the least and the greatest of its sizes and between."""
    sizes = (1.0 - WIDE, 1.0, 1.0 + WIDE) if kind in SIZES else (1.0,)
    found = [read(line, Hidden(kind, SIZES.get(kind, 1.0) * size), probe) for size in sizes]
    values = [one.value for one in found]
    return Shown(min(values), max(values), found[0].event)


def same(one: Shown, other: Shown, mode: str) -> bool:
    """Whether two faults may show the same."""
    if one.event != other.event:
        return False
    if inf in (one.high, other.high):
        return one.high == other.high
    least = LEAST * (10.0 if mode == MODES[1] else 1.0)
    room = least + SHARE * max(abs(one.low), abs(one.high), abs(other.low), abs(other.high))
    return one.low <= other.high + room and other.low <= one.high + room


def left(line: Line, kinds: tuple[FaultKind, ...], probe: Probe, reading: Reading) -> tuple[FaultKind, ...]:
    """The faults among these that a reading leaves."""
    seen = Shown(reading.value, reading.value, reading.event)
    return tuple(kind for kind in kinds if same(shows(line, kind, probe), seen, probe.mode))


def worth(line: Line, kinds: tuple[FaultKind, ...], probe: Probe) -> float:
    """Bits that a reading is expected to bring, if one of these is the fault."""
    groups: list[list[FaultKind]] = []
    for kind in kinds:
        mine = shows(line, kind, probe)
        home = next((group for group in groups if same(shows(line, group[0], probe), mine, probe.mode)), None)
        if home is None:
            groups.append([kind])
        else:
            home.append(kind)
    shares = [len(group) / len(kinds) for group in groups]
    return -sum(share * log2(share) for share in shares)


def best(line: Line, kinds: tuple[FaultKind, ...]) -> Worth | None:
    """The reading that is worth most; None where none tells anything. One that blows a fuse is never it."""
    found = None
    for probe in probes(line):
        if any(shows(line, kind, probe).event for kind in kinds):
            continue
        bits = worth(line, kinds, probe)
        if bits > 1e-9 and (found is None or bits > found.bits + 1e-9):
            found = Worth(probe, bits)
    return found


def best_readings(line: Line, hidden: Hidden) -> list[tuple[Worth, tuple[FaultKind, ...]]]:
    """The best readings one after the other, with the faults that each leaves, until one is left or none tells more."""
    kinds, taken = line.faults(), []
    while len(kinds) > 1 and (next_ := best(line, kinds)) is not None:
        kinds = left(line, kinds, next_.probe, read(line, hidden, next_.probe))
        taken.append((next_, kinds))
    return taken


def alike(line: Line, kind: FaultKind) -> tuple[FaultKind, ...]:
    """The faults that no harmless reading tells from this one: naming any of them is right."""
    taken = best_readings(line, usual(kind))
    return taken[-1][1] if taken else line.faults()


class Powered(msgspec.Struct, frozen=True):
    """What happens when the device is connected."""

    harm: bool
    says: str


def power_up(line: Line, hidden: Hidden) -> Powered:
    """Connect the device: what a maker would see who does it now."""
    still, loaded = at_the_device(line, hidden)
    if hidden.kind == "stuck-switch":
        return Powered(True, "It starts at once, with the switch off. You could not stop it.")
    if hidden.kind == "short":
        return Powered(True, "The fuse opens with a crack. Without one the lead would have burned.")
    if hidden.kind == "reversed-pack" and "converter" in line.parts:
        return Powered(True, f"Smoke. The converter got {line.pack_v:.1f} V the wrong way round.")
    if still < -1.0:
        return Powered(True, f"Smoke. {abs(still):.1f} V reached it the wrong way round.")
    if still > line.device_max_v * 1.05:
        return Powered(True, f"Smoke. {still:.1f} V reached it; it stands {line.device_max_v:g} V.")
    if abs(still) < 0.5 and abs(loaded) < 0.5:
        return Powered(False, "Nothing happens: no volts reach it.")
    if hidden.kind == "weak-pack" and loaded >= line.device_min_v:
        return Powered(False, "It runs, but not for long: the pack is worn out.")
    if hidden.kind == "dry-joint" and loaded >= line.device_min_v:
        return Powered(False, f"It runs, on {loaded:.1f} V; the joint warms, and one day it opens.")
    if loaded < line.device_min_v:
        return Powered(False, f"It starts, and stops: under load only {loaded:.1f} V reach it.")
    if still < line.device_min_v:
        return Powered(False, f"It runs as long as it draws; at rest only {still:.1f} V reach it.")
    return Powered(False, "It runs.")
