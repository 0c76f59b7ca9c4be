"""A switch or a low-voltage cut-off from what is printed on it: the amperes and direct volts that it stands."""

from __future__ import annotations

import re

from hermotrope_core.kinds.cut_off import CutOff
from hermotrope_core.kinds.switch import Switch
from hermotrope_core.know.label import NUM, LabelError, figure_of, said, typical
from hermotrope_core.parts.craft import MAINS_LEAST_V
from hermotrope_core.values.figures import figure

SWITCH_OHM = 0.02
"""Of its contacts (typical)."""
_SWITCH = re.compile(r"\bswitch\b(?!\s*-?\s*mode)", re.IGNORECASE)
_CUT_OFF = re.compile(
    r"low[\s-]*volt(?:age|s)?[\s-]*(?:cut[\s-]?off|disconnect|protect(?:or|ion))|\bLV[CD]\b", re.IGNORECASE
)
_ELSE = re.compile(
    r"\d\s*m?\s*A\s*h\b|\d\s*k?Wh\b|adapt[eo]r|power\s+supply|converter|\bbank\b|\bboard\b"
    r"|\b(?:network|ethernet|usb|hdmi|kvm|ports?)\b",
    re.IGNORECASE,
)
"""What has a switch in it, or the name of one, and is none."""
_AC = r"(AC|DC|~|=|⎓)?"
_FIGURE = re.compile(rf"{NUM}\s*([AV])", re.IGNORECASE)
_VOLTS_AMPS = re.compile(rf"{NUM}\s*V\s*{_AC}\s*[/,@x]?\s*{NUM}\s*A\b", re.IGNORECASE)
_AMPS_VOLTS = re.compile(rf"{NUM}\s*A\s*[/,@x]?\s*{NUM}\s*V\s*{_AC}(?![\w])", re.IGNORECASE)
_AMPS = re.compile(rf"{NUM}\s*A\b", re.IGNORECASE)
_TRIPS = re.compile(rf"(?:opens?|trips?|cuts?(?:[\s-]*off)?)\s*(?:at|below|under)\s*{NUM}\s*V\b", re.IGNORECASE)

Opens = Switch | CutOff


def switch_of(label: str) -> tuple[Opens, tuple[str, ...]] | None:
    """The switch or cut-off that a print names, and what was taken for granted; None where it names something else.

    Raises LabelError where its amperes, or the volts at which a cut-off opens, are not told.

    >>> part, assumed = switch_of("rocker switch 6A 250VAC, 20A 12VDC")
    >>> part.rating_a.value, part.rating_v.value
    (20.0, 12.0)
    """
    cut_off = _CUT_OFF.search(label)
    if _ELSE.search(label) or not (cut_off or _SWITCH.search(label)):
        return None
    rest = _TRIPS.sub(" ", label) if cut_off else label
    amps, volts, assumed = _rating(rest)
    if amps is None:
        raise LabelError("how many amperes does it stand? For example rocker switch 20A 12VDC")
    if not cut_off:
        part = Switch(
            rating_a=said(amps), rating_v=None if volts is None else said(volts), resistance_ohm=typical(SWITCH_OHM)
        )
        return part, assumed
    trips = _TRIPS.search(label)
    if trips is None:
        raise LabelError("at how many volts does it open? For example low-voltage cut-off 10A, opens at 11.1V")
    return CutOff(trips_v=said(figure_of(trips[1])), rating_a=said(amps)), ()


def _rating(text: str) -> tuple[float | None, float | None, tuple[str, ...]]:
    """Amperes and direct volts; the volts are None where only alternating ones, or none, are told."""
    if (first := _FIGURE.search(text)) is not None and first[2].upper() == "A":  # who begins with amperes goes on so
        pairs = [(figure_of(m[2]), m[3], figure_of(m[1])) for m in _AMPS_VOLTS.finditer(text)]
    else:
        pairs = [(figure_of(m[1]), m[2], figure_of(m[3])) for m in _VOLTS_AMPS.finditer(text)]
    direct = [(v, a) for v, sort, a in pairs if not _alternating(v, sort)]
    if direct:
        volts, amps = max(direct)
        return amps, volts, ()
    told = [a for _, _, a in pairs] or [figure_of(m[1]) for m in _AMPS.finditer(text)]
    words = "for how many volts of direct current is not told: an arc of direct current does not go out by itself"
    return (min(told), None, (words,)) if told else (None, None, ())


def _alternating(volts: float, sort: str | None) -> bool:
    said_ac = sort is not None and sort.upper() in ("AC", "~")
    return said_ac or (sort is None and volts >= MAINS_LEAST_V)


def switch_facts(part: Opens) -> list[tuple[str, str]]:
    """What it stands, in rows of a term and its words."""
    stands = figure(part.stands_a or 0.0, "A")
    if part.opens_below_v is not None:
        return [("Stands", stands), ("Opens", f"at {figure(part.opens_below_v, 'V')}")]
    volts = part.breaks_v
    at = "volts of direct current not told" if volts is None else f"up to {figure(volts, 'V')} of direct current"
    return [("Stands", f"{stands}, {at}")]
