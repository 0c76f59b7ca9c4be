"""The Feed page: one conversion, its line, scale, verdict, panel and run."""

from __future__ import annotations

import re
from collections import Counter
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET

from hermotrope.bench.contexts import Shown, panel_context
from hermotrope.bench.feed import Feed, feed_of
from hermotrope.bench.fields import Unreadable
from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import key_of, panel_for, panel_of_place
from hermotrope.bench.places import move_problems
from hermotrope.bench.unreadable import tree_file
from hermotrope.drawings.line import feed_line
from hermotrope.drawings.scale import supply_scale
from hermotrope.drawings.strip import small_line
from hermotrope.entry.asked import wants_part
from hermotrope.entry.rows import Row
from hermotrope_core.judge.cautions import cautions
from hermotrope_core.judge.evidence import judgement_working
from hermotrope_core.judge.findings import BASES, Finding
from hermotrope_core.judge.findings.voltage import ridden_by_child
from hermotrope_core.judge.working import inlet_working, runtime_working
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import write_case
from hermotrope_core.plan.trust import trust_of
from hermotrope_core.values.figures import duration

FULL = 1.0
CAUTION_PLACES = {"source": "source", "device": "device", "stage": "path"}
SOURCE_CAUSES = {"pack cut-off": "at the pack’s cut-off", "empty": "when the pack is empty"}


@require_GET
def feed(request: HttpRequest, pk: int) -> HttpResponse:
    """The whole page, or its panel alone when htmx asks for that."""
    conversion = get_object_or_404(Conversion, pk=pk)
    panel = key_of(conversion.case, request.GET.get("panel", ""), request.GET.get("of", ""))
    context = feed_context(conversion, panel, query=request.GET)
    partial = wants_part(request)
    return render(request, "bench/_workbench.html" if partial else "bench/feed.html", context)


def feed_context(
    conversion: Conversion,
    panel: str,
    refused: Row | None = None,
    query: QueryDict | None = None,
    typed: dict[str, str] | None = None,
    *,
    redrawn: bool = False,
) -> dict[str, Any]:
    """Everything the page and its fragments show; `refused` is a field whose entry was not taken.

    `query` is the question that the Match panel was asked, `typed` what a form held that was not taken; `redrawn` is
    said where a page that stands takes the answer up.
    """
    case, feed = conversion.case, feed_of(conversion.case)
    key = panel or first_panel(feed)
    chosen = panel_for(case, key)
    heaviest = feed.situation.heaviest.name if feed.situation else None
    at = feed.point(dict(feed.demands)[heaviest], FULL) if heaviest else None
    places = [question.place for question in feed.questions]
    now = conversion.revision
    labels = dict(conversion.revisions.filter(number__range=(now - 1, now + 1)).values_list("number", "label"))
    context: dict[str, Any] = {
        "conversion": conversion,
        "case": case,
        "feed": feed,
        "panel": chosen,
        "refused": refused,
        "line": feed_line(case, at, FULL, feed.findings, places),
        "scale": supply_scale(case, feed.situation),
        "mode": heaviest,
        "findings": finding_rows(feed.findings, case),
        "questions": [(q.ask, panel_of_place(case, q.place), _field_id(q.place)) for q in feed.questions],
        "counts": counted(feed.findings, len(feed.questions) + (not case.device.uses_stated), len(cautions(case))),
        "small": small_line(case, feed.findings, unsure=bool(feed.questions)),
        "ends": end_words(feed),
        "chart": feed.chart and feed.chart | {"measured": conversion.ran_as_it_is},
        "undoes": labels[now] if now - 1 in labels else "",
        "redoes": labels.get(now + 1, ""),
        "trust": trust_of(case, proved=conversion.proved_as_it_is),
        "tried": duration(ran) if (ran := conversion.ran_as_it_is) and conversion.proved_as_it_is else "",
        "moves": move_problems(case),
        "chemistries": [(key, cell.label) for key, cell in CHEMISTRIES.items()],
        "device_key": str(len(case.path) + 2),
        "forbidden": ridden_by_child(case),
        "unaccepted": {basis.code for basis in BASES.values() if basis.can_be_accepted} - set(case.accepted),
        "all_cautions": cautions(case),
        "panel_cautions": [one for one in cautions(case) if one.place == CAUTION_PLACES.get(chosen.kind)],
    }
    if typed is not None:
        context["typed"] = typed
    shown = Shown(conversion, feed, chosen, query or QueryDict(), typed or {}, redrawn)
    return context | panel_context(shown)


def first_panel(feed: Feed) -> str:
    """Where to start: at what is open, else at what is refused, else at the run."""
    if feed.questions:
        return panel_of_place(feed.case, feed.questions[0].place)
    worst = next((f for f in feed.findings if f.level in ("refuse", "stop")), None)
    return str(worst.stage + 2) if worst else "run"


