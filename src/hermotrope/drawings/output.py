"""What the device gives against the volts it gets, as a small curve."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from hermotrope.drawings.numbers import ticks
from hermotrope_core.case import Device, maybe

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
        x_ticks=tuple((x(v), f"{v:g}") for v in ticks(low, high, 5)),
        y_ticks=tuple((y(v), f"{v:g}") for v in ticks(0.0, top, 4)),
        window=window,
        unit=device.output_unit or "",
        words=f"Output at {len(table)} voltages, from {min(outputs):g} to {max(outputs):g}",
    )


class OutputLine(msgspec.Struct, frozen=True):
    """The output over a run in a view box of 412 by 104, and the height of the wish."""

    line: str
    wish_y: float


def output_over_time(points: Sequence[tuple[float, float]], wish: float) -> OutputLine:
    """A line through (seconds, output); a wish far above it stays at the top edge."""
    most = max(value for _, value in points) or 1.0
    end = points[-1][0] or 1.0
    line = " ".join(f"{6 + 400 * seconds / end:.1f},{96 - 84 * value / most:.1f}" for seconds, value in points)
    return OutputLine(line, round(96 - 84 * min(wish / most, 1.1), 1))
