"""The supply scale: pack, inlet and the device's window on one vertical axis of volts."""

from __future__ import annotations

from math import ceil, floor
from typing import Any

import msgspec

from hermotrope.drawings.numbers import step, ticks
from hermotrope_core.circuit.pack import flat_volts
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import OVER
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.naming import endless
from hermotrope_core.values.figures import digits, figure, fixed, reach, stated
from hermotrope_core.values.known import maybe

WIDTH, HEIGHT = 340.0, 420.0
TOP, BOTTOM = 18.0, 388.0
PACK, INLET, DEVICE = (58.0, 112.0), (168.0, 204.0), (236.0, 288.0)
LABEL_STEP = 15.0


class Zone(msgspec.Struct, frozen=True):
    """A span of volts in a column: `kind` fits, care or refused."""

    kind: str
    y: float
    height: float


class Label(msgspec.Struct, frozen=True):
    x: float
    y: float
    text: str
    kind: str = ""
    anchor: str = "start"


class Scale(msgspec.Struct, frozen=True):
    """The drawing in a view box of 340 by 420; `low`, `high` are the volts at its bottom and top."""

    low: float
    high: float
    ticks: tuple[tuple[float, str], ...]
    pack: str
    """Points of the pack's trapezoid, wide where it is full; empty without a pack."""
    port_y: float | None
    zones: tuple[Zone, ...]
    rated_y: float | None
    inlet: tuple[float, float] | None
    """Top and height of what arrives at the inlet."""
    inlet_over: bool
    labels: tuple[Label, ...]
    words: str
    readings: tuple[tuple[float, float, str], ...] = ()
    """Measured volts: x, y and in words."""


Read = tuple[str, float]
"""A measured reading: the column it belongs to (pack or inlet) and its volts."""


def supply_scale(case: Case, situation: Situation | None, read: tuple[Read, ...] = ()) -> Scale | None:
    """Lay out the scale, with measured readings as ticks; None while neither pack nor window is known."""
    supply = case.device.supply
    low, rated, high, never = (maybe(getattr(supply, n)) for n in ("min_v", "nominal_v", "max_v", "absolute_max_v"))
    span = pack_span(case)
    arrives = inlet_span(situation) if situation else None
    port = maybe(case.source.regulated_output.output_v) if case.source and case.source.regulated_output else None
    known = [v for v in (low, rated, high, never, port, *(span or ()), *(arrives or ())) if v is not None]
    if not known:
        return None
    bottom, top = ends_of(min(known), max(known))

    def y(v: float) -> float:
        return round(BOTTOM - (v - bottom) / (top - bottom) * (BOTTOM - TOP), 2)

    ends = ("loaded", "idle") if endless(case) else ("flat", "full")
    labels = _pack_labels(span, ends, port, y)
    right = [
        (v, w) for v, w in ((never, "never above"), (high, "most"), (rated, "rated"), (low, "least")) if v is not None
    ]
    labels += _spread([(y(v), f"{stated(v)} {word}") for v, word in right])
    if arrives:
        labels += _inlet_labels(arrives, y)
    over = bool(arrives and high is not None and arrives[1] > high * OVER)
    return Scale(
        low=bottom,
        high=top,
        ticks=tuple((y(v), stated(v)) for v in ticks(bottom, top)),
        pack=_trapezoid(y(span[1]), y(span[0])) if span else "",
        port_y=None if port is None else y(port),
        zones=tuple(_zones((low, high, never), (bottom, top), y)),
        rated_y=None if rated is None else y(rated),
        inlet=(y(arrives[1]), max(2.0, y(arrives[0]) - y(arrives[1]))) if arrives else None,
        inlet_over=over,
        labels=tuple(labels),
        words=_words(span and (span, ends), arrives, right),
        readings=tuple(
            (PACK[1] if column == "pack" else INLET[1], y(min(max(v, bottom), top)), f"read: {fixed(v, 2, 'V')}")
            for column, v in read
        ),
    )


