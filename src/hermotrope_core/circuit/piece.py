"""One mode on one span of charge: time, energy and charge in closed form.

Between two knots of the EMF table the EMF is linear in charge; along the first stretch of a path a
mode is a constant power, current or resistance. Then everything is a sum of powers of the current.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from math import inf, log, sqrt

import msgspec

from hermotrope_core.circuit.path import Circuit
from hermotrope_core.kinds.effects import Demand

HALLEY_CLOSE = 1e-5
"""Relative change of the current whose cube is below the rounding of a float."""
FLAT = 1e-9
"""Where the EMF rises by less than this share over a piece it counts as constant there."""
LEAST = 1e-100
"""Fewer watts or amperes are none: the squares of such currents vanish."""


class Piece(msgspec.Struct, frozen=True, gc=False):
    """A span of charge in which the EMF is `emf0 + slope (soc - soc0)`."""

    low: float
    high: float
    soc0: float
    emf0: float
    slope: float

    def emf(self, soc: float) -> float:
        return self.emf0 + self.slope * (soc - self.soc0)


Passed = tuple[float, float, float, float, float]
"""What passes while a mode is on: seconds, the charge that is left, joules from the terminals, joules into the device,
coulombs."""


class Moment(msgspec.Struct, frozen=True, gc=False):
    """One mode at one charge: state of charge 0..1, EMF in volts, current from the cells in amperes.

    `clock` is the antiderivative of time there (see `Span.clock`); 0 where none is used.
    """

    soc: float
    emf: float
    amps: float
    clock: float


class ModeLaw:
    """One mode's constants along the first stretch.

    With E = D + L I + P / I (power: L = R, P the watts; resistance: L = R + r, P = 0), the charge
    law d(soc)/dt = -(I / 3600 Q) f(I), f = max(1, I / I_rated)^q, q = p - 1, and dE = slope d(soc):

        t = (3600 Q / slope) ∫ -(L / I - P / I³) / f dI
        W = (3600 Q / slope) ∫ -(D + (L - R_s) I + P / I) (L - P / I²) / f dI   (at the terminals)
        C = (3600 Q / slope) ∫ -(L - P / I²) / f dI                             (coulombs)

    whose integrals are powers of I. A constant current has them directly; without Peukert's law the charge is that of
    the piece, C = 3600 Q d(soc), and with M the mean EMF the rest follows from it and the time:

        ∫ I² dt = ((M - D) C - P t) / L,    W = M C - R_s ∫ I² dt
    """

    __slots__ = (
        "beside",
        "current",
        "device_w",
        "drop",
        "lin",
        "load",
        "ohm_source",
        "ohm_total",
        "own_drop",
        "p",
        "q",
        "q3600",
        "rated",
        "share",
    )

    def __init__(self, circuit: Circuit, demand: Demand, device_w: float | None, share: float = 1.0) -> None:
        first = circuit.stretches[0]
        self.beside = first.shunt_a  # drains the pack beside it, whatever the mode (then `blend` adds up what passes)
        self.share = share  # of the time: what flows then lasts so much longer, and what passes stays the same
        self.q3600 = 3600.0 * circuit.charge_ah / share
        self.rated = circuit.rated_a
        self.q = circuit.peukert - 1.0
        self.drop = first.drop_v + demand.drop_v
        self.own_drop = demand.drop_v  # the device's own: what goes into it there is not lost on the way
        self.ohm_total = first.resistance_ohm
        self.ohm_source = first.elements[0].resistance_ohm
        self.device_w = device_w
        self.p = demand.value if demand.kind == "power" and demand.value > LEAST else 0.0
        self.load = demand.value if demand.kind == "resistance" else 0.0
        self.lin = self.ohm_total + self.load
        self.current = (demand.value if demand.value > LEAST else 0.0) if demand.kind == "current" else None

    def amps(self, emf: float) -> float:
        """Current from the cells at an EMF: `section_amps`, written out because it is the innermost step."""
        if self.current is not None:
            return self.current
        volts = emf - self.drop
        if self.load:
            return volts / self.lin if volts > 0.0 else 0.0
        rest = volts * volts - 4.0 * self.ohm_total * self.p
        if volts <= 0.0:
            return 0.0
        return 2.0 * self.p / (volts + sqrt(rest)) if rest > 0.0 else 2.0 * self.p / volts

    def drawn(self, emf: float) -> float:
        """Amperes that the cells give at an EMF, with what drains them beside."""
        return self.amps(emf) + self.beside

    def speed(self, amps: float) -> float:
        """-d(soc)/dt at a current, per second."""
        amps += self.beside
        fast: float = (amps / self.rated) ** self.q if self.q and amps > self.rated else 1.0
        return amps * fast / self.q3600

    def watts(self, emf: float) -> tuple[float, float]:
        """Watts from the terminals and into the device at an EMF, on average."""
        amps = self.amps(emf)
        inlet_v = emf - self.drop + self.own_drop - amps * self.ohm_total
        inlet = inlet_v * amps if self.device_w is None else self.device_w
        drawn = amps + self.beside
        return self.share * (emf - drawn * self.ohm_source) * drawn, self.share * inlet

    @property
    def parts(self) -> tuple[ModeLaw, ...]:
        """The laws that draw beside each other in it."""
        return (self,)

    def speed_slope(self, amps: float, slope: float) -> float:
        """d(speed)/d(soc) at a current, where the EMF's slope is `slope`."""
        if self.current is not None or amps == 0.0:
            return 0.0
        bend = self.lin - self.p / (amps * amps)
        if bend == 0.0:
            return 0.0
        drawn = amps + self.beside
        growth = 1.0 + self.q if self.q and drawn > self.rated else 1.0
        return slope / bend * growth * self.speed(amps) / drawn

    def rated_emf(self) -> float:
        """EMF at which this mode draws exactly the rated current, where Peukert's law sets in."""
        rest = self.rated - self.beside
        if self.current is not None or rest <= 0.0:
            return -inf
        return self.drop + self.lin * rest + self.p / rest


