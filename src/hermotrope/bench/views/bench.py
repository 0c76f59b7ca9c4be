"""The Bench: every conversion as a strip, new ones, and cases brought from elsewhere."""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import urlencode

from django.db.models import Case as When
from django.db.models import Count, F, IntegerField, Q, Value
from django.db.models import When as Is
from django.http import HttpRequest, HttpResponse
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from hermotrope.bench import actions, example
from hermotrope.bench.feed import feed_of
from hermotrope.bench.fields import Unreadable
from hermotrope.bench.imports import put_file
from hermotrope.bench.models import Conversion
from hermotrope.drawings.strip import small_line
from hermotrope.entry.asked import wants_part, words_sought
from hermotrope.shelf import starter
from hermotrope_core.know.again import converted_again, ran_before
from hermotrope_core.plan.device import Device
from hermotrope_core.plan.duty import Duty
from hermotrope_core.plan.evidence import RanBefore
from hermotrope_core.plan.trust import trust_of
from hermotrope_core.tell import record
from hermotrope_core.values.figures import duration, span
from hermotrope_core.values.whole import MOST_KEY, whole_number

PUT_AWAY = "archived"
FILTERS = {
    "all": ("All", Q(archived=False)),
    "done": ("Done", Q(done_on__isnull=False)),
    "proved": ("Proved", Q(proved_on__isnull=False, rehearsal=False)),
    "fits": ("Fits", Q(verdict="fits")),
    "care": ("With care", Q(verdict="fits with care")),
    "refused": ("Refused", Q(verdict="refused")),
    "open": ("Open", Q(verdict="open")),
    PUT_AWAY: ("Put away", Q(archived=True)),
}
ORDERS = {
    "urgent": ("what asks for you first", ("urgent", "-changed_at", "pk")),
    "changed": ("changed last", ("-changed_at", "pk")),
    "name": ("by name", ("title", "pk")),
    "longest": ("longest run", (F("runtime_s").desc(nulls_last=True), "pk")),
}
BLANK, AGAIN, EXAMPLE = "blank", "again", "example"
MOST_EARLIER = 500
"""Conversions whose device may be chosen again, the newest first."""
SHOWN, MORE, MOST_SHOWN = 40, 100, 2_000
"""Rows of the list at first, by each press for more, and at most."""


def bench(request: HttpRequest) -> HttpResponse:
    """The Bench, or its list alone when a filter is pressed."""
    return bench_page(request)


def bench_page(request: HttpRequest, error: str = "", status: int = 200) -> HttpResponse:
    chosen = request.GET.get("show", "all")
    chosen = chosen if chosen in FILTERS else "all"
    urgent = When(
        Is(verdict="open", then=Value(0)),
        Is(verdict="refused", then=Value(1)),
        Is(done_on__isnull=False, then=Value(4)),
        Is(verdict="fits with care", then=Value(2)),
        default=Value(3),
        output_field=IntegerField(),
    )
    words = words_sought(request.GET, "q")
    order = request.GET.get("order", "")
    order = order if order in ORDERS else next(iter(ORDERS))
    matching = Conversion.objects.all()
    for word in words.split():
        matching = matching.filter(Q(words__contains=word.casefold()) | Q(tags__contains=word.lower()))
    found = matching.annotate(urgent=urgent).filter(_rule(chosen)).order_by(*ORDERS[order][1])
    counts = matching.aggregate(**{key: Count("pk", filter=_rule(key)) for key in FILTERS})
    rows = max(SHOWN, whole_number(request.GET.get("n", ""), MOST_SHOWN) or 0)
    context = {
        "strips": [_strip(conversion) for conversion in found[:rows]],
        "more": max(0, min(counts[chosen], MOST_SHOWN) - rows),
        "more_query": urlencode({"show": chosen, "q": words, "order": order, "n": rows + MORE}),
        "filters": [(key, told, counts[key]) for key, (told, _) in FILTERS.items() if counts[key] or key != PUT_AWAY],
        "chosen": chosen,
        "words": words,
        "orders": [(key, told) for key, (told, _) in ORDERS.items()],
        "order": order,
        "total": counts["all"],
        "any": bool(words) or counts["all"] + counts[PUT_AWAY] > 0,
        "error": error,
        "typed": request.POST if error else {},
        "ticked": request.POST.getlist("pk") if error else [],
    }
    partial = wants_part(request)
    return render(request, "bench/_list.html" if partial else "bench/bench.html", context, status=status)


