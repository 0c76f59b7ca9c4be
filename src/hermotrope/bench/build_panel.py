"""What the Build panel shows: drawings, wire and fuses, the switch, joints, heat, deliberate choices, cautions."""

from __future__ import annotations

from typing import Any

from hermotrope.bench.feed import Feed
from hermotrope.bench.models import Conversion
from hermotrope.drawings.barrel import end_view
from hermotrope.drawings.ends import other_end
from hermotrope.drawings.pins import pin_view
from hermotrope.drawings.wiring import wiring
from hermotrope.shelf.models import Item
from hermotrope_core.hours.heat import HAND_HOT_C, part_heats
from hermotrope_core.hours.standing import switch_places
from hermotrope_core.judge.cautions import cautions, stops
from hermotrope_core.judge.choose import fuse_margins, lead_margins
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.lead import as_lead
from hermotrope_core.know.adapters import Named, chains
from hermotrope_core.know.joints import WIRED, Gap, centres_differ, gaps, lead_to_make
from hermotrope_core.parts.wire import FUSE_MARGIN
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import duration, figure

DELIBERATE = {
    "over-max": "a deliberate overvoltage",
    "no-low-voltage-cut-off": "no low cut-off",
    "deep-discharge": "a deep discharge",
}
"""Findings that somebody may choose to live with, with a reason."""


def build_context(conversion: Conversion, feed: Feed) -> dict[str, Any]:
    """Everything of the panel; while a stop stands, only what it says and who may take it over."""
    case = conversion.case
    standing = stops(case)
    if standing:
        return {"stops": standing}
    context: dict[str, Any] = {
        "drawing": wiring(case),
        "build_cautions": [one for one in cautions(case) if one.place in ("build", "path")],
        "choices": _choices(case, feed),
    }
    if feed.situation is None or case.source is None:
        return context
    situation = feed.situation
    shelf = [(item.name, item.readable()) for item in Item.objects.filter(kind="lead").order_by("-have", "position")]
    leads = [(name, lead) for name, part in shelf if (lead := as_lead(part))]
    return context | {
        "leads": [_lead(case, one) for one in lead_margins(situation)],
        "fuses": [_fuse(case, one) for one in fuse_margins(situation)],
        "switches": _switches(case),
        "joins": [_join(case, gap, leads) for gap in gaps(case)],
        "heats": [_heat(case, one) for one in part_heats(situation)],
        "temperature": figure(situation.temperature_c, "°C"),
        "closed": situation.closed,
    }


def name_of(case: Case, stage: int) -> str:
    part = case.path[stage]
    return part.whole


def _lead(case: Case, one: Any) -> dict[str, Any]:
    return {
        "name": name_of(case, one.stage),
        "station": one.stage + 2,
        "amps": figure(one.amps, "A"),
        "safe": figure(one.safe_a, "A", 2),
        "spare": f"{one.safe_a / one.amps:.1f} ×" if one.amps > 0 else "–",
        "fuse": figure(one.fuse_a, "A", 2) if one.fuse_a else "none before it",
        "drop": f"{figure(one.drop_v, 'V', 2)} ({figure(one.share, '%', 2)})",
        "loss": figure(one.loss_w, "W", 2),
        "ohm": figure(one.ohm, "Ω", 2),
        "bad": one.amps > one.safe_a or one.share > 0.03,
    }


def _fuse(case: Case, one: Any) -> dict[str, Any]:
    rides = "no peak is stated"
    if one.peak_a is not None and one.peak_s is not None:
        peak = f"{figure(one.peak_a, 'A', 2)} for {figure(one.peak_s, 's', 2)}"
        holds = "it holds" if one.opens_s is None else f"it opens after {figure(one.opens_s, 's', 2)} at the soonest"
        rides = f"peak {peak}: {holds}"
    under = "no lead behind it before the next part" if one.wire_a == float("inf") else figure(one.wire_a, "A", 2)
    return {
        "name": name_of(case, one.stage),
        "load": f"{figure(one.load_a, 'A')} × {FUSE_MARGIN:g} = {figure(FUSE_MARGIN * one.load_a, 'A')}",
        "rating": figure(one.rating_a, "A", 2),
        "wire": under,
        "rides": rides,
        "bad": one.rating_a < FUSE_MARGIN * one.load_a or one.rating_a > one.wire_a,
    }


