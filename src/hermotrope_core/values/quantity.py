"""Reading quantities as people type them: ``2500 mAh``, ``7V4``, ``1/4 W``, ``20 AWG``, ``4h30``.

Pint converts units at this edge only; everywhere inside, numbers are plain floats whose unit is in
their name. What was understood can be echoed with `show`, which `parse` reads back exactly.
"""

from __future__ import annotations

import math
import re

import pint

from hermotrope_core.values.fields import Field
from hermotrope_core.values.figures import plain
from hermotrope_core.values.liking import (
    AS_SHOWN,
    GAUGE_EXAMPLE,
    awg_mm2,
    by_gauge,
    gauge_name,
    gauge_of,
    kept,
    other,
    pointed,
    unpointed,
)
from hermotrope_core.values.sums import Measured, SumError, looks_like_a_sum, worked_out
from hermotrope_core.values.units import UNITS

_PINT: pint.UnitRegistry[float] = pint.UnitRegistry(cache_folder=None, autoconvert_offset_to_baseunit=False)
LONGEST = 60

_NUMBER = r"[+\-−]?(?:\d[\d,]*\.?\d*|\.\d+)(?:[eE][+\-]?\d{1,3})?"
_INFIX = re.compile(r"^([+\-−]?\d+)\s*([VRrAWΩ])(\d+)$")
_AWG = re.compile(rf"^({_NUMBER})\s*(?:awg|ga|gauge)$|^awg\s*({_NUMBER})$", re.IGNORECASE)
_AUGHT = re.compile(r"^([1-4])/0\s*(?:awg|ga|gauge)$", re.IGNORECASE)
_FRACTION = re.compile(r"^(\d+)\s*/\s*(\d+)\s*(.*)$")
_CLOCK = re.compile(r"^(\d+)\s*h\s*(\d{1,2})$", re.IGNORECASE)
_SPAN = re.compile(rf"({_NUMBER})\s*(d|days?|h|hrs?|hours?|min|minutes?|m|s|secs?|seconds?|ms)\b\s*", re.IGNORECASE)
_SPAN_S = {"d": 86400.0, "h": 3600.0, "m": 60.0, "s": 1.0}
_UNIT = re.compile(r"[A-Za-z°]{1,12}(?:\*\*[1-3])?(?:\s?[*/]\s?[A-Za-z°]{1,12}(?:\*\*[1-3])?){0,3}")
"""A unit: names, times and per, powers of 1 to 3; what the unit library never sees cannot take its time."""
_SQUARE = re.compile(r"(?<=[A-Za-z])²")
"""Behind a unit; alone it is no number."""
_PLAIN = re.compile(rf"^({_NUMBER})\s*(.*)$")
_SAME = str.maketrans({"−": "-", "\u00a0": " ", "µ": "u", "μ": "u", "Ω": "Ω"})


class QuantityError(ValueError):
    """Text that is no quantity of the wanted kind; the message says what is wrong, with an example."""


def parse(text: str, unit: str) -> float:
    """Read `text` as a quantity in `unit` (a key of the table of examples; "" for a pure number).

    A bare number is taken in `unit`. Raises `QuantityError`.

    >>> parse("2500 mAh", "Ah"), parse("7V4", "V"), parse("1/4 W", "W"), parse("4h30", "s")
    (2.5, 7.4, 0.25, 16200.0)
    >>> round(parse("20 AWG", "mm²"), 3), parse("92", "%"), parse("26,800 mAh", "Ah")
    (0.518, 0.92, 26.8)
    >>> parse("12*60 mA", "A"), round(parse("27.4 Wh / 8 h", "W"), 3), round(parse("1 lb 11.5 oz", "g"), 1)
    (0.72, 3.425, 779.6)
    """
    clean = " ".join(_SQUARE.sub("2", text).translate(_SAME).split())
    if not clean:
        raise QuantityError(f"nothing is entered; for example {example(unit)}")
    if len(clean) > LONGEST:
        raise QuantityError(f"too long for a quantity; for example {example(unit)}")
    try:
        clean = unpointed(clean)
    except ValueError as error:
        raise QuantityError(str(error)) from None
    try:
        value = _value(clean, unit)
    except QuantityError:
        if not looks_like_a_sum(clean):
            raise
        value = _sum(clean, unit)
    if not math.isfinite(value):
        raise QuantityError(f"{clean} is not a finite number; for example {example(unit)}")
    return value


