"""The pack from its volts and amperes: charge counted, open volts by the table, the rest by least squares."""

from __future__ import annotations

import msgspec
import numpy as np
import scipy

from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.fit.result import Found, Parting, judged
from hermotrope_core.fit.runlog import Array
from hermotrope_core.fit.sides import Sides
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.spread import spread_of
from hermotrope_core.values.known import number

BLOCKS = 40
PARTS_SHARE = 0.012
"""A block's volts part from the model when they are off by this share of the pack's volts on average."""
SOFT_START = 0.985
"""Under this share of the full pack's volts a run is taken not to have begun full."""
TABLE_V, TABLE_SPAN = 0.006, 0.05
"""Standard deviation of a cell's open volts from its table (typical), and the charge on either side for its slope."""
SURFACE_TAU_S = (20.0, 3600.0)
"""Surface charge fades under load with a time constant in this range (typical)."""
SURFACE_WORTH = 10.0
"""F ratio from which on it counts as seen: what its two figures explain, over what stays unexplained."""


class Surface(msgspec.Struct, frozen=True):
    """Surface charge of a pack fresh off the charger: volts at the start, fading with a time constant in seconds."""

    volts: float
    tau_s: float


class PackFit(msgspec.Struct, frozen=True, eq=False):
    """Capacity and resistance as factors on the plan, their relative deviations, and where the volts part."""

    capacity: float
    resistance: float
    sigma_capacity: float
    sigma_resistance: float
    parting: tuple[Parting, ...]
    surface: Surface | None = None


def charge_left(circuit: Circuit, sides: Sides, capacity: float) -> Array:
    """State of charge at every row, counted from the logged current with Peukert's law (model of the run)."""
    assert sides.pack_a is not None
    amps = sides.pack_a
    rated, q = circuit.rated_a * capacity, circuit.peukert - 1.0
    flow = amps * np.maximum(1.0, np.maximum(amps, 0.0) / rated) ** q if q else amps
    steps = np.diff(sides.seconds) * 0.5 * (flow[1:] + flow[:-1])
    taken = np.concatenate([[0.0], np.cumsum(steps)])
    left: Array = circuit.start_soc - taken / (3600.0 * circuit.charge_ah * capacity)
    return left


def pack_volts(circuit: Circuit, sides: Sides, capacity: float, resistance: float) -> Array:
    """Terminal volts V = E(soc) - I R."""
    assert sides.pack_a is not None
    table = np.array(circuit.emf_by_soc)
    left = charge_left(circuit, sides, capacity)
    emf: Array = np.interp(left, table[:, 0], table[:, 1])
    made: Array = emf - sides.pack_a * own_ohms(circuit, left) * resistance
    return made


def own_ohms(circuit: Circuit, left: Array) -> Array:
    """The pack's own resistance at every state of charge, as planned."""
    ohms = np.full(left.shape, circuit.stretches[0].elements[0].resistance_ohm)
    while circuit.weaker is not None:
        below, circuit = left < circuit.weaker_soc, circuit.weaker
        ohms[below] = circuit.stretches[0].elements[0].resistance_ohm
    return ohms


def table_doubt(case: Case, sides: Sides, capacity: float) -> float:
    """Relative doubt of the capacity because no cell follows its table exactly: σ_V / |dE/dsoc| over the charge taken.

    Where a run stops on a flat stretch of the table, a few millivolts are much charge; at the knee they are none.
    """
    circuit = circuit_of(case)
    assert case.source is not None
    left = float(np.clip(charge_left(circuit, sides, capacity)[-1], 0.0, circuit.start_soc))
    socs, volts = np.array(circuit.emf_by_soc).T
    at = max(0.0, left - TABLE_SPAN), min(circuit.start_soc, left + TABLE_SPAN)
    slope = float(np.diff(np.interp(at, socs, volts))[0]) / max(at[1] - at[0], 1e-9)
    off = TABLE_V * case.source.cells_in_series / max(slope, 1e-9)
    return off / max(circuit.start_soc - left, 1e-9)


def fit_pack(case: Case, sides: Sides) -> PackFit | None:
    """Least squares over the factors of capacity and resistance; None without volts and amperes of the pack.

    Where a pack of this chemistry comes off the charger above its settled volts, A exp(-t / tau) is added for as long
    as it explains more than chance would.
    """
    if sides.pack_v is None or sides.pack_a is None or len(sides.seconds) < 8:
        return None
    situation, volts = Situation(case), sides.pack_v
    circuit = situation.circuit

    def misses(x: Array) -> Array:
        return volts - pack_volts(circuit, sides, float(np.exp(x[0])), float(np.exp(x[1])))

    def misses_charged(x: Array) -> Array:
        left: Array = misses(x) - x[2] * np.exp(-sides.seconds / np.exp(x[3]))
        return left

    made = scipy.optimize.least_squares(misses, np.zeros(2), bounds=([-2.5, -4.0], [2.5, 4.0]), x_scale=[0.05, 0.2])
    most = situation.full_emf - situation.settled(situation.full_emf)
    surface = None
    if most > 0.0 and circuit.start_soc >= 1.0:
        fast, slow = np.log(SURFACE_TAU_S)
        more = scipy.optimize.least_squares(
            misses_charged,
            [*made.x, 0.5 * most, 0.5 * (fast + slow)],
            bounds=([-2.5, -4.0, 0.0, fast], [2.5, 4.0, most, slow]),
            x_scale=[0.05, 0.2, most, 0.5],
        )
        if (made.cost - more.cost) / 2.0 > SURFACE_WORTH * more.cost / len(volts):
            made, surface = more, Surface(float(more.x[2]), float(np.exp(more.x[3])))
    residual = np.asarray(made.fun, dtype=float)
    sigma = _deviations(np.asarray(made.jac, dtype=float), residual)
    capacity, resistance = (float(np.exp(x)) for x in made.x[:2])
    return PackFit(capacity, resistance, sigma[0], sigma[1], parting(sides, residual, volts), surface)


