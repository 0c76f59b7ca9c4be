"""Sums with units as people type them into a field: ``12*60 mA``, ``27.4 Wh / 8 h``, ``1 lb 11.5 oz``, ``47||100``.

A grammar of its own, so that nothing but numbers, units and the signs ``+ - * / || ( )`` is ever worked out. A bare
number in a sum takes the unit of the term beside it: ``48 + 60 W`` is 108 W. A hyphen without spaces, and a sum that
falls below nought, look like a range: one figure is wanted, and they are refused.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Protocol

import msgspec


class SumError(ValueError):
    """Text that is no sum; the message says what is wrong."""


class Measured(Protocol):
    """A number with its unit, as a unit library has them: it adds, multiplies and says whether it is a bare number."""

    @property
    def magnitude(self) -> float: ...
    def to(self, unit: str, /) -> Measured: ...
    @property
    def units(self) -> object: ...
    def __add__(self, other: Measured, /) -> Measured: ...
    def __sub__(self, other: Measured, /) -> Measured: ...
    def __mul__(self, other: Measured, /) -> Measured: ...
    def __truediv__(self, other: Measured, /) -> Measured: ...


DEEPEST = 8
TOKEN = re.compile(
    r"\s*(?:(?P<infix>\d+[VRAWkΩ]\d+)|(?P<number>\d[\d,]*\.?\d*(?:[eE][+\-]?\d{1,3}(?![\w.]))?|\.\d+)|(?P<unit>[A-Za-zΩ°]{1,12}(?:\*\*[23]|[23](?!\d))?)"
    r"|(?P<sign>\|\||[-+*/()×·÷]))"
)
INFIX = re.compile(r"(\d+)([VRAWkΩ])(\d+)")
SAME = {"×": "*", "·": "*", "÷": "/"}
TIMES = re.compile(r"(?<=[\d)])\s*x\s*(?=[\d(.])")
RANGE = re.compile(r"\S-\S|[–—]|\.\.|\bto\b")


class _Term(msgspec.Struct):
    """A value so far, and whether it still waits for the unit of the term beside it."""

    value: Measured
    bare: bool


class _Reader:
    """Reads one text from the left; `quantity` makes a number and a unit into a value and refuses unknown units."""

    def __init__(self, text: str, quantity: Callable[[str, str], Measured]) -> None:
        self.tokens = _tokens(text)
        self.at = 0
        self.depth = 0
        self.quantity = quantity

    def next(self) -> tuple[str, str]:
        return self.tokens[self.at] if self.at < len(self.tokens) else ("end", "")

    def take(self, *signs: str) -> str | None:
        kind, word = self.next()
        if kind == "sign" and word in signs:
            self.at += 1
            return word
        return None

    def sum(self) -> _Term:
        left = self.product()
        while sign := self.take("+", "-", "||"):
            left = self.joined(left, sign, self.product())
        return left

    def joined(self, left: _Term, sign: str, right: _Term) -> _Term:
        """Two terms of a sum, the bare one in the unit of the other."""
        a, b = left.value, right.value
        if left.bare is not right.bare:
            unit = self.unit_of(right if left.bare else left)
            a, b = (a * unit, b) if left.bare else (a, b * unit)
        if sign == "||":
            return _Term(a * b / (a + b), left.bare and right.bare)
        return _Term(a + b if sign == "+" else a - b, left.bare and right.bare)

    def unit_of(self, term: _Term) -> Measured:
        return self.quantity("1", str(term.value.units))

    def product(self) -> _Term:
        left = self.compound()
        while sign := self.take("*", "/"):
            right = self.compound()
            if sign == "*":
                value = left.value * right.value
            elif left.bare and not right.bare:  # a fraction of a unit, as 1/4 W
                unit = self.unit_of(right)
                value = left.value / right.value * unit * unit
            else:
                value = left.value / right.value
            left = _Term(value, left.bare and right.bare)
        return left

    def compound(self) -> _Term:
        """One number with its unit, or several that follow one another: ``1 lb 11.5 oz``, ``2 h 15 min``."""
        left = self.single()
        while not left.bare and self.next()[0] == "number":
            right = self.single()
            if right.bare:
                raise SumError("a number stands without its unit")
            left = _Term(left.value + right.value, bare=False)
        return left

    def single(self) -> _Term:
        if self.take("("):
            self.depth += 1
            if self.depth > DEEPEST:
                raise SumError("too many brackets")
            inner = self.sum()
            if not self.take(")"):
                raise SumError("a bracket is not closed")
            self.depth -= 1
            if inner.bare and self.next()[0] == "unit":
                return _Term(inner.value * self.quantity("1", self.word()), bare=False)
            return inner
        kind, number = self.next()
        if kind != "number":
            raise SumError("a number is missing")
        self.at += 1
        if self.next()[0] != "unit":
            return _Term(self.quantity(number, ""), bare=True)
        return _Term(self.quantity(number, self.word()), bare=False)

    def word(self) -> str:
        self.at += 1
        return self.tokens[self.at - 1][1]


def _tokens(text: str) -> list[tuple[str, str]]:
    found: list[tuple[str, str]] = []
    at, text = 0, TIMES.sub("*", text)
    while at < len(text.rstrip()):
        match = TOKEN.match(text, at)
        if match is None or match.lastgroup is None:
            raise SumError(f"{text[at:].strip()[:12]!r} is not expected here")
        word = match[match.lastgroup]
        if infix := INFIX.fullmatch(word):
            found += [("number", f"{infix[1]}.{infix[3]}"), ("unit", infix[2])]
        else:
            found.append((match.lastgroup, SAME.get(word, word)))
        at = match.end()
    return found


def looks_like_a_sum(text: str) -> bool:
    """Whether a text has a sign between two terms, or several numbers with units."""
    return bool(re.search(r"\d.*(?:[-+*/×·÷(x–—]|\|\||\.\.|\bto\b).*\d|\d\s*[A-Za-z]+\s+\d", text))


def worked_out(text: str, quantity: Callable[[str, str], Measured]) -> tuple[Measured, bool]:
    """The value of a sum, and whether it is of bare numbers alone.

    Raises SumError; what `quantity` and the units raise is passed on.

    quantity: makes a value of a number as typed and a unit ("" for none).
    """
    if RANGE.search(text):
        raise SumError("is that a range? One figure is wanted; a minus needs a space on both sides")
    reader = _Reader(text, quantity)
    value = reader.sum()
    if reader.next()[0] != "end":
        raise SumError(f"{reader.next()[1]!r} is not expected here")
    return value.value, value.bare
