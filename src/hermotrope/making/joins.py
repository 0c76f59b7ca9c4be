"""What this place adds to the bench: Make, beside Plan, Buy and Do."""

from __future__ import annotations

from typing import Any

from hermotrope.bench.build_panel import build_frame
from hermotrope.bench.contexts import ALSO, PANELS, PanelKind, Shown
from hermotrope.bench.panels import VIEWS, Panel
from hermotrope.bench.shared import MADE, ON_SHEET, REMAKE
from hermotrope.making import notes
from hermotrope.making.panel import make_context


def _make(shown: Shown) -> dict[str, Any]:
    return build_frame(shown.case) | make_context(shown.conversion, shown.query, shown.typed)


def _buy(shown: Shown, _: dict[str, Any]) -> dict[str, Any]:
    return notes.in_parts(shown.conversion)


def join() -> None:
    """Put it all in its place; once, when the application starts."""
    ALSO["buy"].append(_buy)
    ON_SHEET.append(notes.on_sheet)
    MADE.append(notes.written)
    REMAKE.append(notes.remade)
    VIEWS["make"] = lambda _: Panel("make", "Build", "make")
    PANELS["make"] = PanelKind("making/_panel_make.html", _make, within="build", companion="making/_beside.html")
