"""Linear tables: `((x, y), …)` ascending in x, held flat beyond both ends."""

from __future__ import annotations

from bisect import bisect_right
from math import inf

from hermotrope_core.values.known import Table


def at(table: Table, x: float) -> float:
    """The table's value at `x`, linear between rows and constant outside them."""
    if x <= table[0][0]:
        return table[0][1]
    if x >= table[-1][0]:
        return table[-1][1]
    i = bisect_right(table, (x, inf))
    (x0, y0), (x1, y1) = table[i - 1], table[i]
    return y0 + (y1 - y0) * (x - x0) / (x1 - x0)
