"""What each kind of panel shows beside its fields: one function per kind, in one table."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from django.http import QueryDict

from hermotrope.bench import matching
from hermotrope.bench.build_panel import build_context
from hermotrope.bench.feed import Feed
from hermotrope.bench.known_panel import known_context
from hermotrope.bench.match_panel import match_context
from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import Panel, port_rows
from hermotrope.bench.places import kind_problems, tray
from hermotrope.bench.run_panel import run_context, tools_context
from hermotrope.drawings.barrel import end_view
from hermotrope.drawings.bay import bay_view
from hermotrope.drawings.ends import other_end
from hermotrope.drawings.output import output_curve
from hermotrope.drawings.pins import pin_view
from hermotrope.drawings.reach import reach
from hermotrope.entry.asked import words_sought
from hermotrope.shelf.entries import packs_listed
from hermotrope_core.hours.ran import judged_run
from hermotrope_core.judge.findings.joining import how_to_measure
from hermotrope_core.kinds.inlets import fixed_by_standard
from hermotrope_core.kinds.stages import KINDS
from hermotrope_core.know.polarity import FINDS
from hermotrope_core.parts.wire import PARTS
from hermotrope_core.plan.case import Case
from hermotrope_core.tell.help import PANELS_HELP
from hermotrope_core.values.figures import duration

STAGES = tuple((str(one.__struct_config__.tag), one.OFFERED) for one in KINDS)


@dataclass(frozen=True)
class Shown:
    """What a panel is shown for: the conversion with what was worked out of it, the panel, what was asked of it."""

    conversion: Conversion
    feed: Feed
    panel: Panel
    query: QueryDict
    typed: Mapping[str, str] = field(default_factory=dict)
    """What a form held that was not taken."""
    redrawn: bool = False
    """Whether a page that stands is answered: what lies below the answer is asked for when that is drawn."""

    @property
    def case(self) -> Case:
        return self.feed.case


def panel_context(shown: Shown) -> dict[str, Any]:
    """What the templates of a panel's kind ask for beside its fields."""
    kind = PANELS[shown.panel.kind]
    views = sorted((one.order, key, one.view) for key, one in PANELS.items() if one.view)
    told = PANELS_HELP.get(shown.panel.kind)
    context = {
        "panel_kind": kind,
        "panel_help": told[1] if told else "",
        "views": [(key, view) for _, key, view in views],
        **kind.context(shown),
    }
    for more in ALSO[shown.panel.kind]:
        context |= more(shown, context)
    return context


def _device(shown: Shown) -> dict[str, Any]:
    device = shown.case.device
    return {
        "inlet_view": end_view(device.inlet),
        "inlet_end": other_end(device.inlet, of_device=True),
        "pins": pin_view(device.inlet),
        "probing": _probing(shown.case),
        "finds": [one for one in FINDS.values() if not one.motor or "motor" in device.traits],
        "mains": shown.case.mains_at(len(shown.case.path)),
        "bay": bay_view(device.bay),
        "cell_sizes": tuple(PARTS.cell_sizes_mm),
        "output_curve": output_curve(device),
        **known_context(device, shown.typed),
    }


def _probing(case: Case) -> str:
    """How the inlet's polarity is measured; empty where nobody does: mains volts, or fixed by a standard."""
    inlet = case.device.inlet
    if case.mains_at(len(case.path)) or (inlet is not None and fixed_by_standard(inlet)):
        return ""
    return how_to_measure(inlet)


def _shelf(shown: Shown) -> dict[str, Any]:
    return packs_listed(shown.case, words_sought(shown.query))


def _source(shown: Shown) -> dict[str, Any]:
    source = shown.case.source
    if source is None:
        return _shelf(shown)
    return _shelf(shown) | {
        "outlet_view": end_view(source.outlet),
        "outlet_end": other_end(source.outlet, of_device=False),
        "ports": port_rows(source),
    }


def _match(shown: Shown) -> dict[str, Any]:
    return match_context(shown.conversion, shown.query, matching.OPENING_WAITS_S)


def _add(shown: Shown) -> dict[str, Any]:
    at = shown.panel.stage
    case = shown.case
    forks = case.source is not None and 0 <= at <= len(case.path) and not case.mains_at(at)
    return {"stage_kinds": kind_problems(case, STAGES, at), "forks": forks, **tray(case, at, words_sought(shown.query))}


def _build(shown: Shown) -> dict[str, Any]:
    return build_context(shown.conversion, shown.feed)


def _record(shown: Shown) -> dict[str, Any]:
    revisions = shown.conversion.revisions.order_by("-number")
    return {"revisions": revisions.values_list("number", "label", "made_at")}


def _run(shown: Shown) -> dict[str, Any]:
    conversion, feed = shown.conversion, shown.feed
    context = run_context(feed, shown.query)
    context |= {"tools_later": True} if shown.redrawn else tools_context(feed, shown.query)
    if feed.chart:
        context["chart"] = feed.chart | {"measured": conversion.ran_as_it_is}
    if feed.range:
        context["reach"] = reach(feed.range, conversion.ran_as_it_is)
    context["measured"] = duration(conversion.measured_s) if conversion.measured_s else ""
    if feed.planned and feed.range and conversion.measured_s:
        context["ran"] = judged_run(feed.planned, feed.range, conversion.measured_s)
    return context


def _stage(_: Shown) -> dict[str, Any]:
    return {}


@dataclass(frozen=True)
class PanelKind:
    """How a kind of panel is shown: its template, what that asks for, and where the run's outcome stands beside it."""

    template: str
    context: Callable[[Shown], dict[str, Any]]
    outcome: Literal["", "within", "below"] = ""
    view: str = ""
    """Its name among the views; none for what belongs to a station of the line."""
    order: int = 0
    """Its place among them."""
    within: str = ""
    """The view that it is a part of, and whose tab stays the current one."""
    companion: str = "bench/_scale.html"
    """What stands beside it in the right column."""

    @property
    def folds_line(self) -> bool:
        """Whether the line folds to one bar above it: where it is neither the subject nor moved by what is read."""
        return bool(self.view or self.within) and not self.outcome


PANELS: dict[str, PanelKind] = {
    "device": PanelKind("bench/_panel_device.html", _device, companion="bench/_scale_working.html"),
    "source": PanelKind("bench/_panel_source.html", _source, companion="bench/_scale_working.html"),
    "stage": PanelKind("bench/_panel_stage.html", _stage, "below", companion="bench/_scale_working.html"),
    "shelf": PanelKind("bench/_shelf.html", _shelf),
    "add": PanelKind("bench/_panel_add.html", _add),
    "match": PanelKind("bench/_panel_match.html", _match, view="Match", order=1, companion="bench/_wishes.html"),
    "run": PanelKind("bench/_panel_run.html", _run, "within", view="Run", order=2, companion="bench/_conditions.html"),
    "build": PanelKind("bench/_panel_build.html", _build, view="Build", order=3, companion="bench/_joins.html"),
    "record": PanelKind("bench/_panel_record.html", _record, view="Record", order=5),
}
"""Other places add theirs when they start."""
ALSO: defaultdict[str, list[Callable[[Shown, dict[str, Any]], dict[str, Any]]]] = defaultdict(list)
"""By kind: what other places add to what its templates ask for, seeing what that is so far."""
