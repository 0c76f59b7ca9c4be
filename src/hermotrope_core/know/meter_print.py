"""A voltmeter or low-voltage alarm from what is printed on it: what it draws, what it stands, when it warns."""

from __future__ import annotations

import re

from hermotrope_core.kinds.voltmeter import USUAL_A, Voltmeter
from hermotrope_core.know.label import NUM, figure_of, said, typical
from hermotrope_core.values.figures import figure

_METER = re.compile(
    r"\bvolt\s*-?meter\b|\bvoltage\s+(?:meter|display|monitor|indicator|checker)\b|\bbattery\s+(?:checker|monitor)\b"
    r"|\b(?:low[\s-]*volt(?:age|s)?|li-?po|battery|voltage|under-?voltage)\s*(?:alarm|buzzer|beeper)\b",
    re.IGNORECASE,
)
_ELSE = re.compile(
    r"\d\s*m?\s*A\s*h\b|\d\s*k?Wh\b|multi\s*-?meter|converter|\bbuck\b|\bboost\b|step[\s-]?(?:up|down)|adapt[eo]r"
    r"|dc\s*[-/]\s*dc|\bboard\b|\bout(?:put)?\b|power\s+(?:supply|bank|station)|charg|\bswitch\b|\bwith\s+(?:a\s+)?(?:volt\s*-?meter|display|alarm)",
    re.IGNORECASE,
)
"""What has a voltmeter in it, or is held in the hand, and is no part of a line by that."""
_DRAWS = re.compile(rf"{NUM}\s*mA\b", re.IGNORECASE)
_REACH = re.compile(rf"{NUM}\s*(?:V(?:DC)?)?\s*(?:-|–|to|\.\.\.)\s*{NUM}\s*V", re.IGNORECASE)
_EACH = re.compile(r"^\s*(?:/|per|a|each)\s*(?:cell|s\b)|^\s*/\s*S\b", re.IGNORECASE)
_WARNS = re.compile(
    rf"\b(?:warns?|alarms?|beeps?|buzz(?:es)?|set)\s*(?:at|below|under|to|[:=])\s*{NUM}\s*V\b", re.IGNORECASE
)
_CURRENT_TOO = re.compile(rf"\bamp(?:ere)?[\s-]*(?:meter|volt)|volt[\s-]*amp|{NUM}\s*A\b", re.IGNORECASE)


def meter_of(label: str) -> tuple[Voltmeter, tuple[str, ...]] | None:
    """The voltmeter or alarm that a print names, and what was taken for granted; None where it names something else.

    >>> part, assumed = meter_of("mini voltmeter 3-30V DC, 12mA")
    >>> part.current_a.value, part.rating_v.value
    (0.012, 30.0)
    """
    if _ELSE.search(label) or not _METER.search(label):
        return None
    assumed = []
    draws = _DRAWS.search(label)
    if draws is None:
        assumed.append(f"it draws {figure(USUAL_A, 'A', 2)}: put a meter in its wire")
    if _CURRENT_TOO.search(_DRAWS.sub(" ", label)):
        assumed.append("only what it reads in volts is planned; its shunt for amperes belongs to the minus and is not")
    warns = _WARNS.search(label)
    at = None if warns is None or _EACH.match(label[warns.end() :]) else figure_of(warns[1])
    if at is None and re.search(r"alarm|buzz|beep", label, re.IGNORECASE):
        assumed.append("at how many volts of the whole pack it warns is not told: set it where it is put in")
    most = _most(label if warns is None else label.replace(warns[0], " "))
    if most is None:
        assumed.append("how many volts it stands is not told")
    part = Voltmeter(
        current_a=typical(USUAL_A) if draws is None else said(figure_of(draws[1]) / 1000.0),
        warns_v=None if at is None else said(at),
        rating_v=None if most is None else said(most),
    )
    return part, tuple(assumed)


def _most(text: str) -> float | None:
    """The upper end of the volts that it shows, and so stands; a single figure names the pack that it is meant for."""
    return max((figure_of(m[2]) for m in _REACH.finditer(text)), default=None)


def meter_facts(part: Voltmeter) -> list[tuple[str, str]]:
    """What it does, in rows of a term and its words."""
    rows = [("Draws", figure(part.shunt_a, "A", 2))]
    if part.warns_below_v is not None:
        rows.append(("Warns", f"at {figure(part.warns_below_v, 'V')}"))
    stands = part.breaks_v
    return rows if stands is None else [*rows, ("Stands", figure(stands, "V"))]
