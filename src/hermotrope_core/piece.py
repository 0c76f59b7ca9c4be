"""One mode on one span of charge: time, energy and charge in closed form, and where it must stop.

Between two knots of the EMF table the EMF is linear in charge; along the first stretch of a path a
mode is a constant power, current or resistance. Then everything is a sum of powers of the current.
"""

from __future__ import annotations

from math import inf, isclose, log, sqrt

import msgspec

from hermotrope_core.case import Table
from hermotrope_core.circuit import Cause, Circuit, Demand, Draw, section_amps


def inverse(table: Table, volts: float) -> float:
    """The highest charge at which the EMF is not above `volts`; -inf if it always is, inf if never.

    `table` ascends in charge and never falls in volts.
    """
    if volts >= table[-1][1]:
        return inf
    if volts < table[0][1]:
        return -inf
    low = 0
    for i, (_, v) in enumerate(table):
        if v > volts:
            break
        low = i
    (s0, v0), (s1, v1) = table[low], table[low + 1]
    return s0 + (s1 - s0) * (volts - v0) / (v1 - v0)


def threshold(volts: float, before: tuple[float, float], after: tuple[float, float], demand: Demand) -> float:
    """EMF at which the volts at a tap of a stretch fall to `volts`; -inf if it collapses before that.

    `before` and `after` are (ohms, volts of drop) between the source and the tap, and between the
    tap and the demand.
    """
    (ohm, drop), (ohm_after, drop_after) = before, after
    amps = section_amps(volts - drop_after, ohm_after, demand)
    if amps is None:
        return -inf
    total = ohm + ohm_after
    if demand.kind == "power" and total > 0.0 and amps * amps * total > demand.value:
        return -inf  # the lower root: collapse comes first
    return volts + drop + ohm * amps


def collapse_emf(ohm: float, drop: float, demand: Demand) -> float:
    """EMF below which a stretch cannot feed the demand: V² = 4 R P for power."""
    if demand.kind == "power":
        return drop + 2.0 * sqrt(ohm * demand.value)
    return drop + ohm * demand.value if demand.kind == "current" else drop


class Piece(msgspec.Struct, frozen=True, gc=False):
    """A span of charge in which the EMF is `emf0 + slope (soc - soc0)`."""

    low: float
    high: float
    soc0: float
    emf0: float
    slope: float

    def emf(self, soc: float) -> float:
        return self.emf0 + self.slope * (soc - self.soc0)


