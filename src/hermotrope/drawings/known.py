"""What is known of a device, drawn: its window and every piece of evidence on one axis, its draws to scale."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import msgspec

from hermotrope.drawings.letters import width
from hermotrope.drawings.numbers import ticks
from hermotrope_core.know.evidence import Line
from hermotrope_core.plan.device import Device, Mode, peak_watts, rated_watts
from hermotrope_core.plan.spread import known_by, spread_of
from hermotrope_core.values.figures import figure, stated
from hermotrope_core.values.known import maybe, number

WIDE, INSET = 250.0, 34.0
"""Units of a bar's drawing, and how far its scale stays from the edges: the ends' figures stand there."""
TEXT = 11.0
Scale = Callable[[float], float]
"""Volts to units along the drawing."""
UNITS_OF = {"power": "W", "current": "A", "resistance": "Ω", "led": "A", "motor": "A"}
LIMITS = (("min_v", "least"), ("nominal_v", "rated"), ("max_v", "most"), ("absolute_max_v", "never above"))


class Tag(msgspec.Struct, frozen=True):
    """A limit on the scale: where, its figure, and on which line its text stands."""

    x: float
    text_x: float
    y: float
    text: str
    anchor: str
    words: str


class Known(msgspec.Struct, frozen=True):
    """A bar of 250 wide: spans as (x, width); None where nothing is said."""

    span: tuple[float, float] | None = None
    point: float | None = None
    under: float | None = None
    """It fails up to here."""
    over: float | None = None
    """It fails from here on."""
    counts: bool = True


class Window(msgspec.Struct, frozen=True):
    """The window in force, its ticks, and a bar per piece of evidence on the same axis."""

    band: tuple[float, float] | None
    open_low: bool
    open_high: bool
    rated: float | None
    never: float | None
    tags: tuple[Tag, ...]
    ticks: tuple[tuple[float, str], ...]
    bars: tuple[Known, ...]
    words: str


class DrawBar(msgspec.Struct, frozen=True):
    """One mode's watts to scale, with its doubt; `width` None while unknown."""

    name: str
    index: int
    words: str
    width: float | None
    low: float = 0.0
    high: float = 0.0
    peak: float | None = None
    how: str = ""


def window_of(device: Device, lines: Sequence[Line]) -> Window | None:
    """The device's volts on one axis; None while nothing speaks of volts."""
    limits = {name: maybe(getattr(device.supply, name)) for name, _ in LIMITS}
    spoken = [v for line in lines for v in (line.low_v, line.high_v, line.fails_below_v, line.fails_above_v)]
    known = [v for v in (*limits.values(), *spoken) if v is not None]
    if not known:
        return None
    low, high = min(known), max(known)
    room = max(high - low, 0.2 * high)
    low, high = max(0.0, low - 0.12 * room), high + 0.12 * room

    def x(v: float) -> float:
        return round(INSET + (v - low) / (high - low) * (WIDE - 2 * INSET), 1)

    least, rated, most, never = (limits[name] for name, _ in LIMITS)
    band = None
    if least is not None or most is not None:
        left, right = x(least) if least is not None else INSET, x(most) if most is not None else WIDE - INSET
        band = (left, round(right - left, 1))
    said = ", ".join(f"{word} {stated(limits[name] or 0.0, 'V')}" for name, word in LIMITS if limits[name] is not None)
    return Window(
        band,
        least is None,
        most is None,
        x(rated) if rated is not None else None,
        x(never) if never is not None else None,
        tuple(_tags(limits, x)),
        tuple((x(v), stated(v)) for v in ticks(low, high, 4)),
        tuple(_bar(line, x) for line in lines),
        f"Its window: {said or 'open'}",
    )


