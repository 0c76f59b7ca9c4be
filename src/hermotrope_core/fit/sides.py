"""The logged columns as seen from the pack's terminals and from the inlet, as far as the path carries them over."""

from __future__ import annotations

import msgspec
import numpy as np

from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.fit.runlog import Array, RunLog
from hermotrope_core.plan.case import Case

MOST_BINS = 20_000


class Sides(msgspec.Struct, frozen=True, eq=False):
    """Arrays of one length (None where not known): volts and amperes at the cells' terminals and at the inlet."""

    seconds: Array
    pack_v: Array | None
    pack_a: Array | None
    inlet_v: Array | None
    inlet_a: Array | None


def sides_of(case: Case, log: RunLog) -> Sides:
    """Carry columns over where only plain stages lie between: V_pack = V_inlet + I R + drops, I the same.

    A bank's cells cannot be reached by a logger, so its "pack" columns are those of its port and are not used.
    """
    circuit = circuit_of(case)
    held = bool(circuit.holders)
    columns = {name: _binned(log, log.columns[name]) for name in log.columns}
    pack_v, pack_a = columns.get("pack_v"), columns.get("pack_a")
    inlet_v, inlet_a = columns.get("inlet_v"), columns.get("inlet_a")
    if circuit.port is not None:
        inlet_v, inlet_a = _from_port(circuit, pack_v, pack_a, inlet_v, inlet_a)
        pack_v = pack_a = None
    elif not held:
        ohm, drop = _behind_pack(circuit)
        pack_a = inlet_a if pack_a is None else pack_a
        inlet_a = pack_a if inlet_a is None else inlet_a
        if pack_a is not None:
            if pack_v is None and inlet_v is not None:
                pack_v = inlet_v + pack_a * ohm + drop
            elif inlet_v is None and pack_v is not None:
                inlet_v = pack_v - pack_a * ohm - drop
    seconds = _binned(log, log.seconds)
    return Sides(seconds, pack_v, pack_a, inlet_v, inlet_a)


def _from_port(
    circuit: Circuit, port_v: Array | None, port_a: Array | None, inlet_v: Array | None, inlet_a: Array | None
) -> tuple[Array | None, Array | None]:
    """A bank's port as its inlet, where no converter follows."""
    if len(circuit.holders) > 1 or port_a is None or inlet_a is not None:
        return inlet_v, inlet_a
    last = circuit.stretches[-1]
    if inlet_v is None and port_v is not None:
        inlet_v = port_v - port_a * last.resistance_ohm - last.drop_v
    return inlet_v, port_a


def _behind_pack(circuit: Circuit) -> tuple[float, float]:
    """Ohms and volts of drop of the first stretch without the pack's own."""
    first = circuit.stretches[0]
    return first.resistance_ohm - first.elements[0].resistance_ohm, first.drop_v


def bin_edges(log: RunLog) -> np.ndarray:
    """Where each bin of rows begins."""
    return np.linspace(0, len(log), min(len(log), MOST_BINS) + 1).astype(int)[:-1]


def _binned(log: RunLog, column: Array) -> Array:
    """The column, averaged over bins where it is longer than a fit needs."""
    if len(log) <= MOST_BINS:
        return column
    edges = bin_edges(log)
    counts = np.diff(np.append(edges, len(log)))
    made: Array = np.add.reduceat(column, edges) / counts
    return made
