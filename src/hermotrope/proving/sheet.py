"""The printed build sheet: everything that is needed at the bench, in one context."""

from __future__ import annotations

from typing import Any

from hermotrope.bench.build_panel import build_context
from hermotrope.bench.models import Conversion
from hermotrope.bench.views.feed import LEVEL_WORDS, end_words
from hermotrope.drawings.bay import bay_view
from hermotrope.proving.bench import Workshop
from hermotrope.proving.checklist import parts_context, steps_context
from hermotrope.proving.log_panel import warmth
from hermotrope_core.build import box_label, changes, cut_list, fed_bay, way_back
from hermotrope_core.judge.cautions import cautions
from hermotrope_core.plan.trust import trust_of
from hermotrope_core.prove.judge import written
from hermotrope_core.values.figures import fixed, stated


def sheet_context(conversion: Conversion) -> dict[str, Any]:
    """Everything of the printed sheet."""
    workshop = Workshop(conversion)
    case, feed = conversion.case, workshop.feed
    built = build_context(conversion, feed)
    context = {
        "conversion": conversion,
        "case": case,
        "feed": feed,
        "ends": end_words(feed),
        "trust": trust_of(case, proved=conversion.proved_as_it_is),
        "findings": [{"word": LEVEL_WORDS[one.level], "finding": one} for one in feed.findings],
        "cautions": cautions(case),
        "stops": built.get("stops"),
        **parts_context(conversion),
        **steps_context(conversion),
    }
    if case.source is None or context["stops"]:
        return context
    context |= {key: built.get(key) for key in ("drawing", "choices", "joins")}
    context |= {
        "cuts": [
            {"cut": cut, "length": fixed(cut.length_mm, 0, "mm"), "area": stated(cut.area_mm2, "mm²", 3)}
            for cut in cut_list(case)
        ],
        "bay": bay_view(fed_bay(case)),
        "changes": changes(case),
        "bench_warmth": warmth(workshop, workshop.temperature_c)["here"],
        "way_back": way_back(case),
        "label": box_label(feed.situation) if feed.situation else None,
        "gates": [
            {
                "gate": row.gate,
                "state": row.state,
                "asks": [
                    {
                        "ask": one.ask,
                        "low": written(one.ask.low, one.ask.unit),
                        "high": "" if one.ask.high == float("inf") else written(one.ask.high, one.ask.unit),
                        "reading": written(one.reading.value, one.ask.unit) if one.reading and not one.stale else "",
                    }
                    for one in row.asks
                ],
                "waiver": row.waiver,
            }
            for row in workshop.progress
        ],
    }
    return context
