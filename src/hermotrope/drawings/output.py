"""What the device gives against the volts it gets, as a small curve."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from hermotrope.drawings.numbers import ticks
from hermotrope_core.plan.device import Device
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import maybe

WIDTH, HEIGHT = 330.0, 150.0
LEFT, RIGHT, TOP, BOTTOM = 44.0, 12.0, 12.0, 26.0


class OutputCurve(msgspec.Struct, frozen=True):
    """The curve with its readings, axes, and the device's window."""

    path: str
    dots: tuple[tuple[float, float], ...]
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    window: tuple[float, float] | None
    unit: str
    words: str


def output_curve(device: Device) -> OutputCurve | None:
    """The curve of a device with a table of output by volts; None where there is none."""
    table = device.output_by_v
    if not table:
        return None
    volts, outputs = [v for v, _ in table], [y for _, y in table]
    low, high = min(volts), max(volts)
    if low == high:
        low, high = low * 0.9, high * 1.1
    top = max(*outputs, 1e-9) * 1.08

    def x(v: float) -> float:
        return round(LEFT + (v - low) / (high - low) * (WIDTH - LEFT - RIGHT), 1)

    def y(value: float) -> float:
        return round(HEIGHT - BOTTOM - value / top * (HEIGHT - TOP - BOTTOM), 1)

    dots = tuple((x(v), y(value)) for v, value in table)
    window = None
    least, most = maybe(device.supply.min_v), maybe(device.supply.max_v)
    if least is not None and most is not None and most > low and least < high:
        window = x(max(least, low)), round(x(min(most, high)) - x(max(least, low)), 1)
    return OutputCurve(
        path="M" + "L".join(f"{px:g} {py:g}" for px, py in dots),
        dots=dots,
        x_ticks=tuple((x(v), stated(v)) for v in ticks(low, high, 5)),
        y_ticks=tuple((y(v), stated(v)) for v in ticks(0.0, top, 4)),
        window=window,
        unit=device.output_unit or "",
        words=f"Output at {len(table)} voltages, from {min(outputs):g} to {max(outputs):g}",
    )


RUN_LEFT, RUN_RIGHT, RUN_TOP, RUN_BOTTOM = 46.0, 406.0, 10.0, 96.0


class OutputLine(msgspec.Struct, frozen=True):
    """The output over a run in a view box of 412 by 118: line, height of the wish, ticks of both axes."""

    line: str
    wish_y: float
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]


def output_over_time(points: Sequence[tuple[float, float]], wish: float, unit: str) -> OutputLine:
    """A line through (seconds, output) with its axes; a wish above it has room too."""
    most = max(*(value for _, value in points), wish) * 1.05 or 1.0
    end = points[-1][0] or 1.0
    wide, high = RUN_RIGHT - RUN_LEFT, RUN_BOTTOM - RUN_TOP
    line = " ".join(f"{RUN_LEFT + wide * t / end:.1f},{RUN_BOTTOM - high * v / most:.1f}" for t, v in points)
    hours = ticks(0.0, end / 3600.0, 5)
    x_ticks = tuple((round(RUN_LEFT + wide * h * 3600.0 / end, 1), stated(h, "h")) for h in hours if h * 3600.0 <= end)
    y_ticks = tuple((round(RUN_BOTTOM - high * v / most, 1), stated(v, unit)) for v in ticks(0.0, most, 3))
    return OutputLine(line, round(RUN_BOTTOM - high * wish / most, 1), x_ticks, y_ticks)
