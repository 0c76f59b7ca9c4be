"""A real Chromium against the live server; any script or policy error fails the test."""

from __future__ import annotations

import atexit
import os
import re
from functools import cache
from mimetypes import guess_type
from pathlib import Path

from django.contrib.staticfiles.finders import find
from django.contrib.staticfiles.handlers import StaticFilesHandler
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import call_command
from django.http import Http404, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.test import override_settings
from playwright.sync_api import Browser, ConsoleMessage, Page, Route, expect, sync_playwright

from hermotrope.bundles import BUNDLES, ROOM, joined

CHROMIUM = "/usr/bin/chromium"
FLAGS = [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]
expect.set_options(timeout=60_000)
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "1")


class KeptFiles(StaticFilesHandler):
    """Styles and scripts, bundled as when they are served; they do not change meanwhile: the browser may keep them."""

    def serve(self, request: HttpRequest) -> HttpResponseBase:
        kind = guess_type(request.path)[0]
        response = HttpResponse(content(self.file_path(request.path)), content_type=kind)
        response["Cache-Control"] = "max-age=3600"
        return response


@cache
def content(name: str) -> bytes:
    """What is served under a static name."""
    _, _, bundle = name.rpartition("/")
    names = [f"{ROOM}/{one}" for one in BUNDLES[bundle]] if bundle in BUNDLES else [name]
    return joined(Path(found(one)) for one in names)


def found(name: str) -> str:
    path = find(name)
    if not isinstance(path, str):
        raise Http404(name)
    return path


@cache
def chromium() -> Browser:
    """One browser for all tests of a process; every test opens its pages in a context of its own."""
    playwright = sync_playwright().start()
    browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
    atexit.register(playwright.stop)
    atexit.register(browser.close)  # the last to be registered is the first to be called
    return browser


@override_settings(COLLECTED=True)
class BrowserTest(StaticLiveServerTestCase):
    """Opens a page per test at 1280 by 800; `errors` collects what the browser complains about."""

    static_handler = KeptFiles

    def __getstate__(self) -> dict[str, object]:
        """As before it ran, to tell another process of a failure: a page cannot go there and would hide it."""
        return vars(type(self)(self._testMethodName))

    def setUp(self) -> None:
        call_command("load_starter", verbosity=0)
        self.errors: list[str] = []
        self.page = self.open_page()

    def tearDown(self) -> None:
        self.assertEqual(self.errors, [])

    def open_page(self, width: int = 1280, height: int = 800) -> Page:
        context = chromium().new_context(viewport={"width": width, "height": height}, accept_downloads=True)
        self.addCleanup(context.close)
        page = context.new_page()
        page.set_default_timeout(90_000)
        page.on("pageerror", lambda error: self.errors.append(str(error)))
        page.on("response", lambda r: self.errors.append(f"{r.status} {r.url}") if r.status in (404, 500) else None)
        page.on("console", self._listen)
        return page

    def _listen(self, message: ConsoleMessage) -> None:
        # refused entries answer 409 or 422, which Chromium logs as failed resources; htmx logs what it replaces
        fine = ("409", "422", "htmx:sendAbort", "htmx:afterRequest")
        if message.type == "error" and not any(word in message.text for word in fine):
            self.errors.append(message.text)

    def goto(self, path: str, page: Page | None = None) -> None:
        (page or self.page).goto(self.live_server_url + path)

    def held_back(self, address: str | re.Pattern[str]) -> list[Route]:
        """The requests to an address, unanswered, as they come."""
        held: list[Route] = []
        self.page.route(address, lambda one: held.append(one))  # noqa: PLW0108  # it is asked for its signature
        return held

    def open_fields(self, page: Page | None = None) -> None:
        """Unfold all fields of the device's panel."""
        for summary in (page or self.page).locator(".fields:not([open]) > summary").all()[::-1]:
            summary.click()

    def sideways(self, page: Page) -> int:
        """Pixels by which a page is wider than its window."""
        return int(page.evaluate("document.documentElement.scrollWidth - innerWidth"))
