"""A dock for a tool pack from what is printed on it: its wires, what they carry, the fuse that it holds."""

from __future__ import annotations

import re

from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.lead import Lead
from hermotrope_core.know.label import NUM, figure_of, said, typical
from hermotrope_core.values.figures import figure
from hermotrope_core.values.liking import awg_mm2

USUAL_M, USUAL_MM2 = 0.3, 1.5
"""The wires of a dock that does not say (typical)."""
_DOCK = re.compile(
    r"\bdock(?:ing)?\b|\b(?:tool|drill|pack|slide[\s-]?in)\s+(?:battery\s+)?(?:mount|base|foot|holder|adapt[eo]r\s+plate)\b"
    r"|\bbattery\s+(?:base|mount|foot|adapt[eo]r)\s+(?:for|plate|with)\b",
    re.IGNORECASE,
)
_ELSE = re.compile(
    r"\d\s*m?\s*A\s*h\b|\d\s*k?Wh\b|converter|\bbuck\b|\bboost\b|step[\s-]?(?:up|down)|\busb\b|inverter|charg"
    r"|monitor|hdmi|\bswitch\b|power\s+(?:supply|station)|\b(?:in|out)put\b|\bAC\b"
    r"|\badapt[eo]r\b(?!\s+(?:plate|for|with)\b)",
    re.IGNORECASE,
)
"""What is more than a dock, or another thing of that name."""
_AWG = re.compile(rf"\bAWG\s*{NUM}|{NUM}\s*(?:AWG|ga\b)", re.IGNORECASE)
_MM2 = re.compile(rf"{NUM}\s*(?:mm²|mm2|mm\^2|sqmm)", re.IGNORECASE)
_METRES = re.compile(rf"{NUM}\s*(cm|mm|m)\b(?!\s*[²2^])", re.IGNORECASE)
_FUSE = re.compile(rf"{NUM}\s*A\s*(?:blade\s*)?fuse|fuse[d]?\s*(?:of|with|:)?\s*{NUM}\s*A\b", re.IGNORECASE)
_AMPS = re.compile(rf"{NUM}\s*A\b", re.IGNORECASE)
UNIT_M = {"m": 1.0, "cm": 0.01, "mm": 0.001}


def dock_of(label: str) -> tuple[Lead, tuple[str, ...]] | None:
    """The dock that a print names, as a bought lead, and what was taken for granted; None where it names another thing.

    >>> part, assumed = dock_of("dock for 18V tool packs, 14AWG wires 20cm, 20A")
    >>> round(part.area_mm2.value, 2), part.length_m.value, part.source_end.rating_a.value
    (2.08, 0.2, 20.0)
    """
    if _ELSE.search(label) or not _DOCK.search(label):
        return None
    fuse = _FUSE.search(label)
    rest = _FUSE.sub(" ", label)
    assumed = ["which of its contacts is plus is not told: measure before anything is joined"]
    area = _area(rest)
    if area is None:
        assumed.append(f"its wires have {USUAL_MM2:g} mm²: look at what is printed on them")
    length = next((figure_of(m[1]) * UNIT_M[m[2].lower()] for m in _METRES.finditer(rest)), None)
    if length is None:
        assumed.append(f"its wires are {USUAL_M:g} m long")
    if fuse is not None:
        amps = figure(figure_of(fuse[1] or fuse[2]), "A")
        assumed.append(f"its fuse of {amps} is put on the line by itself: a fuse, inside the part beside it")
    most = max((figure_of(m[1]) for m in _AMPS.finditer(rest)), default=None)
    part = Lead(
        length_m=typical(USUAL_M) if length is None else said(length),
        area_mm2=typical(USUAL_MM2) if area is None else said(area),
        source_end=Connector(kind="dock", gender="plug", rating_a=None if most is None else said(most)),
        device_end=Connector(kind="leads", polarity="marked"),
        bought=True,
    )
    return part, tuple(assumed)


def _area(text: str) -> float | None:
    """Copper area in mm², from it or from an American gauge."""
    if (told := _MM2.search(text)) is not None:
        return figure_of(told[1])
    gauge = _AWG.search(text)
    return None if gauge is None else round(awg_mm2(figure_of(gauge[1] or gauge[2])), 2)


def dock_facts(part: Lead) -> list[tuple[str, str]]:
    """What it is made of, in rows of a term and its words."""
    rows = [("Wires", part.detail)]
    rated = None if part.source_end is None else part.source_end.rating_a
    return (
        rows
        if rated is None
        else [*rows, ("Contacts", figure(rated if isinstance(rated, float) else rated.value, "A"))]
    )
