"""Round connectors with many pins: which pins are one net, and which nets are plus and minus.

Everything follows from readings between two pins, taken on the plug of the original supply, or on
the running device. Nothing is assumed from numbers printed beside the pins, nor from wire colours.
"""

from __future__ import annotations

from collections import deque

import msgspec

from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import maybe

NOTHING_V = 0.3
"""A reading below this tells nothing: the two may be one net, or one of them may float."""
DISAGREE_V, DISAGREE = 0.15, 0.03
FULL_CIRCLE = 360.0


class Nets(msgspec.Struct, frozen=True):
    """What the readings say, pins by number: plus, minus, other volts, dead ones, and what is open."""

    plus: tuple[int, ...] = ()
    minus: tuple[int, ...] = ()
    volts: float | None = None
    """Between plus and minus."""
    others: tuple[tuple[int, float], ...] = ()
    """Pins that stand between, with their volts above minus."""
    silent: tuple[int, ...] = ()
    """Pins that read nothing against plus and against minus: a signal, or not connected."""
    half: tuple[int, ...] = ()
    """Pins that read nothing against one of them, and were not read against the other."""
    unknown: tuple[int, ...] = ()
    joined: tuple[tuple[int, ...], ...] = ()
    """Groups that beeped as one net."""
    conflict: str = ""
    next_reading: tuple[int, int] | None = None
    """Red and black pin of the reading that would tell most."""

    @property
    def settled(self) -> bool:
        """True where plus and minus are known and nothing contradicts them."""
        return bool(self.plus and self.minus) and not self.conflict


def pin_angles(count: int, arc_deg: float) -> tuple[float, ...]:
    """Degrees clockwise from the top of each pin, seen into the device's inlet; the key is at the bottom.

    >>> pin_angles(3, 180.0)
    (-90.0, 0.0, 90.0)
    >>> pin_angles(4, 360.0)
    (-135.0, -45.0, 45.0, 135.0)
    """
    if arc_deg >= FULL_CIRCLE or count == 1:
        return tuple(-180.0 + (i + 0.5) * FULL_CIRCLE / count for i in range(count))
    return tuple(-arc_deg / 2 + i * arc_deg / (count - 1) for i in range(count))


def nets_of(connector: Connector) -> Nets:
    """Sort the pins by what was read between them. Volts throughout."""
    count = connector.pin_count or 0
    group = _groups(connector, count)
    edges, quiet, contradicts = _edges(connector, group)
    levels, conflict = _levels(edges, count)
    conflict = contradicts or conflict
    volts = {pin: levels[group[pin]] for pin in range(1, count + 1) if group[pin] in levels}
    joined = tuple(
        tuple(p for p in range(1, count + 1) if group[p] == g) for g in sorted(set(group.values()))
    )  # by the lowest pin of each
    joined = tuple(pins for pins in joined if len(pins) > 1)
    unread = tuple(pin for pin in range(1, count + 1) if pin not in volts)
    if not volts:
        asks = next(((a, b) for a in range(1, count + 1) for b in range(a + 1, count + 1)
                     if group[a] != group[b] and frozenset((group[a], group[b])) not in quiet), None)  # fmt: skip
        return Nets(unknown=unread, joined=joined, next_reading=asks, conflict=conflict)
    low, high = min(volts.values()), max(volts.values())
    slack = max(DISAGREE_V, DISAGREE * (high - low))
    plus = tuple(pin for pin, v in volts.items() if v > high - slack)
    minus = tuple(pin for pin, v in volts.items() if v < low + slack)
    ends = group[plus[0]], group[minus[0]]
    silent = tuple(pin for pin in unread if all(frozenset((group[pin], end)) in quiet for end in ends))
    unknown = tuple(pin for pin in unread if pin not in silent)
    half = tuple(pin for pin in unknown if any(frozenset((group[pin], end)) in quiet for end in ends))
    ask = None
    if unknown:
        pin = unknown[0]
        ask = (pin, minus[0]) if frozenset((group[pin], ends[1])) not in quiet else (plus[0], pin)
    return Nets(
        plus=plus,
        minus=minus,
        volts=high - low,
        others=tuple((pin, v - low) for pin, v in volts.items() if pin not in plus and pin not in minus),
        silent=silent,
        half=half,
        unknown=unknown,
        joined=joined,
        conflict=conflict,
        next_reading=ask,
    )


def _groups(connector: Connector, count: int) -> dict[int, int]:
    """Every pin's group, named by its lowest pin."""
    group = {pin: pin for pin in range(1, count + 1)}
    for reading in connector.readings:
        if reading.joined:
            a, b = sorted((group[reading.red], group[reading.black]))
            group = {pin: a if name == b else name for pin, name in group.items()}
    return group


def _edges(
    connector: Connector, group: dict[int, int]
) -> tuple[list[tuple[int, int, float]], set[frozenset[int]], str]:
    """Readings between groups as (from, to, volts higher), pairs that read nothing, and a contradiction if any."""
    edges, quiet, contradicts = [], set(), ""
    for reading in connector.readings:
        volts = maybe(reading.reading_v)
        red, black = group[reading.red], group[reading.black]
        pair = f"pins {reading.red} and {reading.black}"
        if reading.open:
            if red == black:
                contradicts = f"{pair} beeped as joined and read OL: one of the two is wrong, take both again"
            quiet.add(frozenset((red, black)))
        elif volts is not None and abs(volts) < NOTHING_V:
            quiet.add(frozenset((red, black)))
        elif volts is not None and red == black:
            contradicts = (
                f"{pair} beeped as joined and {figure(abs(volts), 'V')} were read between them: "
                "one of the two is wrong, take both again"
            )
        elif volts is not None:
            edges.append((black, red, volts))
    return edges, quiet, contradicts


def _levels(edges: list[tuple[int, int, float]], count: int) -> tuple[dict[int, float], str]:
    """Volts of the groups that readings connect (the largest such set), and a contradiction if any."""
    best: dict[int, float] = {}
    conflict = ""
    for start in range(1, count + 1):
        if start in best:
            continue
        level, todo = {start: 0.0}, deque([start])
        while todo:
            here = todo.popleft()
            for black, red, volts in edges:
                for a, b, rise in ((black, red, volts), (red, black, -volts)):
                    if a != here:
                        continue
                    if b not in level:
                        level[b] = level[here] + rise
                        todo.append(b)
                    elif abs(level[b] - level[here] - rise) > max(DISAGREE_V, DISAGREE * abs(rise)):
                        told = f"{figure(rise, 'V')} between pins {b} and {a} does not fit the other readings"
                        conflict = f"{told}: take it again"
        if len(level) > max(len(best), 1):
            best = level
    return best, conflict
