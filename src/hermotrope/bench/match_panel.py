"""What the Match panel shows: the question as it stands, and its answer or how far the search is."""

from __future__ import annotations

from typing import Any

from django.http import QueryDict

from hermotrope.bench import matching
from hermotrope.bench.models import Conversion
from hermotrope.bench.searching import Job
from hermotrope.bench.ways import in_use, listing
from hermotrope_core.match.request import Wish
from hermotrope_core.plan.case import questions

WISH_WORDS: tuple[tuple[Wish, str], ...] = (
    ("longest", "longest run"),
    ("lightest", "lightest"),
    ("cheapest", "cheapest"),
    ("least-work", "least work"),
    ("reversible", "easy to undo"),
)
SWITCH_WORDS = (
    ("twice", "twice the load"),
    ("no_soldering", "no soldering"),
    ("over_max", "a little over is accepted"),
    ("wall", "a wall socket is near"),
    ("all_parts", "also what I might buy"),
)


def match_context(conversion: Conversion, query: QueryDict, waits_s: float) -> dict[str, Any]:
    """The question as it stands, and its answer if it is there within so many seconds."""
    ask = matching.read_ask(query)
    context: dict[str, Any] = {
        "ask": ask,
        "wishes": [(wish, words, ask.weights[wish]) for wish, words in WISH_WORDS],
        "switches": [(name, words, getattr(ask, name)) for name, words in SWITCH_WORDS],
        "missing": [q for q in questions(conversion.case) if q.place != "source"],
        "ways_query": ask.query(),
    }
    if context["missing"] or ask.errors:
        return context
    key, job = matching.job_for(conversion.case, ask)
    answer = _answer(key, job, ask, waits_s)
    return context | answer | ({"now": in_use(conversion.case, ask)} if "listing" in answer else {})


def _answer(key: str, job: Job, ask: matching.Ask, seconds: float) -> dict[str, Any]:
    found = job.wait(seconds)
    if found is None:
        return {"job": key, "done": job.done, "of": job.total, "ways_query": ask.query()}
    return {"listing": listing(found, job.groups, job.question.request.shelf.alike, ask), "ask": ask}
