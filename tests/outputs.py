"""Everything that the product puts out over the golden documents and the demonstration, as texts by name.

``outputs.txt`` holds a digest of each. A change of structure leaves every one as it is; where a change of behaviour is
meant, ``HERMOTROPE_WRITE_OUTPUTS=DIR ./hermotrope test tests.web.test_outputs`` writes the texts into a folder (to be
compared with those of the commit before) and the digests anew.
"""

from __future__ import annotations

import argparse
import json
import re
from collections.abc import Iterator
from hashlib import sha256
from html import unescape
from tempfile import NamedTemporaryFile
from time import sleep

from django.test import Client

from hermotrope.bench.models import Conversion
from hermotrope_cli.__main__ import answer
from hermotrope_core.match.readout import match_tree
from hermotrope_core.match.search import search
from hermotrope_core.plan.document import CaseError
from tests.shelves import request
from tests.support import TESTS

DIGESTS = TESTS / "outputs.txt"
COMMANDS = ("solve", "check", "estimate", "netlist")
FILES = ("case.json", "wiring.svg", "schematic.svg", "path.cir", "run.csv", "parts.csv", "bay.html", "sheet/")
MONTHS = "January|February|March|April|May|June|July|August|September|October|November|December"
TODAY = re.compile(rf"\d{{1,2}} (?:{MONTHS}) \d{{4}}"
                   r"|\d{4}-\d\d-\d\d(?:[T ][\d:.+]+Z?)?")  # fmt: skip


CLOCK = re.compile(r"\b\d\d:\d\d\b")


LONG = re.compile(r"-?\d+\.\d{5,}(?:e-?\d+)?")


def digest(text: str) -> str:
    """Of a text with its figures to seven digits: the last ones depend on the processor."""
    rounded = LONG.sub(lambda found: f"{float(found.group()):.7g}", text)
    return sha256(rounded.encode()).hexdigest()[:16]


def commands() -> Iterator[tuple[str, str]]:
    """What the commands print of every golden case and judgement."""
    for folder in ("cases", "judgements"):
        for path in sorted((TESTS / folder).glob("*.json")):
            tree = json.loads(path.read_text())
            tree.pop("expect", None)
            for command in COMMANDS:
                yield f"{command} {folder}/{path.stem}", _printed(command, json.dumps(tree))
            first = tree["device"]["modes"][0]["name"]
            yield f"point {folder}/{path.stem}", _printed("point", json.dumps(tree), soc="0.6", mode=first)
    for seed in range(3):
        made = request(12, 8, seed, modes=[{"name": "on", "kind": "power", "power_w": 24}])
        yield f"match {seed}", json.dumps(match_tree(search(made), None), ensure_ascii=False, indent=1)


def _printed(command: str, case: str, **more: str) -> str:
    with NamedTemporaryFile("w", suffix=".json") as file:
        file.write(case)
        file.flush()
        try:
            made = answer(argparse.Namespace(command=command, case=file.name, **more))
        except CaseError as error:
            return f"refused: {error}"
    return made if isinstance(made, str) else json.dumps(made, ensure_ascii=False, indent=1)


def text_of(page: str) -> str:
    """A page's words and values without its marks, dates and numbers of this very run."""
    page = re.sub(r"<(script|style)\b(?![^>]*application/json).*?</\1>", " ", page, flags=re.DOTALL)
    page = re.sub(r'(?:value|aria-label|placeholder|href|title)="([^"]*)"', r'">\1<"', page)
    words = " ".join(unescape(re.sub(r"<[^>]*>", " ", page)).split())
    return TODAY.sub("~", re.sub(r"\b[0-9A-Za-z]{64}\b", "~", words))


def pages(client: Client) -> Iterator[tuple[str, str]]:
    """Every page and file of the demonstration, conversions by their title."""
    for url in ("/", "/new/", "/shelf/", "/shelf/shelf.csv", "/shelf/shelf.json"):
        yield f"page {url}", text_of(_got(client, url))
    for made in Conversion.objects.order_by("title"):
        device = len(made.case.path) + 2
        for panel in ("", *range(1, device + 1), "add-1", "match", "run", "build", "prove", "record"):
            text = _named(made, text_of(_got(client, f"/c/{made.pk}/?panel={panel}")))
            yield f"page {made.title} {panel}", CLOCK.sub("~", text) if panel == "record" else text
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
