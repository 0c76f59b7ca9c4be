"""The tools of the Run panel: swaps, old against new, the same on other packs."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date, timedelta
from math import inf
from typing import Any, Literal
from urllib.parse import urlencode

import msgspec
from django.http import QueryDict

from hermotrope.bench.feed import Feed
from hermotrope.drawings.ways import curves
from hermotrope.entry.asked import words_sought
from hermotrope.shelf.models import Item
from hermotrope_core.circuit.estimate import QUICK_DRAWS, estimate
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.economy import Side, payback, side_of
from hermotrope_core.hours.job import middle_wish, output_over_run
from hermotrope_core.hours.swap import cautious_lasts, recharge_seconds, swap_plan
from hermotrope_core.judge.findings import check, verdict_of
from hermotrope_core.match.judge import DEVICE_CODES
from hermotrope_core.match.request import Request
from hermotrope_core.match.search import search
from hermotrope_core.match.shelf import Pack, Part, Shelf
from hermotrope_core.plan.case import Case, planned
from hermotrope_core.plan.source import Source
from hermotrope_core.values.clock import clock_time, days_later
from hermotrope_core.values.figures import duration, figure, fixed, span
from hermotrope_core.values.liking import money
from hermotrope_core.values.quantity import QuantityError, parse

MOST_OVERLAID = 4
"""Runs on one axis, the conversion's own among them."""
MOST_CHOICES = 60
MOST_DAYS = 50 * 365.0
"""A payback later than this has no date."""
ASKED = {
    "job": ("h", "9 h"),
    "own": ("", "2"),
    "charger": ("W", "60 W"),
    "daily": ("h", "5 h"),
    "wish": ("", ""),
    "old_hours": ("h", "6 h"),
    "old_fill": ("", "8"),
    "old_charge": ("h", "5 h"),
    "old_mass": ("g", "265 g"),
    "parts": ("", "15"),
    "week": ("h", "10 h"),
}
"""Figures that the tools of the panel ask for, with their unit and an example."""


class RunAsk(msgspec.Struct, frozen=True):
    """What was asked of the panel: figures as typed and as understood, packs to lay over, what was wrong."""

    typed: dict[str, str]
    values: dict[str, float]
    overlaid: tuple[str, ...]
    hot: bool
    errors: dict[str, str]
    find: str = ""
    """What the packs are searched for."""

    def query(self) -> str:
        pairs = [("panel", "run"), *((name, text) for name, text in self.typed.items() if text)]
        pairs += [("with", key) for key in self.overlaid] + ([("hot", "on")] if self.hot else [])
        return urlencode(pairs)


def read_run_ask(query: QueryDict) -> RunAsk:
    """The question of a request; what is not understood is kept as typed, with its reason."""
    typed = {name: query.get(name, "").strip()[:40] for name in ASKED}
    values: dict[str, float] = {}
    errors: dict[str, str] = {}
    for name, text in typed.items():
        if not text:
            continue
        try:
            value = parse(text, ASKED[name][0])
            if not 0.0 < value < 1e7:
                raise QuantityError("must be above 0")
            values[name] = value
        except QuantityError as error:
            errors[name] = str(error)
    overlaid = tuple(dict.fromkeys(filter(None, query.getlist("with"))))[: MOST_OVERLAID - 1]
    return RunAsk(typed, values, overlaid, query.get("hot") == "on", errors, words_sought(query))


def wish_of(situation: Situation, ask: RunAsk) -> float | None:
    """The output that is enough: as asked, or the usual one; None without a table."""
    return ask.values.get("wish") or middle_wish(situation)


def falls_asleep(feed: Feed) -> str:
    """How long a bank stays on that switches itself off: another bank would do the same; else empty."""
    run = feed.run
    return duration(run.runtime_s) if run is not None and run.end_cause == "auto-off" else ""