def _value(text: str, unit: str) -> float:
    if unit == "mm²" and (match := _AWG.match(text)):
        return _awg(_number(match[1] or match[2]))
    if unit == "mm²" and (match := _AUGHT.match(text)):
        return _awg(1.0 - int(match[1]))
    if unit in ("s", "h"):
        seconds = _seconds(text)
        if seconds is not None:
            return seconds if unit == "s" else seconds / 3600.0
    if match := _INFIX.match(text):
        return _converted(float(f"{match[1]}.{match[3]}"), match[2].upper().replace("R", "Ω"), unit)
    if match := _FRACTION.match(text):
        if int(match[2]) == 0:
            raise QuantityError(f"{text} divides by zero")
        return _converted(int(match[1]) / int(match[2]), match[3], unit)
    match = _PLAIN.match(text)
    if match is None:
        raise QuantityError(f"{text!r} is not {UNITS[unit].called}; for example {example(unit)}")
    return _converted(_number(match[1]), match[2].strip(), unit)


def _number(text: str) -> float:
    """A number with a decimal comma, or with commas between groups of three digits."""
    clean = text.replace("−", "-")
    if re.fullmatch(r"[+\-]?\d{1,3}(,\d{3})+(\.\d+)?", clean):
        clean = clean.replace(",", "")
    elif clean.count(",") == 1 and "." not in clean:
        clean = clean.replace(",", ".")
    try:
        return float(clean)
    except ValueError:
        raise QuantityError(f"{text} is not a number") from None


def _awg(gauge: float) -> float:
    if not -3 <= gauge <= 40:
        raise QuantityError(f"there is no {plain(gauge)} AWG; for example 20 AWG")
    return float(f"{awg_mm2(gauge):.4g}")


def _seconds(text: str) -> float | None:
    if match := _CLOCK.match(text):
        return int(match[1]) * 3600.0 + int(match[2]) * 60.0
    if _SPAN.sub("", text):
        return None
    total = 0.0
    for number, word in _SPAN.findall(text):
        total += _number(number) * (0.001 if word.lower() == "ms" else _SPAN_S[word[0].lower()])
    return total


def _converted(value: float, given: str, unit: str) -> float:
    if unit in ("", "%"):
        if given not in ("", "%"):
            raise QuantityError(f"{given!r} is not expected here; for example {example(unit)}")
        if unit == "%" and (given == "%" or abs(value) > 1.0):
            return value / 100.0
        return value
    if not given:
        return _bare(value, unit)
    word = _unit_word(given, unit)
    try:
        found = float(_PINT.Quantity(value, word).to(UNITS[unit].pint).magnitude)
        return found if other(unit) is None else float(f"{found:.{AS_SHOWN}g}")
    except pint.DimensionalityError:
        raise QuantityError(f"{given} does not measure {UNITS[unit].called}; for example {example(unit)}") from None
    except (pint.PintError, AttributeError, ValueError, TypeError, OverflowError):
        raise QuantityError(f"the unit {given!r} is not known; for example {example(unit)}") from None


def _bare(value: float, unit: str) -> float:
    """A number without a unit, in the one that is liked."""
    if not by_gauge(unit):
        return kept(value, unit)
    if value != int(value):
        raise QuantityError(f"{plain(value)} is no gauge that is sold; for example {example(unit)}")
    return _awg(value)


def example(unit: str) -> str:
    """What may be typed for a quantity, in the unit that is liked."""
    if by_gauge(unit):
        return GAUGE_EXAMPLE
    written = other(unit)
    return UNITS[unit].example if written is None else written.example