def _rule(key: str) -> Q:
    """What a filter shows: of those put away, none but by their own."""
    return FILTERS[key][1] if key == PUT_AWAY else FILTERS[key][1] & Q(archived=False)


def _strip(conversion: Conversion) -> dict[str, object]:
    if isinstance(conversion.case, Unreadable):
        return {"conversion": conversion, "unreadable": conversion.case.why}
    feed = feed_of(conversion.case)
    source = conversion.case.source
    low, high = conversion.runtime_low_s, conversion.runtime_high_s
    reach = span(low, high) if low and high else "–"
    return {
        "conversion": conversion,
        "line": small_line(conversion.case, feed.findings, unsure=bool(feed.questions)),
        "source": source.name if source else "no pack yet",
        "runtime": "–" if conversion.verdict == "refused" else reach,
        "measured": duration(conversion.measured_s) if conversion.measured_s else "",
        "tried": duration(ran) if (ran := conversion.ran_as_it_is) and conversion.proved_as_it_is else "",
        "trust": trust_of(conversion.case, proved=conversion.proved_as_it_is),
        "workshop": "" if conversion.verdict in ("open", "refused") else conversion.workshop,
        "stale": conversion.done_revision is not None and conversion.done_revision != conversion.revision,
    }


@require_http_methods(["GET", "POST"])
def new(request: HttpRequest) -> HttpResponse:
    """Start a conversion from a device of the scenario or from a blank one."""
    if request.method == "POST":
        key = request.POST.get("device", "")
        if key == BLANK:
            name = request.POST.get("name", "").strip() or "A device"
            device, duty, title = Device(name=name[:200]), Duty(), name[:200]
        elif key in starter.devices():
            start = starter.devices()[key]
            device, duty, title = start.device, start.duty, start.title
        elif key == EXAMPLE:
            return redirect(example.first())
        elif key == AGAIN and (earlier := _earlier(request.POST.get("earlier", ""))) is not None:
            title = request.POST.get("title", "").strip()[:200] or f"{earlier.case.device.name}, once more"
            again = converted_again(earlier.case, title, _ran(earlier))
            conversion = actions.create(again, f"Started from “{earlier.title}”")
            return redirect(f"{conversion.get_absolute_url()}?panel=1")
        else:
            return render(request, "bench/new.html", _new_context(request.POST), status=422)
        conversion = actions.create(actions.new_case(title, device, duty), "Started")
        return redirect(f"{conversion.get_absolute_url()}{'' if key == BLANK else '?panel=1'}")
    return render(request, "bench/new.html", _new_context())


def _new_context(typed: Mapping[str, str] | None = None) -> dict[str, object]:
    """The devices to start from; `typed` is a form that was refused, and stays as it was."""
    error = "" if typed is None else "Choose one of these devices: that one is not there any more."
    earlier = Conversion.objects.order_by("-pk").values_list("pk", "title")[:MOST_EARLIER]
    context = {"devices": list(starter.devices().values()), "error": error, "blank": BLANK, "again": AGAIN}
    return context | {"earlier": earlier, "typed": typed or {}}


def _earlier(key: str) -> Conversion | None:
    """The conversion whose device is to be converted once more."""
    at = whole_number(key, MOST_KEY)
    found = None if at is None else Conversion.objects.filter(pk=at).first()
    return found if found is not None and not isinstance(found.case, Unreadable) else None


def _ran(earlier: Conversion) -> RanBefore | None:
    """How long it ran, as it was built then."""
    built = earlier.revisions.filter(number=earlier.done_revision or 0).first()
    case = earlier.case if built is None else built.case
    return None if isinstance(case, Unreadable) else ran_before(case, earlier.measured_s)


@require_POST
def import_case(request: HttpRequest) -> HttpResponse:
    """Put a case or a whole record from a file on the bench; a refused one says where and why."""
    file = request.FILES.get("file")
    if file is None or file.file is None:
        return bench_page(request, "Choose a case file first (it ends in .json).", 422)
    if file.size is None or file.size > record.LARGEST_BYTES:
        return bench_page(request, f"{file.name}: more than {record.LARGEST_BYTES / 1e6:g} MB is no record.", 422)
    try:
        return redirect(put_file(file.file, str(file.name)))
    except ValueError as error:  # a CaseError, or a log in it that cannot be read
        return bench_page(request, f"{file.name}: {error}", 422)
