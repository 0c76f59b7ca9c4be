"""A run: how long the pack lasts under the repeating duty, and what ends it.

Nothing is stepped in time. Between two knots of the EMF table the EMF is linear in charge, so time
and energy have closed forms in the current (see `_Piece`), Peukert's law included. Limits become
thresholds of EMF (`threshold`), hence of charge, so an event is solved for and not searched. Where
a stretch of charge holds very many duty cycles, whole cycles are taken at once along the averaged
flow (`_Run._leap`), so a pulse once a minute for a year costs no more than an hour of it.
"""

from __future__ import annotations

from bisect import bisect_right
from math import inf, isclose, log, sqrt

import msgspec

from hermotrope_core.case import Case, Table, maybe, number
from hermotrope_core.circuit import (
    CAUSES,
    DEFAULT_OFF_DELAY_S,
    Cause,
    Circuit,
    Demand,
    Draw,
    circuit_of,
    draw_of,
    mode_demand,
    point,
    section_amps,
)
import itertools

MARK_SOC = 0.02
"""Largest change of charge between two marks, when marks are kept."""
LEAP_CYCLES = 64
"""Below this many cycles left in a piece they are taken one by one (exact)."""

# Gauss-Legendre nodes and weights on [0, 1], 5 points (Abramowitz & Stegun 25.4.30, mapped).
_r1, _r2 = sqrt(5 - 2 * sqrt(10 / 7)) / 3, sqrt(5 + 2 * sqrt(10 / 7)) / 3
_w1, _w2 = (322 + 13 * sqrt(70)) / 1800, (322 - 13 * sqrt(70)) / 1800
GAUSS = (
    ((1 - _r2) / 2, _w2),
    ((1 - _r1) / 2, _w1),
    (0.5, 64 / 225),
    ((1 + _r1) / 2, _w1),
    ((1 + _r2) / 2, _w2),
)


class NeverEnds(ValueError):
    """The duty draws nothing from the pack, so no runtime can be stated."""


class Mark(msgspec.Struct, frozen=True, gc=False):
    """A moment of a run: seconds since the start, charge left, index of the mode that starts here.

    `cycles` above 1 says that the duty then repeats that many times before the next mark.
    """

    seconds: float
    soc: float
    mode: int
    cycles: int = 1


class Run(msgspec.Struct, frozen=True, gc=False):
    """The result of a run: seconds, cause, state of charge 0..1, watt-hours."""

    runtime_s: float
    end_cause: Cause
    final_soc: float
    energy_from_source_wh: float
    energy_to_device_wh: float
    end_mode: str
    """The mode that was on, or whose turn came, when the run ended."""
    charge_ah: float
    """Ampere-hours drawn from the pack's cells (Peukert's loss not counted)."""
    marks: tuple[Mark, ...]
    """Empty unless asked for."""


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


class _Piece(msgspec.Struct, frozen=True, gc=False):
    """A span of charge in which the EMF is `emf0 + slope (soc - soc0)`."""

    low: float
    high: float
    soc0: float
    emf0: float
    slope: float

    def emf(self, soc: float) -> float:
        return self.emf0 + self.slope * (soc - self.soc0)


class _Mode:
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

    def seconds(self, piece: _Piece, high: float, low: float) -> float:
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
        return -scale * (self.lin * _power(-1.0 - q, a, b) - self.p * _power(-3.0 - q, a, b))

    def taken(self, piece: _Piece, high: float, low: float, seconds: float) -> tuple[float, float, float]:
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
                self.drop * lin * _power(-q, a, b)
                - self.drop * p * _power(-2.0 - q, a, b)
                + rest * lin * _power(1.0 - q, a, b)
                + p * (lin - rest) * _power(-1.0 - q, a, b)
                - p * p * _power(-3.0 - q, a, b)
            )
            coulombs = -scale * (lin * _power(-q, a, b) - p * _power(-2.0 - q, a, b))
            load = self.lin - self.ohm_total
            inlet = -scale * load * lin * _power(1.0 - q, a, b) if load else self.p * seconds
        return source, inlet if self.device_w is None else self.device_w * seconds, coulombs


