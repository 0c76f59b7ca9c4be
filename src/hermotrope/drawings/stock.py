"""The shelf on one axis of volts: packs from full to flat with their energy as area; boards by what they hold."""

from __future__ import annotations

from collections.abc import Sequence
from math import sqrt

import msgspec

from hermotrope.drawings.numbers import ticks
from hermotrope_core.circuit.pack import flat_volts, full_volts, rated_wh
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.plan.device import Supply
from hermotrope_core.plan.source import Source
from hermotrope_core.values.figures import figure, reach, stated
from hermotrope_core.values.known import maybe, number

WIDE, TOP, BOTTOM, LEFT = 1200.0, 14.0, 176.0, 44.0
LEAST_WIDE, GAP = 7.0, 5.0
MOST = 60
"""Parts that are drawn; a search finds the others."""
MAINS_V = 90.0
"""What gives more is an inverter: its window says nothing of the device's."""
FLAT_V = 2.0
"""What stands at one voltage is as wide as if it fell by so many volts, or banks would fill the drawing."""
THIN_V = 0.15
"""A span of fewer volts is drawn as high as this."""


class Shape(msgspec.Struct, frozen=True):
    """One part: its place on the shelf's list, a box on the drawing, and the same in words."""

    pk: int
    x: float
    wide: float
    y: float
    high: float
    out_y: float | None
    """Of a board: where the top of what it gives lies; `out_high` is how high that is."""
    out_high: float
    fits: bool | None
    """Whether it lies in the window laid over it; None without one."""
    words: str
    takes_wide: float = 0.0
    """Of a board: how wide what it takes in is drawn, within what it gives."""


class Stock(msgspec.Struct, frozen=True):
    """A drawing `WIDE` by 190: shapes, the axis, and the window of a device as top and height."""

    shapes: tuple[Shape, ...]
    ticks: tuple[tuple[float, str], ...]
    window: tuple[float, float] | None
    words: str


def packs_drawn(packs: Sequence[tuple[int, str, Source]], supply: Supply | None) -> Stock | None:
    """Packs by their volts: each from full to flat, its area its watt-hours; the device's window laid over them."""
    spans = [(pk, name, *_reach(one), rated_wh(one)) for pk, name, one in packs]
    spans = sorted(spans, key=lambda one: (one[3], one[4]))[:MOST]
    if not spans:
        return None
    low, high = _window(supply)
    y = _axis([v for one in spans for v in one[2:4]], low, high)
    area = [wh / max(full - flat, FLAT_V) for _, _, flat, full, wh in spans]
    shares = _widths(area)
    shapes, x = [], LEFT
    for (pk, name, flat, full, wh), wide in zip(spans, shares, strict=True):
        fits = None if low is None or high is None else low <= flat and full <= high
        words = f"{name}: {reach(flat, full, 'V')}, {figure(wh, 'Wh', 2)}"
        shapes.append(Shape(pk, round(x, 1), wide, y(full), _high(y, flat, full), None, 0.0, fits, words + _told(fits)))
        x += wide + GAP
    return _stock(shapes, y, low, high, "Packs on one axis of volts")


def _told(inside: bool | None) -> str:
    """The same in words, for who sees no difference."""
    return "" if inside is None else f"; {'within' if inside else 'not within'} what the device works on"


def _reach(pack: Source) -> tuple[float, float]:
    """Flat and full, volts; what is regulated stands at its port's volts."""
    port = pack.regulated_output
    if port is None:
        return flat_volts(pack), full_volts(pack)
    return number(port.output_v), number(port.output_v)


def boards_drawn(boards: Sequence[tuple[int, str, Holding]], supply: Supply | None) -> Stock | None:
    """Boards by what they take in (left half) and can be set to give (right half)."""
    spans = []
    for pk, name, one in boards:
        takes = (_stated(one, "input_min_v"), _stated(one, "input_max_v"))
        gives = (_stated(one, "adjusts_from_v") or one.held_v, _stated(one, "adjusts_to_v") or one.held_v)
        if takes[0] is not None and takes[1] is not None and gives[1] < MAINS_V:
            spans.append((pk, name, takes[0], takes[1], *gives))
    spans = sorted(spans, key=lambda one: (one[3], one[5]))[:MOST]
    if not spans:
        return None
    low, high = _window(supply)
    y = _axis([v for one in spans for v in one[2:]], low, high)
    wide = round(min(30.0, (WIDE - LEFT) / len(spans) - GAP), 1)
    shapes = []
    for i, (pk, name, least, most, gives_from, gives_to) in enumerate(spans):
        fits = None if low is None or high is None else gives_from <= high and gives_to >= low
        words = f"{name}: takes {reach(least, most, 'V')}, gives {reach(gives_from, gives_to, 'V')}"
        x = round(LEFT + i * (wide + GAP), 1)
        out = (y(gives_to), _high(y, gives_from, gives_to))
        shapes.append(Shape(pk, x, wide, y(most), _high(y, least, most), *out, fits, words + _told(fits), wide / 2))
    return _stock(shapes, y, low, high, "Boards: what they take and what they give, on one axis of volts")


def _stated(part: Holding, name: str) -> float | None:
    """A figure that only some kinds have."""
    return maybe(getattr(part, name, None))


class _Axis:
    """Volts to heights; the square root, so that single cells and tool packs are both seen."""

    def __init__(self, top_v: float) -> None:
        self.top_v = top_v

    def __call__(self, volts: float) -> float:
        share = sqrt(max(volts, 0.0) / self.top_v)
        return round(BOTTOM - (BOTTOM - TOP) * share, 1)


def _axis(known: list[float], low: float | None, high: float | None) -> _Axis:
    return _Axis(max([*known, low or 0.0, high or 0.0, 1.0]) * 1.03)


def _window(supply: Supply | None) -> tuple[float | None, float | None]:
    if supply is None or supply.min_v is None or supply.max_v is None:
        return None, None
    return number(supply.min_v), number(supply.max_v)


def _high(y: _Axis, low: float, high: float) -> float:
    return round(max(y(low) - y(high), y(max(high - THIN_V, 0.0)) - y(high)), 1)


def _widths(area: list[float]) -> list[float]:
    """Widths in proportion, none under the least, together no more than there is room."""
    room = WIDE - LEFT - GAP * len(area)
    least = min(LEAST_WIDE, room / len(area))
    scale = max(room - least * len(area), 0.0) / max(sum(area), 1e-9)
    return [round(least + scale * one, 1) for one in area]


def _stock(shapes: list[Shape], y: _Axis, low: float | None, high: float | None, words: str) -> Stock:
    window = None if low is None or high is None else (y(high), round(y(low) - y(high), 1))
    marks = tuple((y(v), stated(v)) for v in ticks(0.0, y.top_v, 5) if v > 0.0)
    return Stock(tuple(shapes), marks, window, words)
