"""What this place adds to the bench: its view, its parts of Build, Run and Record, and the files it reads."""

from __future__ import annotations

from typing import Any

from hermotrope.bench.build_panel import build_frame
from hermotrope.bench.contexts import ALSO, PANELS, PanelKind, Shown
from hermotrope.bench.imports import IMPORTERS, Importer
from hermotrope.bench.panels import VIEWS, Panel
from hermotrope.proving import records
from hermotrope.proving.checklist import parts_context, steps_context, where_to_do
from hermotrope.proving.log_panel import newest_log
from hermotrope.proving.panel import prove_context, proved_rows
from hermotrope.proving.records import megabytes_of_logs
from hermotrope_core.tell.record import LARGEST_BYTES, is_record


def _prove(shown: Shown) -> dict[str, Any]:
    return prove_context(shown.conversion, shown.query)


def _counted(shown: Shown, _: dict[str, Any]) -> dict[str, Any]:
    return parts_context(shown.conversion) | steps_context(shown.conversion)


def _frame(shown: Shown) -> dict[str, Any]:
    return build_frame(shown.case)


def _do(shown: Shown, so_far: dict[str, Any]) -> dict[str, Any]:
    return where_to_do(shown.conversion, so_far["steps"])


def _record(shown: Shown, _: dict[str, Any]) -> dict[str, Any]:
    held, most = megabytes_of_logs(shown.conversion), LARGEST_BYTES / 1e6
    too_much = {"too_much": f"{held:.0f} MB", "most": f"{most:g} MB"} if held > most else {}
    return {"proved_rows": proved_rows(shown.conversion)} | too_much


def _run(shown: Shown, so_far: dict[str, Any]) -> dict[str, Any]:
    chart = so_far.get("chart")
    return {"chart": chart | {"logged": newest_log(shown.conversion)}} if chart else {}


def join() -> None:
    """Put it all in its place; once, when the application starts."""
    VIEWS["prove"] = lambda _: Panel("prove", "Prove", "prove")
    PANELS["prove"] = PanelKind("proving/_prove.html", _prove, view="Prove", order=4, companion="proving/_beside.html")
    VIEWS["buy"] = lambda _: Panel("buy", "Build", "buy")
    VIEWS["do"] = lambda _: Panel("do", "Build", "do")
    PANELS["buy"] = PanelKind("proving/_panel_buy.html", _frame, within="build", companion="proving/_here.html")
    PANELS["do"] = PanelKind("proving/_panel_do.html", _frame, within="build", companion="proving/_here.html")
    also = [
        ("build", _counted),
        ("buy", _counted),
        ("do", _counted),
        ("make", _counted),
        ("do", _do),
        ("record", _record),
        ("run", _run),
    ]
    for kind, more in also:
        ALSO[kind].append(more)
    IMPORTERS.append(Importer(is_record, records.put_on_bench))