def _power(k: float, a: float, b: float) -> float:
    """∫ I^k dI from a to b, for positive a and b."""
    n = k + 1.0
    if isclose(n, 0.0, abs_tol=1e-12):
        return log(b / a)
    if n == -2.0:
        return 0.5 * (1.0 / (a * a) - 1.0 / (b * b))
    return float(b**n - a**n) / n


def _bounds(circuit: Circuit, draw: Draw) -> list[tuple[float, Cause]]:
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


def device_watts(circuit: Circuit, draw: Draw, demand: Demand) -> float | None:
    """Watts into the device where a holder fixes its volts; None where they follow the pack."""
    if draw.inlet_v is None:
        return None
    if demand.kind == "power":
        return demand.value
    if demand.kind == "current":
        return demand.value * draw.inlet_v
    return draw.inlet_v**2 / demand.value


class _Run:
    """The state while a run is followed: time, charge, energies, and the thresholds of each mode."""

    def __init__(self, case: Case, keep_marks: bool) -> None:
        self.circuit = circuit = circuit_of(case)
        self.device = len(case.path)
        modes = case.duty_modes()
        self.names = [mode.name for mode in modes]
        self.draws = [draw_of(circuit, mode_demand(mode), self.device) for mode in modes]
        self.modes: list[_Mode | None] = []
        self.stops: list[tuple[float, Cause]] = []
        for mode, draw in zip(modes, self.draws, strict=True):
            if draw.demand is None:
                self.modes.append(None)
                self.stops.append((inf, "collapse"))
                continue
            self.modes.append(_Mode(circuit, draw.demand, device_watts(circuit, draw, mode_demand(mode))))
            emf, cause = max(_bounds(circuit, draw), key=lambda bound: (bound[0], -CAUSES.index(bound[1])))
            self.stops.append((inverse(circuit.emf_by_soc, emf), cause))
        order = {name: i for i, name in enumerate(self.names)}
        self.segments: list[tuple[int, float]] = []
        for segment in case.duty.repeat:
            mode_index, lasts = order[segment.mode], number(segment.seconds)
            if self.segments and self.segments[-1][0] == mode_index:
                self.segments[-1] = (mode_index, self.segments[-1][1] + lasts)
            else:
                self.segments.append((mode_index, lasts))
        if (
            len(self.segments) > 1
            and self.segments[0][0] == self.segments[-1][0]
            and len({m for m, _ in self.segments}) == 1
        ):
            self.segments = [(self.segments[0][0], sum(t for _, t in self.segments))]
        self.cycle_s = sum(t for _, t in self.segments)
        self.floor = circuit.reserve_soc
        self.soc = circuit.start_soc
        self.time = self.source_j = self.device_j = self.drawn_as = 0.0
        self.marks: list[Mark] | None = [] if keep_marks else None
        self.pieces = self._pieces()
        self.off_s = self._auto_off()

    def _pieces(self) -> list[_Piece]:
        """Spans of charge without a kink in any mode, descending."""
        table = self.circuit.emf_by_soc
        cuts = {self.floor, self.soc, *(s for s, _ in table if self.floor < s < self.soc)}
        for mode in self.modes:
            if mode is not None and mode.exponent:
                kink = inverse(table, mode.rated_emf())
                if self.floor < kink < self.soc:
                    cuts.add(kink)
        if self.marks is not None:
            cuts.update(s for i in range(1, int(1 / MARK_SOC)) if self.floor < (s := i * MARK_SOC) < self.soc)
        ladder = sorted(cuts)
        socs = [s for s, _ in table]
        pieces = []
        for low, high in itertools.pairwise(ladder):
            i = bisect_right(socs, 0.5 * (low + high))
            if i in (0, len(socs)):  # outside the table: held flat
                pieces.append(_Piece(low, high, low, table[0 if i == 0 else -1][1], 0.0))
                continue
            (s0, v0), (s1, v1) = table[i - 1], table[i]
            pieces.append(_Piece(low, high, s0, v0, (v1 - v0) / (s1 - s0)))
        return pieces[::-1]

    def _auto_off(self) -> float:
        """Seconds until a bank has stayed under its threshold for its whole delay; inf if never."""
        port = self.circuit.port
        least = maybe(port.output_min_current_a) if port else None
        if port is None or least is None:
            return inf
        given = maybe(port.output_off_delay_s)
        delay = DEFAULT_OFF_DELAY_S if given is None else given
        low = [draw.demand is not None and draw.port_a < least for draw in self.draws]
        if all(low[mode] for mode, _ in self.segments):
            return delay
        time = since = 0.0
        for mode, lasts in self.segments * 2:
            time += lasts
            if not low[mode]:
                since = time
            elif time - since > delay:
                return since + delay
        return inf

    def follow(self) -> Run:
        if not any(mode is None or mode.amps(self.circuit.emf(self.soc)) > 0.0 for mode in self.modes):
            raise NeverEnds("the duty draws nothing from the pack, so it never ends")
        if not self.pieces:
            return self._end("reserve" if self.floor > 0.0 else "empty", self.segments[0][0])
        only = self.segments[0] if len(self.segments) == 1 else None
        while True:
            if only is None:
                self._leap()
            for mode, lasts in self.segments:
                if cause := self._refused(mode):
                    return self._end(cause, mode)
                if self.marks is not None:
                    self.marks.append(Mark(self.time, self.soc, mode))
                if cause := self._segment(mode, inf if only else lasts):
                    return self._end(cause, mode)

    def _end(self, cause: Cause, mode: int) -> Run:
        if self.marks is not None:
            self.marks.append(Mark(self.time, self.soc, mode))
        return Run(
            runtime_s=self.time,
            end_cause=cause,
            final_soc=self.soc,
            energy_from_source_wh=self.source_j / 3600.0,
            energy_to_device_wh=self.device_j / 3600.0,
            end_mode=self.names[mode],
            charge_ah=self.drawn_as / 3600.0,
            marks=tuple(self.marks or ()),
        )

    def _refused(self, mode: int) -> Cause | None:
        """Why this mode cannot start now, or None."""
        draw = self.draws[mode]
        stop, cause = self.stops[mode]
        too_high = bool(self.circuit.holders) and self.circuit.holders[0].input_max_v is not None
        if not draw.breaches and self.soc > stop and not too_high:
            return None
        now = point(self.circuit, draw, self.circuit.emf(self.soc), self.device)
        if now.breaches:
            return now.breaches[0].cause
        return cause if self.soc <= stop else None

    def _piece_at(self, soc: float) -> int:
        for i, piece in enumerate(self.pieces):
            if piece.low < soc:
                return i
        return len(self.pieces) - 1

    def _segment(self, index: int, lasts: float) -> Cause | None:
        """Run one mode for `lasts` seconds or to its end; the cause if it ended."""
        mode = self.modes[index]
        assert mode is not None
        stop, cause = self.stops[index]
        left = min(lasts, self.off_s - self.time)
        switched_off = left < lasts
        i = self._piece_at(self.soc)
        while True:
            piece = self.pieces[i]
            bound = max(piece.low, stop)
            seconds = mode.seconds(piece, self.soc, bound)
            if seconds > left:
                self._go(mode, piece, self._after(mode, piece, left), left)
                return "auto-off" if switched_off else None
            self._go(mode, piece, bound, seconds)
            left -= seconds
            if bound == stop:
                return cause
            if self.marks is not None:
                self.marks.append(Mark(self.time, self.soc, index))
            i += 1
            if i == len(self.pieces):
                return "reserve" if self.floor > 0.0 else "empty"

    def _go(self, mode: _Mode, piece: _Piece, soc: float, seconds: float) -> None:
        source, device, coulombs = mode.taken(piece, self.soc, soc, seconds)
        self.source_j += source
        self.device_j += device
        self.drawn_as += coulombs
        self.time += seconds
        self.soc = soc

    def _after(self, mode: _Mode, piece: _Piece, seconds: float) -> float:
        """Charge after `seconds` of a mode inside a piece, by Newton on the closed form of time."""
        soc = self.soc
        low = max(piece.low, -1.0)
        guess = max(low, soc - seconds * mode.speed(mode.amps(piece.emf(soc))))
        if guess == soc:
            return soc
        for _ in range(50):
            miss = mode.seconds(piece, soc, guess) - seconds
            step = miss * mode.speed(mode.amps(piece.emf(guess)))
            after = min(soc, max(low, guess + step))
            if abs(after - guess) <= 1e-15 or abs(miss) < 1e-9:
                return after
            guess = after
        return guess

    def _leap(self) -> None:
        """Take as many whole cycles at once as fit above the next kink and every mode's stop.

        The cycle map is the flow, for one unit, of the averaged field
        h = Σ τ_i v_i + ½ Σ_{i<j} τ_i τ_j (v_i v_j' - v_j v_i')   (Baker-Campbell-Hausdorff),
        so the cycles between two charges are ∫ d(soc) / h. What is left out is of third order in
        the charge of one cycle, which `LEAP_CYCLES` keeps small.
        """
        if any(draw.breaches for draw in self.draws) or self.circuit_too_high():
            return
        piece = self.pieces[self._piece_at(self.soc)]
        floor = max(piece.low, *(stop for stop, _ in self.stops))
        if self.soc <= floor:
            return
        rough = (self.soc - floor) / -self._field(piece, 0.5 * (self.soc + floor))
        if rough < LEAP_CYCLES:
            return
        cycles = int(min(self._cycles(piece, self.soc, floor), (self.off_s - self.time) / self.cycle_s)) - 1
        if cycles < LEAP_CYCLES // 2:
            return
        span = self.soc - floor
        soc = self.soc - span * cycles / rough
        for _ in range(50):
            miss = self._cycles(piece, self.soc, soc) - cycles
            after = min(self.soc, max(floor, soc - miss * self._field(piece, soc)))
            if abs(miss) < 1e-10 * cycles:
                break
            soc = after
        self._count(piece, soc, cycles)

    def circuit_too_high(self) -> bool:
        """True while a mode would be refused for a converter's input being too high."""
        holders = self.circuit.holders
        if not holders or holders[0].input_max_v is None:
            return False
        return any(self._refused(mode) is not None for mode, _ in self.segments)

    def _field(self, piece: _Piece, soc: float) -> float:
        """Change of charge per cycle, to second order; negative."""
        emf = piece.emf(soc)
        total = bend = behind = behind_slope = 0.0
        for index, lasts in self.segments:
            mode = self.modes[index]
            assert mode is not None
            amps = mode.amps(emf)
            v, slope = -mode.speed(amps) * lasts, -mode.speed_slope(amps, piece.slope) * lasts
            bend += behind * slope - v * behind_slope
            behind += v
            behind_slope += slope
            total += v
        return total + 0.5 * bend

    def _cycles(self, piece: _Piece, high: float, low: float) -> float:
        span = high - low
        return -sum(w * span / self._field(piece, low + x * span) for x, w in GAUSS)

    def _count(self, piece: _Piece, soc: float, cycles: int) -> None:
        span = self.soc - soc
        for x, w in GAUSS:
            at_soc = soc + x * span
            emf = piece.emf(at_soc)
            weight = -w * span / self._field(piece, at_soc)
            for index, lasts in self.segments:
                mode = self.modes[index]
                assert mode is not None
                amps = mode.amps(emf)
                self.source_j += weight * lasts * (emf - amps * mode.ohm_source) * amps
                inlet = (emf - mode.drop - amps * mode.ohm_total) * amps
                self.device_j += weight * lasts * (inlet if mode.device_w is None else mode.device_w)
                self.drawn_as += weight * lasts * amps
        if self.marks is not None:
            self.marks.append(Mark(self.time, self.soc, self.segments[0][0], cycles))
        self.time += cycles * self.cycle_s
        self.soc = soc


def run(case: Case, *, marks: bool = False) -> Run:
    """Follow a finished case to its end.

    Returns a `Run`; `marks` adds the moments at which modes change. Raises `NeverEnds` if the duty
    draws nothing, and ValueError for a case without source or with an unknown draw.
    """
    return _Run(case, marks).follow()