ASKED_BY = {"device.modes": "press-reading", "duty.repeat": "duty-for"}
"""What takes the answer where no field of the document does yet."""


def _field_id(place: str) -> str:
    """The control that answers a question about a place: its field, or where a draw is told that is not there yet."""
    if place in ASKED_BY:
        return ASKED_BY[place]
    return "f-" + re.sub(r"\[(\d+)\]", r"-\1", place).replace(".", "-").replace("_", "-")


def finding_rows(findings: tuple[Finding, ...], case: Case) -> list[dict[str, Any]]:
    """Findings for the verdict strip; a cure that one of them offers is not offered twice.

    `answers` is the field that lifts one of them, where a measurement does.
    """
    offered: list[object] = []
    rows = []
    for finding in findings:
        again = finding.change in offered
        offered.append(finding.change)
        rows.append(
            {
                "finding": finding,
                "word": LEVEL_WORDS[finding.level],
                "again": again and bool(finding.change),
                "offers": bool(finding.change) and not again,
                "answers": _measured_at(case) if finding.code == "polarity-unknown" and finding.stage >= 0 else "",
            }
        )
    return rows


def _measured_at(case: Case) -> str:
    """Where the polarity of the device's inlet is told: its connector first, then the reading."""
    return "f-device-inlet-kind" if case.device.inlet is None else "polarity-read"


def counted(findings: tuple[Finding, ...], questions: int, told: int) -> str:
    """How many of each there are, in words: 1 refused, 2 cares, 5 cautions."""
    levels: Counter[str] = Counter(finding.level for finding in findings)
    words = {"stop": "stop", "refuse": "refused", "care": "care", "note": "note"}
    found = [(levels[level], word) for level, word in words.items()]
    found += [(questions, "open question"), (told, "caution")]
    plural = {"refused": ""}
    return " · ".join(f"{n} {word}{plural.get(word, 's') if n > 1 else ''}" for n, word in found if n)


LEVEL_WORDS = {"stop": "Stop", "refuse": "Refused", "care": "Care", "note": "Note"}


def end_words(feed: Feed) -> str:
    """How the run ends, in words."""
    run = feed.run
    if run is None:
        return ""
    if run.runtime_s == 0:
        return f"does not start: {run.end_cause}"
    left = f", {100 * run.final_soc:.0f} % left" if run.final_soc >= 0.01 else ""
    if run.end_cause == "programme over":
        return f"the programme is over{left}"
    return f"ends {SOURCE_CAUSES.get(run.end_cause, f'by {run.end_cause}')} in “{run.end_mode}”{left}"


@require_GET
def working(request: HttpRequest, pk: int, what: str) -> HttpResponse:
    """The working of the inlet's volts at a charge and mode, or of the runtime."""
    feed = feed_of(get_object_or_404(Conversion, pk=pk).case)
    if feed.situation is None or what not in ("inlet", "runtime", "finding"):
        raise Http404
    if what == "finding":
        return _finding_working(request, feed)
    if what == "runtime":
        return render(request, "bench/_working.html", {"working": runtime_working(feed.planned or feed.situation)})
    known = dict(feed.demands)
    mode = request.GET.get("mode", "")
    mode = mode if mode in known else feed.situation.heaviest.name
    made = inlet_working(feed.situation, _soc(request.GET.get("soc", "1")), mode, known[mode])
    return render(request, "bench/_working.html", {"working": made})


def _finding_working(request: HttpRequest, feed: Feed) -> HttpResponse:
    """Both numbers of a finding of the verdict strip, found by its code and place."""
    code, stage = request.GET.get("code", ""), request.GET.get("stage", "")
    found = next((f for f in feed.findings if f.code == code and str(f.stage) == stage), None)
    if found is None or feed.situation is None:
        raise Http404
    return render(request, "bench/_working.html", {"working": judgement_working(feed.situation, found)})


def _soc(text: str) -> float:
    try:
        return min(1.0, max(0.0, float(text)))
    except ValueError:
        return FULL


@require_GET
def export(request: HttpRequest, pk: int) -> HttpResponse:
    """The case document as a file; one that cannot be read as it is stored."""
    conversion = get_object_or_404(Conversion, pk=pk)
    if isinstance(conversion.case, Unreadable):
        return tree_file(conversion)
    name = re.sub(r"[^a-z0-9]+", "-", conversion.title.lower()).strip("-") or "case"
    headers = {"Content-Disposition": f'attachment; filename="{name}.json"'}
    return HttpResponse(write_case(conversion.case), content_type="application/json", headers=headers)
