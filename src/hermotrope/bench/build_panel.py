"""What Build plans: the wiring, what each part stands, the switch, joints, deliberate choices, cautions."""

from __future__ import annotations

from math import inf
from typing import Any

from hermotrope.bench.feed import Feed
from hermotrope.bench.models import Conversion
from hermotrope.drawings.barrel import end_view
from hermotrope.drawings.ends import other_end
from hermotrope.drawings.margins import heat_wide, margin_bar, warmth
from hermotrope.drawings.pins import pin_view
from hermotrope.drawings.wiring import switch_marks, wiring
from hermotrope.shelf.models import Item
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.heat import HAND_HOT_C, PartHeat, part_heats
from hermotrope_core.hours.standing import Place, switch_places
from hermotrope_core.judge.cautions import cautions, stops
from hermotrope_core.judge.choose import FuseMargin, fuse_margins, lead_margins
from hermotrope_core.judge.choose import Margin as LeadMargin
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.lead import as_lead
from hermotrope_core.know.adapters import Named, chains
from hermotrope_core.know.joints import WIRED, Gap, LeadToMake, centres_differ, gaps, lead_to_make
from hermotrope_core.parts.craft import DROP_CARE
from hermotrope_core.parts.wire import FUSE_MARGIN
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import duration, figure, fixed, stated

END_SOC = 0.02
"""With less charge than this a run is told to be at its end."""
DELIBERATE = {
    "over-max": "a deliberate overvoltage",
    "no-low-voltage-cut-off": "no low cut-off",
    "deep-discharge": "a deep discharge",
}
"""Findings that somebody may choose to live with, with a reason."""


def build_frame(case: Case) -> dict[str, Any]:
    """What stands in Plan, Buy and Do; while a stop stands, only what it says and who may take it over."""
    standing = stops(case)
    if standing:
        return {"stops": standing}
    cares = [one for one in cautions(case) if one.place in ("build", "path")]
    return {"drawing": wiring(case), "build_cautions": cares}


def build_context(conversion: Conversion, feed: Feed) -> dict[str, Any]:
    """Everything of Plan."""
    case = conversion.case
    context = build_frame(case)
    if "stops" in context:
        return context
    context["choices"] = _choices(case, feed)
    if feed.situation is None or case.source is None:
        return context
    situation, drawing = feed.situation, context["drawing"]
    places = switch_places(case)
    return context | {
        "rows": _rows(case, situation),
        "switches": _switches(case, places),
        "marks": switch_marks(case, drawing, places),
        "joins": joins(case),
        "temperature": figure(situation.temperature_c, "°C"),
        "closed": situation.closed,
    }


MOST_LEADS = 200
"""Leads of the shelf that are tried at a gap, what one has first."""


def joins(case: Case) -> list[dict[str, Any]]:
    """How each gap of a case with a source is joined: by leads of the shelf, or by one to make, with its ends drawn."""
    found = Item.objects.filter(kind="lead").at_hand_first()[:MOST_LEADS]
    shelf = [(item.name, item.readable()) for item in found]
    leads = [(name, lead) for name, part in shelf if (lead := as_lead(part))]
    return [_join(case, gap, leads) for gap in gaps(case)]


def _rows(case: Case, situation: Situation) -> list[dict[str, Any]]:
    """What each part of the path stands, in path order: its margin in amperes and the heat it makes."""
    margins = {one.stage: _lead(one) for one in lead_margins(situation)}
    margins |= {one.stage: _fuse(one) for one in fuse_margins(situation)}
    heats = {one.stage: one for one in part_heats(situation)}
    rows = []
    for i, stage in enumerate(case.path):
        heat = heats.get(i)
        margin = margins.get(i) or (_board(heat, situation.closed) if heat and heat.rated_a is not None else None)
        if margin or heat:
            name = {"name": stage.whole, "station": i + 2}
            rows.append({**name, "margin": margin, "heat": _heat(heat, situation.closed) if heat else None})
    return rows


