"""What lies before a fork: the pack and the shared way, ready for computing, at one temperature or hour by hour."""

from __future__ import annotations

from math import inf

import msgspec

from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.plan.case import FORMAT, Case
from hermotrope_core.plan.device import Device
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.values.interpolate import at

PIECE_S = 1800.0
"""Through changing temperatures a supply is followed in pieces of so long, each at the temperature of its middle."""


def trunk_case(supply: Supply, conditions: Conditions) -> Case:
    """From the source to the junction as a conversion of its own, of a device that is not told."""
    return Case(
        format=FORMAT,
        title=supply.called,
        device=Device(name="junction"),
        source=supply.source,
        path=supply.trunk,
        conditions=conditions,
    )


def trunk_circuit(supply: Supply, conditions: Conditions) -> Circuit:
    """From the source to the junction, ready for computing. Raises ValueError for a trunk that cannot be."""
    return circuit_of(trunk_case(supply, conditions))


def hourly(supply: Supply, conditions: Conditions) -> list[tuple[float, Circuit]]:
    """The shared way through a table of temperatures: until so many seconds, the circuit that holds; the last for ever.

    Raises ValueError without a table.
    """
    table = conditions.temperature_by_h
    if table is None:
        raise ValueError("no temperatures are told by the hour")
    pieces = int(-(-3600.0 * table[-1][0] // PIECE_S))
    moments = [(k + 1) * PIECE_S for k in range(pieces)]
    found = []
    for until in (*moments, inf):
        hour = table[-1][0] if until == inf else (until - PIECE_S / 2.0) / 3600.0
        then = msgspec.structs.replace(conditions, temperature_c=at(table, hour))
        found.append((until, trunk_circuit(supply, then)))
    return found
