"""Match: the list of ways, why each stands where it does, several side by side, and taking one."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import msgspec
from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, render
from django.views.decorators.http import require_GET, require_POST

from hermotrope.bench import actions, matching, searching
from hermotrope.bench.match_panel import match_context
from hermotrope.bench.models import Conversion
from hermotrope.bench.searching import Job
from hermotrope.bench.views.changes import body, version_of, whole
from hermotrope.bench.ways import by_id, explanation, id_of, strategy_words
from hermotrope_core.match.groups import Group
from hermotrope_core.match.search import Matched
from hermotrope_core.plan.case import Case, questions


@require_GET
def ways(request: HttpRequest, pk: int) -> HttpResponse:
    """The list alone, while somebody changes the question; or how far the search is."""
    conversion = get_object_or_404(Conversion, pk=pk)
    context = match_context(conversion, request.GET, matching.WAITS_S)
    address = f"?{context['ask'].query()}"
    return render(request, "bench/_ways.html", {"conversion": conversion, "address": address, **context})


@require_POST
def stop(request: HttpRequest, pk: int) -> HttpResponse:
    """End a search with what was found so far."""
    job = searching.known_job(request.POST.get("job", ""))
    if job is not None:
        job.stop()
    conversion = get_object_or_404(Conversion, pk=pk)
    context = match_context(conversion, _asked(request), matching.WAITS_S)
    return render(request, "bench/_ways.html", {"conversion": conversion, **context})


@require_GET
def why(request: HttpRequest, pk: int, way: str) -> HttpResponse:
    """Why one way stands where it does, with the working of every number."""
    job, ask = _searched(get_object_or_404(Conversion, pk=pk).case, request.GET)
    matched = _found(job)
    ranked = next((one for one in matched.ranked(ask.wish()) if id_of(one.judged.way) == way), None)
    if ranked is None:
        raise Http404
    return render(request, "bench/_why.html", explanation(ranked.judged, ranked, matched.case))


@whole
def take(request: HttpRequest, pk: int) -> HttpResponse:
    """Take a way, or the cure of a near miss, into the feed line."""
    conversion = get_object_or_404(Conversion, pk=pk)
    job, _ = _searched(conversion.case, _asked(request))
    source, path, label = _chosen(_found(job), job.groups, request.POST.get("way", ""), request.POST.get("cure", ""))
    case = msgspec.structs.replace(conversion.case, source=source, path=path)
    return body(request, actions.put(pk, version_of(request), case, label), panel="run")


def _chosen(matched: Matched, groups: Sequence[Group], way: str, cure: str) -> tuple[Any, Any, str]:
    """The source and path of a way by its id, or of the cure of a group by its code. Raises ValueError."""
    judged = by_id(matched, way) if way else None
    if judged is not None:
        return (
            judged.way.pack.source,
            judged.way.path,
            f"Way: {judged.way.pack.source.name}, {strategy_words(judged.way)}",
        )
    group = next((one for one in groups if one.code == cure), None) if cure else None
    if group is None or group.cure is None:
        raise ValueError("this way is no longer there: the shelf or the device has changed")
    return group.cure.case.source, group.cure.case.path, f"Cured: {group.cure.words}"


def _searched(case: Case, query: QueryDict) -> tuple[Job, matching.Ask]:
    """The search that answers a question."""
    ask = matching.read_ask(query)
    if any(q.place != "source" for q in questions(case)):
        raise Http404
    return matching.job_for(case, ask)[1], ask


def _found(job: Job) -> Matched:
    """What it found, however long it takes (it is usually known already). Raises ValueError after a minute."""
    found = job.wait(60.0)
    if found is None:
        raise ValueError("the search is not done yet")
    return found


def _asked(request: HttpRequest) -> QueryDict:
    return QueryDict(request.POST.get("query", ""))
