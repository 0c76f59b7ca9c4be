"""A pack's capacity over the years as a small curve, with the level at which it is retired."""

from __future__ import annotations

import msgspec

from hermotrope_core.know.pack_life import RETIRE, WORN, Life, Measured
from hermotrope_core.values.figures import figure

LEFT, RIGHT, TOP, BOTTOM = 46.0, 352.0, 8.0, 82.0
ROOM = 1.08


class LifeDrawn(msgspec.Struct, frozen=True):
    """Points of the curve; heights of rated, worn and retired with their words; the first and the last month."""

    points: tuple[tuple[float, float], ...]
    levels: tuple[tuple[float, str], ...]
    first: str
    last: str


def life_drawn(readings: list[Measured], judged: Life) -> LifeDrawn | None:
    """Lay the measured capacities out; None with fewer than two."""
    found = sorted((one.on, one.capacity_ah) for one in readings if one.capacity_ah)
    if len(found) < 2 or not judged.of_ah:
        return None
    top = max(judged.of_ah, *(ah for _, ah in found)) * ROOM
    bottom = min(judged.of_ah * RETIRE, *(ah for _, ah in found)) / ROOM
    days = max((found[-1][0] - found[0][0]).days, 1)

    def y(ah: float) -> float:
        return float(round(BOTTOM - (BOTTOM - TOP) * (ah - bottom) / (top - bottom), 1))

    points = tuple((float(round(LEFT + (RIGHT - LEFT) * (on - found[0][0]).days / days, 1)), y(ah)) for on, ah in found)
    levels = tuple((y(judged.of_ah * share), figure(judged.of_ah * share, "Ah")) for share in (1.0, WORN, RETIRE))
    return LifeDrawn(points, levels, f"{found[0][0]:%Y-%m}", f"{found[-1][0]:%Y-%m}")
