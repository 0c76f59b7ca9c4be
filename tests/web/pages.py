"""Every page and file of the demonstration as texts by name."""

from __future__ import annotations

import re
from collections.abc import Iterator
from html import unescape
from time import sleep

from django.test import Client

from hermotrope.bench.models import Conversion
from hermotrope.outing.models import Outing
from tests.support import VIEW_KEYS

FILES = ("case.json", "wiring.svg", "schematic.svg", "path.cir", "run.csv", "parts.csv", "bay.html", "sheet/")
MONTHS = "January|February|March|April|May|June|July|August|September|October|November|December"
TODAY = re.compile(rf"\d{{1,2}} (?:{MONTHS}) \d{{4}}|\d{{4}}-\d\d-\d\d(?:[T ][\d:.+]+Z?)?")
MOMENT = re.compile(r"(?:\b\d{1,2} (?:Jan|Feb|Mar|Apr|May|June?|July?|Aug|Sept?|Oct|Nov|Dec) )?\b\d\d:\d\d\b")
"""When something was done: the clock, and the day where that is another than today."""


def text_of(page: str) -> str:
    """A page's words and values without its marks, dates and numbers of this very run."""
    page = re.sub(r"<(script|style)\b(?![^>]*application/json).*?</\1>", " ", page, flags=re.DOTALL)
    page = re.sub(r'(?:value|aria-label|placeholder|href|title)="([^"]*)"', r'">\1<"', page)
    words = " ".join(unescape(re.sub(r"<[^>]*>", " ", page)).split())
    return TODAY.sub("~", re.sub(r"\b[0-9A-Za-z]{64}\b", "~", words))


def pages(client: Client) -> Iterator[tuple[str, str]]:
    """Every page and file of the demonstration, conversions by their title."""
    for url in (
        "/",
        "/new/",
        "/units/",
        "/guide/",
        "/shelf/",
        "/shelf/shelf.csv",
        "/shelf/shelf.json",
        "/shelf/measured/",
        "/logbook/?kind=run",
        "/drill/",
        "/phones/",
    ):
        yield f"page {url}", text_of(_got(client, url))
    yield "page outing", text_of(_got(client, f"/outings/{Outing.objects.get().pk}/"))
    yield "page outing bench", text_of(_got(client, f"/outings/{Outing.objects.get().pk}/bench-0/"))
    yield "page outing packs", text_of(_got(client, f"/outings/{Outing.objects.get().pk}/packs/"))
    for made in Conversion.objects.order_by("title"):
        device = len(made.case.path) + 2
        for panel in ("", *range(1, device + 1), "add-1", *VIEW_KEYS):
            text = _named(made, text_of(_got(client, f"/c/{made.pk}/?panel={panel}")))
            yield f"page {made.title} {panel}", MOMENT.sub("~", text) if panel == "record" else text
        for name in FILES:
            yield f"file {made.title} {name}", _named(made, text_of(_got(client, f"/c/{made.pk}/{name}")))
        tools = "run/?job=20+h&own=2&charger=20+W&old_hours=6+h&old_fill=8"
        yield f"tools {made.title}", _named(made, text_of(_got(client, f"/c/{made.pk}/{tools}")))


def _got(client: Client, url: str) -> str:
    """The whole answer; of a search that goes on behind the page, the one once it is over."""
    page = _once(client, url)
    while "Trying every way" in page:
        sleep(0.05)
        page = _once(client, url)
    return page


def _once(client: Client, url: str) -> str:
    response = client.get(url)
    content = b"".join(response) if response.streaming else response.content
    return f"{response.status_code} {content.decode()}"


def _named(made: Conversion, text: str) -> str:
    return text.replace(f"/c/{made.pk}/", "/c/~/")
