"""Runs of a conversion: kept one by one, each held against what was predicted, all together told of the next."""

from __future__ import annotations

from datetime import date, timedelta
from functools import lru_cache
from typing import Any, BinaryIO, cast

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from hermotrope.bench import actions
from hermotrope.bench.feed import feed_of
from hermotrope.bench.models import Conversion, Trial
from hermotrope.bench.panels import row_at
from hermotrope.drawings.trials import trials_drawn
from hermotrope.entry.pictures import encoded
from hermotrope.entry.typed import EditError, without_place
from hermotrope_core.circuit.discharge import NeverEnds
from hermotrope_core.circuit.estimate import QUICK_DRAWS, Range, estimate
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.fit.trials import Learned, Pooled, as_run, pooled
from hermotrope_core.fit.trials import Trial as Ran
from hermotrope_core.hours.ran import judged_run
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import tree_of
from hermotrope_core.plan.spread import MEASURED_SPREAD
from hermotrope_core.values.figures import duration, span, stated
from hermotrope_core.values.quantity import QuantityError, parse

LONGEST_S = 1e9
COLDEST_C, HOTTEST_C = -40.0, 80.0
EARLIEST = date(1990, 1, 1)
LONGEST_SIDE = 1600
MOST = 500
"""Runs of one conversion."""
TEXTS = {"pack": 60, "where": 60, "how": 120, "note": 500}
TAKEN = "As the runs have it"
NO_PLAN = "a run is held against the plan: answer what is open first"


def read(conversion: Conversion, typed: dict[str, str], today: date) -> tuple[dict[str, Any], dict[str, str]]:
    """The fields of a trial and what is wrong with them, by field."""
    found: dict[str, Any] = {"ended": typed.get("ended", "yes") == "yes"}
    errors: dict[str, str] = {}
    try:
        found["on"] = date.fromisoformat(typed.get("on", "") or today.isoformat())
        if not EARLIEST <= found["on"] <= today + timedelta(days=1):
            raise ValueError
    except ValueError:
        errors["on"] = "a day that has been, such as 2026-05-03"
    try:
        found["seconds"] = parse(typed.get("ran", ""), "s")
        if not 0.0 < found["seconds"] <= LONGEST_S:
            raise QuantityError("a run lasts longer than nothing; for example 4h30")
    except QuantityError as error:
        errors["ran"] = str(error)
    warmth = typed.get("temperature", "").strip()
    try:
        found["temperature_c"] = parse(warmth, "°C") if warmth else None
        if warmth and not COLDEST_C <= found["temperature_c"] <= HOTTEST_C:
            raise QuantityError("a pack works between −40 and 80 °C")
    except QuantityError as error:
        errors["temperature"] = str(error)
    mode = typed.get("mode", "")
    if mode and mode not in {one.name for one in conversion.case.device.modes}:
        errors["mode"] = "it has no such mode any more"
    found["mode"] = mode
    for name, longest in TEXTS.items():
        found[name] = "".join(sign for sign in typed.get(name, "") if sign.isprintable()).strip()[:longest]
    return found, errors


@transaction.atomic
def add(conversion: Conversion, found: dict[str, Any], picture: UploadedFile[Any] | None = None) -> Trial:
    """Keep a run, with its picture if there is one. Raises `EditError` where there is no plan to hold it against."""
    if feed_of(conversion.case).run is None:
        raise EditError(NO_PLAN)
    if conversion.trials.count() >= MOST:
        raise EditError(f"{MOST} runs are kept; remove some first")
    case = as_run(conversion.case, found["temperature_c"], found["mode"])
    try:
        _range(case)
    except (ValueError, NeverEnds) as error:
        raise EditError(f"that run cannot be foretold: {without_place(error)}") from None
    image = encoded(cast(BinaryIO, picture), picture.size or 0, LONGEST_SIDE)[0] if picture else b""
    return Trial.objects.create(conversion=conversion, case=case, picture=image, **found)


