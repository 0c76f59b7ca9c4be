"""A mode without closed forms: a controller switches it on and off, or something drains the pack beside it.

While it is on, the mode draws; between, only what stands in its way draws (a board by itself, a keep-alive load). Each
law by itself has closed forms (`piece`), their sum has none, nor has one with a current beside it; so time and energy
are added up as series on each piece.
"""

from __future__ import annotations

from hermotrope_core.circuit.piece import ModeLaw, Moment, Passage, Piece
from hermotrope_core.circuit.series import Spans, Sums

NEWTON_STEPS = 50
CLOSE = 1e-14


class Blend:
    """What `ModeLaw` is for a steady mode: `parts` draw in turn, each in its share of the time."""

    __slots__ = ("parts", "q")

    def __init__(self, *parts: ModeLaw) -> None:
        self.parts = parts
        self.q = parts[0].q

    def amps(self, emf: float) -> float:
        """Current from the cells at an EMF while it is on."""
        return self.parts[0].amps(emf)

    def rated_emf(self) -> float:
        """As `ModeLaw.rated_emf`, of the law that draws."""
        return self.parts[0].rated_emf()

    def speed(self, emf: float) -> float:
        """-d(soc)/dt on average, per second."""
        return sum(law.speed(law.amps(emf)) for law in self.parts)

    def rates(self, emf: float) -> Sums:
        """Per unit of charge: seconds, joules from the terminals, joules into the device, coulombs."""
        seconds = 1.0 / self.speed(emf)
        source = device = coulombs = 0.0
        for law in self.parts:
            one = law.watts(emf)
            source, device, coulombs = source + one[0], device + one[1], coulombs + law.share * law.drawn(emf)
        return seconds, seconds * source, seconds * device, seconds * coulombs


class BlendSpan(Passage):
    """What `Span` is for a steady mode."""

    __slots__ = ("bound", "ends", "last", "law", "piece", "series")

    def __init__(self, law: Blend, piece: Piece, stop: float) -> None:
        self.law, self.piece = law, piece
        self.bound = max(piece.low, stop)
        self.ends = stop >= piece.low
        self.series = Spans(self.bound, piece.high, self._rates) if piece.high > self.bound else None
        self.last = self.moment(self.bound)

    def _rates(self, soc: float) -> Sums:
        return self.law.rates(self.piece.emf(soc))

    def moment(self, soc: float) -> Moment:
        emf = self.piece.emf(soc)
        return Moment(soc, emf, self.law.amps(emf), 0.0)

    def seconds(self, start: Moment) -> float:
        return self._sums(start, self.last)[0]

    def after(self, start: Moment, seconds: float) -> Moment:
        """As `Passage.after`: Newton's steps, kept inside."""
        soc = max(self.bound, start.soc - seconds * self.law.speed(start.emf))
        for _ in range(NEWTON_STEPS):
            step = (self._sums(start, self.moment(soc))[0] - seconds) * self.law.speed(self.piece.emf(soc))
            soc = min(start.soc, max(self.bound, soc + step))
            if abs(step) <= CLOSE:
                break
        return self.moment(soc)

    def taken(self, start: Moment, end: Moment, seconds: float) -> tuple[float, float, float]:
        _, source, device, coulombs = self._sums(start, end)
        return source, device, coulombs

    def _sums(self, start: Moment, end: Moment) -> Sums:
        if self.series is None or start.soc <= end.soc:
            return (0.0, 0.0, 0.0, 0.0)
        return self.series.sums(start.soc, end.soc)


def blended(on: ModeLaw, between: ModeLaw | None) -> ModeLaw | Blend:
    """The law of a mode, with what is drawn between where it is on for a share of its time; `on` alone where it can."""
    if between is not None and (between.current or between.p or between.beside):
        return Blend(on, between)
    return Blend(on) if on.beside else on
