"""The packs of the shelf as a conversion's panel lists them, each against the device's window."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from hermotrope.shelf.models import Item
from hermotrope.shelf.parts import span
from hermotrope_core.circuit.pack import rated_wh
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import OVER
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.source import Source
from hermotrope_core.values.figures import figure, reach, stated
from hermotrope_core.values.known import maybe

LISTED = 60
"""Packs of a list; the rest is searched for."""


def packs_listed(case: Case, words: str = "") -> dict[str, Any]:
    """The packs that are called by some words, by group, what is owned first; two queries."""
    found = Item.objects.filter(kind="source").saying(words)
    groups = _groups(case, found.at_hand_first()[:LISTED])
    return {"shelf": groups, "seek": {"words": words, "shown": LISTED, "of": found.count()}}


def _groups(case: Case, items: Iterable[Item]) -> list[tuple[str, list[dict[str, Any]]]]:
    low, high = maybe(case.device.supply.min_v), maybe(case.device.supply.max_v)
    groups: dict[str, list[dict[str, Any]]] = {}
    for item in items:
        group = "Yours" if item.have != Item.Have.MAYBE else item.group or "Other packs"
        source = item.readable()
        if isinstance(source, Source):
            groups.setdefault(group, []).append(_entry(item, source, low, high))
    return sorted(groups.items(), key=lambda pair: pair[0] != "Yours")


def _entry(item: Item, source: Source, low: float | None, high: float | None) -> dict[str, Any]:
    flat, full = span(source)
    above = high is not None and full > high * OVER
    below = low is not None and flat < low
    words = "above the window: needs a converter" if above else "below it at the end" if below else "inside the window"
    mass = item.mass_g
    return {
        "key": item.key,
        "name": item.name,
        "volts": reach(flat, full, "V"),
        "wh": "" if CHEMISTRIES[source.chemistry].endless else figure(rated_wh(source), "Wh"),
        "mass": stated(mass, "g") if mass is not None else "",
        "meets": "" if low is None and high is None else words,
        "level": "refused" if above else "care" if below else "fits",
        "bar": _bar((flat, full), (low or 0.0, high or full)),
    }


def _bar(reach: tuple[float, float], window: tuple[float, float]) -> dict[str, tuple[float, float]]:
    """A pack's volts against the window on one small axis from 0 V, 130 units wide."""
    scale = 126.0 / max(reach[1], window[1])
    left, right = (round(2 + v * scale, 1) for v in reach)
    return {
        "span": (min(left, right - 3.0), right),
        "window": (round(2 + window[0] * scale, 1), round((window[1] - window[0]) * scale, 1)),
    }