def plan_for(feed: Feed, ask: RunAsk) -> dict[str, Any] | None:
    """The swap plan of a job; None until its hours are asked for, and for a bank that switches itself off."""
    job = ask.values.get("job")
    if job is None or feed.range is None or feed.planned is None or feed.range.p50 <= 0.0 or falls_asleep(feed):
        return None
    charger, duty = ask.values.get("charger"), feed.planned.case.duty
    recharge = recharge_seconds(feed.planned, charger, ask.values.get("daily"))
    own = max(1, min(200, int(ask.values.get("own", 200.0))))
    seconds = min(3600.0 * job, duty.seconds) if duty.once else 3600.0 * job
    lasts = cautious_lasts(feed.planned, _cautious(feed.planned))
    plan = swap_plan(seconds, lasts, own, recharge, hot=ask.hot)
    start = feed.case.duty.start
    rows = [
        {
            "when": duration(swap.at_s),
            "clock": clock_time(start, swap.at_s) if start else "",
            "out": swap.out,
            "into": swap.into,
            "ready": swap.ready,
            "again": "" if recharge == inf else _moment(start, swap.at_s + recharge),
        }
        for swap in plan.swaps
    ]
    return {
        "plan": plan,
        "each": span(min(plan.lasts_s), max(plan.lasts_s)),
        "rows": rows,
        "recharge": "They are never charged" if recharge == inf else f"A pack is charged again in {duration(recharge)}",
        "left_out": plan.needed - 1 - len(plan.swaps),
        "short": sum(not swap.ready for swap in plan.swaps if swap.into <= swap.out),
    }


def _cautious(situation: Situation) -> float:
    """The pessimistic end of the range over its middle, for a duty that goes on; 1 where nothing is unsure."""
    case = situation.case
    endless = msgspec.structs.replace(case, duty=msgspec.structs.replace(case.duty, once=False))
    found = estimate(endless, QUICK_DRAWS, worth=False)
    return found.p5 / found.p50 if found is not None and found.p50 > 0.0 else 1.0


def _moment(start: str | None, seconds: float) -> str:
    """A moment after the start: by the clock where the start is known."""
    if start is None:
        return f"after {duration(seconds)}"
    days = days_later(start, seconds)
    return f"by {clock_time(start, seconds)}{f', {days} d later' if days else ''}"


def against(situation: Situation, ask: RunAsk) -> dict[str, Any] | None:
    hours = ask.values.get("old_hours")
    if hours is None:
        return None
    recharge, fill = ask.values.get("old_charge"), ask.values.get("old_fill")
    charged = recharge is not None and fill is None
    old = Side("as it was", hours, None, ask.values.get("old_mass"), recharge, 0.0, fill, charged)
    new = side_of(situation, "converted", ask.values.get("parts", 0.0))
    back = payback(old, new, ask.values.get("week", 0.0))

    def words(side: Side) -> dict[str, str]:
        return {
            "name": side.name,
            "hours": duration(3600.0 * side.hours) if side.hours else "–",
            "mass": figure(side.mass_g, "g") if side.mass_g else "–",
            "wh": figure(side.wh, "Wh") if side.wh else "–",
            "recharge": duration(3600.0 * side.recharge_h) if side.recharge_h else "–",
            "price": "not known" if side.price is None else money(side.price, 0) if side.price else "–",
            "per_hour": _per_hour(side),
            "per_money": fixed(side.minutes_per_money, 0, "min") if side.minutes_per_money else "–",
        }

    told: dict[str, Any] | None = None
    if back is not None:
        days = "" if back.days == inf else f"{back.days:.0f}"
        told = {"hours": duration(3600.0 * back.hours), "runs": f"{back.runs:.0f}", "days": days, "on": None}
        if back.days < MOST_DAYS:
            told["on"] = date.today() + timedelta(days=back.days)
    return {"sides": [words(old), words(new)], "back": told, "why": "" if told else _no_payback(old, new)}


def _per_hour(side: Side) -> str:
    if side.charged:
        return "only its charge"
    return "not known" if side.per_hour is None else money(side.per_hour)


def _no_payback(old: Side, new: Side) -> str:
    """Why no payback can be told, in a sentence."""
    if old.per_hour is None:
        return "What a fill of the old cells cost is not known: enter it, and the payback follows."
    if new.price is None:
        return "What the pack costs is not known: enter its price at the pack or on the shelf, and the payback follows."
    if new.per_hour is None:
        return "What a set of these cells costs is not known: enter it at the pack, and the payback follows."
    return "It does not pay for itself in money with these figures."