def _switches(case: Case) -> list[dict[str, Any]]:
    now = next((i for i, stage in enumerate(case.path) if stage.BY_HAND), None)
    rows = []
    for place in switch_places(case):
        flat = (
            "nothing flows"
            if place.days is None
            else f"{figure(place.amps, 'A', 2)}: flat in {duration(place.days * 86400)}"
        )
        rows.append({"words": place.words, "flat": flat, "at": place.at, "here": place.at == now})
    return rows


def _join(case: Case, gap: Gap, leads: list[Named]) -> dict[str, Any]:
    made = lead_to_make(gap.near, gap.far)
    found = chains(gap.near, gap.far, leads)
    return {
        "words": gap.words,
        "start": gap.start,
        "stop": gap.stop,
        "done": gap.done,
        "chains": [
            {
                "links": [(link.name, link.end.words) for link in chain.links],
                "indices": ",".join(str(link.index) for link in chain.links),
                "joints": chain.joints,
                "length": figure(chain.length_m, "m", 2),
            }
            for chain in found
            if chain.links
        ],
        "direct": any(not chain.links for chain in found),
        "make": made,
        "swaps": made.swaps or (gap.stop == len(case.path) and centres_differ(case)),
        "views": [
            _end(_view_words(where, end), end, of_device=far)
            for where, end, far in (("at the source", made.source_end, False), ("at the device", made.device_end, True))
            if end.kind not in WIRED
        ],
        "bay": gap.far.kind == "cell-bay",
    }


def _view_words(where: str, end: Connector) -> str:
    """What an end view shows: round connectors are drawn twice, the others seen from outside."""
    name = f"the {end.gender or 'connector'} to make {where}"
    return (
        name if end.kind == "pins" else f"{name}, seen from outside; from the solder side left and right change places"
    )


def _end(words: str, connector: Connector, *, of_device: bool) -> dict[str, Any]:
    return {
        "words": words,
        "barrel": end_view(connector),
        "other": other_end(connector, of_device=of_device),
        "pins": pin_view(connector, plug=True),
    }


def _heat(case: Case, one: Any) -> dict[str, Any]:
    return {
        "name": name_of(case, one.stage),
        "watts": figure(max(w for _, w in one.watts), "W", 2),
        "curve": _curve(one.watts),
        "when": f"at {figure(one.at_soc, '%', 2)} charge",
        "open": f"{one.warmest_open_c:.0f} °C",
        "closed": f"{one.warmest_closed_c:.0f} °C",
        "hot_open": one.warmest_open_c > HAND_HOT_C,
        "hot_closed": one.warmest_closed_c > HAND_HOT_C,
        "derated": ""
        if one.derated_a is None
        else f"{figure(one.carries_a, 'A', 2)} of {figure(one.derated_a, 'A', 2)}",
        "over": one.derated_a is not None and one.carries_a > one.derated_a,
    }


def _curve(watts: tuple[tuple[float, float], ...]) -> str:
    """Heat over the charge, full at the left, as the path of a drawing 92 by 26."""
    most = max(w for _, w in watts) or 1.0
    points = [(2.0 + 88.0 * (1.0 - soc), 24.0 - 20.0 * w / most) for soc, w in watts]
    return "M" + "L".join(f"{x:.1f} {y:.1f}" for x, y in points)


def _choices(case: Case, feed: Feed) -> dict[str, Any]:
    """What was chosen on purpose, and what could be."""
    made = [
        {
            "code": one.code,
            "words": DELIBERATE.get(one.code, one.code.replace("-", " ")),
            "reason": one.reason,
            "by": one.by or "",
        }
        for one in case.choices
    ]
    chosen = {one.code for one in case.choices}
    offered: dict[str, str] = {}
    for finding in feed.findings:
        if finding.code in DELIBERATE and finding.code not in chosen:
            offered.setdefault(finding.code, finding.message)
    open_ones = [{"code": code, "words": DELIBERATE[code], "says": says} for code, says in offered.items()]
    return {"made": made, "open": open_ones}
