"""A run: how long the pack lasts under the repeating duty, and what ends it.

Nothing is stepped in time. Between two knots of the EMF table the EMF is linear in charge, so time
and energy have closed forms in the current (module `piece`), Peukert's law included. Limits become
thresholds of EMF (module `thresholds`), hence of charge, so an event is solved for and not searched. Where
a stretch of charge holds very many duty cycles, whole cycles are taken at once along the averaged
flow (`_Run._leap`), so a pulse once a minute for a year costs no more than an hour of it.
"""

from __future__ import annotations

from itertools import pairwise
from math import inf, sqrt

import msgspec

from hermotrope_core.circuit.asleep import off_after
from hermotrope_core.circuit.blend import Blend, BlendSpan, blended
from hermotrope_core.circuit.path import Circuit, circuit_of
from hermotrope_core.circuit.piece import ModeLaw, Passage, Piece, Span
from hermotrope_core.circuit.point import Draw, draw_of, mode_demand, point
from hermotrope_core.circuit.power_span import PowerSpan
from hermotrope_core.circuit.steady import SURELY, descend, too_high
from hermotrope_core.circuit.thresholds import inverse, last_emf, next_draw
from hermotrope_core.kinds.effects import Cause, Demand
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode
from hermotrope_core.values.known import maybe

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


def device_watts(draw: Draw, demand: Demand) -> float | None:
    """Watts into the device where a holder fixes its volts; None where they follow the pack."""
    if draw.inlet_v is None:
        return None
    if demand.kind == "power":
        return demand.value
    if demand.kind == "current":
        return demand.value * draw.inlet_v
    return draw.inlet_v * (draw.inlet_v - demand.drop_v) / demand.value


NOTHING = Demand("power", 0.0)
"""What a device asks for between the pulses of its controller."""


def _laws(draw: Draw, mode: Mode, asked: Demand) -> list[tuple[float, ModeLaw | Blend]]:
    """A mode's law with the charge down to which it holds, then that which it falls to; empty where it never runs."""
    if draw.demand is None:
        return []
    on = ModeLaw(draw.circuit, draw.demand, device_watts(draw, asked), mode.share)
    between = None
    if mode.share < 1.0:
        idle = draw_of(draw.circuit, NOTHING, draw.device)
        between = None if idle.demand is None else ModeLaw(draw.circuit, idle.demand, 0.0, 1.0 - mode.share)
    law = blended(on, between)
    turn, below = next_draw(draw)
    until = draw.circuit.weaker_soc if below is draw.weaker else inverse(draw.circuit.emf_by_soc, turn)
    return [(until, law), *(_laws(below, mode, asked) if below else ())]


def _stop(draw: Draw) -> tuple[float, Cause]:
    """The charge at or below which a mode must stop, with its cause."""
    emf, cause = last_emf(draw)
    return inverse(draw.circuit.emf_by_soc, emf), cause


def _floor_cause(circuit: Circuit) -> Cause:
    return "reserve" if circuit.reserve_soc > 0.0 else "empty"


def _tame(circuit: Circuit) -> float:
    """The charge from which on the first part that holds its volts can no longer get too many; inf: never does."""
    most = circuit.holders[0].input_max_v if circuit.holders else None
    return inf if most is None else inverse(circuit.emf_by_soc, most * SURELY)


def _steady(case: Case, circuit: Circuit, draws: list[Draw] | None) -> Run | None:
    """One mode all the time, ended by nothing but its charge: the commonest run; None where it must be followed."""
    if len(case.duty.repeat) != 1 or case.duty.once or circuit.port is not None:
        return None
    (mode,) = case.duty_modes()
    asked = mode_demand(mode)
    draw = draws[0] if draws else draw_of(circuit, asked, len(case.path))
    laws = _laws(draw, mode, asked)
    (stop, cause), floor = _stop(draw), circuit.reserve_soc
    if len(laws) != 1 or draw.breaches or circuit.start_soc <= max(stop, floor):
        return None
    law = laws[0][1]
    if isinstance(law, Blend) or too_high(circuit, law):
        return None
    fall = descend(law, circuit.emf_by_soc, circuit.start_soc, max(stop, floor))
    if fall is None:
        return None
    return Run(
        runtime_s=fall.seconds,
        end_cause=cause if stop >= floor else _floor_cause(circuit),
        final_soc=fall.soc,
        energy_from_source_wh=fall.source_j / 3600.0,
        energy_to_device_wh=fall.device_j / 3600.0,
        end_mode=mode.name,
        charge_ah=fall.coulombs / 3600.0,
        marks=(),
    )


