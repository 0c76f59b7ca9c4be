"""What the Prove panel shows of logged runs: a file before import, a run being logged, a kept one with its fit."""

from __future__ import annotations

from datetime import datetime
from functools import lru_cache
from typing import Any, NamedTuple

import numpy as np
from django.http import QueryDict

from hermotrope.bench.models import Conversion
from hermotrope.drawings.log_chart import log_chart, overlay
from hermotrope.formats.log_rows import read_log
from hermotrope.formats.logger_csv import LogError, recognise
from hermotrope.proving import equipment
from hermotrope.proving.bench import Workshop
from hermotrope.proving.keeping import log_from, log_of, mapping_of, original_of
from hermotrope.proving.models import RunLogRow
from hermotrope_core.circuit.estimate import QUICK_DRAWS, estimate
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.fit import Fit, Found, compare, fit, fitted, shares_of_runtime
from hermotrope_core.fit.result import Z90
from hermotrope_core.fit.runlog import Remark, RunLog
from hermotrope_core.plan.case import Case, at_temperature
from hermotrope_core.plan.spread import MEASURED_SPREAD
from hermotrope_core.prove.judge import written
from hermotrope_core.tell.record import LogMapping
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import digits, duration, figure, fixed, stated
from hermotrope_core.values.known import number
from hermotrope_core.values.liking import Liking, liked
from hermotrope_core.values.quantity import show

COLUMN_WORDS = {
    "pack_v": "volts at the pack",
    "pack_a": "amperes from the pack",
    "inlet_v": "volts at the plug",
    "inlet_a": "amperes into the device",
}
LIVE_ROWS = 40_000
HEAD_BYTES, HEAD_ROWS = 20_000, 3
SAME_S = 30.0
"""Runtimes that differ by less are told as the same."""
TIME_KINDS = (
    ("seconds", "seconds"),
    ("milliseconds", "milliseconds"),
    ("minutes", "minutes"),
    ("hours", "hours"),
    ("clock", "h:mm:ss"),
    ("stamp", "date and time of day"),
    ("date and clock", "a date, and a time of day beside it"),
    ("rows", "no column: rows are counted"),
)


def log_row(row: RunLogRow) -> dict[str, Any]:
    """A log for the list."""
    now, running = equipment.as_it_stands(row)
    row = now or row
    return {
        "log": row,
        "lasts": duration(row.lasts_s),
        "orphan": row.state == RunLogRow.State.RECORDING and not running,
    }


def shown_log(workshop: Workshop, rows: list[RunLogRow], wanted: str = "") -> dict[str, Any] | None:
    """The log that is looked at: the one asked for, else the newest."""
    looked_at = next((one for one in rows if str(one.pk) == wanted), rows[0] if rows else None)
    row, running = equipment.as_it_stands(looked_at) if looked_at else (None, False)
    if row is None:
        return None
    if row.state == RunLogRow.State.DRAFT:
        return draft(row)
    if row.state == RunLogRow.State.RECORDING:
        return live(row, orphan=not running)
    return kept_log(workshop, row)


def draft(row: RunLogRow, error: str = "") -> dict[str, Any]:
    """A file before it is imported: how it is understood, in its columns."""
    mapping = mapping_of(row)
    try:
        found = recognise(original_of(row))
    except LogError as problem:
        return {"row": row, "kind": "draft", "error": str(problem), "columns": []}
    understood = _understood(original_of(row), mapping or found.mapping)
    roles = {one.index: (one.what, one.factor) for one in mapping.columns} if mapping else {}
    columns = []
    for column in found.columns:
        role = "time" if mapping and column.index == mapping.time_index else roles.get(column.index, ("", 1.0))[0]
        columns.append({"seen": column, "role": role, "milli": roles.get(column.index, ("", 1.0))[1] == 1e-3})
    return {
        "row": row,
        "kind": "draft",
        "columns": columns,
        "chosen": mapping
        and {
            "time_kind": mapping.time_kind,
            "decimal": mapping.decimal,
            "day_first": mapping.day_first,
            "interval": show(mapping.interval_s, "s"),
        },
        "about": found.about,
        "error": error,
        "understood": understood,
    }