def pack_span(case: Case) -> tuple[float, float] | None:
    """Volts of the pack's cells, flat to full with no current; an adapter that holds its volts has none."""
    if case.source is None or (endless(case) and case.source.regulated_output is not None):
        return None
    stated = maybe(case.source.full_v)
    full = case.source.cells_in_series * CHEMISTRIES[case.source.chemistry].full_v if stated is None else stated
    return flat_volts(case.source), full


def inlet_span(situation: Situation) -> tuple[float, float] | None:
    """Volts at the inlet: nearly empty in the heaviest mode, and full with no current."""
    end = situation.run.final_soc if situation.run else 0.0
    low = situation.at(situation.heaviest, max(end, 0.02))
    top = situation.unloaded[-1]
    return (min(low.inlet_v, top), top) if low.complete else (top, top)


def ends_of(low: float, high: float) -> tuple[float, float]:
    """Round volts a little below and above a span, for the ends of an axis."""
    room = max((high - low) * 0.12, high * 0.04)
    size = step(high - low + 2 * room)
    return max(0.0, floor((low - room) / size) * size), ceil((high + room) / size) * size


def _trapezoid(top: float, bottom: float) -> str:
    left, right = PACK
    return f"{left},{top} {right},{top} {right - 10},{bottom} {left + 10},{bottom}"


def _zones(limits: tuple[float | None, float | None, float | None], ends: tuple[float, float], y: Any) -> list[Zone]:
    low, high, never = limits
    bottom, top = ends

    def zone(kind: str, a: float, b: float) -> Zone:
        return Zone(kind, y(b), round(y(a) - y(b), 2))

    found = []
    if low is not None:
        found.append(zone("care", bottom, low))
    if low is not None and high is not None:
        found.append(zone("fits", low, high))
    if high is not None and never is not None:
        found.append(zone("care", high, never))
    ceiling = never if never is not None else high
    if ceiling is not None:
        found.append(zone("refused", ceiling, top))
    return found


def _spread(wanted: list[tuple[float, str]]) -> list[Label]:
    """Labels right of the window, moved apart where they would overlap."""
    labels, last = [], -1e9
    for y, text in sorted(wanted):
        last = max(y + 4, last + LABEL_STEP)
        labels.append(Label(DEVICE[1] + 18, last, text))
    return labels


def _pack_labels(span: tuple[float, float] | None, ends: tuple[str, str], port: float | None, y: Any) -> list[Label]:
    """Labels of the pack, full and port above what they name, flat below, moved apart where they would overlap."""
    above = [] if span is None else [(y(span[1]) - 5, f"{digits(span[1], 3)} {ends[1]}")]
    flat = [] if span is None else [(y(span[0]) + 14, f"{digits(span[0], 3)} {ends[0]}")]
    if port is not None and span is not None and port < span[0]:
        flat.append((max(y(port) + 14, flat[0][0] + LABEL_STEP), f"{stated(port)} port"))
    elif port is not None:
        above.append((y(port) - 5, f"{stated(port)} port"))
    placed, last = [*flat], 1e9
    for wanted, text in sorted(above, reverse=True):
        last = min(wanted, last - LABEL_STEP)
        placed.append((last, text))
    return [Label(85.0, at, text, "warm", "middle") for at, text in placed]


def _inlet_labels(arrives: tuple[float, float], y: Any) -> list[Label]:
    low, high = arrives
    x = sum(INLET) / 2
    if y(low) - y(high) < LABEL_STEP:
        return [Label(x, y(high) - 6, reach(low, high), "warm", "middle")]
    return [
        Label(x, y(high) - 6, digits(high, 3), "warm", "middle"),
        Label(x, y(low) + 14, digits(low, 3), "warm", "middle"),
    ]


def _words(
    source: tuple[tuple[float, float], tuple[str, str]] | None,
    arrives: tuple[float, float] | None,
    limits: list[tuple[float, str]],
) -> str:
    parts = []
    if source:
        (low, high), (at_low, at_high) = source
        parts.append(f"pack {figure(low, 'V')} {at_low} to {figure(high, 'V')} {at_high}")
    if arrives:
        parts.append(f"inlet sees {digits(arrives[0], 3)} to {figure(arrives[1], 'V')}")
    if limits:
        parts.append("device: " + ", ".join(f"{stated(v, 'V')} {word}" for v, word in limits))
    return "; ".join(parts)
