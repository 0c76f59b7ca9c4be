"""Writing numbers for people: a unit, a sensible prefix, and no more digits than are known."""

from __future__ import annotations

from math import floor, isfinite, log10

from hermotrope_core.values.liking import by_gauge, gauge_text, in_liking, pointed
from hermotrope_core.values.units import UNITS

CONVERTED = 4
"""Digits of a stated value that is written in another unit than its own: more would be false."""


def digits(value: float, significant: int) -> str:
    """`value` with so many significant digits, without an exponent and without a false ".0"."""
    if value == 0 or not isfinite(value):
        return "0" if value == 0 else "–"
    places = significant - 1 - floor(log10(abs(value)))
    rounded = round(value, places)
    if rounded == 0:
        return "0"
    places = significant - 1 - floor(log10(abs(rounded)))
    return pointed(f"{rounded:.{max(places, 0)}f}")


def figure(value: float, unit: str, significant: int = 3) -> str:
    """A quantity as people write it, e.g. ``figure(0.028, "A") == "28.0 mA"``.

    >>> figure(0.028, "A", 2), figure(21.0, "V"), figure(0.92, "%", 2), figure(1500, "W")
    ('28 mA', '21.0 V', '92 %', '1500 W')
    """
    if unit == "%":
        return f"{digits(100 * value, significant)} %"
    if by_gauge(unit) and value > 0:
        return gauge_text(value, f"{digits(value, significant)} {unit}")
    number, written = in_liking(value, unit)
    if written != unit:
        return f"{digits(number, max(significant, len(f'{abs(number):.0f}')))} {written}"  # 104 °F, never 100
    small = UNITS[unit].small if unit in UNITS else None
    if small is not None and 0 < abs(value) < 0.0995:
        return f"{digits(small.times * value, significant)} {small.prefix}{unit}"
    return f"{digits(value, significant)} {unit}".rstrip()


def stated(value: float, unit: str = "", significant: int = 6) -> str:
    """A value that somebody set or stated, with the digits that were given and none to fill up.

    >>> stated(12.0, "V"), stated(7.5, "A"), stated(1e6, "Ω"), stated(0.82312, "mm²", 3)
    ('12 V', '7.5 A', '1000000 Ω', '0.823 mm²')
    """
    number, written = in_liking(value, unit)
    text = digits(number, significant if written == unit else min(significant, CONVERTED))
    sign = pointed(".")
    told = f"{text.rstrip('0').rstrip(sign) if sign in text else text} {written}".rstrip()
    return gauge_text(value, told) if by_gauge(unit) and value > 0 else told


def fixed(value: float, places: int, unit: str = "") -> str:
    """A value with so many decimals, as a meter shows it; a true minus sign.

    >>> fixed(12.345, 2, "V"), fixed(-4.6, 0, "°C")
    ('12.35 V', '−5 °C')
    """
    number, written = in_liking(value, unit)
    text = f"{number:.{places}f}"
    if float(text) == 0.0:
        text = text.removeprefix("-")
    return pointed(f"{text} {written}".rstrip()).replace("-", "−")


def reach(low: float, high: float, unit: str = "") -> str:
    """From a lower to a higher computed value; one figure where both read the same.

    >>> reach(15.0, 21.0, "V"), reach(11.998, 12.001, "V")
    ('15.0–21.0 V', '12.0 V')
    """
    if by_gauge(unit):
        return figure(low, unit) if low == high else f"{figure(low, unit)} to {figure(high, unit)}"
    (low, low_unit), (high, written) = in_liking(low, unit), in_liking(high, unit)
    first, last = digits(low, 3), digits(high, 3)
    if low_unit != written:
        return f"{first} {low_unit} to {last} {written}"
    return f"{last if first == last else f'{first}–{last}'} {written}".rstrip()


def both(have: float, limit: float, unit: str) -> tuple[str, str]:
    """Two figures that are held against each other, with as many digits as it takes to tell them apart.

    >>> both(11.984, 12.02, "V"), both(21.0, 15.0, "V")
    (('11.98 V', '12.02 V'), ('21.0 V', '15.0 V'))
    """
    for significant in range(3, 7):
        told = figure(have, unit, significant), figure(limit, unit, significant)
        if told[0] != told[1]:
            return told
    return told


def plain(value: float) -> str:
    """The shortest text that says `value` to nine digits, for fields that people edit."""
    return pointed(f"{value:.9g}" if abs(value) >= 1e-4 or value == 0 else f"{value:.9f}".rstrip("0"))


def heft(grams: float) -> str:
    """A mass that is carried: grams under a kilogram, else kilograms (or as it is liked).

    >>> heft(640.0), heft(1250.0)
    ('640 g', '1.2 kg')
    """
    if grams < 1000.0 or in_liking(grams, "g")[1] != "g":
        return figure(grams, "g")
    return figure(grams / 1000.0, "kg", 2)


HOURS_UNTIL_D = 10
"""From so many days on a span is told in days; below in hours, which nobody has to count back."""


def duration(seconds: float) -> str:
    """A time span in two units, rounded to what matters.

    >>> duration(18515), duration(42), duration(161741), duration(20 * 86400)
    ('5 h 09 min', '42 s', '45 h', '20 d')
    """
    return _in_unit(seconds, _unit_of(seconds))


def span(low: float, high: float) -> str:
    """A range of time spans, both ends in the unit that suits the longer one; one figure where both read the same.

    >>> span(3000, 18515), span(8 * 86400, 12 * 86400)
    ('0 h 50 min – 5 h 09 min', '8.0 d – 12 d')
    """
    unit = _unit_of(high)
    first, last = _in_unit(low, unit), _in_unit(high, unit)
    return first if first == last else f"{first} – {last}"


def _unit_of(seconds: float) -> str:
    if not isfinite(seconds):
        return ""
    minutes = round(seconds / 60)
    if seconds < 90:
        return "s"
    if minutes < 90:
        return "min"
    if minutes < 24 * 60:
        return "h min"
    return "h" if minutes < HOURS_UNTIL_D * 24 * 60 else "d"


def _in_unit(seconds: float, unit: str) -> str:
    if not isfinite(seconds):
        return "no end"
    if unit == "s":
        return f"{digits(seconds, 2)} s" if seconds else "0 s"
    minutes = round(seconds / 60)
    if unit == "min":
        return f"{minutes} min"
    if unit == "h min":
        return f"{minutes // 60} h {minutes % 60:02d} min"
    return f"{round(seconds / 3600)} h" if unit == "h" else f"{digits(seconds / 86400, 2)} d"
