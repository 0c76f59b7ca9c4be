"""How much longer a view takes on a bench of 5,000 conversions and 10,000 parts than on the demonstration's.

One run. In process: each view's median time as a multiple of a page of nothing but words, on the small bench and on the
large one, with its database queries; what the process holds in memory over 400 requests. Then in Chromium: from the
press until the page is painted, against the Run panel of an empty conversion, middle and 95th percentile. The goals: at
most five empty pages to the eye, as many queries, memory that stays; Match, whose search goes on meanwhile, is only
told. Run it with ``.venv/bin/python benchmarks/large.py`` on an idle machine.
"""

from __future__ import annotations

import atexit
import os
import re
import resource
import shutil
import statistics
import sys
import tempfile
import time
from datetime import timedelta
from pathlib import Path
from typing import Any

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "src"))
os.environ["HERMOTROPE_DATA"] = tempfile.mkdtemp(prefix="hermotrope-large-")
os.environ["DJANGO_SETTINGS_MODULE"] = "hermotrope.settings"
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
atexit.register(shutil.rmtree, os.environ["HERMOTROPE_DATA"], ignore_errors=True)

import django  # noqa: E402  # the folder must be known before

django.setup()

import redraw  # noqa: E402  # beside this file
from django.core.management import call_command  # noqa: E402
from django.db import connection, connections  # noqa: E402
from django.db.models import Model  # noqa: E402
from django.test import Client  # noqa: E402
from django.utils import timezone  # noqa: E402
from playwright.sync_api import Page, sync_playwright  # noqa: E402

from hermotrope.bench.models import Conversion, Revision  # noqa: E402
from hermotrope.shelf.models import Item  # noqa: E402

CONVERSIONS, ITEMS, REQUESTS, TIMES, OPENINGS = 5_000, 10_000, 400, 5, 12
PANELS = ("1", "2", "add-1", "run", "build", "buy", "do", "prove", "record", "make", "match")
EMPTY = "/guide/"
VIEWS = (
    "/", "/?q=lamp", "/?show=done", "/shelf/", "/shelf/?q=lead&kind=source", "/logbook/", "/logbook/?q=lamp", "/new/",
    "/outings/1/", "/compare/",
    *(f"/c/2/?panel={one}" for one in PANELS),
)  # fmt: skip


def took(client: Client, url: str) -> tuple[float, int]:
    """Median milliseconds of a view, and its queries."""
    asked = 0

    def count(execute: Any, *call: Any) -> Any:
        nonlocal asked
        asked += 1
        return execute(*call)

    client.get(url)
    with connection.execute_wrapper(count):
        assert client.get(url).status_code == 200, url
    found = []
    for _ in range(TIMES):
        begun = time.perf_counter()
        client.get(url)
        found.append(1e3 * (time.perf_counter() - begun))
    return statistics.median(found), asked


def facts_of(row: Model) -> dict[str, Any]:
    return {one.attname: getattr(row, one.attname) for one in row._meta.concrete_fields if one.attname != "id"}


def grow() -> None:
    """Copies of the demonstration's conversions, with their first revision, and of its parts."""
    rows = list(Conversion.objects.order_by("pk"))
    for copy in range(CONVERSIONS // len(rows) + 1):
        made = []
        for row in rows:
            made.append(Conversion(**facts_of(row) | {"title": f"{row.title} of bench {copy}"}))
        day = timezone.now() - timedelta(days=copy)
        kept = Conversion.objects.bulk_create(made)
        ours = [one.pk for one in kept]
        Conversion.objects.filter(pk__in=ours).update(created_at=day, changed_at=day)
        Revision.objects.bulk_create(Revision(conversion=one, number=1, label="Copied", case=one.case) for one in kept)
        Revision.objects.filter(conversion__in=ours).update(made_at=day)
    parts = list(Item.objects.exclude(kind="meter"))
    for copy in range(ITEMS // len(parts) + 1):
        made_parts = []
        for part in parts:
            named = {"key": f"copy-{part.pk}-{copy}", "name": f"{part.name} of crate {copy}"}
            made_parts.append(Item(**facts_of(part) | named | {"part": varied(part.part, 1.0 + 1e-4 * (copy + 1))}))
        Item.objects.bulk_create(made_parts)


def varied(part: Any, times: float) -> Any:
    """A part that is like no other: what it is rated for, a little different."""
    varies = ("capacity_ah", "quiescent_w", "length_m", "dropout_v", "resistance_ohm")
    made = dict(part)
    for name in varies:
        value = part.get(name)
        if isinstance(value, dict):
            made[name] = value | {"value": value["value"] * times}
        elif value:
            made[name] = value * times
    return made


def resident_mb() -> float:
    return int(Path("/proc/self/statm").read_text().split()[1]) * resource.getpagesize() / 1e6


PAINTED = "() => new Promise((done) => requestAnimationFrame(() => setTimeout(() => done(performance.now()))))"


def painted(page: Page, url: str) -> list[float]:
    """Milliseconds from asking for a page until it is painted, again and again."""
    found = []
    for _ in range(OPENINGS + 1):
        page.goto(url)
        found.append(page.evaluate(PAINTED))
    return found[1:]


def seen() -> int:
    """Each view in a browser, against the Run panel of an empty conversion; how many take over five times as long."""
    slow = 0
    with redraw.demonstration(os.environ["HERMOTROPE_DATA"]) as url, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=redraw.CHROMIUM, args=redraw.FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{url}/new/")
        page.get_by_role("button", name="Start blank").click()
        empty = painted(page, page.url.split("?")[0] + "?panel=run")
        print(f"{'':40}{'median':>9}{'times':>7}{'95th':>9}{'times':>7}{'goal':>7}")
        print(redraw.row("an empty conversion", empty))
        for view in VIEWS:
            found = painted(page, url + view)
            slow += view != VIEWS[-1] and redraw.p95(found) > 5.0 * redraw.p95(empty)
            print(redraw.row(view, found, empty, 5))
        browser.close()
    return slow


def main() -> int:
    call_command("migrate", verbosity=0)
    for name in ("load_starter", "load_demo", "load_outing", "load_making", "load_logbook"):
        call_command(name, verbosity=0)
    client = Client(headers={"host": "127.0.0.1"})
    small = {url: took(client, url) for url in VIEWS}
    grow()
    print(f"{Conversion.objects.count()} conversions, {Item.objects.count()} parts")
    empty = took(client, EMPTY)[0]
    print(f"{'':34}{'small':>9}{'large':>9}{'times':>7}  queries   (an empty page {empty:.0f} ms)")
    slow = 0
    for url in VIEWS:
        middle, asked = took(client, url)
        told = f"{small[url][1]}" if asked == small[url][1] else f"{small[url][1]} -> {asked}"
        slow += asked > small[url][1]
        print(f"{url:34}{small[url][0]:6.0f} ms{middle:6.0f} ms{middle / empty:7.1f}  {told}")
    search = re.search(r'name="job" value="(\w+)"', client.get(VIEWS[-1]).content.decode())
    if search:  # else it goes on beside what is read off now
        client.post("/c/2/ways/stop/", {"job": search[1], "query": ""})
    held = []
    for n in range(REQUESTS):
        client.get(VIEWS[n % (len(VIEWS) - 1)])
        if n % (REQUESTS // 8) == REQUESTS // 8 - 1:
            held.append(resident_mb())
    print("megabytes held, eight times along the way:", *(f"{one:.0f}" for one in held))
    connections.close_all()
    slow += seen()
    return int(slow > 0)


if __name__ == "__main__":
    sys.exit(main())