class ModeLaw:
    """One mode's constants along the first stretch, and its integrals over a piece.

    With E = D + L I + P / I (power: L = R, P the watts; resistance: L = R + r, P = 0), the charge
    law d(soc)/dt = -(I / 3600 Q) f(I), f = max(1, I / I_rated)^(p - 1), and dE = slope d(soc):

        t = (3600 Q / slope) ∫ -(L / I - P / I³) / f dI
        W = (3600 Q / slope) ∫ -(D + (L - R_s) I + P / I) (L - P / I²) / f dI   (at the terminals)
        C = (3600 Q / slope) ∫ -(L - P / I²) / f dI                             (coulombs)

    whose terms are powers of I. A constant current has them directly.
    """

    __slots__ = (
        "amps_const",
        "device_w",
        "drop",
        "exponent",
        "law",
        "lin",
        "ohm_source",
        "ohm_total",
        "p",
        "q3600",
        "rated",
    )

    def __init__(self, circuit: Circuit, demand: Demand, device_w: float | None) -> None:
        first = circuit.stretches[0]
        self.q3600 = 3600.0 * circuit.charge_ah
        self.rated = circuit.rated_a
        self.exponent = circuit.peukert - 1.0
        self.drop = first.drop_v
        self.ohm_total = first.resistance_ohm
        self.ohm_source = first.elements[0].resistance_ohm
        self.law = demand
        self.device_w = device_w
        self.p = demand.value if demand.kind == "power" else 0.0
        self.lin = first.resistance_ohm + (demand.value if demand.kind == "resistance" else 0.0)
        self.amps_const = demand.value if demand.kind == "current" else None

    def amps(self, emf: float) -> float:
        amps = section_amps(emf - self.drop, self.ohm_total, self.law)
        if amps is None:  # rounding at the very edge of collapse
            return sqrt(self.p / self.lin) if self.p and self.lin else self.amps_const or 0.0
        return amps

    def speed(self, amps: float) -> float:
        """-d(soc)/dt at a current, per second."""
        fast: float = (amps / self.rated) ** self.exponent if self.exponent and amps > self.rated else 1.0
        return amps * fast / self.q3600

    def speed_slope(self, amps: float, slope: float) -> float:
        """d(speed)/d(soc) at a current, where the EMF's slope is `slope`."""
        if self.amps_const is not None:
            return 0.0
        bend = self.lin - self.p / (amps * amps) if amps else 0.0
        if bend == 0.0:
            return 0.0
        growth = 1.0 + self.exponent if self.exponent and amps > self.rated else 1.0
        return slope / bend * growth * self.speed(amps) / amps

    def rated_emf(self) -> float:
        """EMF at which this mode draws exactly the rated current, where Peukert's law sets in."""
        if self.amps_const is not None:
            return -inf
        return self.drop + self.lin * self.rated + self.p / self.rated

    def seconds(self, piece: Piece, high: float, low: float) -> float:
        """Time from charge `high` down to `low` inside `piece`."""
        emf1, emf0 = piece.emf(high), piece.emf(low)
        a, b = self.amps(emf1), self.amps(emf0)
        middle = 0.5 * (a + b)
        if middle == 0.0:
            return inf
        if abs(b - a) < 1e-9 * middle:
            return (high - low) / self.speed(middle)
        q = self.exponent if middle > self.rated else 0.0
        scale = self.q3600 / piece.slope
        if q:
            scale *= self.rated**q
        return -scale * (self.lin * power_integral(-1.0 - q, a, b) - self.p * power_integral(-3.0 - q, a, b))

    def taken(self, piece: Piece, high: float, low: float, seconds: float) -> tuple[float, float, float]:
        """Joules from the terminals, joules into the device and coulombs, from `high` down to `low`."""
        if high == low:
            return 0.0, 0.0, 0.0
        emf1, emf0 = piece.emf(high), piece.emf(low)
        a, b = self.amps(emf1), self.amps(emf0)
        middle = 0.5 * (a + b)
        if abs(b - a) < 1e-9 * middle or middle == 0.0:
            mean = 0.5 * (emf1 + emf0)
            source = (mean - middle * self.ohm_source) * middle * seconds
            inlet = (mean - self.drop - middle * self.ohm_total) * middle * seconds
            coulombs = middle * seconds
        else:
            q = self.exponent if middle > self.rated else 0.0
            scale = self.q3600 / piece.slope * (self.rated**q if q else 1.0)
            lin, p, rest = self.lin, self.p, self.lin - self.ohm_source
            source = -scale * (
                self.drop * lin * power_integral(-q, a, b)
                - self.drop * p * power_integral(-2.0 - q, a, b)
                + rest * lin * power_integral(1.0 - q, a, b)
                + p * (lin - rest) * power_integral(-1.0 - q, a, b)
                - p * p * power_integral(-3.0 - q, a, b)
            )
            coulombs = -scale * (lin * power_integral(-q, a, b) - p * power_integral(-2.0 - q, a, b))
            load = self.lin - self.ohm_total
            inlet = -scale * load * lin * power_integral(1.0 - q, a, b) if load else self.p * seconds
        return source, inlet if self.device_w is None else self.device_w * seconds, coulombs


def power_integral(k: float, a: float, b: float) -> float:
    """∫ I^k dI from a to b, for positive a and b."""
    n = k + 1.0
    if isclose(n, 0.0, abs_tol=1e-12):
        return log(b / a)
    if n == -2.0:
        return 0.5 * (1.0 / (a * a) - 1.0 / (b * b))
    return float(b**n - a**n) / n


def bounds(circuit: Circuit, draw: Draw) -> list[tuple[float, Cause]]:
    """EMF at which each condition of the first stretch ends this mode, with its cause."""
    demand = draw.demand
    assert demand is not None
    first = circuit.stretches[0]
    found: list[tuple[float, Cause]] = []
    ohm = drop = 0.0

    def tap(volts: float, cause: Cause) -> None:
        after = (first.resistance_ohm - ohm, first.drop_v - drop)
        found.append((threshold(volts, (ohm, drop), after, demand), cause))

    for element in first.elements:
        if element.trips_v is not None:
            tap(element.trips_v, "pack cut-off")
        ohm += element.resistance_ohm
        drop += element.drop_v
        if element.stage == -1:
            tap(circuit.cutoff_v, "pack cut-off")
    ohm, drop = first.resistance_ohm, first.drop_v
    if circuit.holders:
        holder = circuit.holders[0]
        if holder.input_min_v > 0.0:
            tap(holder.input_min_v, holder.low_cause)
    else:
        tap(circuit.device_min_v, "device minimum")
    found.append((collapse_emf(ohm, drop, demand), "collapse"))
    return found
