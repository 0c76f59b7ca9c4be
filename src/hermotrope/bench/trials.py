"""Runs of a conversion: kept one by one, each held against what was predicted, all together told of the next."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from functools import lru_cache
from typing import Any

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from hermotrope.bench import actions
from hermotrope.bench.feed import feed_of, range_of
from hermotrope.bench.models import Conversion, Trial
from hermotrope.bench.panels import pointer_of, row_at, term_at
from hermotrope.drawings.trials import trials_drawn
from hermotrope.entry.answers import Answers, past_day, words
from hermotrope.entry.pictures import jpeg_of
from hermotrope.entry.typed import EditError, without_place
from hermotrope_core.circuit.discharge import NeverEnds
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.fit.trials import DRAWS, ROUNDS, SCATTER, Learned, Pooled, as_run, pooled, same_line, taken
from hermotrope_core.fit.trials import Trial as Ran
from hermotrope_core.hours.ran import judged_run
from hermotrope_core.plan.case import Case
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import duration, span, stated
from hermotrope_core.values.quantity import parse, parse_field
from hermotrope_core.values.whole import MOST_KEY, whole_number

LONGEST_S = 1e9
MOST = 500
"""Runs of one conversion."""
TEXTS = {"pack": 60, "where": 60, "how": 120, "note": 500}
TAKEN = "As the runs have it"
NO_PLAN = "a run is held against the plan: answer what is open first"


def read(conversion: Conversion, typed: Mapping[str, str], today: date) -> tuple[dict[str, Any], dict[str, str]]:
    """The fields of a trial and what is wrong with them, by field."""
    modes = {one.name for one in conversion.case.device.modes}

    def mode(text: str) -> str:
        if text not in modes:
            raise EditError("it has no such mode any more")
        return text

    answers = Answers(typed)
    answers.take("on", past_day(today), today)
    answers.take("ran", _seconds, needed=True)
    answers.take("temperature", lambda text: parse_field(text, FIELDS["temperature_c"]))
    answers.take("mode", mode, "")
    for name, longest in TEXTS.items():
        answers.take(name, words(longest), "")
    found = answers.found
    made = {name: found.get(name) for name in ("on", "mode", *TEXTS)}
    made["revision"] = whole_number(typed.get("revision", ""), MOST_KEY)
    made |= {"seconds": found.get("ran"), "temperature_c": found.get("temperature")}
    return made | {"ended": typed.get("ended", "yes") == "yes"}, answers.errors


def _seconds(text: str) -> float:
    seconds = parse(text, "s")
    if not 0.0 < seconds <= LONGEST_S:
        raise EditError("a run lasts longer than nothing; for example 4h30")
    return seconds


@transaction.atomic
def add(conversion: Conversion, found: dict[str, Any], picture: UploadedFile[Any] | None = None) -> Trial:
    """Keep a run, with its picture if there is one. Raises `EditError` where there is no plan to hold it against."""
    found = dict(found)
    if feed_of(conversion.case).run is None:
        raise EditError(NO_PLAN)
    if conversion.trials.count() >= MOST:
        raise EditError(f"{MOST} runs are kept; remove some first")
    revision = found.pop("revision", None)  # a run that was typed before the plan changed is one of the plan before
    before = conversion.revisions.filter(number=revision).first() if revision else None
    case = as_run((before or conversion).case, found["temperature_c"], found["mode"])
    try:
        range_of(case)
    except (ValueError, NeverEnds) as error:
        raise EditError(f"that run cannot be foretold: {without_place(error)}") from None
    image = jpeg_of(picture) if picture else b""
    return Trial.objects.create(conversion=conversion, case=case, picture=image, **found)


@lru_cache(maxsize=32)
def _pooled(case: Case, runs: tuple[Ran, ...]) -> Pooled | None:
    return pooled(case, list(runs))


def taken_already(conversion: Conversion) -> set[int | None]:
    """The revisions up to the present one that took runs into the plan; undone, they speak again."""
    before = conversion.revisions.filter(number__lte=conversion.revision, label=TAKEN)
    return set(before.values_list("number", flat=True))


def together(conversion: Conversion, rows: list[Trial]) -> tuple[Pooled | None, list[Trial]]:
    """What the runs say of the next one, and which of them were asked: those of this line not yet in the plan."""
    now = feed_of(conversion.case)
    if now.planned is None or now.run is None or now.run.runtime_s <= 0.0:
        return None, []
    before = taken_already(conversion)
    asked = [row for row in rows if row.taken_in not in before and same_line(row.case, conversion.case)]
    ran = tuple(Ran(as_run(now.case, row.temperature_c, row.mode), row.seconds, row.ended) for row in asked)
    try:
        return (_pooled(now.planned.case, ran) if ran else None), asked
    except (ValueError, NeverEnds):
        return None, asked


def context(conversion: Conversion) -> dict[str, Any]:
    """The runs as the panel shows them."""
    rows = list(conversion.trials.defer("picture"))
    taken_in = taken_already(conversion)
    pictured = set(conversion.trials.exclude(picture=b"").values_list("pk", flat=True))
    found, asked = together(conversion, rows)
    odd = {asked[i].pk for i in found.odd} if found else set()
    planned = feed_of(conversion.case).range
    others = sum(row.taken_in in taken_in for row in rows)
    return {
        "conversion": conversion,
        "trials": [{**_shown(row, row.pk in odd), "pictured": row.pk in pictured} for row in reversed(rows)],
        "modes": [mode.name for mode in conversion.case.device.modes],
        "together": _told(conversion, found, asked) if found else None,
        "drawn": trials_drawn(planned, found, [(row.seconds, row.ended, row.pk in odd) for row in asked])
        if planned and asked
        else None,
        "others": others,
        "another_line": len(rows) - others - len(asked),
        "no_plan": planned is None,
        "refused": feed_of(conversion.case).refused,
    }


def _shown(row: Trial, odd: bool) -> dict[str, Any]:
    range_ = range_of(row.case)
    ran = duration(row.seconds)
    if range_ is None:
        says = f"It ran {ran}; by the plan it would not run at all."
    elif not row.ended:
        late = row.seconds > range_.p95
        more = f", longer than the {span(range_.p5, range_.p95)} foretold" if late else ""
        says = f"It still ran after {ran}{more}."
    else:
        says = judged_run(Situation(row.case), range_, row.seconds).says.partition(". ")[0].rstrip(".") + "."
    warmth = "" if row.temperature_c is None else stated(row.temperature_c, "°C")
    was = [warmth, f"“{row.mode}”" if row.mode else "", row.pack, row.where, row.how, row.note]
    return {"row": row, "says": says, "odd": odd, "was": " · ".join(filter(None, was)), "ran": ran}


def _told(conversion: Conversion, found: Pooled, asked: list[Trial]) -> dict[str, Any]:
    return {
        "count": len(asked),
        "next": span(found.p5, found.p95),
        "likely": duration(found.p50),
        "scatter": round(100 * found.scatter),
        "outside": found.outside,
        "packs": len({row.pack for row in asked}) > 1,
        "learned": [_worded(conversion, one) for one in found.learned[:3]],
        "draws": DRAWS * ROUNDS,
        "usual": round(100 * SCATTER),
    }


def _worded(conversion: Conversion, one: Learned) -> dict[str, Any]:
    """A figure that the runs know better than the plan, as planned and as they have it."""
    pointer = pointer_of(one.place)
    low, middle, high = (round(100 * at) for at in (one.low, one.middle, one.high))
    return {
        "place": one.place,
        "term": term_at(conversion.case, pointer),
        "text": row_at(conversion.case, pointer).text,
        "percent": middle,
        "range": f"{low} to {high}",
    }


@transaction.atomic
def take(conversion: Conversion, version: int, place: str) -> Conversion:
    """Put what the runs have learned of one figure into the plan, once. Raises `EditError`, `Conflict`."""
    rows = list(conversion.trials.defer("picture"))
    found, asked = together(conversion, rows)
    learned = next((one for one in found.learned if one.place == place), None) if found else None
    if learned is None:
        raise EditError("the runs say nothing sure of that figure")
    done = actions.put(conversion.pk, version, taken(conversion.case, learned, len(asked)), TAKEN)
    Trial.objects.filter(pk__in=[row.pk for row in asked]).update(taken_in=done.revision)
    return done
