"""Ways side by side: small supply scales, larger ones on one axis, run curves, and what each is good at."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Literal, cast

import msgspec

from hermotrope.drawings.chart import run_chart
from hermotrope.drawings.numbers import step, ticks
from hermotrope.drawings.scale import ends_of, inlet_span, pack_span
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.match.rank import Term
from hermotrope_core.parts.craft import OVER
from hermotrope_core.plan.device import Supply
from hermotrope_core.values.figures import digits, duration, reach, stated
from hermotrope_core.values.known import maybe

SMALL_HEIGHT = 84.0
SMALL_FROM, SMALL_TO = 0.55, 1.5
"""A small scale reaches from this part of the least to this multiple of the most volts of the device."""
LARGE = (22.0, 190.0)
"""Top and bottom of the larger scales, in a drawing 222 high."""
COLUMN, FIRST = 96.0, 58.0
CURVE_BOX = (40.0, 12.0, 450.0, 190.0)
"""Left, top, right and bottom of the run curves' plot."""
COLUMNS = {"pack": 1, "inlet": 2}
"""Of the chart's series."""
BAR_HEIGHT = 26.0
TERM_NAMES = {"longest": "run", "lightest": "mass", "cheapest": "cost", "least-work": "work", "reversible": "undo"}


class Span(msgspec.Struct, frozen=True):
    """A pack and what arrives at the inlet, in the drawing's units: tops and bottoms."""

    x: float
    pack: tuple[float, float]
    inlet: tuple[float, float]
    pack_words: tuple[str, str]
    inlet_words: str
    over: bool


class Scales(msgspec.Struct, frozen=True):
    """Several ways on one axis of volts; `window` is the top and height of what the device works on."""

    width: float
    ticks: tuple[tuple[float, str], ...]
    window: tuple[float, float] | None
    never_y: float | None
    spans: tuple[Span, ...]
    words: str


def scales(situations: Sequence[Situation], *, small: bool) -> Scales:
    """Lay ways out on one axis: small for a list (84 high, each drawn by itself), or larger, side by side."""
    supply = situations[0].case.device.supply
    low, high, never = (maybe(getattr(supply, name)) for name in ("min_v", "max_v", "absolute_max_v"))
    found = [(_outside(s), cast(tuple[float, float], inlet_span(s))) for s in situations]
    known = [v for pack, inlet in found for v in (*pack, *inlet)] + [v for v in (low, high) if v is not None]
    bottom, top = ends_of(min(known), max(known))
    if small and low is not None and high is not None:  # the window stays large; what is far outside is cut off
        bottom, top = SMALL_FROM * low, SMALL_TO * high
    upper, lower = (5.0, SMALL_HEIGHT - 5.0) if small else LARGE

    def y(volts: float) -> float:
        at = lower - (volts - bottom) / (top - bottom) * (lower - upper)
        return round(min(SMALL_HEIGHT - 1.0, max(1.0, at)) if small else at, 1)

    spans = []
    for i, (pack, inlet) in enumerate(found):
        x = 0.0 if small else FIRST + i * COLUMN
        most = max(y(inlet[0]), y(inlet[1]) + 3.0)
        over = high is not None and inlet[1] > high * OVER
        spans.append(
            Span(x, (y(pack[1]), max(y(pack[0]), y(pack[1]) + 3.0)), (y(inlet[1]), most),
                 (digits(pack[1], 3), digits(pack[0], 3)), reach(*inlet), over)
        )  # fmt: skip
    return Scales(
        width=FIRST + len(found) * COLUMN,
        ticks=tuple((y(v), stated(v)) for v in ticks(bottom, top)),
        window=None if low is None or high is None else (y(high), round(y(low) - y(high), 1)),
        never_y=y(never) if never is not None and never <= top else None,
        spans=tuple(spans),
        words=_words(supply, spans),
    )


def _outside(situation: Situation) -> tuple[float, float]:
    """What leaves the source: a bank's port stands at one voltage."""
    port = situation.source.regulated_output
    if port is not None:
        held = situation.circuit.holders[0].output_v
        return held, held
    return pack_span(situation.case) or (0.0, 0.0)


