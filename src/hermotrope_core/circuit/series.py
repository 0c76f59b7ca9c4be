"""What passes while nothing changes but the charge, on a span of it: seconds, coulombs and joules as polynomials.

On a span without a kink, 1/speed and the powers are smooth functions of the charge. They are taken at Chebyshev's
nodes and integrated term by term; a span on which the last terms have not died away is halved. So a run takes one
short sum per mode change, however many there are, and an error is bounded by what was left out.
"""

from __future__ import annotations

from collections.abc import Callable
from math import cos, pi

NODES = 10
FAINT = 1e-11
"""Share of the mean that the last two terms may have."""
SMALLEST = 1e-5
"""A span of charge is not halved below this."""

_AT = tuple(cos(pi * (j + 0.5) / NODES) for j in range(NODES))
_COS = tuple(
    tuple((1.0 if k == 0 else 2.0) / NODES * cos(k * pi * (j + 0.5) / NODES) for j in range(NODES))
    for k in range(NODES)
)

Sums = tuple[float, ...]
"""Seconds first, then what else is added up; each between two charges."""


class Span:
    """Antiderivatives over a span of charge, each 0 at its upper end and growing downwards."""

    __slots__ = ("_half", "_middle", "high", "low", "series", "smooth")

    def __init__(self, low: float, high: float, rates: Callable[[float], Sums]) -> None:
        """`rates` gives, at a charge, per unit of charge: seconds, and whatever else is to be added up."""
        self.low, self.high = low, high
        self._middle, self._half = 0.5 * (high + low), 0.5 * (high - low)
        taken = [rates(self._middle + self._half * x) for x in _AT]
        self.series: list[tuple[float, ...]] = []
        self.smooth = True
        for values in zip(*taken, strict=True):
            terms = [sum(c * v for c, v in zip(row, values, strict=True)) for row in _COS]
            faint = abs(terms[-1]) + abs(terms[-2])
            self.smooth = self.smooth and faint <= FAINT * max(abs(terms[0]), 1e-300)
            self.series.append(_integral(terms, self._half))

    def sums(self, high: float, low: float) -> Sums:
        """What passes from one charge down to a lower one."""
        a, b = (high - self._middle) / self._half, (low - self._middle) / self._half
        return tuple([_value(one, a) - _value(one, b) for one in self.series])

    def seconds(self, high: float, low: float) -> float:
        """The first of `sums`."""
        a, b = (high - self._middle) / self._half, (low - self._middle) / self._half
        return _value(self.series[0], a) - _value(self.series[0], b)


def _integral(terms: list[float], half: float) -> tuple[float, ...]:
    """Chebyshev series of the antiderivative, scaled by half the width; its constant does not matter."""
    padded = [2.0 * terms[0], *terms[1:], 0.0, 0.0]
    return (0.0, *(half * (padded[k - 1] - padded[k + 1]) / (2.0 * k) for k in range(1, len(terms) + 1)))


def _value(series: tuple[float, ...], x: float) -> float:
    """Clenshaw's sum of a Chebyshev series at x in [-1, 1]."""
    twice, b1, b2 = 2.0 * x, 0.0, 0.0
    for c in series[:0:-1]:
        b1, b2 = c + twice * b1 - b2, b1
    return series[0] + x * b1 - b2


class Spans:
    """A stretch of charge as smooth spans, each made when it is first needed."""

    __slots__ = ("_made", "_rates", "high", "low")

    def __init__(self, low: float, high: float, rates: Callable[[float], Sums]) -> None:
        self.low, self.high, self._rates = low, high, rates
        self._made: list[Span] = []

    def under(self, soc: float) -> Span:
        """The span that lies under a charge; ValueError where none does."""
        if not self._made:
            self._made = _halved(self.low, self.high, self._rates)
        for one in self._made:
            if one.low < soc <= one.high:
                return one
        raise ValueError(f"{soc} lies outside {self.low} to {self.high}")

    def sums(self, high: float, low: float) -> Sums:
        """What passes from one charge down to a lower one."""
        total: Sums = ()
        while high > low:
            span = self.under(high)
            part = span.sums(high, max(low, span.low))
            total = tuple(a + b for a, b in zip(total, part, strict=True)) if total else part
            high = span.low
        return total


def _halved(low: float, high: float, rates: Callable[[float], Sums]) -> list[Span]:
    """Smooth spans from the top down."""
    one = Span(low, high, rates)
    if one.smooth or high - low < SMALLEST:
        return [one]
    middle = 0.5 * (low + high)
    return [*_halved(middle, high, rates), *_halved(low, middle, rates)]
