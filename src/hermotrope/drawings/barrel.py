"""A barrel connector seen from its end, to scale, with its sign and its diameters."""

from __future__ import annotations

import msgspec

from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.know.connectors import barrel_advice
from hermotrope_core.values.figures import stated
from hermotrope_core.values.known import maybe

UNITS_PER_MM = 12.0
PLAIN = {"centre-positive": ("+", "−"), "centre-negative": ("−", "+")}


class Barrel(msgspec.Struct, frozen=True):
    """An end view about the origin: radii in drawing units, signs, words, and what to check."""

    half: float
    side: float
    outer_r: float
    inner_r: float
    centre: str
    sleeve: str
    sure: bool
    size: str
    advice: tuple[str, ...]


def end_view(connector: Connector | None) -> Barrel | None:
    """The end view of a barrel whose size is known; None for anything else."""
    if connector is None or connector.kind != "barrel":
        return None
    outer, inner = maybe(connector.outer_mm), maybe(connector.inner_mm)
    if outer is None or inner is None:
        return None
    centre, sleeve = PLAIN.get(connector.polarity, ("?", "?"))
    radius = outer * UNITS_PER_MM / 2
    return Barrel(
        half=round(radius + 34.0, 1),
        side=round(2 * (radius + 34.0), 1),
        outer_r=round(radius, 1),
        inner_r=round(inner * UNITS_PER_MM / 2, 1),
        centre=centre,
        sleeve=sleeve,
        sure=connector.measured and connector.polarity != "unknown",
        size=f"{stated(outer)} × {stated(inner, 'mm')}, drawn to scale",
        advice=barrel_advice(outer, inner),
    )
