"""Ten levels, from swapped leads to a joint that shows only under load; more are drawn from a seed."""

from __future__ import annotations

import random

import msgspec

from hermotrope_core.prove.drill_line import LINES, SIZES, WIDE, FaultKind, Hidden, Line


class Level(msgspec.Struct, frozen=True):
    """A line with its hidden fault, and how many readings there are before somebody else switches it on."""

    key: str
    title: str
    line: Line
    hidden: Hidden
    readings: int


SHIPPED: tuple[tuple[str, int, FaultKind, int], ...] = (
    ("Which way round", 0, "reversed-plug", 12),
    ("Dead", 0, "no-link", 12),
    ("Too much of it", 1, "set-high", 12),
    ("All well?", 4, "none", 10),
    ("Sleepy", 2, "sleepy", 10),
    ("One wire", 1, "broken-minus", 10),
    ("Always on", 1, "stuck-switch", 9),
    ("Tired", 0, "weak-pack", 8),
    ("Touching", 3, "short", 8),
    ("Only under load", 3, "dry-joint", 8),
)
"""Title, line, fault, readings."""


def level(key: str) -> Level:
    """A level by its key: ``1`` to ``10``, or ``s`` and a number for one that is drawn. Raises ValueError."""
    if key.isascii() and key.isdigit() and len(key) < 3 and 1 <= int(key) <= len(SHIPPED):
        title, at, kind, readings = SHIPPED[int(key) - 1]
        return Level(key, title, LINES[at], _sized(kind, random.Random(key)), readings)
    if key[:1] == "s" and key[1:].isascii() and key[1:].isdigit() and len(key) <= 10:
        dice = random.Random(key)
        line = dice.choice(LINES)
        return Level(key, f"Drawn, {key[1:]}", line, _sized(dice.choice(line.faults()), dice), 9)
    raise ValueError("there is no such level")


def _sized(kind: FaultKind, dice: random.Random) -> Hidden:
    return Hidden(kind, SIZES.get(kind, 1.0) * (1.0 + WIDE * (2.0 * dice.random() - 1.0) * (kind in SIZES)))
