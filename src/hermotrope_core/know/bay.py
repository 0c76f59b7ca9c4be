"""Cell bays: which cells make which string, where dummy cells feed in, and what the other slots need.

A bay is a graph: its contacts, joined by links into nets, with a cell from net to net in every slot.
Potentials are counted in cells. The device's wires leave from the lowest and the highest net; a wire
in between is a tap, which no single supply can feed.
"""

from __future__ import annotations

from collections import deque
from typing import Literal

import msgspec

from hermotrope_core.kinds.inlets import CellBay
from hermotrope_core.parts.wire import PARTS

SLIDES_MM = 0.3
"""A dummy is this much thinner than the cell, so that it slides and still meets the contacts."""
MOST_STRINGS = 24
LOOK_ALIKES = {"14500": "AA", "10440": "AAA"}
"""Cells of 3.7 V that look like cells of 1.5 V."""

DummyKind = Literal["fed", "through", "insulating"]


class BayError(ValueError):
    """A bay that does not tell how it is wired; the message says what to look at."""


class Dummy(msgspec.Struct, frozen=True):
    """What goes into a slot: its kind, and the contacts at which a wire of the feed ends."""

    slot: int
    kind: DummyKind
    wires: tuple[str, ...] = ()


class Tap(msgspec.Struct, frozen=True):
    """A wire that leaves the string in the middle: its contact, and how many cells are below it."""

    contact: str
    cells: int


class BayPlan(msgspec.Struct, frozen=True):
    """How a bay is wired and fed. Without dummies where a tap forbids a single feed."""

    cells_in_series: int
    strings: tuple[tuple[int, ...], ...]
    """Slots of each string, from the minus end to the plus end."""
    unused: tuple[int, ...]
    minus: str
    plus: str
    taps: tuple[Tap, ...]
    dummies: tuple[Dummy, ...]


class DummySize(msgspec.Struct, frozen=True):
    """A dummy's body in mm: across, deep (the same for a round one), long."""

    across_mm: float
    deep_mm: float
    length_mm: float
    round: bool


def cell_size(bay: CellBay) -> tuple[float, float, float]:
    """Width, depth and length of a cell of this bay in mm."""
    size = PARTS.cell_sizes_mm[bay.size]
    return (size[0], size[0], size[1]) if len(size) == 2 else (size[0], size[1], size[2])


def dummy_size(bay: CellBay) -> DummySize:
    """The body of a dummy: as long as the cell, a little thinner."""
    width, depth, length = cell_size(bay)
    thin = width - SLIDES_MM, depth - SLIDES_MM
    return DummySize(round(thin[0], 1), round(thin[1], 1), length, len(PARTS.cell_sizes_mm[bay.size]) == 2)


def in_series(count: int) -> tuple[tuple[str, str], ...]:
    """The links that join so many slots one after the other.

    >>> in_series(3)
    (('1+', '2-'), ('2+', '3-'))
    """
    return tuple((f"{i}+", f"{i + 1}-") for i in range(1, count))


def plan_of(bay: CellBay) -> BayPlan:
    """Find the strings, the contacts to feed and the dummies. Raises `BayError`."""
    nets = _nets(bay)
    slots = range(1, len(bay.slots) + 1)
    for i in slots:
        if nets[f"{i}+"] == nets[f"{i}-"]:
            raise BayError(f"the links short slot {i}: its two ends are joined; measure them again with the cells out")
    if len(bay.leads) < 2:
        raise BayError("say from which contacts wires go into the device: two at least, for example 1- and 4+")
    level = _levels(bay, nets, nets[bay.leads[0]])
    loose = next((lead for lead in bay.leads if nets[lead] not in level), None)
    if loose is not None:
        raise BayError(f"nothing joins {bay.leads[0]} and {loose}: a link is missing, or they belong to two circuits")
    low = min(bay.leads, key=lambda lead: level[nets[lead]])
    high = max(bay.leads, key=lambda lead: level[nets[lead]])
    series = level[nets[high]] - level[nets[low]]
    if series == 0:
        raise BayError(f"{low} and {high} are the same net: the device would see no voltage")
    strings = _strings(bay, nets, nets[low], nets[high])
    taps = _taps(bay, nets, level, (low, high))
    used = {slot for string in strings for slot in string}
    first = next((s for s in strings if bay.fed_slot in s), strings[0])
    minus, plus = f"{first[0]}-", f"{first[-1]}+"
    if bay.fed_slot is not None:
        if bay.fed_slot not in used:
            raise BayError(f"slot {bay.fed_slot} is in no string: feed another")
        minus, plus = f"{bay.fed_slot}-", f"{bay.fed_slot}+"
    dummies = () if taps else tuple(_dummy(i, bay.fed_slot, first, (minus, plus)) for i in slots)
    return BayPlan(series, strings, tuple(i for i in slots if i not in used), minus, plus, taps, dummies)


def _nets(bay: CellBay) -> dict[str, str]:
    """Every contact's net, named by one of its contacts."""
    net = {contact: contact for contact in bay.contacts}
    for a, b in bay.links:
        old, new = net[b], net[a]
        net = {contact: new if name == old else name for contact, name in net.items()}
    return net


def _levels(bay: CellBay, nets: dict[str, str], start: str) -> dict[str, int]:
    """Cells above `start` of every net that cells connect to it. Raises `BayError` for a short circuit."""
    level, todo = {start: 0}, deque([start])
    while todo:
        net = todo.popleft()
        for i in range(1, len(bay.slots) + 1):
            minus, plus = nets[f"{i}-"], nets[f"{i}+"]
            for here, there, step in ((minus, plus, 1), (plus, minus, -1)):
                if here != net:
                    continue
                if there not in level:
                    level[there] = level[net] + step
                    todo.append(there)
                elif level[there] != level[net] + step:
                    raise BayError(f"the links put slot {i} against other cells: with cells in, it would short them")
    return level


def _strings(bay: CellBay, nets: dict[str, str], low: str, high: str) -> tuple[tuple[int, ...], ...]:
    """Every way from the lowest to the highest net through the cells, minus to plus."""
    found: list[tuple[int, ...]] = []

    def walk(net: str, passed: tuple[int, ...]) -> None:
        if net == high:
            found.append(passed)
            return
        for i in range(1, len(bay.slots) + 1):
            if nets[f"{i}-"] == net and i not in passed and len(found) < MOST_STRINGS:
                walk(nets[f"{i}+"], (*passed, i))

    walk(low, ())
    if not found:
        raise BayError("the cells do not lead from the lowest contact to the highest: a link is missing")
    return tuple(found)


def _taps(bay: CellBay, nets: dict[str, str], level: dict[str, int], ends: tuple[str, str]) -> tuple[Tap, ...]:
    bottom, top = level[nets[ends[0]]], level[nets[ends[1]]]
    between = [lead for lead in bay.leads if bottom < level[nets[lead]] < top]
    return tuple(Tap(lead, level[nets[lead]] - bottom) for lead in between)


def _dummy(slot: int, fed_slot: int | None, string: tuple[int, ...], ends: tuple[str, str]) -> Dummy:
    """One wire at each end of the string, insulating between; or both in one slot, the rest of it through."""
    wires = tuple(contact for contact in ends if contact[:-1] == str(slot))
    if wires:
        return Dummy(slot, "fed", wires)
    return Dummy(slot, "through" if fed_slot is not None and slot in string else "insulating")
