"""The drill's line with its points: the pack on the left, the plug on the right, the device not connected."""

from __future__ import annotations

import msgspec

from hermotrope_core.prove.drill_line import Line

LEFT, RIGHT, PLUS_Y, MINUS_Y = 96.0, 640.0, 46.0, 130.0
WORDS = {"fuse": "fuse", "switch": "switch", "converter": "converter"}


class LineDrawn(msgspec.Struct, frozen=True):
    """Parts as (x of the middle, words), points as (number, x, y)."""

    parts: tuple[tuple[float, str], ...]
    points: tuple[tuple[int, float, float], ...]
    pack: str
    device: str


def line_drawn(line: Line) -> LineDrawn:
    """Lay it out: points are numbered as `Line.points` counts them, from 1."""
    inner = [part for part in line.parts if part != "lead"]
    step = (RIGHT - LEFT) / (len(inner) + 1)
    xs = [LEFT + step * i for i in range(len(inner) + 1)]
    parts = tuple((round(x + step / 2.0, 1), WORDS[part]) for x, part in zip(xs, inner, strict=False))
    points = [(i + 1, round(x, 1), PLUS_Y) for i, x in enumerate(xs)]
    count = len(points)
    ends = [(count + 1, RIGHT, PLUS_Y), (count + 2, RIGHT, MINUS_Y), (count + 3, LEFT, MINUS_Y)]
    device = f"{line.device_min_v:g}–{line.device_max_v:g} V"
    return LineDrawn(parts, (*points, *ends), "bank" if line.bank else "pack", device)