@lru_cache(maxsize=64)
def _range(case: Case) -> Range | None:
    return estimate(case, QUICK_DRAWS, worth=False)


@lru_cache(maxsize=32)
def _pooled(case: Case, runs: tuple[Ran, ...]) -> Pooled | None:
    return pooled(case, list(runs))


def _line(case: Case) -> tuple[Any, ...]:
    """What must be the same for two runs to speak of the same pack and load."""
    source = case.source
    pack = (source.chemistry, source.cells_in_series) if source else ()
    return pack, tuple(type(stage) for stage in case.path), tuple(mode.name for mode in case.device.modes)


def taken_already(conversion: Conversion) -> set[int | None]:
    """The revisions up to the present one that took runs into the plan; undone, they speak again."""
    taken = conversion.revisions.filter(number__lte=conversion.revision, label=TAKEN)
    return set(taken.values_list("number", flat=True))


def together(conversion: Conversion, rows: list[Trial]) -> tuple[Pooled | None, list[Trial]]:
    """What the runs say of the next one, and which of them were asked: those of this line not yet in the plan."""
    now = feed_of(conversion.case)
    if now.planned is None or now.run is None or now.run.runtime_s <= 0.0:
        return None, []
    taken = taken_already(conversion)
    asked = [row for row in rows if row.taken_in not in taken and _line(row.case) == _line(conversion.case)]
    case = now.planned.case
    ran = tuple(Ran(as_run(case, row.temperature_c, row.mode), row.seconds, row.ended) for row in asked)
    try:
        return (_pooled(case, ran) if ran else None), asked
    except (ValueError, NeverEnds):
        return None, asked


def context(conversion: Conversion) -> dict[str, Any]:
    """The runs as the panel shows them."""
    rows = list(conversion.trials.defer("picture"))
    pictured = set(conversion.trials.exclude(picture=b"").values_list("pk", flat=True))
    found, asked = together(conversion, rows)
    odd = {asked[i].pk for i in found.odd} if found else set()
    planned = feed_of(conversion.case).range
    others = sum(row.taken_in in taken_already(conversion) for row in rows)
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
    range_ = _range(row.case)
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
    }


def _pointer(place: str) -> str:
    return "/" + place.replace("[", "/").replace("]", "").replace(".", "/")


def _worded(conversion: Conversion, one: Learned) -> dict[str, Any]:
    """A figure that the runs know better than the plan, as planned and as they have it."""
    case, pointer = conversion.case, _pointer(one.place)
    row = row_at(case, pointer)
    parts = pointer.split("/")
    term = row.term
    if parts[1:3] == ["device", "modes"]:
        term = f"{term} of “{case.device.modes[int(parts[3])].name}”"
    if parts[1] == "path":
        term = f"{term}, stage {int(parts[2]) + 1}"
    low, middle, high = (round(100 * at) for at in (one.low, one.middle, one.high))
    return {
        "place": one.place,
        "term": term,
        "text": row.text,
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
    pointer = _pointer(place)
    at: Any = tree_of(conversion.case)
    for part in pointer.split("/")[1:]:
        at = at[int(part)] if isinstance(at, list) else at[part]
    now = at["value"] if isinstance(at, dict) else at
    if not isinstance(now, float | int):
        raise EditError("that is a table: change it by hand")
    spread = max((learned.high / learned.low) ** 0.5 - 1.0, MEASURED_SPREAD)
    value = {"value": float(f"{now * learned.middle:.4g}"), "known_by": "measured", "note": f"from {len(asked)} runs"}
    value |= {"spread": float(f"{spread:.2g}")} if spread > MEASURED_SPREAD else {}
    patch = [{"op": "add", "path": pointer, "value": value}]
    done = actions.change(conversion.pk, version, patch, TAKEN)
    Trial.objects.filter(pk__in=[row.pk for row in asked]).update(taken_in=done.revision)
    return done
