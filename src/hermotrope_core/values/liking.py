"""How somebody likes figures to be written and typed: feet, gauges, ounces, °F, a decimal comma, dates, money.

Everything inside stays in SI; only what writes for people and what reads their typing look here. The liking holds for
the work at hand (a request, a thread): without one, figures are metric with a decimal point.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import date, time
from math import floor, log, pi
from typing import Literal

import msgspec

Length = Literal["m", "ft"]
Wire = Literal["mm²", "AWG"]
Mass = Literal["g", "oz"]
Warmth = Literal["°C", "°F"]
Decimal = Literal["point", "comma"]
Day = Literal["words", "iso", "day-first", "month-first"]
Clock = Literal["24", "12"]

LONGEST_MONEY = 4
BEFORE = ("$", "£", "¥", "₹")
"""Signs of money that are written before the amount."""


class Liking(msgspec.Struct, frozen=True):
    """What somebody likes. Sizes of plugs, cells and printed parts stay in millimetres: they are sold so."""

    length: Length = "m"
    wire: Wire = "mm²"
    mass: Mass = "g"
    warmth: Warmth = "°C"
    decimal: Decimal = "point"
    money: str = ""
    day: Day = "words"
    clock: Clock = "24"

    def __post_init__(self) -> None:
        if len(self.money) > LONGEST_MONEY or re.search(r"[\d\s<>&\"']", self.money):
            raise ValueError(f"a sign of money has up to {LONGEST_MONEY} letters, such as € or CHF")


class Other(msgspec.Struct, frozen=True):
    """A unit in place of another: `times` and `plus` lead from the kept value to the written one.

    Small amounts (under one) or large ones may have a unit of their own: inches, pounds.
    """

    unit: str
    times: float
    example: str
    plus: float = 0.0
    small: tuple[str, float] | None = None
    large: tuple[str, float] | None = None

    def of(self, value: float) -> tuple[float, str]:
        """The written number and its unit."""
        number = value * self.times + self.plus
        if self.small is not None and abs(number) < 1.0:
            return number * self.small[1], self.small[0]
        if self.large is not None and abs(number) >= self.large[1]:
            return number / self.large[1], self.large[0]
        return number, self.unit


FOOT_M = 0.3048
OUNCE_G = 28.349523125
"""International foot and avoirdupois ounce (1959 agreement)."""
OTHERS = {
    "ft": {"m": Other("ft", 1.0 / FOOT_M, "4 ft or 18 in", small=("in", 12.0))},
    "oz": {"g": Other("oz", 1.0 / OUNCE_G, "9.5 oz or 1 lb 6 oz", large=("lb", 16.0))},
    "°F": {"°C": Other("°F", 1.8, "41 °F", 32.0), "K": Other("°F", 1.8, "36 °F")},
}
AS_SHOWN = 6
"""Digits that are kept of what is typed in another unit, so that a shown value (eight digits) reads back as it was."""
GAUGE_EXAMPLE = "18 AWG or 0.75 mm²"
METRIC = Liking()
_LIKED: ContextVar[Liking] = ContextVar("liking", default=METRIC)


def liked() -> Liking:
    """The liking that holds here; part of the key of whatever keeps texts."""
    return _LIKED.get()


@contextmanager
def liking(wish: Liking) -> Iterator[None]:
    """Let a liking hold for what is done inside."""
    token = _LIKED.set(wish)
    try:
        yield
    finally:
        _LIKED.reset(token)


def awg_mm2(gauge: float) -> float:
    """Copper area of an American gauge in mm²; diameter 0.127 mm x 92^((36 - n) / 39) (ASTM B258)."""
    diameter: float = 0.127 * 92.0 ** ((36.0 - gauge) / 39.0)
    return pi / 4.0 * diameter * diameter


def gauge_of(area_mm2: float) -> float:
    """The American gauge of a copper area in mm² above 0, the inverse of `awg_mm2`; below 0 for 2/0 and thicker."""
    return 36.0 - 19.5 * log(4.0 * area_mm2 / pi / 0.127**2) / log(92.0)


def other(unit: str) -> Other | None:
    """What a unit is written in instead; none where it stays as it is (and for wire, whose gauge is no factor)."""
    now = liked()
    for name in (now.length, now.mass, now.warmth):
        if unit in OTHERS.get(name, {}):
            return OTHERS[name][unit]
    return None


def by_gauge(unit: str) -> bool:
    """Whether this unit is written as a gauge here."""
    return unit == "mm²" and liked().wire == "AWG"


def in_liking(value: float, unit: str) -> tuple[float, str]:
    """A number and its unit as they are written here; a gauge is no number (`by_gauge`)."""
    written = other(unit)
    return (value, unit) if written is None else written.of(value)


SAME_GAUGE = 0.05
"""So near to a whole gauge an area is that gauge: 1.2 % of its copper."""


def gauge_text(area_mm2: float, metric: str) -> str:
    """A copper area as its gauge; between two, in mm² (`metric`) with the thicker one, which does for both.

    >>> gauge_text(0.8231, "0.823 mm²"), gauge_text(67.43, "67.4 mm²")
    ('18 AWG', '2/0 AWG')
    >>> gauge_text(1.5, "1.5 mm²")
    '1.5 mm² (at least 15 AWG)'
    """
    gauge = gauge_of(area_mm2)
    whole = round(gauge)
    if abs(gauge - whole) <= SAME_GAUGE:
        return gauge_name(whole)
    return f"{metric} (at least {gauge_name(floor(gauge))})"


def gauge_name(gauge: int) -> str:
    """A whole gauge: ``18 AWG``, ``2/0 AWG`` for -1."""
    return f"{gauge} AWG" if gauge >= 0 else f"{1 - gauge}/0 AWG"


def kept(value: float, unit: str) -> float:
    """A bare number as somebody typed it, in the unit that is kept; a gauge is read by who knows its bounds."""
    written = other(unit)
    return value if written is None else float(f"{(value - written.plus) / written.times:.{AS_SHOWN}g}")


def pointed(digits: str) -> str:
    """Digits with the decimal sign that is liked."""
    return digits.replace(".", ",") if liked().decimal == "comma" else digits


_TOKEN = re.compile(r"(?<![A-Za-z\d.,])\d[\d.,]*")
_GROUPED = re.compile(r"\d{1,3}(\.\d{3}){2,}(,\d*)?|\d{1,3}\.\d{3},\d*")


def unpointed(text: str) -> str:
    """Typed text with a decimal point, where a comma is liked. A point before three digits could be either.

    >>> with liking(Liking(decimal="comma")):
    ...     unpointed("1,125 V"), unpointed("1.234,5 mAh"), unpointed("0.75 mm²")
    ('1.125 V', '1234.5 mAh', '0.75 mm²')

    Raises ValueError for what may be meant in two ways.
    """
    return _TOKEN.sub(_with_point, text) if liked().decimal == "comma" else text


def _with_point(found: re.Match[str]) -> str:
    token = found[0]
    if _GROUPED.fullmatch(token):
        return token.replace(".", "").replace(",", ".")
    if re.fullmatch(r"[1-9]\d{0,2}\.\d{3}", token):
        whole, _, rest = token.partition(".")
        fraction = rest.rstrip("0")
        raise ValueError(f"{token} could be {whole}{rest} or {whole},{fraction or 0}: write one of these")
    return token.replace(",", ".") if token.count(",") == 1 and "." not in token else token


def money(amount: float, decimals: int = 2) -> str:
    """An amount with its sign; the bare number where none is liked.

    >>> money(12.5), money(0)
    ('12.50', '0.00')
    """
    sign, text = liked().money, pointed(f"{amount:.{decimals}f}")
    if not sign:
        return text
    return f"{sign}{text}" if sign in BEFORE else f"{text} {sign}"


def day_text(day: date, year: bool = True, short: bool = False) -> str:
    """A date: ``3 June 2026``, ``2026-06-03``, ``03.06.2026`` or ``06/03/2026``.

    >>> day_text(date(2026, 6, 3)), day_text(date(2026, 11, 3), year=False, short=True)
    ('3 June 2026', '3 Nov')
    """
    match liked().day:
        case "iso":
            return f"{day:%Y-%m-%d}"
        case "day-first":
            return f"{day:%d.%m.%Y}" if year else f"{day:%d.%m.}"
        case "month-first":
            return f"{day:%m/%d/%Y}" if year else f"{day:%m/%d}"
    month = f"{day:%b}" if short else f"{day:%B}"
    return f"{day.day} {month} {day:%Y}" if year else f"{day.day} {month}"


def time_text(at: time) -> str:
    """A time of day: ``20:30`` or ``8:30 pm``.

    >>> time_text(time(20, 30))
    '20:30'
    """
    if liked().clock == "24":
        return f"{at:%H:%M}"
    return f"{at.hour % 12 or 12}:{at:%M} {'am' if at.hour < 12 else 'pm'}"
