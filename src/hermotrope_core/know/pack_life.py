"""How a pack ages: its capacity and resistance over time, what share is left, and when it should be retired."""

from __future__ import annotations

from datetime import date, timedelta
from itertools import combinations
from statistics import median

import msgspec

WORN = 0.8
"""Share of the rated capacity under which a pack is called worn: the end of life that data sheets count cycles to."""
RETIRE = 0.6
"""Share under which cells age unevenly and their protection comes near (typical)."""
RESISTANCE_WORN = 2.0
"""Times its first resistance (typical)."""
FEWEST, SHORTEST_D = 3, 60
"""Readings and days between them from which a trend is told."""
FARTHEST_D = 20 * 365


class Measured(msgspec.Struct, frozen=True):
    """What was measured of a pack on a day; either figure may be missing."""

    on: date
    capacity_ah: float | None = None
    resistance_ohm: float | None = None


class Life(msgspec.Struct, frozen=True):
    """What the measurements say together."""

    share: float | None
    """Of the rated capacity (else of the first that was measured): what the last reading left."""
    of_ah: float | None
    resistance_times: float | None
    """The last resistance over the first; None with fewer than two."""
    a_year: float | None
    """Change of the capacity a year as a share of `of_ah`; None without a trend."""
    retire_on: date | None
    """When the trend meets `RETIRE`; None where it does not within twenty years."""
    says: str


def life(readings: list[Measured], rated_ah: float | None = None) -> Life | None:
    """Judge a pack by what was measured of it; None where nothing was. Source of the trend: Theil and Sen's slope."""
    capacity = sorted((one.on, one.capacity_ah) for one in readings if one.capacity_ah)
    ohms = [ohm for _, ohm in sorted((one.on, one.resistance_ohm) for one in readings if one.resistance_ohm)]
    if not capacity and not ohms:
        return None
    of_ah = rated_ah or (capacity[0][1] if capacity else None)
    share = capacity[-1][1] / of_ah if capacity and of_ah else None
    times = ohms[-1] / ohms[0] if len(ohms) > 1 else None
    slope = _slope(capacity)
    a_year = slope * 365.0 / of_ah if slope is not None and of_ah else None
    return Life(share, of_ah, times, a_year, _meets(capacity, slope, of_ah), _words(share, times))


def _slope(capacity: list[tuple[date, float]]) -> float | None:
    """Ampere-hours a day: the median of the slopes between every two days."""
    if len(capacity) < FEWEST or (capacity[-1][0] - capacity[0][0]).days < SHORTEST_D:
        return None
    slopes = [(b - a) / (later - first).days for (first, a), (later, b) in combinations(capacity, 2) if later > first]
    return median(slopes) if slopes else None


def _meets(capacity: list[tuple[date, float]], slope: float | None, of_ah: float | None) -> date | None:
    if slope is None or of_ah is None or slope >= 0.0:
        return None
    first = capacity[0][0]
    level = median(ah - slope * (on - first).days for on, ah in capacity)
    days = (RETIRE * of_ah - level) / slope
    return first + timedelta(days=max(round(days), 0)) if days <= FARTHEST_D else None


def _words(share: float | None, times: float | None) -> str:
    if share is not None and share < RETIRE:
        return "retire it: so worn, its cells age unevenly; battery recycling, poles taped"
    if share is not None and share < WORN:
        return "worn: plan with what is left of it"
    if times is not None and times >= RESISTANCE_WORN:
        return "worn: its resistance has doubled, heavy loads pull it down"
    return "well" if share is not None else "nothing speaks against it so far"
