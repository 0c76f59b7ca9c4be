"""How figures, tables and words are written in a SPICE netlist, and what every netlist of ours agrees on."""

from __future__ import annotations

from hermotrope_core.values.known import Table

EDGE_S = 1e-3
"""Modes change within this time, seconds."""
START_S = 2e-3
"""Margins count from here on, so that a run which cannot start ends at once."""
LEAST_V = 1e-3


def pwl(x: str, table: Table) -> str:
    """A linear table held flat beyond its ends."""
    if len(table) == 1:
        return num(table[0][1])
    low, high = table[0][0], table[-1][0]
    rows = ",".join(f"{num(a)},{num(b)}" for a, b in table)
    return f"pwl(max(min({x},{num(high)}),{num(low)}),{rows})"


def num(value: float) -> str:
    return f"{value:.10g}"


def words(text: str) -> str:
    """Text for a comment: one line, nothing that a simulator could read as more than that."""
    return "".join(c if c.isalnum() or c in " ,.;:()-" else " " for c in text).strip()[:120]
