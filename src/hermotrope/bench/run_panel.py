"""What the Run panel shows beside the charts: the ribbon, the sentence, sums, the job, swaps, old against new."""

from __future__ import annotations

from math import inf
from typing import Any

from django.http import QueryDict

from hermotrope.bench.feed import Feed
from hermotrope.bench.run_tools import (
    MOST_CHOICES,
    RunAsk,
    against,
    falls_asleep,
    overlay,
    plan_for,
    read_run_ask,
    slots,
    wish_of,
)
from hermotrope.drawings.output import output_over_time
from hermotrope.drawings.ribbon import ribbon, sums_of
from hermotrope.shelf.models import Item
from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.job import charge_at, output_over_run
from hermotrope_core.hours.long_run import leaking_runtime
from hermotrope_core.hours.night import through_the_night
from hermotrope_core.hours.sums import simple_sums
from hermotrope_core.hours.swap import handover
from hermotrope_core.hours.warning import Alarm, alarms, field_warnings
from hermotrope_core.judge.working import runtime_working
from hermotrope_core.kinds.effects import CAUSE_WORDS
from hermotrope_core.plan.case import planned
from hermotrope_core.values.clock import clock_text, clock_time, days_later
from hermotrope_core.values.figures import digits, duration, figure, fixed, span, stated
from hermotrope_core.values.known import number

MOST_ROWS = 30


def run_context(feed: Feed, query: QueryDict) -> dict[str, Any]:
    """What the panel says first, as far as the case lets it be worked out."""
    context: dict[str, Any] = {"run_query": read_run_ask(query).query(), "ribbon": ribbon(feed.case)}
    if (ran := _ran(feed)) is None:
        return context
    situation, run = ran
    return context | {
        "duty_sums": sums_of(situation),
        "sentence": sentence(feed),
        "programme": programme(feed),
        "alarms": [_alarm(situation, one) for one in alarms(situation, run)],
        "night": _night(feed),
    }


def _ran(feed: Feed) -> tuple[Situation, Run] | None:
    """What is planned with its run; None where it does not run at all."""
    if feed.planned is None or feed.run is None or feed.run.runtime_s <= 0.0:
        return None
    return feed.planned, feed.run


def tools_context(feed: Feed, query: QueryDict) -> dict[str, Any]:
    """The tools below what `run_context` says: what may be asked further, and what was."""
    ask = read_run_ask(query)
    case = feed.case
    context: dict[str, Any] = {
        "run_ask": ask,
        "overlay_slots": slots(ask),
        "packs": Item.objects.filter(kind="source").count(),
        "most_packs": MOST_CHOICES,
        "find": ask.find,
    }
    if (ran := _ran(feed)) is None:
        return context
    situation, run = ran
    return context | {
        "runtime_working": runtime_working(situation),
        "thoughts": [_thought(one) for one in simple_sums(situation)],
        "output": _output(situation, ask),
        "warnings": [_warning(one) for one in field_warnings(situation, run)],
        "seam": _seam(situation),
        "plan": plan_for(feed, ask),
        "asleep": falls_asleep(feed),
        "against": against(situation, ask),
        "overlay": overlay(case, ask, wish_of(situation, ask)),
        "leak": _leak(situation),
        "table": _table(feed),
    }


def _alarm(situation: Situation, one: Alarm) -> str:
    """When an alarm sounds, in a sentence."""
    light, heavy = situation.lightest.name, situation.heaviest.name
    told = f"The {one.called} ({stated(one.warns_v, 'V')})"
    if one.light_s <= 0.0 and one.heavy_s <= 0.0:
        return f"{told} never sounds: the run ends before."
    if light == heavy:
        return f"{told} sounds about {duration(one.light_s)} before the end."
    first = f"{told} sounds in “{heavy}” from about {duration(one.heavy_s)} before the end"
    if one.light_s <= 0.0:
        return f"{first}, in “{light}” never."
    return f"{first}, in “{light}” from about {duration(one.light_s)}."


def sentence(feed: Feed) -> dict[str, str]:
    """The range, its centre, what ends it and what is left, in words."""
    range_, run = feed.range, feed.run
    if range_ is None or run is None:
        return {}
    causes = [f"{cause} ({100 * share:.0f} %)" for cause, share in range_.causes.items() if share >= 0.005]
    reach = span(range_.p5, range_.p95)
    told = {"reach": reach, "middle": "" if reach == duration(range_.p50) else duration(range_.p50)}
    left = f"{100 * run.final_soc:.0f} % of the charge stay unused"
    if run.end_cause == "programme over":
        return told | {"ends": f"the programme is over then; {left}"}
    return told | {"ends": f"ends by {', '.join(causes)}, in “{run.end_mode}”; {left}"}


