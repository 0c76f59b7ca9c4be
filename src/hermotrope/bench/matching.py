"""The question for ways as it is asked on the page, and the shelf it is asked of."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Iterable
from typing import Any
from urllib.parse import urlencode

import msgspec
from django.db.models import TextField
from django.db.models.functions import Cast
from django.http import QueryDict

from hermotrope.bench.searcher import Question
from hermotrope.bench.searching import Job, job
from hermotrope.shelf.models import COLUMN_FACTS, Item
from hermotrope_core.match.rank import USUAL, Weights
from hermotrope_core.match.request import WISHES, Request, Wish
from hermotrope_core.match.search import Limits
from hermotrope_core.match.shelf import Pack, Part, Shelf
from hermotrope_core.match.whatif import what_if
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.source import Source
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.liking import liked
from hermotrope_core.values.quantity import QuantityError, parse, parse_field
from hermotrope_core.values.whole import whole_number

MOST_WEIGHT = 3
MOST_COMPARED = 4
SHOWN = 8
OPENING_WAITS_S, WAITS_S = 0.15, 0.6
"""So long a page that is opened, and a list that is asked for, wait for a search before they show how far it is."""
SWITCHES = ("twice", "no_soldering", "over_max", "wall", "all_parts")


class Ask(msgspec.Struct, frozen=True):
    """What was asked on the page: weights of the wishes, what-ifs as typed, what was wrong with them."""

    weights: dict[Wish, int]
    temperature: str = ""
    hours: str = ""
    twice: bool = False
    no_soldering: bool = False
    over_max: bool = False
    wall: bool = False
    all_parts: bool = True
    most: int = SHOWN
    compared: tuple[str, ...] = ()
    temperature_c: float | None = None
    least_hours: float = 0.0
    errors: dict[str, str] = {}

    def wish(self) -> Weights | None:
        """The weights, or None where they are the usual ones."""
        if all(self.weights[wish] == weight for wish, weight in USUAL.items()):
            return None
        return {wish: float(self.weights[wish]) for wish in WISHES}

    def limits(self) -> Limits:
        return Limits(hours=self.least_hours, no_soldering=self.no_soldering)

    def case(self, case: Case) -> Case:
        """The conversion's case as this question sees it, without its own source and path."""
        bare = msgspec.structs.replace(case, source=None, path=())
        times = 2.0 if self.twice else 1.0
        return what_if(bare, temperature_c=self.temperature_c, times=times, over_max=self.over_max)

    def query(self, **changes: Any) -> str:
        """The question as an address, with changes."""
        now = msgspec.structs.replace(self, **changes)
        pairs: list[tuple[str, str]] = [("panel", "match"), ("asked", "1")]
        pairs += [(wish, str(weight)) for wish, weight in now.weights.items()]
        pairs += [(name, getattr(now, name)) for name in ("temperature", "hours") if getattr(now, name)]
        pairs += [(name, "on") for name in SWITCHES if getattr(now, name)]
        pairs += [("most", str(now.most))] if now.most != SHOWN else []
        return urlencode(pairs + [("vs", one) for one in now.compared])


def read_ask(query: QueryDict) -> Ask:
    """The question of a request; what is not understood is kept as typed, with its reason."""
    asked = "asked" in query
    weights = {wish: _weight(query.get(wish, ""), USUAL[wish]) for wish in WISHES}
    typed = {name: query.get(name, "").strip()[:40] for name in ("temperature", "hours")}
    errors: dict[str, str] = {}
    temperature: float | None = None
    hours = 0.0
    try:
        if typed["temperature"]:
            temperature = parse_field(typed["temperature"], FIELDS["temperature_c"])
    except QuantityError as error:
        errors["temperature"] = str(error)
    try:
        if typed["hours"]:
            hours = parse(typed["hours"], "h")
            if not 0.0 <= hours <= 1e6:
                raise QuantityError("must be from 0 h to 1,000,000 h")
    except QuantityError as error:
        errors["hours"] = str(error)
    most = query.get("most", "")
    return Ask(
        weights=weights,
        temperature=typed["temperature"],
        hours=typed["hours"],
        twice=query.get("twice") == "on",
        no_soldering=query.get("no_soldering") == "on",
        over_max=query.get("over_max") == "on",
        wall=query.get("wall") == "on",
        all_parts=query.get("all_parts") == "on" if asked else True,
        most=SHOWN if (wanted := whole_number(most, 10_000)) is None else min(wanted, 200),
        compared=tuple(dict.fromkeys(query.getlist("vs")))[:MOST_COMPARED],
        temperature_c=temperature,
        least_hours=hours,
        errors=errors,
    )


def _weight(text: str, usual: float) -> int:
    weight = whole_number(text, 99)
    return int(usual) if weight is None else min(weight, MOST_WEIGHT)


def _shelf_for(ask: Ask) -> tuple[str, Callable[[], Shelf]]:
    """What is on the shelf for a question: all of it, or only what one has. A short name of its rows, and the reading.

    A search is asked about again and again: its thousands of rows are read as parts only when it begins.
    """
    found = Item.objects.exclude(kind="meter")
    if not ask.all_parts:
        found = found.exclude(have=Item.Have.MAYBE)
    rows = found.annotate(said=Cast("part", TextField())).values_list(
        "key", "kind", "name", "have", "said", *COLUMN_FACTS
    )
    named = hashlib.blake2s(repr((list(rows), ask.wall)).encode(), digest_size=12).hexdigest()
    return named, lambda: _read(found, ask.wall)


def _read(found: Iterable[Item], wall: bool) -> Shelf:
    packs: list[Pack] = []
    parts: list[Part] = []
    for item in found:
        content, have = item.readable(), item.have != Item.Have.MAYBE
        if isinstance(content, Source):
            if CHEMISTRIES[content.chemistry].endless and not wall:
                continue
            packs.append(Pack(content, have, item.key))
        elif content is not None:
            parts.append(Part(content, item.name, have, item.price, item.mass_g))
    return Shelf(tuple(packs), tuple(parts)).once()


def job_for(case: Case, ask: Ask) -> tuple[str, Job]:
    """The search that answers a question, begun if it is not known yet; its key names it."""
    asked, limits, wish = ask.case(case), ask.limits(), liked()
    named, shelf = _shelf_for(ask)
    key = hashlib.blake2s(msgspec.json.encode((asked, named, limits, wish)), digest_size=12).hexdigest()
    return key, job(key, lambda: Question(Request(asked, shelf()), limits, wish))