def _tags(limits: dict[str, float | None], x: Scale) -> list[Tag]:
    """Least and most above the band, rated and never above below it, never one over the other."""
    made = []
    for name, word in LIMITS:
        value = limits[name]
        if value is None:
            continue
        above = name in ("min_v", "max_v")
        text = f"{word} {stated(value, significant=3)}"
        at, anchor = x(value), {"min_v": "end", "max_v": "start"}.get(name, "middle")
        wide = width(text, TEXT)
        if anchor == "end" and at < wide + 2:
            anchor, at = "start", max(2.0, at - 20)
        if anchor == "start" and at + wide > WIDE:
            anchor, at = "end", WIDE - 1
        if anchor == "middle":
            at = min(max(at, wide / 2), WIDE - wide / 2)
        made.append(Tag(x(value), round(at, 1), 11.0 if above else 47.0, text, anchor, f"{word} {figure(value, 'V')}"))
    return _apart(made)


def _apart(tags: list[Tag]) -> list[Tag]:
    """Tags of one line pushed apart where their texts would touch; one that has no room left is dropped."""
    kept: list[Tag] = []
    for one_tag in tags:
        tag = one_tag
        ends = [_ends(one) for one in kept if one.y == one_tag.y]
        left, right = _ends(tag)
        if any(left < b + 4 and a < right + 4 for a, b in ends):
            wide = right - left
            after = max(b for _, b in ends) + 6
            if after + wide > WIDE:
                continue
            tag = msgspec.structs.replace(tag, text_x=round(after, 1), anchor="start")
        kept.append(tag)
    return kept


def _ends(tag: Tag) -> tuple[float, float]:
    wide = width(tag.text, TEXT)
    left = tag.text_x - {"start": 0.0, "middle": wide / 2, "end": wide}[tag.anchor]
    return left, left + wide


def _bar(line: Line, x: Scale) -> Known:
    span = point = None
    if line.low_v is not None and line.high_v is not None:
        left, right = x(line.low_v), x(line.high_v)
        if right - left < 3.0:
            point = left
        else:
            span = (left, round(right - left, 1))
    under = x(line.fails_below_v) if line.fails_below_v is not None else None
    over = x(line.fails_above_v) if line.fails_above_v is not None else None
    return Known(span, point, under, over, line.counts)


def draws_of(device: Device) -> tuple[DrawBar, ...]:
    """Every mode's watts at the rated volts, on one scale, with the doubt of each."""
    rated = maybe(device.supply.nominal_v) or maybe(device.supply.max_v)
    watts = [_watts(mode, rated) for mode in device.modes]
    peaks = [peak_watts(mode, rated) for mode in device.modes]
    halves = [spread_of(mode.draw) if mode.draw is not None else 0.0 for mode in device.modes]
    ends = [w * (1 + half) for w, half in zip(watts, halves, strict=True) if w is not None]
    most = max((*ends, *(peak for peak in peaks if peak is not None)), default=0.0) or 1.0
    scale = (WIDE - 2.0) / most

    def bar(i: int, mode: Mode) -> DrawBar:
        words = figure(number(mode.draw), UNITS_OF[mode.kind]) if mode.draw is not None else "not known"
        if mode.stands_for == "maximum":
            words = f"at most {words}"
        if mode.peak_a is not None or mode.peak_w is not None:
            peak_is = (
                figure(number(mode.peak_a), "A") if mode.peak_a is not None else figure(maybe(mode.peak_w) or 0, "W")
            )
            words += f", peaks at {peak_is}"
        elif mode.stall_a is not None:
            words += f", held fast {figure(number(mode.stall_a), 'A')}"
        w, half, peak = watts[i], halves[i], peaks[i]
        if w is None:
            return DrawBar(mode.name, i, words, None)
        low, high = round(w / (1 + half) * scale, 1), round(w * (1 + half) * scale, 1)
        top = round(peak * scale, 1) if peak else None
        return DrawBar(mode.name, i, words, round(w * scale, 1), low, high, top, known_by(mode.draw))

    return tuple(bar(i, mode) for i, mode in enumerate(device.modes))


def _watts(mode: Mode, rated_v: float | None) -> float | None:
    """Its watts at the rated volts; None while they cannot be told."""
    if mode.draw is None or (mode.kind != "power" and rated_v is None):
        return None
    return rated_watts(mode, rated_v or 0.0)
