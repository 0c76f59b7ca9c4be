"""The operating point of a line that forks: the junction's volts at which what arrives is what is drawn.

What arrives at a junction behind R ohms and D volts of drop is v = E - D - R I(v). I(v), the sum of the branches, is
convex: constant currents, resistances, and powers whose current falls with the volts ever more slowly. So Newton's
steps from above come down on the highest root, the stable one, and never pass it; where the slope turns before one is
found there is none: collapse.
"""

from __future__ import annotations

from collections.abc import Sequence
from math import inf

from hermotrope_core.several.pull import Pull

CLOSE = 1e-14
"""Relative change of the volts at which they are found."""
MOST_STEPS = 100


def drawn(pulls: Sequence[Pull], volts: float) -> tuple[float, float] | None:
    """Amperes of all branches at the junction's volts and their slope; None where one collapses."""
    amps = slope = 0.0
    for pull in pulls:
        one = pull.amps(volts)
        if one is None:
            return None
        amps += one[0]
        slope += one[1]
    return amps, slope


def junction_volts(arrives: float, ohm: float, pulls: Sequence[Pull]) -> tuple[float, float] | None:
    """Volts and amperes at a junction that stands at `arrives` volts unloaded, behind `ohm`; None: collapse."""
    volts = arrives
    for _ in range(MOST_STEPS):
        found = drawn(pulls, volts)
        if found is None:
            return None
        amps, slope = found
        fall = 1.0 + ohm * slope
        if fall <= 0.0:
            return None
        step = (volts + ohm * amps - arrives) / fall
        volts -= step
        if step <= CLOSE * abs(volts):  # from above they only come down: no more than rounding is left
            last = drawn(pulls, volts)
            return None if last is None else (volts, last[0])
    return None


def asked(volts: float, ohm: float, drop: float, pulls: Sequence[Pull]) -> float:
    """EMF behind `ohm` and `drop` at which the junction stands at `volts`; -inf where that is not stable."""
    found = drawn(pulls, volts)
    if found is None or 1.0 + ohm * found[1] <= 0.0:
        return -inf
    return volts + drop + ohm * found[0]


def fold(ohm: float, drop: float, pulls: Sequence[Pull]) -> float:
    """EMF below which the junction collapses though each branch has its volts: where dE/dv = 1 + R dI/dv is 0.

    -inf where there is no such place: a branch by itself (`Pull.dark_v`) ends sooner.
    """
    dark = max((pull.dark_v for pull in pulls), default=-inf)
    if ohm == 0.0 or dark == -inf:
        return -inf
    low, high = dark, max(dark, 1.0)
    while (found := drawn(pulls, high)) is None or 1.0 + ohm * found[1] < 0.0:
        high *= 2.0
        if high > 1e9:
            return inf
    for _ in range(200):
        middle = 0.5 * (low + high)
        found = drawn(pulls, middle)
        if found is None or 1.0 + ohm * found[1] < 0.0:
            low = middle
        else:
            high = middle
        if high - low <= 1e-15 * high:
            break
    found = drawn(pulls, high)
    return inf if found is None else high + drop + ohm * found[0]
