"""Wire and fuses: safe current, gauge, how soon a fuse opens; figures from ``data/parts.json``."""

from __future__ import annotations

from math import sqrt
from pkgutil import get_data

import msgspec

from hermotrope_core.values.interpolate import at
from hermotrope_core.values.known import Table


class Parts(msgspec.Struct, frozen=True):
    """Typical reference figures for wire, fuses, plugs, ports and cells."""

    wire_safe_current_a_by_area_mm2: Table
    blade_fuse_ratings_a: tuple[float, ...]
    glass_fuse_ratings_a: tuple[float, ...]
    fuse_opens_s_by_times_rating: Table
    barrel_sizes_mm_outer_inner: Table
    cell_sizes_mm: dict[str, tuple[float, ...]]
    cell_most_v: dict[str, float]
    resistor_e12: tuple[float, ...]
    diode_forward_v_by_a: dict[str, Table]
    connector_a: dict[str, float]


PARTS: Parts = msgspec.json.decode(get_data("hermotrope_core.parts", "data/parts.json") or b"", type=Parts)

HOLDS_TIMES = PARTS.fuse_opens_s_by_times_rating[0][0]
"""Up to this many times its rating a fuse holds for ever."""
FULL_TO_C, INSULATION_C = 40.0, 70.0
"""Up to the first a wire carries its safe current; at the second its insulation softens (PVC), and it carries none."""
FUSE_MARGIN = 1.25
"""A fuse is rated at least this many times the continuous current through it."""


def safe_amps(area_mm2: float) -> float:
    """Safe current of stranded copper in free air, amperes; thinner than the table in proportion."""
    table = PARTS.wire_safe_current_a_by_area_mm2
    if area_mm2 < table[0][0]:
        return table[0][1] * area_mm2 / table[0][0]
    return at(table, area_mm2)


def warm_share(celsius: float) -> float:
    """Share of its safe current that a wire carries in warm surroundings: sqrt((70 - T) / 30) above 40 °C.

    The rise follows the square of the current (IEC 60364-5-52, correction for ambient temperature).
    """
    return sqrt(max(INSULATION_C - max(celsius, FULL_TO_C), 0.0) / (INSULATION_C - FULL_TO_C))


def fuse_opens_s(times_rating: float) -> float | None:
    """Shortest time in seconds in which a fuse opens at a multiple of its rating; None if it holds."""
    table = PARTS.fuse_opens_s_by_times_rating
    return None if times_rating < table[0][0] else at(table, times_rating)


def fuse_rating(continuous_a: float, peaks: tuple[tuple[float, float], ...], wire_a: float) -> float | None:
    """The smallest blade rating (glass where the wire asks for less) that carries the load.

    `peaks` are (amperes, seconds) it must ride through; `wire_a` is the safe current of the weakest
    lead it protects. None if no rating does both.
    """
    for ratings in (PARTS.blade_fuse_ratings_a, PARTS.glass_fuse_ratings_a):
        for rating in ratings:
            if rating >= FUSE_MARGIN * continuous_a and all(_rides(rating, *peak) for peak in peaks):
                if rating <= wire_a:
                    return rating
                break
    return None


def _rides(rating: float, amps: float, seconds: float) -> bool:
    opens = fuse_opens_s(amps / rating)
    return opens is None or seconds <= opens
