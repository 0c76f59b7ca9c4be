"""Every control of every page of the demonstration is pressed, as it stands and with nonsense in each of its fields.

All of them in the slow lane; in each run a sample, after every page has been opened.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from html import escape
from urllib.parse import quote

from django.db import transaction
from django.http import HttpResponse
from django.test import tag

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from tests.controls import Control, controls
from tests.drawn import drawn_cases
from tests.lanes import SLOW, drawn
from tests.web.demo import DemoTest

HTMX = {"HX-Request": "true"}
NONSENSE = "x?! Ω"
NO_NUMBERS = (
    "²", "/²/~2", "/device/modes/²/name", "/device/name/x/y", "/path/-/x", "٣", "9" * 5000, "-1", "1e9", "\x00", "½",
)  # fmt: skip
"""Digits to one library and none to another, too many of them, signs, what no database keeps."""
FINE = (200, 204, 302, 422)
SUSPECT = ("{{", "{%", "None", "nan", "&lt;function", "object at 0x")
"""What `UNFILLED` begins with; looked for first, as it is thirty times as fast."""
UNFILLED = re.compile(r"\{\{|\{%|\bNone\b(?! of these|[.:])|\bnan\b|&lt;function|object at 0x")


DRAWN = 6
ONE_IN = 16
"""In each run, as many controls are passed over for one that is pressed."""


class Pressing(DemoTest):
    def setUp(self) -> None:
        self.client.raise_request_exception = False
        self.nonsense: set[tuple[str, str]] = set()
        self.pressed = 0

    def press_all(self, start: str) -> None:
        found: dict[str, tuple[str, Control]] = {}
        for page, control in self.offered(start):
            found.setdefault(control.kind, (page, control))
        for kind, (page, control) in found.items():
            if drawn(kind, ONE_IN):
                with self.subTest(page=page, control=kind):
                    self.press(control, dict(control.fields))
            for name in control.typed:
                if (kind, name) not in self.nonsense and drawn(f"{kind} {name}", ONE_IN):
                    self.nonsense.add((kind, name))
                    with self.subTest(page=page, control=kind, nonsense_in=name):
                        self.press(control, dict(control.fields) | {name: NONSENSE}, name)

    def offered(self, start: str) -> Iterator[tuple[str, Control]]:
        """Every form of every page that links lead to, below where one starts; a comparison of ways is opened once."""
        ahead, seen = [start], {start}
        while ahead:
            url = ahead.pop(0)
            answer = self.client.get(url, headers=HTMX if url != start else None)
            self.assertEqual(answer.status_code, 200, url)
            if "html" not in answer.headers["Content-Type"]:
                continue
            text = answer.content.decode()
            self.whole(text, url)
            for control in controls(text, url):
                if control.method == "post" or control.fields:
                    yield url, control
                    continue
                kind = (
                    control.url
                    if control.url.count("=") < 2
                    else re.sub(r"[0-9a-f]+", "0", control.url.split("&vs")[0])
                )
                if control.url.startswith(start) and kind not in seen:
                    if start == "/" and control.url.startswith(("/c/", "/shelf/")):
                        continue
                    seen.add(kind)
                    ahead.append(control.url)

    def press(self, control: Control, sent: dict[str, str], wrong: str = "", fine: tuple[int, ...] = FINE) -> None:
        before = transaction.savepoint()
        send = self.client.post if control.method == "post" else self.client.get
        answer: HttpResponse = send(control.url, sent, headers=HTMX)  # type: ignore[assignment]
        transaction.savepoint_rollback(before)
        self.pressed += 1
        self.assertIn(answer.status_code, fine, b"" if answer.streaming else answer.content[:300])
        text = answer.content.decode() if "html" in answer.headers.get("Content-Type", "") else ""
        self.whole(text, control.url)
        if answer.status_code == 422:
            self.assertRegex(text, r'role="alert"|class="[^"]*error')
            if wrong:
                self.assertIn(escape(NONSENSE), text, "what was typed is gone")

    def whole(self, text: str, url: str) -> None:
        """No slot of a template is left open."""
        left = UNFILLED.search(text) if any(start in text for start in SUSPECT) else None
        if left:
            self.fail(f"{url}: {text[max(0, left.start() - 80) : left.end() + 60]!r}")


@tag("slow")
class PressEverything(Pressing):
    def test_every_conversion(self) -> None:
        for made in Conversion.objects.all():
            if not drawn(made.title, 5):
                continue
            with self.subTest(made.case.device.name):
                self.press_all(f"/c/{made.pk}/")
        self.assertGreater(self.pressed, 1000 if SLOW else 20)

    def test_conversions_drawn_from_a_seed(self) -> None:
        """Lines that nobody would draw: parts of every kind in every order, what is refused, what never starts."""
        for seed, case in drawn_cases(DRAWN)[:: 1 if SLOW else DRAWN - 1]:
            with self.subTest(seed=seed):
                made = actions.create(case, "Drawn")
                self.press_all(f"/c/{made.pk}/")
        self.assertGreater(self.pressed, 1000 if SLOW else 10)

    def test_the_bench_and_the_shelf(self) -> None:
        for start in ("/", "/new/", "/shelf/", "/logbook/", "/drill/", "/phones/", "/compare/"):
            with self.subTest(start):
                self.press_all(start)
        self.assertGreater(self.pressed, 50 if SLOW else 0)

    def test_outings(self) -> None:
        for start in ("/outings/", "/outings/1/", "/outings/1/bench-0/"):
            with self.subTest(start):
                self.press_all(start)
        self.assertGreater(self.pressed, 25 if SLOW else 0)


@tag("slow")
class NoNumbers(Pressing):
    def test_no_number_breaks_a_page(self) -> None:
        """What a page sends back by itself (a place, a key, a version) is as hostile as what is typed."""
        for start in ("/c/1/", "/shelf/", "/outings/1/") if SLOW else ("/shelf/", "/outings/1/"):
            found = {(one.kind, name): (one, name) for _, one in self.offered(start) for name, _ in one.fields}
            for (kind, name), (control, _) in found.items():
                if name == "csrfmiddlewaretoken" or control.files or not drawn(f"{kind} {name}", ONE_IN):
                    continue
                with self.subTest(control=kind, name=name):
                    self.press(
                        control,
                        dict(control.fields) | {name: NO_NUMBERS[self.pressed % len(NO_NUMBERS)]},
                        fine=(*FINE, 400, 404, 409),
                    )
        for value in NO_NUMBERS:
            for url in (
                "/c/1/?panel=",
                "/c/1/?panel=add-",
                "/shelf/label/?label=12V&reading=",
                "/outings/1/proposal/?failed=",
            ):
                if not drawn(url + value, ONE_IN):
                    continue
                with self.subTest(url, value=value[:9]):
                    self.assertIn(self.client.get(url + quote(value)).status_code, (*FINE, 400, 404, 409))