def _words(supply: Supply, spans: Sequence[Span]) -> str:
    low, high = maybe(supply.min_v), maybe(supply.max_v)
    each = "; ".join(f"pack {s.pack_words[1]} to {s.pack_words[0]} V, inlet {s.inlet_words} V" for s in spans)
    return f"Device {stated(low)} to {stated(high, 'V')}. {each}" if low is not None and high is not None else each


class Curve(msgspec.Struct, frozen=True):
    """The volts of one way over time as a line, and where its name stands."""

    points: str
    end_x: float
    end_y: float
    label: str
    number: int


class Curves(msgspec.Struct, frozen=True):
    """Run curves on one axis of hours."""

    curves: tuple[Curve, ...]
    hours: tuple[tuple[float, str], ...]
    volts: tuple[tuple[float, str], ...]
    window: tuple[float, float] | None


def curves(situations: Sequence[Situation], at: Literal["inlet", "pack"] = "inlet") -> Curves | None:
    """Volts of several ways over time, at the inlet with its window or at the pack; None where none of them ends."""
    found: list[tuple[int, list[float], list[float], float]] = []
    for number, situation in enumerate(situations, start=1):
        if situation.run is None or situation.run.runtime_s <= 0.0:
            continue
        made = run_chart(situation, run(situation.case, marks=True), None)["series"]
        pairs = [(t, v) for t, v in zip(made[0], made[COLUMNS[at]], strict=True) if v is not None]
        found.append((number, [t for t, _ in pairs], [v for _, v in pairs], situation.run.runtime_s))
    if not found:
        return None
    left, top, right, bottom = CURVE_BOX
    longest = max(end for *_, end in found)
    supply = situations[0].case.device.supply
    low, high = (maybe(supply.min_v), maybe(supply.max_v)) if at == "inlet" else (None, None)
    every = [v for _, _, volts, _ in found for v in volts] + [v for v in (low, high) if v is not None]
    least, most = ends_of(min(every), max(every))

    def x(seconds: float) -> float:
        return round(left + seconds / longest * (right - left - 24.0), 1)

    def y(volts: float) -> float:
        return round(bottom - (volts - least) / (most - least) * (bottom - top), 1)

    made_curves = []
    for number, times, volts, end in found:
        points = _thin([(x(t), y(v)) for t, v in zip(times, volts, strict=True)])
        made_curves.append(Curve(" ".join(f"{a},{b}" for a, b in points), x(end), points[-1][1], duration(end), number))
    unit = step(longest / 3600.0)
    marks, hour = [], 0.0
    while hour <= longest / 3600.0 + 1e-9:
        marks.append((x(hour * 3600.0), stated(hour, "h")))
        hour += unit
    return Curves(
        tuple(made_curves),
        tuple(marks),
        tuple((y(v), stated(v)) for v in ticks(least, most)),
        None if low is None or high is None else (y(high), round(y(low) - y(high), 1)),
    )


def _thin(points: list[tuple[float, float]], most: int = 700) -> list[tuple[float, float]]:
    stride = -(-len(points) // most)
    return points[::stride] + points[-1:]


def term_bars(terms: Sequence[Term]) -> list[dict[str, Any]]:
    """How good a way is at each wish: bars by its share of the best, wide by how much the wish counts."""
    total = sum(term.weight for term in terms) or 1.0
    bars, x = [], 0.0
    for term in terms:
        width = 14.0 + 40.0 * term.weight / total
        height = max(1.5, BAR_HEIGHT * term.share)
        bars.append(
            {
                "x": round(x, 1),
                "y": round(BAR_HEIGHT - height, 1),
                "width": round(width, 1),
                "height": round(height, 1),
                "middle": round(x + width / 2, 1),
                "name": TERM_NAMES[term.wish],
                "share": round(60.0 * term.share, 1),
                "counts": term.weight > 0.0,
                "words": f"{term.wish.replace('-', ' ')}: {100 * term.share:.0f} % of the best",
            }
        )
        x += width + 3.0
    return bars
