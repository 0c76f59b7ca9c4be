"""Where a mode must stop, or changes: limits along the first stretch as thresholds of EMF, hence of charge."""

from __future__ import annotations

from math import inf, sqrt

from hermotrope_core.circuit.point import Draw, section_amps
from hermotrope_core.kinds.effects import CAUSES, Cause, Demand
from hermotrope_core.values.known import Table


def inverse(table: Table, volts: float) -> float:
    """The highest charge at which the EMF is not above `volts`; -inf if it always is, inf if never.

    `table` ascends in charge and never falls in volts.
    """
    if volts >= table[-1][1]:
        return inf
    if volts < table[0][1]:
        return -inf
    low = 0
    for i, (_, v) in enumerate(table):
        if v > volts:
            break
        low = i
    (s0, v0), (s1, v1) = table[low], table[low + 1]
    return s0 + (s1 - s0) * (volts - v0) / (v1 - v0)


def threshold(volts: float, before: tuple[float, float], after: tuple[float, float], demand: Demand) -> float:
    """EMF at which the volts at a tap of a stretch fall to `volts`; -inf if it collapses before that.

    `before` and `after` are (ohms, volts of drop) between the source and the tap, and between the
    tap and the demand.
    """
    (ohm, drop), (ohm_after, drop_after) = before, after
    amps = section_amps(volts - drop_after, ohm_after, demand)
    if amps is None:
        return -inf
    total = ohm + ohm_after
    if demand.kind == "power" and total > 0.0 and amps * amps * total > demand.value:
        return -inf  # the lower root: collapse comes first
    return volts + drop + ohm * amps


def collapse_emf(ohm: float, drop: float, demand: Demand) -> float:
    """EMF below which a stretch cannot feed the demand: V² = 4 R P for power."""
    if demand.kind == "power":
        return drop + 2.0 * sqrt(ohm * demand.value)
    return drop + (ohm * demand.value if demand.kind == "current" else demand.dark_v)


def overload_emf(ohm: float, drop: float, demand: Demand, most_a: float) -> float:
    """EMF below which more than `most_a` amperes flow: E = D + R I + P / I; -inf if never before a collapse."""
    if demand.kind == "power" and most_a * most_a * ohm < demand.value:
        return drop + ohm * most_a + demand.value / most_a
    return inf if demand.kind == "current" and demand.value > most_a else -inf


def falls_at(draw: Draw) -> float:
    """EMF below which the first board passes its input on (`Draw.falls_to`); -inf where none does."""
    first, least = draw.circuit.stretches[0], draw.circuit.holders[0].passes_below_v if draw.circuit.holders else None
    if draw.demand is None or least is None:
        return -inf
    return threshold(least, (first.resistance_ohm, first.drop_v), (0.0, 0.0), draw.demand)


def last_emf(draw: Draw) -> tuple[float, Cause]:
    """EMF at which a mode must stop, passing on included, with its cause; inf where it never runs."""
    if draw.demand is None or draw.breaches:
        return inf, min((b.cause for b in draw.breaches), key=CAUSES.index)
    found = bounds(draw)
    emf = max(found)[0]
    causes = [why for volts, why in found if volts == emf]
    cause = causes[0] if len(causes) == 1 else min(causes, key=CAUSES.index)
    turn, below = next_draw(draw)
    if below is None or emf >= turn:
        return emf, cause
    later, why = last_emf(below)
    return min(later, turn), why


def next_draw(draw: Draw) -> tuple[float, Draw | None]:
    """What a draw turns into as the pack runs down, and the EMF at which it does; -inf and None where it stays."""
    turn = falls_at(draw) if draw.falls_to is not None else -inf
    edge = draw.circuit.weaker_emf
    if draw.weaker is not None and edge >= turn:
        return edge, draw.weaker
    return turn, draw.falls_to


def bounds(draw: Draw) -> list[tuple[float, Cause]]:
    """EMF at which each condition of the first stretch ends this mode, with its cause."""
    circuit = draw.circuit
    demand = draw.demand
    assert demand is not None
    first = circuit.stretches[0]
    found: list[tuple[float, Cause]] = []
    ohm = drop = 0.0

    def tap(volts: float, cause: Cause) -> None:
        after = (first.resistance_ohm - ohm, first.drop_v - drop)
        found.append((threshold(volts, (ohm, drop), after, demand), cause))

    for element in first.elements:
        if element.trips_v is not None:
            tap(element.trips_v, element.trips)
        if element.most_a is not None:
            most = overload_emf(first.resistance_ohm, first.drop_v, demand, element.most_a)
            found.append((most, "converter overload"))
        ohm += element.resistance_ohm
        drop += element.drop_v
        if element.stage == -1:
            tap(circuit.cutoff_v, "pack cut-off")
    ohm, drop = first.resistance_ohm, first.drop_v
    if circuit.holders:
        holder = circuit.holders[0]
        if holder.input_min_v > 0.0:
            tap(holder.input_min_v, holder.low_cause)
    else:
        tap(circuit.device_min_v, "device minimum")
    found.append((collapse_emf(ohm, drop, demand), "collapse"))
    return found