class _Run:
    """The state while a run is followed: time, charge, energies, and the thresholds of each mode."""

    def __init__(self, case: Case, circuit: Circuit, keep_marks: bool, draws: list[Draw] | None = None) -> None:
        self.circuit = circuit
        modes = case.duty_modes()
        self.names = [mode.name for mode in modes]
        asked = [mode_demand(mode) for mode in modes]
        self.draws = draws or [draw_of(circuit, one, len(case.path)) for one in asked]
        self.laws: list[list[tuple[float, ModeLaw | Blend]]] = []
        """Per mode: its law, and the charge down to which it holds; several where a board passes its input on."""
        self.stops: list[tuple[float, Cause]] = []
        for mode, draw, one in zip(modes, self.draws, asked, strict=True):
            self.laws.append(_laws(draw, mode, one))
            self.stops.append(_stop(draw))
        self.segments = [(self.names.index(mode), lasts) for mode, lasts in case.duty.turns()]
        self.cycle_s = sum(t for _, t in self.segments)
        self.once = case.duty.once
        self.floor = circuit.reserve_soc
        self.soc = circuit.start_soc
        self.time = self.source_j = self.device_j = self.drawn_as = 0.0
        self.marks: list[Mark] | None = [] if keep_marks else None
        self.pieces: list[Piece] = []
        self.here = 0
        self.stepped = -1
        """Piece in which too few cycles are left for a leap."""
        self.fell = 0.0
        """How much charge the last cycle took that was followed step by step."""
        self.tame = _tame(circuit)
        self.spans: dict[tuple[int, int], Passage] = {}
        self.off_s = self._auto_off()

    def _pieces(self) -> list[Piece]:
        """Spans of charge without a kink in any mode, descending."""
        table = self.circuit.emf_by_soc
        cuts = [s for s, _ in table]
        for laws in self.laws:
            for until, law in laws:
                cuts.append(until)
                if law.q:
                    cuts.append(inverse(table, law.rated_emf()))
        if self.marks is not None:
            cuts += [i * MARK_SOC for i in range(1, int(1 / MARK_SOC))]
        floor, top = self.floor, self.soc
        ladder = [floor, *sorted({s for s in cuts if floor < s < top}), top]
        pieces, i, last = [], 0, len(table) - 1
        for low, high in pairwise(ladder):
            while i < last and table[i + 1][0] <= low:
                i += 1
            s0, v0 = table[i]
            if low < s0 or i == last:  # outside the table: held flat
                pieces.append(Piece(low, high, s0, v0, 0.0))
                continue
            s1, v1 = table[i + 1]
            pieces.append(Piece(low, high, s0, v0, (v1 - v0) / (s1 - s0)))
        return pieces[::-1]

    def _auto_off(self) -> float:
        """Seconds until a bank has stayed under its threshold for its whole delay; inf if never."""
        port = self.circuit.port
        least = maybe(port.output_min_current_a) if port else None
        if port is None or least is None:
            return inf
        low = [draw.demand is not None and draw.port_a < least for draw in self.draws]
        return off_after(low, self.segments, port.sleeps_after_s, once=self.once)

    def follow(self) -> Run:
        full = self.circuit.emf(self.soc)
        draws = any(not laws or laws[0][1].parts[0].drawn(full) > 0.0 for laws in self.laws)
        if not draws and not self.once:
            raise NeverEnds("the duty draws nothing from the pack, so it never ends")
        if self.soc <= self.floor:
            first = self.segments[0][0]
            return self._end(self._refused(first) or _floor_cause(self.circuit), first)
        for_ever = len(self.segments) == 1 and not self.once
        self.pieces = self._pieces()
        while True:
            if len(self.segments) > 1 and not self.once:
                self._leap()
            before = self.soc
            for mode, lasts in self.segments:
                if cause := self._refused(mode):
                    return self._end(cause, mode)
                if self.marks is not None:
                    self.marks.append(Mark(self.time, self.soc, mode))
                if cause := self._segment(mode, inf if for_ever else lasts):
                    return self._end(cause, mode)
            self.fell = before - self.soc
            if self.once:
                return self._end("programme over", self.segments[-1][0])

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
        if stop < self.soc <= self.tame and not draw.breaches:
            return None
        now = point(draw, self.circuit.emf(self.soc))
        if now.breaches:
            return now.breaches[0].cause
        return cause if self.soc <= stop else None

    def _span(self, index: int) -> Passage:
        """A mode on the present piece, kept for its next turn."""
        piece = self.pieces[self.here]
        law, stop = self._law(index, piece), self.stops[index][0]
        if isinstance(law, Blend):
            span: Passage = BlendSpan(law, piece, stop)
        else:
            span = PowerSpan(law, piece, stop) if PowerSpan.fits(law, piece, stop) else Span(law, piece, stop)
        self.spans[index, self.here] = span
        return span

    def _law(self, index: int, piece: Piece) -> ModeLaw | Blend:
        """The law that a mode follows on a piece, which no change of law cuts."""
        laws = self.laws[index]
        if len(laws) == 1:
            return laws[0][1]
        middle = 0.5 * (piece.low + piece.high)
        return next((law for until, law in laws if middle > until), laws[-1][1])

    def _segment(self, index: int, lasts: float) -> Cause | None:
        """Run one mode for `lasts` seconds or to its end; the cause if it ended."""
        left = min(lasts, self.off_s - self.time)
        switched_off = left < lasts
        while True:
            span = self.spans.get((index, self.here)) or self._span(index)
            seconds, self.soc, source, device, coulombs = span.through(self.soc, left)
            self.time += seconds
            self.source_j += source
            self.device_j += device
            self.drawn_as += coulombs
            if seconds == left:
                return "auto-off" if switched_off else None
            left -= seconds
            if span.ends:
                return self.stops[index][1]
            self.here += 1
            if self.here == len(self.pieces):
                return _floor_cause(self.circuit)
            if self.marks is not None:
                self.marks.append(Mark(self.time, self.soc, index))

    def _leap(self) -> None:
        """Take as many whole cycles at once as fit above the next kink and every mode's stop.

        The cycle map is the flow, for one unit, of the averaged field
        h = Σ τ_i v_i + ½ Σ_{i<j} τ_i τ_j (v_i v_j' - v_j v_i')   (Baker-Campbell-Hausdorff),
        so the cycles between two charges are ∫ d(soc) / h. What is left out is of third order in
        the charge of one cycle, which `LEAP_CYCLES` keeps small.
        """
        piece = self.pieces[self.here]
        if self.here == self.stepped or self.soc - piece.low < LEAP_CYCLES * self.fell:
            return
        if any(draw.breaches for draw in self.draws) or self._too_high():
            return
        floor = max(piece.low, *(stop for stop, _ in self.stops))
        if self.soc <= floor:
            return
        rough = (self.soc - floor) / -self._field(piece, 0.5 * (self.soc + floor))
        if rough < LEAP_CYCLES:
            self.stepped = self.here
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

    def _too_high(self) -> bool:
        """True while a mode would be refused for a converter's input being too high."""
        return self.soc > self.tame and any(self._refused(mode) is not None for mode, _ in self.segments)

    def _field(self, piece: Piece, soc: float) -> float:
        """Change of charge per cycle, to second order; negative."""
        emf = piece.emf(soc)
        total = bend = behind = behind_slope = 0.0
        for index, lasts in self.segments:
            v = slope = 0.0
            for law in self._law(index, piece).parts:
                amps = law.amps(emf)
                v -= law.speed(amps) * lasts
                slope -= law.speed_slope(amps, piece.slope) * lasts
            bend += behind * slope - v * behind_slope
            behind += v
            behind_slope += slope
            total += v
        return total + 0.5 * bend

    def _cycles(self, piece: Piece, high: float, low: float) -> float:
        span = high - low
        return -sum(w * span / self._field(piece, low + x * span) for x, w in GAUSS)

    def _count(self, piece: Piece, soc: float, cycles: int) -> None:
        span = self.soc - soc
        for x, w in GAUSS:
            at_soc = soc + x * span
            emf = piece.emf(at_soc)
            weight = -w * span / self._field(piece, at_soc)
            for index, lasts in self.segments:
                for law in self._law(index, piece).parts:
                    source_w, device_w = law.watts(emf)
                    self.source_j += weight * lasts * source_w
                    self.device_j += weight * lasts * device_w
                    self.drawn_as += weight * lasts * law.share * law.drawn(emf)
        if self.marks is not None:
            self.marks.append(Mark(self.time, self.soc, self.segments[0][0], cycles))
        self.time += cycles * self.cycle_s
        self.soc = soc


def run(case: Case, *, marks: bool = False, circuit: Circuit | None = None, draws: list[Draw] | None = None) -> Run:
    """Follow a finished case to its end.

    Returns a `Run`; `marks` adds the moments at which modes change; `circuit` and `draws` (one per mode
    of the duty) are those of the case, where they are known already. Raises `NeverEnds` if the duty
    draws nothing, and ValueError for a case without source or with an unknown draw.
    """
    if case.source is not None and CHEMISTRIES[case.source.chemistry].endless:
        raise NeverEnds("a wall adapter does not run empty: it lasts as long as the mains")
    if circuit is None:
        circuit = circuit_of(case)
    ended = None if marks else _steady(case, circuit, draws)
    return _Run(case, circuit, marks, draws).follow() if ended is None else ended
