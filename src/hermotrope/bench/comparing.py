"""Two conversions side by side: what each says, and every figure in which they differ."""

from __future__ import annotations

from typing import Any

from hermotrope.bench.feed import feed_of
from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import row_at
from hermotrope.drawings.strip import small_line
from hermotrope.drawings.ways import curves
from hermotrope.entry.liked import day
from hermotrope_core.hours.duty_sums import duty_sums
from hermotrope_core.plan.document import tree_of
from hermotrope_core.values.figures import duration, figure, stated
from hermotrope_core.values.known import number

MOST_DIFFERENT = 200
PASSED_OVER = ("format", "title", "choices", "evidence", "known_by", "note", "spread")
"""Names, and how a figure is known: not what is compared."""


def compared(pair: tuple[Conversion, Conversion]) -> dict[str, Any]:
    """Rows of two cells, curves of both on one axis, and the figures that differ."""
    feeds = [feed_of(one.case) for one in pair]
    ready = [feed.planned for feed in feeds if feed.planned is not None and feed.run is not None]
    return {
        "pair": pair,
        "lines": [small_line(feed.case, feed.findings, unsure=bool(feed.questions)) for feed in feeds],
        "rows": _rows(pair),
        "curves": curves(ready) if len(ready) == len(pair) else None,
        "different": different(pair),
    }


def _rows(pair: tuple[Conversion, Conversion]) -> list[tuple[str, str, str, bool]]:
    """(what, one, the other, whether they differ)."""
    told = [_told(one) for one in pair]
    rows = [(name, told[0].get(name, ""), told[1].get(name, "")) for name in {**told[0], **told[1]}]
    return [(name, one or "–", other or "–", one != other) for name, one, other in rows if one or other]


def _told(one: Conversion) -> dict[str, str]:
    """What is said of a conversion, by name."""
    feed, case = feed_of(one.case), one.case
    told = {"verdict": one.verdict, "device": case.device.name, "pack": case.source.name if case.source else ""}
    told["runs"] = f"{'refused; would run ' if feed.refused else ''}{feed.runtime_words}" if feed.range else ""
    told["ends by"] = feed.run.end_cause if feed.run else ""
    told["ran"] = duration(one.measured_s) if one.measured_s else ""
    if case.source:
        told["capacity"] = stated(number(case.source.capacity_ah), "Ah")
    if feed.planned and (sums := duty_sums(feed.planned)):
        told["mean at the inlet"] = figure(sums.mean_w, "W")
        told["once around takes"] = figure(sums.inlet_wh, "Wh")
    told["findings"] = "; ".join(f"{f.level}: {f.message}" for f in feed.findings if f.level != "note")
    told["proved"] = day(one.proved_on) if one.proved_on and not one.rehearsal else ""
    return told


def different(pair: tuple[Conversion, Conversion]) -> list[tuple[str, str, str]]:
    """(place in words, one, the other) of every stated figure that differs; what only one has stands against a dash."""
    flat = [dict(_flat(tree_of(one.case), "")) for one in pair]
    places = [place for place in {**flat[0], **flat[1]} if flat[0].get(place) != flat[1].get(place)]
    one, other = pair
    return [
        (_words(pair, place), _shown(one, place, flat[0]), _shown(other, place, flat[1]))
        for place in places[:MOST_DIFFERENT]
    ]


def _flat(tree: Any, place: str) -> list[tuple[str, Any]]:
    if isinstance(tree, dict):
        if "value" in tree:
            return [(place, tree["value"])]
        return [pair for key, one in tree.items() if key not in PASSED_OVER for pair in _flat(one, f"{place}/{key}")]
    if isinstance(tree, list) and any(isinstance(one, dict) for one in tree):
        return [pair for i, one in enumerate(tree) for pair in _flat(one, f"{place}/{i}")]
    return [] if tree in ([], {}) else [(place, tree)]


def _words(pair: tuple[Conversion, Conversion], place: str) -> str:
    """Where a figure stands, as the panels call it."""
    parts = place.split("/")[1:]
    term = parts[-1].replace("_", " ")
    for one in pair:
        try:
            term = row_at(one.case, place).term
            break
        except (LookupError, ValueError):
            continue
    if parts[:1] == ["path"] and len(parts) > 1:
        return f"stage {int(parts[1]) + 1}: {term}"
    if parts[:2] == ["device", "modes"] and len(parts) > 2:
        return f"mode {int(parts[2]) + 1}: {term}"
    return f"{parts[0].replace('_', ' ')}: {term}" if len(parts) > 1 else term


def _shown(one: Conversion, place: str, found: dict[str, Any]) -> str:
    if place not in found:
        return "–"
    try:
        return row_at(one.case, place).text or "–"
    except (LookupError, ValueError):
        value = found[place]
        return ", ".join(map(str, value))[:80] if isinstance(value, list) else str(value)[:80]