def _unit_word(given: str, unit: str) -> str:
    """What the unit library calls a unit as typed, where a quantity in `unit` is wanted."""
    given = "degree" if given == "°" and unit == "°" else given
    word = "degC" if given in ("C", "°C") else "degF" if given in ("F", "°F") and unit == "°C" else given
    if unit == "N·m" and word in ("N·m", "Nm"):
        word = "newton*meter"
    if unit == "Ω":
        word = re.sub(r"^([munkM]?)(?:ohms?|Ω|R)?$", r"\1ohm", word, flags=re.IGNORECASE)
    word = re.sub(r"^(m?m)\^?2$", r"\1**2", word)
    word = re.sub(r"^([munkM]?)([AWaw])h$", lambda m: f"{m[1]}{m[2].upper()}*hour", word)
    if word in ("v", "a", "w", "mv", "ma", "mw", "kw"):
        word = word[:-1] + word[-1].upper()
    if unit == "F":
        word = re.sub(r"^[uµμ](?=F|f)", "micro", word).replace("f", "F")
    if not _UNIT.fullmatch(word):
        raise QuantityError(f"the unit {given!r} is not known; for example {example(unit)}")
    return word


def _sum(text: str, unit: str) -> float:
    """A sum with units; a result without a unit is taken in `unit`."""
    such = f"for example {example(unit)}"
    if unit in ("%", "°C"):
        raise QuantityError(f"no sums here; {such}")

    def quantity(number: str, given: str) -> Measured:
        return _PINT.Quantity(_number(number), _unit_word(given, unit) if given else "")

    try:
        found, bare = worked_out(text, quantity)
        value = _bare(float(found.to("").magnitude), unit) if bare else float(found.to(UNITS[unit].pint).magnitude)
    except SumError as error:
        raise QuantityError(f"{text}: {error}; {such}") from None
    except pint.DimensionalityError:
        raise QuantityError(f"{text} does not come to {UNITS[unit].called}; {such}") from None
    except ZeroDivisionError:
        raise QuantityError(f"{text} divides by zero") from None
    except (pint.PintError, AttributeError, ValueError, TypeError, OverflowError):
        raise QuantityError(f"{text} cannot be worked out; {such}") from None
    if value < 0:
        raise QuantityError(f"{text} falls below nought: is that a range? One figure is wanted")
    return value


def parse_field(text: str, field: Field) -> float:
    """Read `text` for a field of the document, and check its range. Raises `QuantityError`."""
    value = parse(text, field.unit)
    if problem := field.problem(value):
        raise QuantityError(problem)
    return value


def show(value: float, unit: str) -> str:
    """A stored value as people would type it; `parse` reads it back.

    >>> show(0.028, "A"), show(5400, "s"), show(0.92, "%"), show(12, "V")
    ('28 mA', '1 h 30 min', '92 %', '12 V')
    """
    if unit == "%":
        return f"{plain(100 * value)} %"
    if unit == "s":
        return _show_seconds(value)
    if by_gauge(unit) and value > 0 and (text := _whole_gauge(value)):
        return text
    if (written := other(unit)) is not None:
        return f"{pointed(_shortest(value, value * written.times + written.plus, unit))} {written.unit}"
    if unit == "°":
        return f"{plain(value)}°"
    if unit == "F" and abs(value) < 0.1:
        return f"{plain(1e6 * value)} µF"
    if unit in ("A", "W", "Ah", "Ω") and 0 < abs(value) < 0.1:
        return f"{plain(1000 * value)} m{unit}"
    return f"{plain(value)} {unit}".rstrip()


def _shortest(value: float, number: float, unit: str) -> str:
    """The fewest digits of a number in the liked unit that read back as the value that is kept."""
    texts = (f"{number:.{places}g}" for places in range(3, 9))
    return next((text for text in texts if kept(float(text), unit) == value), f"{number:.8g}")


def _whole_gauge(area_mm2: float) -> str:
    """The gauge of an area that reads back as it is; empty for one between two gauges, which stays in mm²."""
    gauge = round(gauge_of(area_mm2))
    return gauge_name(gauge) if -3 <= gauge <= 40 and _awg(gauge) == area_mm2 else ""


def _show_seconds(value: float) -> str:
    if value < 60 or value != int(value):
        return f"{plain(value)} s"
    parts = []
    rest = int(value)
    for size, word in ((3600, "h"), (60, "min"), (1, "s")):
        if rest >= size:
            parts.append(f"{rest // size} {word}")
            rest %= size
    return " ".join(parts)