def programme(feed: Feed) -> dict[str, str] | None:
    """For a one-off programme: whether the pack lasts it, and what is left; with a start, when it ends by the clock."""
    duty, range_, run = feed.case.duty, feed.range, feed.run
    if range_ is None or run is None:
        return None
    told: dict[str, str] = {}
    if duty.start:
        told["from"] = clock_text(duty.start)
        told["ends"] = clock_time(duty.start, range_.p50)
        told["earliest"], told["latest"] = clock_time(duty.start, range_.p5), clock_time(duty.start, range_.p95)
        days = days_later(duty.start, range_.p50)
        told["later"] = f", {days} d later" if days else ""
    if duty.once and feed.run:
        total = duty.seconds
        lasts = f"the programme of {duration(total)}"
        if range_.p5 >= total:
            told["once"] = f"It lasts {lasts} even at its worst"
        elif range_.p50 >= total:
            told["once"] = f"It probably lasts {lasts}; at its worst it stops {duration(total - range_.p5)} early"
        else:
            told["once"] = f"It stops {duration(total - range_.p50)} before {lasts} is over"
        left = charge_at(feed.run, total)
        if run.runtime_s >= total:
            told["once"] += f"; {100 * left:.0f} % of the charge are left then"
    return told or None


def _thought(one: Any) -> dict[str, str]:
    word = "longer" if one.off > 0 else "shorter"
    return {
        "name": one.name,
        "formula": one.formula,
        "said": duration(one.seconds),
        "off": "the same" if abs(one.off) < 0.01 else f"{figure(abs(one.off), '%', 2)} {word}",
        "because": one.because,
    }


def _output(situation: Situation, ask: RunAsk) -> dict[str, Any] | None:
    wish = wish_of(situation, ask)
    found = output_over_run(situation, wish) if wish is not None else None
    if found is None:
        return None
    return {
        "mode": found.mode,
        "first": f"{digits(found.first, 3)} {found.unit}",
        "last": f"{digits(found.last, 3)} {found.unit}",
        "wish": f"{digits(found.wish, 3)} {found.unit}",
        "until": duration(found.until_s),
        "never": found.until_s <= 0.0,
        "all": found.until_s >= found.points[-1][0],
        "on": duration(found.on_s),
        "of": duration(found.of_s),
        "drawn": output_over_time(found.points, found.wish, found.unit),
        "asked": found.asked,
        "outside": found.outside,
    }


def _warning(one: Any) -> dict[str, str]:
    def volts(value: float | None) -> str:
        return "collapses" if value is None else fixed(value, 2, "V")

    light, heavy = volts(one.light_v), volts(one.heavy_v)
    when = f"{duration(one.before_s)} before the end" if one.before_s else "when it ends"
    left = f"{100 * one.soc:.0f} %"
    return {"when": when, "soc": left, "rest": volts(one.rest_v), "light": light, "heavy": heavy}


def _seam(situation: Situation) -> dict[str, str] | None:
    found = handover(situation)
    if found is None:
        return None
    both = "no end" if found.inner_s == inf else duration(found.outer_s + found.inner_s)
    inner = "no end" if found.inner_s == inf else duration(found.inner_s)
    return {"outer": duration(found.outer_s), "inner": inner, "both": both, "words": found.seam}


def _night(feed: Feed) -> dict[str, str] | None:
    """The run through changing temperature, beside the one at one temperature."""
    found = through_the_night(planned(feed.case)) if feed.run else None
    if found is None or feed.run is None:
        return None
    start = feed.case.duty.start
    return {
        "runs": duration(found.runtime_s),
        "until": clock_time(start, found.runtime_s) if start else "",
        "end": CAUSE_WORDS[found.end_cause],
        "from": _celsius(found.warmest_c),
        "to": _celsius(found.coldest_c),
        "flat": duration(feed.run.runtime_s),
        "at": _celsius(number(feed.case.conditions.temperature_c)),
    }


def _table(feed: Feed) -> list[list[str]]:
    """The run in some thirty rows: time, volts at the pack and the inlet, amperes, charge, mode."""
    chart = feed.chart
    if chart is None or not chart["series"]:
        return []
    rows = list(zip(*chart["series"], strict=True))
    stride = -(-len(rows) // MOST_ROWS)
    made = []
    for seconds, pack, inlet, amps, charge, mode in [*rows[:-1:stride], rows[-1]]:
        told = ["–"] * 3 if pack is None else [fixed(pack, 2, "V"), fixed(inlet, 2, "V"), figure(amps, "A")]
        made.append([duration(seconds), *told, f"{fixed(charge, 1)} %", chart["modes"][int(mode)]])
    return made


def _celsius(value: float) -> str:
    return f"{round(value)} °C".replace("-", "−")


def _leak(situation: Situation) -> dict[str, str] | None:
    leaking, run = leaking_runtime(situation), situation.run
    if leaking is None or run is None:
        return None
    share = situation.cell.self_discharge_per_month
    return {"runs": duration(leaking), "alone": duration(run.runtime_s), "share": figure(share, "%", 2)}
