"""Judging one reading against its window; and reading what people type off a meter."""

from __future__ import annotations

import re
from math import inf, isfinite

import msgspec

from hermotrope_core.prove.gate import Ask, Level
from hermotrope_core.values.figures import duration, figure, fixed
from hermotrope_core.values.quantity import QuantityError, parse

OVERLOAD = 9.0e37
"""Instruments answer 9.9e37 for an overload (SCPI-99, volume 1, 7.2.1.4)."""
OPEN_READING = 9.9e37
"""How an open circuit (OL) is written, as instruments do."""
WIDEST = 1e12
_OPEN = re.compile(r"^\s*(o\.?l\.?|open|∞|inf(inite)?|over ?load)\s*$", re.IGNORECASE)


def stored(value: float) -> float:
    """A reading as it is kept: an open circuit as 9.9e37, as instruments write it."""
    return OPEN_READING if value == inf else value


def as_read(value: float) -> float:
    """A kept reading as it is judged."""
    return inf if value >= OVERLOAD else value


LEVEL_WORDS: dict[Level, str] = {"pass": "As expected", "note": "Fine, but note", "fail": "Not yet", "stop": "Stop"}


class Judgement(msgspec.Struct, frozen=True):
    """The level of a reading and what it usually means."""

    level: Level
    says: str


def judge(ask: Ask, value: float) -> Judgement:
    """The first rule that holds the reading; else whether it lies in the window. `value` may be infinite (OL)."""
    for rule in ask.rules:
        if rule.low <= value < rule.high or (value == inf and rule.high == inf):
            return Judgement(rule.level, rule.says)
    if ask.low <= value <= ask.high:
        return Judgement("pass", "as expected")
    side = "under" if value < ask.low else "over"
    return Judgement(
        "fail", f"{written(value, ask.unit)} is {side} what this plan gives: find out why before you go on"
    )


def read_reading(text: str, ask: Ask) -> float:
    """A typed reading in the unit of the ask; OL reads as infinite ohms. Raises `QuantityError`."""
    if _OPEN.match(text):
        if ask.meter in ("ohms", "diode"):
            return inf
        raise QuantityError("overload: choose a higher range and read again")
    value = parse(text, ask.unit)
    if not isfinite(value) or abs(value) > WIDEST:
        raise QuantityError("no meter reads that")
    return value


def written(value: float, unit: str) -> str:
    """A reading as a meter shows it."""
    if value == inf:
        return "OL (open)"
    if unit == "s":
        return duration(value)
    if unit == "V":
        return fixed(value, 2, "V")
    if unit == "°C":
        return fixed(value, 0, "°C")
    return figure(value, unit).replace("-", "−")