class Passage(ABC):
    """One mode between two charges: what passes there, out of the moments at which it begins and ends."""

    __slots__ = ()
    ends: bool
    """Whether the mode must stop at the bound; else the next piece follows."""
    last: Moment
    """This mode at the bound."""

    @abstractmethod
    def moment(self, soc: float) -> Moment:
        """This mode at a charge."""

    @abstractmethod
    def seconds(self, start: Moment) -> float:
        """Time from a moment down to the bound."""

    @abstractmethod
    def after(self, start: Moment, seconds: float) -> Moment:
        """The moment `seconds` after `start`, before the bound is reached."""

    @abstractmethod
    def taken(self, start: Moment, end: Moment, seconds: float) -> tuple[float, float, float]:
        """Joules from the terminals, joules into the device and coulombs, between two moments."""

    def through(self, soc: float, left: float) -> Passed:
        """From a charge on, for `left` seconds or down to the bound."""
        start, end = self.moment(soc), self.last
        seconds = self.seconds(start)
        if seconds >= left:
            seconds, end = left, self.after(start, left)
        return (seconds, end.soc, *self.taken(start, end, seconds))


class Span(Passage):
    """One mode on one piece, down to `bound`: the piece's low end, or where the mode must stop."""

    __slots__ = ("bound", "ends", "flat", "last", "law", "piece", "q", "scale")

    def __init__(self, law: ModeLaw, piece: Piece, stop: float) -> None:
        self.law = law
        self.piece = piece
        self.bound = max(piece.low, stop)
        self.ends = stop >= piece.low
        emf = piece.emf0 + piece.slope * (self.bound - piece.soc0)
        amps = law.amps(emf)
        rise = piece.slope * (piece.high - piece.low)
        self.flat = law.current is not None or rise < FLAT * emf or amps == 0.0
        self.q = self.scale = 0.0
        if not self.flat:
            self.q = law.q and self._peukert(law.q)
            self.scale = law.q3600 / piece.slope * (law.rated**self.q if self.q else 1.0)
        self.last = Moment(self.bound, emf, amps, 0.0 if self.flat else self.clock(amps))

    def _peukert(self, q: float) -> float:
        """The exponent that holds on this piece, kept off 1, where a power would become a logarithm."""
        middle = self.law.amps(self.piece.emf(0.5 * (self.piece.high + self.bound)))
        if middle <= self.law.rated:
            return 0.0
        return q if abs(q - 1.0) > 1e-9 else 1.0 - 1e-9

    def clock(self, amps: float) -> float:
        """The antiderivative of time at a current: it falls as the charge does; that fall times `scale` is seconds."""
        law, q = self.law, self.q
        if not q:
            return law.lin * log(amps) + law.p / (2.0 * amps * amps)
        return float(amps**-q) * (law.p / ((2.0 + q) * amps * amps) - law.lin / q)

    def terms(self, amps: float) -> tuple[float, float, float]:
        """Under Peukert's law, antiderivatives at a current: of coulombs, joules at the terminals and ∫ I^(1-q) dI."""
        law, q = self.law, self.q
        lin, p, ohm = law.lin, law.p, law.ohm_source
        square, power = amps * amps, float(amps**-q)
        charge = lin * amps / (1.0 - q) + p / ((1.0 + q) * amps)
        source = law.drop * charge + (lin - ohm) * lin * square / (2.0 - q) + p * (p / ((2.0 + q) * square) - ohm / q)
        return power * charge, power * source, power * square / (2.0 - q)

    def moment(self, soc: float) -> Moment:
        emf = self.piece.emf0 + self.piece.slope * (soc - self.piece.soc0)
        amps = self.law.amps(emf)
        return Moment(soc, emf, amps, 0.0 if self.flat else self.clock(amps))

    def seconds(self, start: Moment) -> float:
        if self.flat:
            return (start.soc - self.bound) / self.law.speed(start.amps) if start.amps else inf
        return self.scale * (start.clock - self.last.clock)

    def after(self, start: Moment, seconds: float) -> Moment:
        """As `Passage.after`.

        Halley's iteration on the time's antiderivative, in the current (the curvature is that of
        q = 0, which only costs an iteration); the charge follows from E = D + L I + P / I.
        """
        law, piece = self.law, self.piece
        if self.flat:
            return self.moment(start.soc - seconds * law.speed(start.amps))
        amps = guess = start.amps
        end, lin, p, q = self.last.amps, law.lin, law.p, self.q
        miss = seconds / self.scale
        target = start.clock - miss
        for _ in range(60):
            square = guess * guess
            rise: float = (lin - p / square) / guess
            bend: float = (3.0 * p / square - lin) / square
            if q:
                fast = guess**-q
                rise, bend = rise * fast, bend * fast
            slope = rise - 0.5 * miss * bend / rise if rise else 0.0
            better = guess - miss / slope if slope else end
            if (better - amps) * (better - end) > 0.0:  # outside the span: halve towards its end
                better = 0.5 * (guess + end)
            close = abs(better - guess) < HALLEY_CLOSE * guess
            guess = better
            if close:
                break
            miss = self.clock(guess) - target
        emf = law.drop + lin * guess + p / guess
        soc = piece.soc0 + (emf - piece.emf0) / piece.slope
        return Moment(min(start.soc, max(self.bound, soc)), emf, guess, target)

    def taken(self, start: Moment, end: Moment, seconds: float) -> tuple[float, float, float]:
        law = self.law
        if self.flat:
            mean = 0.5 * (start.emf + end.emf)
            coulombs = start.amps * seconds
            source = (mean - start.amps * law.ohm_source) * coulombs
            inlet = (mean - law.drop + law.own_drop - start.amps * law.ohm_total) * coulombs
        else:
            if self.q:
                charge1, source1, square1 = self.terms(start.amps)
                charge0, source0, square0 = self.terms(end.amps)
                coulombs, source = self.scale * (charge1 - charge0), self.scale * (source1 - source0)
                squares = law.lin * self.scale * (square1 - square0)
            else:
                mean, coulombs = 0.5 * (start.emf + end.emf), law.q3600 * (start.soc - end.soc)
                squares = ((mean - law.drop) * coulombs - law.p * seconds) / law.lin if law.lin else 0.0
                source = mean * coulombs - law.ohm_source * squares
            inlet = law.p * seconds + law.load * squares + law.own_drop * coulombs
        inlet = inlet if law.device_w is None else law.device_w * seconds
        return source * law.share, inlet * law.share, coulombs * law.share
