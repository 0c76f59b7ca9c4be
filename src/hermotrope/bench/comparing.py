"""Two conversions side by side: what each says, and every figure in which they differ."""

from __future__ import annotations

from typing import Any

from hermotrope.bench.feed import feed_of
from hermotrope.bench.models import Conversion
from hermotrope.drawings.strip import small_line
from hermotrope.drawings.ways import curves
from hermotrope.entry.liked import day
from hermotrope.entry.rows import NAMES
from hermotrope_core.hours.duty_sums import duty_sums
from hermotrope_core.plan.difference import apart
from hermotrope_core.values.figures import duration, figure, stated
from hermotrope_core.values.known import number

MOST_DIFFERENT = 200


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
    """(what in words, one, the other) of every stated figure that differs; what only one has stands against a dash."""
    one, other = pair
    return [
        (f"{change.where}: {change.term}".removeprefix(": "), change.was or "–", change.now or "–")
        for change in apart(one.case, other.case, NAMES)[:MOST_DIFFERENT]
    ]