def slots(ask: RunAsk) -> list[list[tuple[str, str, bool]]]:
    """For each pack that can be laid over, the sources of the shelf (key, name, chosen), those at hand first."""
    packs = Item.objects.filter(kind="source")
    items = packs.saying(ask.find).at_hand_first().values_list("key", "name")
    laid = packs.filter(key__in=ask.overlaid).values_list("key", "name")
    sources = list(dict.fromkeys([*items[:MOST_CHOICES], *laid]))
    chosen = [*ask.overlaid, *[""] * (MOST_OVERLAID - 1)][: MOST_OVERLAID - 1]
    return [[(key, name, key == one) for key, name in sources] for one in chosen]


def overlay(case: Case, ask: RunAsk, wish: float | None) -> dict[str, Any] | None:
    """The same path and duty on other packs: curves on one axis, and each one's runtime and verdict."""
    if not ask.overlaid:
        return None
    items = {item.key: item.readable() for item in Item.objects.filter(kind="source", key__in=ask.overlaid)}
    sources = [part for key in ask.overlaid if isinstance(part := items.get(key), Source)]
    situations = [Situation(planned(case))]
    parts: list[Part] = []
    for source in sources:
        situations.append(Situation(planned(best_on(case, source, parts))))
    situations = situations[:MOST_OVERLAID]
    rows = []
    for i, situation in enumerate(situations, start=1):
        run = situation.run
        output = output_over_run(situation, wish) if wish is not None else None
        rows.append(
            {
                "number": i,
                "name": situation.source.name,
                "runs": "no end" if run is None else duration(run.runtime_s) if run.runtime_s > 0.0 else "does not run",
                "end": run.end_cause if run else "",
                "verdict": verdict_of(found := check(Situation(situation.case))),
                "why": next((f.message for f in found if f.level in ("refuse", "stop")), ""),
                "way": _line_words(situation.case),
                "per_money": per_money(situation),
                "above_s": output.until_s if output else 0.0,
                "above": duration(output.until_s) if output else "",
            }
        )
    where: Literal["pack", "inlet"] = "pack" if situations[0].circuit.holders else "inlet"
    longest = max((float(str(row["above_s"])) for row in rows), default=0.0)
    return {
        "curves": curves(situations, where),
        "where": where,
        "rows": rows,
        "longest": longest,
        "wish": wish,
        "priced": any(row["per_money"] for row in rows),
    }


def best_on(case: Case, source: Source, parts: list[Part]) -> Case:
    """The case on another pack in the best way there is: its own path where that fits, else one found for that pack.

    What was chosen for the run (the reserve) stays. `parts` are those of the shelf; they are read when first needed.
    """
    if case.source is not None and source.reserve_soc is None and case.source.reserve_soc is not None:
        source = msgspec.structs.replace(source, reserve_soc=case.source.reserve_soc)
    same = msgspec.structs.replace(case, source=source)
    refusals = [f for f in check(Situation(same)) if f.level in ("refuse", "stop")]
    if not any(f.stage != len(case.path) or f.code not in DEVICE_CODES for f in refusals):
        return same
    if not parts:
        parts.extend(shelf_parts())
    bare = msgspec.structs.replace(same, path=())
    found = search(Request(bare, Shelf((Pack(source, have=True),), tuple(parts)).once()))
    best = next(iter(found.ranked()), None)
    return same if best is None else best.judged.way.case(bare)


def shelf_parts() -> Iterator[Part]:
    """Every stage of the shelf, as Match sees it; one query."""
    for item in Item.objects.exclude(kind__in=("source", "meter")):
        part = item.readable()
        if part is not None and not isinstance(part, Source):
            yield Part(part, item.name, item.have != Item.Have.MAYBE, item.price, item.mass_g)


def _line_words(case: Case) -> str:
    """A path in short, for a table."""
    return ", ".join(one.whole for one in case.path) or "directly"


def per_money(situation: Situation) -> str:
    minutes = side_of(situation, "").minutes_per_money
    return fixed(minutes, 1, "min") if minutes else ""
