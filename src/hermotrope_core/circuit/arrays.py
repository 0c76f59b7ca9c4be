"""What `point` and `piece` say of a stretch and of the EMF's table, over arrays of draws.

The time of a constant power is known in closed form. With E = D + R I + P / I it is, over a piece of the table,
(Q / slope) [u² / 8P - R log u] between its ends, where u = 2P / I is E - D + sqrt((E - D)² - 4 R P). Where two pieces
meet nothing is left over, so each knot counts once, with what its two slopes differ by.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from hermotrope_core.circuit.piece import FLAT
from hermotrope_core.kinds.effects import CAUSES, Cause, dark_volts

Array = np.ndarray[Any, np.dtype[np.float64]]
AT_ONCE = 2_000
"""So many draws at once stay in the nearest memory, which makes it a third quicker."""


def charge_at(table: tuple[Array, Array], emf: Array) -> Array:
    """The highest charge whose EMF is not above `emf` (`piece.inverse`); -inf if it always is, inf if never."""
    socs, emfs = table
    if steep(socs, emfs):
        inside = np.interp(emf, emfs, socs)
    else:
        i = np.clip(np.searchsorted(emfs, emf, side="right") - 1, 0, len(emfs) - 2)
        rise = emfs[i + 1] - emfs[i]
        inside = socs[i] + (socs[i + 1] - socs[i]) * (emf - emfs[i]) / np.where(rise > 0.0, rise, 1.0)
    return np.where(emf >= emfs[-1], np.inf, np.where(emf < emfs[0], -np.inf, inside))


def steep(socs: Array, emfs: Array) -> bool:
    """Whether the EMF's table (charge 0..1, volts) spans all charges and rises everywhere."""
    return bool(socs[0] <= 0.0 and socs[-1] >= 1.0 and (np.diff(emfs) > FLAT * emfs[1:]).all())


def fall_seconds(table: tuple[Array, Array], asked: tuple[Array, Array, Array], high: Array, low: Array) -> Array:
    """Seconds per ampere-second of charge, one for each draw, along a table that is `steep`.

    `asked` are watts above 0, ohms, and volts of drop. From `high` down to `low`, both within 0..1 and `low` no higher;
    the volts do not collapse before.
    """
    (socs, emfs), (watts, ohms, drop) = table, asked
    weights = np.diff(np.concatenate([[0.0], np.diff(socs) / np.diff(emfs), [0.0]]))
    bottom, top = np.interp(low, socs, emfs) - drop, np.interp(high, socs, emfs) - drop
    four, share = 4.0 * ohms * watts, 0.125 / watts
    times = np.empty(len(watts))
    for begin in range(0, len(watts), AT_ONCE):
        some = slice(begin, begin + AT_ONCE)
        volts = emfs[:, None] - drop[some]
        np.minimum(np.maximum(volts, bottom[some], out=volts), top[some], out=volts)
        doubled = volts * volts
        doubled -= four[some]
        np.sqrt(np.maximum(doubled, 0.0, out=doubled), out=doubled)
        doubled += volts
        np.maximum(doubled, 1e-9, out=doubled)
        logs = np.log(doubled, out=volts)
        logs *= ohms[some]
        doubled *= doubled
        doubled *= share[some]
        doubled -= logs
        times[some] = weights @ doubled
    return -times


def section_amps(
    volts: float | Array, own: float, ohm: Array, kind: str, value: Array
) -> tuple[Array, np.ndarray[Any, np.dtype[np.bool_]]]:
    """`section_amps` over arrays, `own` the demand's drop: amperes, and where there is no answer."""
    if kind == "current":
        return value, volts - value * ohm <= 0.0
    if kind == "resistance":
        return np.maximum(volts - own, 0.0) / (ohm + value), np.full(value.shape, volts <= dark_volts(own))
    rest = volts * volts - 4.0 * ohm * value
    fails = (rest < 0.0) | (volts <= 0.0)
    with np.errstate(over="ignore"):  # hardly any volts: more amperes than there are
        amps = 2.0 * value / np.where(fails, 1.0, volts + np.sqrt(np.maximum(rest, 0.0)))
    return amps, fails & (value > 0.0)


def collapse_emf(ohm: Array, drop: Array, kind: str, value: Array) -> Array:
    """`piece.collapse_emf` over arrays; `drop` holds the volts below which a diode is dark."""
    if kind == "power":
        return drop + 2.0 * np.sqrt(ohm * value)
    return drop + ohm * value if kind == "current" else np.full(value.shape, drop)


def overload_emf(ohm: Array, drop: Array, kind: str, value: Array, most_a: float) -> Array:
    """`piece.overload_emf` over arrays."""
    if kind == "power":
        return np.where(most_a * most_a * ohm < value, drop + ohm * most_a + value / most_a, -np.inf)
    return np.where(value > most_a, np.inf, -np.inf) if kind == "current" else np.full(value.shape, -np.inf)


def note(broken: np.ndarray[Any, Any], where: Any, cause: Cause) -> None:
    """Note the first cause, in the order of `CAUSES`, that a draw violates at any charge."""
    index = CAUSES.index(cause)
    np.copyto(broken, index, where=where & (index < broken))