def _deviations(jacobian: Array, residual: Array) -> tuple[float, float]:
    """Standard deviations of the logarithms: the covariance of least squares, widened where residuals hang together.

    cov = s² (JᵀJ)⁻¹; with residuals that are correlated in time the variance of block means exceeds s² / n,
    and the covariance is multiplied by that ratio (batch means).
    """
    n = len(residual)
    square = float(residual @ residual) / max(1, n - 2)
    blocks = np.array_split(residual, min(BLOCKS, n // 4 or 1))
    means = np.array([block.mean() for block in blocks])
    together = max(1.0, float(np.mean(means**2)) * n / len(blocks) / square) if square > 0.0 else 1.0
    information = jacobian.T @ jacobian
    if np.linalg.cond(information) > 1e14:
        return float("inf"), float("inf")
    covariance = np.linalg.inv(information) * square * together
    return float(np.sqrt(covariance[0, 0])), float(np.sqrt(covariance[1, 1]))


def parting(sides: Sides, residual: Array, volts: Array) -> tuple[Parting, ...]:
    """Stretches in which the averaged residual exceeds `PARTS_SHARE` of the volts, neighbours joined."""
    limit = PARTS_SHARE * float(np.median(np.abs(volts)))
    found: list[Parting] = []
    for rows in np.array_split(np.arange(len(residual)), min(BLOCKS, len(residual))):
        off = float(residual[rows].mean())
        if abs(off) <= limit:
            continue
        start, stop = float(sides.seconds[rows[0]]), float(sides.seconds[min(rows[-1] + 1, len(residual) - 1)])
        if found and found[-1].stop_s >= start and found[-1].volts * off > 0.0:
            last = found.pop()
            found.append(Parting(last.start_s, stop, max(last.volts, off, key=abs)))
        else:
            found.append(Parting(start, stop, off))
    return tuple(found)


def gap_doubt(sides: Sides, gaps_s: float) -> float:
    """Relative doubt of the counted charge from gaps: their share of the time, times how much the current varies."""
    if sides.pack_a is None or not gaps_s:
        return 0.0
    mean = float(np.mean(np.abs(sides.pack_a)))
    varies = min(1.0, float(np.std(sides.pack_a)) / mean) if mean else 1.0
    return gaps_s / max(float(sides.seconds[-1]), 1e-9) * varies


def pack_found(case: Case, made: PackFit, gaps: float, table: float) -> tuple[Found, Found]:
    """Capacity and resistance as the fit has them; doubts of the capacity add to what least squares leave."""
    source = case.source
    assert source is not None
    capacity, ohm = number(source.capacity_ah), number(source.resistance_ohm)
    first = Found("capacity", "source.capacity_ah", "Capacity of the pack", "Ah", capacity, None, 0.0, "")
    second = Found("resistance", "source.resistance_ohm", "Resistance of the pack", "Ω", ohm, None, 0.0, "")
    sigma = float(np.sqrt(made.sigma_capacity**2 + gaps**2 + table**2))
    rests = "charge counted against the fall of the pack's volts"
    first = judged(first, spread_of(source.capacity_ah), sigma, capacity * made.capacity, rests)
    if not first.told and table > max(made.sigma_capacity, gaps):
        flat = "; let it run further: where it stopped the pack's volts hardly fall with its charge"
        first = msgspec.structs.replace(first, says=first.says + flat)
    if not ohm:
        return first, msgspec.structs.replace(second, says="cannot tell: it is planned as 0 Ω")
    known, rests = spread_of(source.resistance_ohm), "how the volts follow the current"
    return first, judged(second, known, made.sigma_resistance, ohm * made.resistance, rests)


def starts_full(case: Case, made: PackFit, sides: Sides) -> bool:
    """Whether the first minute's open volts are those of the charge that the plan starts from."""
    circuit = circuit_of(case)
    assert sides.pack_v is not None and sides.pack_a is not None
    first = sides.seconds <= max(60.0, float(sides.seconds[min(5, len(sides.seconds) - 1)]))
    ohm = circuit.stretches[0].elements[0].resistance_ohm * made.resistance
    open_v = float(np.mean(sides.pack_v[first] + sides.pack_a[first] * ohm))
    return open_v >= SOFT_START * circuit.emf(circuit.start_soc)