def _lead(one: LeadMargin) -> dict[str, Any]:
    spare = f", {fixed(one.safe_a / one.amps, 1)} × that" if one.amps > 0 else ""
    fuse = f"fuse before it {figure(one.fuse_a, 'A', 2)}" if one.fuse_a else "no fuse before it"
    drop = f"loses {figure(one.drop_v, 'V', 2)} ({figure(one.share, '%', 2)})"
    return {
        "bar": margin_bar(one.amps, one.safe_a, inf),
        "says": f"carries {figure(one.amps, 'A')}; safe for {figure(one.safe_a, 'A', 2)}{spare}; {fuse}; {drop}",
        "bad": one.amps > one.safe_a or one.share > DROP_CARE,
    }


def _fuse(one: FuseMargin) -> dict[str, Any]:
    rides = "no peak is stated"
    if one.peak_a is not None and one.peak_s is not None:
        peak = f"{figure(one.peak_a, 'A', 2)} for {figure(one.peak_s, 's', 2)}"
        holds = "it holds" if one.opens_s is None else f"it opens after {figure(one.opens_s, 's', 2)} at the soonest"
        rides = f"peak {peak}: {holds}"
    least = FUSE_MARGIN * one.load_a
    bar = margin_bar(least, one.rating_a, one.wire_a)
    most = "no lead behind it" if one.wire_a == inf else figure(one.wire_a, "A", 2)
    return {
        "bar": bar,
        "says": f"needs {figure(least, 'A')} ({figure(one.load_a, 'A')} × {stated(FUSE_MARGIN)}), rated "
        f"{figure(one.rating_a, 'A', 2)}, the wire stands: {most}; {rides}",
        "bad": bar.bad,
    }


def _board(one: PartHeat, closed: bool) -> dict[str, Any]:
    """A board by what it may give where it is planned to stand."""
    carries, rated, derated = one.carries_a or 0.0, one.rated_a or 0.0, one.derated_a or 0.0
    stands = derated if closed else rated
    says = f"gives {figure(carries, 'A', 2)}; rated {figure(rated, 'A', 2)}, in a closed box {figure(derated, 'A', 2)}"
    return {"bar": margin_bar(carries, stands, inf), "says": says, "bad": carries > stands}


def _heat(one: PartHeat, closed: bool) -> dict[str, Any]:
    most = max(w for _, w in one.watts)
    here = one.warmest_closed_c if closed else one.warmest_open_c
    return {
        "wide": heat_wide(most),
        "warmth": warmth(here),
        "watts": figure(most, "W", 2),
        "when": "at the end" if one.at_soc < END_SOC else f"at {figure(one.at_soc, '%', 2)} charge",
        "open": fixed(one.warmest_open_c, 0, "°C"),
        "closed": fixed(one.warmest_closed_c, 0, "°C"),
        "hot_open": one.warmest_open_c > HAND_HOT_C,
        "hot_closed": one.warmest_closed_c > HAND_HOT_C,
    }


def _switches(case: Case, places: tuple[Place, ...]) -> list[dict[str, Any]]:
    now = next((i for i, stage in enumerate(case.path) if stage.BY_HAND), None)
    rows = []
    for place in places:
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
        "views": list(_ends(made).values()),
        "bay": gap.far.kind == "cell-bay",
    }


def ends_to_make(case: Case) -> dict[str, dict[str, Any]]:
    """The ends to make at the source and at the device, as they are drawn; by `source` and `device`."""
    found = {}
    for gap in gaps(case):
        ends = _ends(lead_to_make(gap.near, gap.far))
        if gap.start == 0 and "source" in ends:
            found["source"] = ends["source"]
        if gap.stop == len(case.path) and "device" in ends:
            found["device"] = ends["device"]
    return found


def _ends(made: LeadToMake) -> dict[str, dict[str, Any]]:
    both = {"source": made.source_end, "device": made.device_end}
    return {
        where: _end(_view_words(f"at the {where}", end), end, of_device=where == "device")
        for where, end in both.items()
        if end.kind not in WIRED
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