def as_chosen(shown_: dict[str, Any], sent: QueryDict) -> dict[str, Any]:
    """A draft whose form was refused, with everything as it was chosen there."""
    columns = []
    for column in shown_["columns"]:
        index = column["seen"].index
        columns.append({**column, "role": sent.get(f"role-{index}", ""), "milli": f"milli-{index}" in sent})
    chosen = {name: sent.get(name, "") for name in ("time_kind", "decimal", "day_first", "interval")}
    return shown_ | {"columns": columns, "chosen": chosen}


def _understood(data: bytes, mapping: LogMapping) -> list[str]:
    """The first rows of a file as they are understood."""
    try:
        log = read_log(data[:HEAD_BYTES].rsplit(b"\n", 1)[0], mapping)
    except LogError:
        return []
    made = []
    for i in range(min(HEAD_ROWS, len(log))):
        values = [figure(float(column[i]), name[-1].upper(), 4) for name, column in log.columns.items()]
        made.append(f"{stated(log.seconds[i], 's')}: {', '.join(values)}")
    return made


def live(row: RunLogRow, *, orphan: bool) -> dict[str, Any]:
    """A run that is being logged: what came last, and the curve so far."""
    names = list((row.mapping or {}).get("names", ()))
    rows = [line for chunk in row.chunks.all() for line in chunk.rows]
    chart = None
    if len(rows) > 3:
        table = rows[:: max(1, len(rows) // LIVE_ROWS)]
        columns = list(zip(*table, strict=True))
        chart = log_chart(_raw(columns, names), ())
    last = (
        [(COLUMN_WORDS[name], f"{value:.2f}") for name, value in zip(names, rows[-1][1:], strict=False)] if rows else []
    )
    return {
        "row": row,
        "kind": "live",
        "chart": chart,
        "last": last,
        "lasts": duration(row.lasts_s),
        "orphan": orphan,
    }


def _raw(columns: list[Any], names: list[str]) -> RunLog:
    seconds = np.array(columns[0])
    return RunLog(seconds, {name: np.array(columns[i]) for i, name in enumerate(names, start=1)})  # type: ignore[misc]


def warmth(workshop: Workshop, celsius: float | None) -> dict[str, str | bool]:
    """A temperature that was said, else the plan's, and what the plan is for where that is another."""
    plan = number(workshop.case.conditions.temperature_c)
    here = plan if celsius is None else celsius
    return {
        "here": show(here, "°C"),
        "plan": written(plan, "°C") if here != plan else "",
        "unsaid": celsius is None,
    }


def kept_log(workshop: Workshop, row: RunLogRow) -> dict[str, Any]:
    """A kept log beside its prediction, with what a fit says."""
    log = log_of(row)
    shown_: dict[str, Any] = {
        "row": row,
        "kind": "kept",
        "lasts": duration(row.lasts_s),
        "remarks": [(one.kind, duration(one.start_s) if one.start_s else "", one.says) for one in log.remarks],
        "rows": f"{row.rows:,}",
        "taken": [_taken(one) for one in row.fits],
        "warmth": warmth(workshop, row.temperature_c),
    }
    situation = workshop.feed.situation
    if situation is None or situation.run is None:
        return shown_ | {"chart": log_chart(log, ()), "no_fit": "the plan has no run that ends"}
    logged = Logged(bytes(row.data), log.remarks, row.temperature_c, row.ended)
    return shown_ | _held_against(situation.case, logged, liked())


class Logged(NamedTuple):
    """What of a kept log is held against a plan: its arrays, what was remarked, °C if said, if it ended by itself."""

    data: bytes
    remarks: tuple[Remark, ...]
    temperature_c: float | None
    ended: bool


@lru_cache(maxsize=4)
def _held_against(case: Case, logged: Logged, _liking: Liking) -> dict[str, Any]:
    """A log beside what its plan foretold, and what a fit says; the same until one of them changes."""
    log, then = log_from(logged.data, logged.remarks), at_temperature(case, logged.temperature_c)
    ran = Situation(then).run
    compared = compare(then, log)[1]
    said: dict[str, Any] = {
        "parts": [_parts(one) for one in compared],
        "longer": _longer(log, ran.runtime_s, ended=logged.ended) if ran is not None else "",
    }
    try:
        found = fit(then, log)
    except ValueError as error:
        return said | {"chart": log_chart(log, compared), "no_fit": str(error)}
    told = {one.place for one in found.found if one.told}
    after = compare(fitted(then, found, told, ""), log)[1] if told else ()
    return said | {"chart": log_chart(log, compared, after), "fit": _fit(case, found, told)}


def _parts(one: Any) -> dict[str, str]:
    unit = "V" if one.column.endswith("_v") else "A"
    if one.parts_s is None:
        return {"column": COLUMN_WORDS[one.column], "says": "agree to the end"}
    word = "above" if one.parts_by > 0 else "below"
    return {
        "column": COLUMN_WORDS[one.column],
        "says": f"part after {duration(one.parts_s)}: measured {figure(abs(one.parts_by), unit, 2)} {word} predicted",
    }


def _longer(log: RunLog, ends: float, *, ended: bool) -> str:
    """How the measured run compares with the predicted one, in words."""
    off = log.lasts_s - ends
    if not ended:
        return f"the log stops after {duration(log.lasts_s)}, not by itself; predicted {duration(ends)}"
    if abs(off) < SAME_S:
        return f"it ran {duration(log.lasts_s)}, as long as predicted"
    word = "longer" if off > 0 else "shorter"
    return f"it ran {duration(log.lasts_s)}, {duration(abs(off))} {word} than predicted ({duration(ends)})"


def _fit(case: Case, found: Fit, told: set[str]) -> dict[str, Any]:
    rows = [
        {
            "one": one,
            "was": _figure(one.was, one.unit),
            "now": _figure(one.now, one.unit) if one.now is not None else "cannot tell",
            "off": _off(one.now / one.was - 1.0) if one.now is not None and one.was else "",
            "sure": _sure(one) if one.told else "",
        }
        for one in found.found
    ]
    before = estimate(case, QUICK_DRAWS, worth=False)
    after = estimate(fitted(case, found, told, ""), QUICK_DRAWS, worth=False) if told else None
    shares = [
        f"{one.term}: {'+' if seconds > 0 else '−'}{duration(abs(seconds))}"
        for one, seconds in shares_of_runtime(case, found)
        if abs(seconds) >= 30.0
    ]
    return {
        "rows": rows,
        "told": bool(told),
        "problems": found.problems,
        "explained": found.explained,
        "aside": found.aside,
        "before": f"{duration(before.p5)} – {duration(before.p95)}" if before else "–",
        "after": f"{duration(after.p5)} – {duration(after.p95)}" if after else "",
        "shares": shares,
        "wh": [
            (words, figure(wh, "Wh"))
            for words, wh in (("from the pack", found.source_wh), ("into the device", found.device_wh))
            if wh is not None
        ],
    }


def _taken(one: dict[str, Any]) -> dict[str, str]:
    """What was put into the plan from this run."""
    unit = FIELDS[str(one["place"]).rsplit(".", 1)[-1]].unit
    return {
        "place": one["place"],
        "was": _figure(one["was"], unit),
        "now": _figure(one["now"], unit),
        "on": one["taken_at"][:10],
    }


def _off(share: float) -> str:
    """A departure in per cent, with its sign."""
    return "as planned" if abs(share) < 0.0005 else f"{'+' if share > 0 else ''}{fixed(100 * share, 1, '%')}"


def _sure(one: Found) -> str:
    """The half-width of the 90 % interval: that of the meters, or the run's own where it is wider."""
    own = Z90 * one.sigma
    return (
        f"± {digits(100 * own, 2)} %" if own > MEASURED_SPREAD else f"± {100 * MEASURED_SPREAD:.0f} %, the meters’ own"
    )


def _figure(value: float, unit: str) -> str:
    return figure(value, unit, 4 if unit in ("Ah", "%") else 3)


def newest_log(conversion: Conversion) -> dict[str, Any] | None:
    """The newest kept log, thinned, to lay over the charts of the run."""
    row = conversion.logs.filter(state=RunLogRow.State.KEPT).defer("original", "data").first()
    if row is None:
        return None
    laid = _overlay(row.pk, row.created_at, repr(row.mapping))
    return laid and {"name": row.name, **laid}


@lru_cache(maxsize=16)
def _overlay(pk: int, _made_at: datetime, _read_as: str) -> dict[str, Any] | None:
    """A log that is laid over a run, thinned: as long as it is read the same, it stays the same; None: just removed."""
    data = RunLogRow.objects.filter(pk=pk).values_list("data", flat=True).first()
    return None if data is None else overlay(log_from(bytes(data)))
