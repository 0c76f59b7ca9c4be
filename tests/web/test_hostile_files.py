"""Every file that we write ourselves, spoilt in one to five places: refused in words, or a bench that still opens.

Figures a million times too large or small, other words that are valid elsewhere, lists doubled or turned round, and
what JSON allows that no document means. Accepted ones are looked at in every view.
"""

from __future__ import annotations

import copy
import json
import random
import time
from collections.abc import Iterator
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connection, transaction
from django.test import tag
from django.urls import reverse

from hermotrope.bench.models import Conversion
from hermotrope.bench.panels import VIEWS
from hermotrope.outing.models import Outing
from hermotrope.shelf.models import ImportDraft
from tests.lanes import SLOW
from tests.web.demo import DemoTest

COUNT = 250 if SLOW else 12
"""Of each of the four kinds of file."""
SLOWEST_S = 20.0
MARK = "put here what JSON allows"
RAW = (
    "1e999", "-1e999", "NaN", "Infinity", "1e-320", "-0.0", "1e308", "9" * 400, "0", "-1", "null", "true", "[]", "{}",
    "[[]]", "[[1e999, 5]]", '"\\ud800"', '"\\u0000"', '"<svg onload=1>"', f'"{"y" * 100_000}"', "[" * 900 + "]" * 900,
    '{"a":' * 900 + "1" + "}" * 900, "[[0, 0], [0, 0]]", '{"value": 1e999}', '{"value": -5, "known_by": "measured"}',
    '"9999-12-31T23:59:59Z"', '"0001-01-01T00:00:00+14:00"', '"2026-02-30"', "1.5", "9007199254740993", "1e18",
    "-9223372036854775809", '"=1+1"', '"../../etc/passwd"', json.dumps([0] * 5000),
    json.dumps([[i, i] for i in range(600)]),
)  # fmt: skip

Place = tuple[str | int, ...]


def places(tree: Any, so_far: Place = ()) -> Iterator[Place]:
    yield so_far
    inside = tree.items() if isinstance(tree, dict) else enumerate(tree[:30]) if isinstance(tree, list) else ()
    for step, one in inside:
        yield from places(one, (*so_far, step))


def spoilt(dice: random.Random, value: Any, words: list[str]) -> Any:
    """Another value of the same type."""
    match value:
        case bool():
            return not value
        case int() | float():
            made = (value * 10.0 ** dice.randint(-6, 6), 0, value * 1.001, value / 3, 1e-9, 1e6, -value, 10**18)
            return dice.choice(made)
        case str():
            return dice.choice([*words, "", value + "x"])
        case list():
            return dice.choice((value * 2, [], value * 40, value[::-1]))
    return {}


def damaged(dice: random.Random, tree: Any, words: list[str]) -> str:
    """The document with something else in one to five places, as text."""
    made, raw = {"": copy.deepcopy(tree)}, dice.random() < 0.15
    for _ in range(dice.choice((1, 1, 2, 3, 5))):
        *way, last = ("", *dice.choice(list(places(made[""]))))
        inside: Any = made
        for step in way:
            inside = inside[step]
        inside[last] = MARK if raw else spoilt(dice, inside[last], words)
    return json.dumps(made[""]).replace(f'"{MARK}"', dice.choice(RAW))


@tag("slow")
class SpoiltFiles(DemoTest):
    def setUp(self) -> None:
        self.client.raise_request_exception = False
        self.trouble: list[str] = []

    def asked(self, seed: str, path: str, file: str | None = None) -> Any:
        """An answer; what is our fault, or takes too long, is noted."""
        began = time.perf_counter()
        if file is None:
            answer = self.client.get(path)
        else:
            answer = self.client.post(path, {"file": SimpleUploadedFile("a.json", file.encode())})
        lasted = time.perf_counter() - began
        if answer.status_code >= 500 or lasted > SLOWEST_S:
            why = getattr(answer, "exc_info", None)
            self.trouble.append(f"{seed}: {answer.status_code} {lasted:.1f} s {path} {why and why[1]}")
        return answer

    def tried(self, path: str, documents: list[Any], views: tuple[str, ...]) -> None:
        words = sorted({str(at) for one in documents for at in _texts(one)})
        taken = 0
        for n in range(COUNT):
            dice = random.Random(f"{path} {n}")
            with transaction.atomic():
                answer = self.asked(f"{n}", path, damaged(dice, dice.choice(documents), words))
                draft = ImportDraft.objects.order_by("pk").last()
                if draft is not None:
                    answer = self.asked(f"{n}", reverse("shelf-decide", args=[draft.pk]), "all of it")
                taken += answer.status_code == 302
                if answer.status_code == 302 and views:
                    at = answer["Location"].partition("?")[0]
                    for view in dice.sample(views, min(3, len(views))):
                        self.asked(f"{n}", f"{at}{view}")
                for page in ("/", "/shelf/", "/outings/", "/logbook/"):
                    self.asked(f"{n}", page)
                transaction.set_rollback(True)
        connection.check_constraints()
        self.assertEqual(self.trouble, [], "\n".join(self.trouble))
        self.assertGreater(taken, COUNT // 60, "hardly any was accepted: the views were not tried")

    def test_cases(self) -> None:
        keys = Conversion.objects.values_list("pk", flat=True)
        documents = [self.client.get(f"/c/{pk}/case.json").json() for pk in keys]
        self.tried("/import/", documents, tuple(f"?panel={panel}" for panel in VIEWS))

    def test_records(self) -> None:
        keys = Conversion.objects.values_list("pk", flat=True)
        documents = [json.loads(self.client.get(f"/c/{pk}/record.json").getvalue()) for pk in keys]
        self.tried("/import/", documents, tuple(f"?panel={panel}" for panel in VIEWS))

    def test_outings(self) -> None:
        keys = Outing.objects.values_list("pk", flat=True)
        documents = [self.client.get(f"/outings/{pk}/outing.json").json() for pk in keys]
        views = (
            "range/0/", "needs/0/", "weigh/0/0/", "proposal/", "packs/", "evenings/0/", "rails/", "bench-0/",
            "build-0/", "line-0.cir", "outing.csv", "outing.ics", "many/0/0/", "first/0/0/", "",
        )  # fmt: skip
        self.tried("/outings/import/", documents, views)

    def test_shelves(self) -> None:
        self.tried("/shelf/import/", [self.client.get("/shelf/shelf.json").json()], ())


def _texts(tree: Any) -> Iterator[str]:
    if isinstance(tree, str) and len(tree) < 60:
        yield tree
    for one in tree.values() if isinstance(tree, dict) else tree if isinstance(tree, list) else ():
        yield from _texts(one)
