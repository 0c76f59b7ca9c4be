"""Everything that the pages of the demonstration offer is pressed by hand, as far as a hand is what matters.

That no control of any conversion is refused by the server is tested without a browser; here each kind of control
is pressed once: no complaint of the browser, the focus is not lost, and a list that stood open stays open.
All kinds in the slow lane, a sample of them in each run.
"""

from __future__ import annotations

import sqlite3
from contextlib import suppress
from pathlib import Path
from typing import Any

from django.core.management import call_command
from django.db import connection
from django.test import tag
from playwright.sync_api import Error, Locator, Page

from hermotrope.bench.models import Conversion
from tests.browser.base import BrowserTest
from tests.lanes import SLOW, drawn

OFFERED = (Path(__file__).parent / "press.js").read_text()
WATCH = """
window.busy = 0;
const send = XMLHttpRequest.prototype.send;
XMLHttpRequest.prototype.send = function (body) {
  window.busy += 1;
  this.addEventListener("loadend", () => { window.busy -= 1; });
  return send.call(this, body);
};
"""
QUIET = """() => document.readyState === "complete" && window.busy <= 0
  && !document.querySelector(".htmx-settling, .htmx-swapping")"""
NAME = "(one) => one.id || one.querySelector('summary').textContent"
OPEN = f"() => [...document.querySelectorAll('details[open]:not(:has([data-pressed]))')].map({NAME})"
SHUT = f"(was) => [...document.querySelectorAll('details:not([open])')].map({NAME}).filter((one) => was.includes(one))"
FORGET = "() => document.querySelectorAll('[data-pressed]').forEach((one) => one.removeAttribute('data-pressed'))"
REACH = """(at) => {
  const node = window.offered[at];
  for (let one = node.closest("details"); one; one = one.parentElement.closest("details")) one.open = true;
  node.dataset.pressed = 1;
  return node.checkVisibility({ visibilityProperty: true }) && node.getBoundingClientRect().width > 0;
}"""
GOES_BY_ITSELF = "button /c/0/ways/stop/"
"""A search is over before a hand is there; that it can be stopped has a test of its own."""
ONE_IN = 14
"""In each run, as many kinds of control are passed over for one that is pressed."""
PANELS = """async () => {
  const offered = OFFERED;
  const links = [...document.querySelectorAll("[href^='?panel='], [hx-get^='?panel=']")]
    .map((one) => one.getAttribute("href") ?? one.getAttribute("hx-get")).filter((url) => !url.includes("&"));
  const read = async (url) => new DOMParser().parseFromString(await (await fetch(url)).text(), "text/html");
  return Promise.all(["", ...new Set(links)].map(async (url) => [url, offered(await read(location.pathname + url))]));
}"""
"""Every panel of a conversion and what each offers, read without being drawn."""


@tag("slow", "late")
class PressEverything(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        call_command("load_demo", verbosity=0)
        call_command("load_making", verbosity=0)
        self.page.add_init_script(WATCH)
        self.asleep = sqlite3.connect(":memory:")
        self.addCleanup(self.asleep.close)
        with sqlite3.connect(connection.settings_dict["NAME"]) as now:
            now.backup(self.asleep)

    def restore(self) -> None:
        with sqlite3.connect(connection.settings_dict["NAME"], timeout=120) as now:
            self.asleep.backup(now)

    def test_each_kind_of_control(self) -> None:
        pressed: set[str] = set()
        for made in Conversion.objects.order_by("pk"):
            if not drawn(made.title, 5):
                continue
            self.visit(f"/c/{made.pk}/")
            for panel, offered in self.page.evaluate(PANELS.replace("OFFERED", OFFERED)):
                url = f"/c/{made.pk}/{panel}"
                new = [kind for kind in dict.fromkeys(offered) if kind not in pressed]
                new = [kind for kind in new if not kind.startswith(GOES_BY_ITSELF) and drawn(kind, ONE_IN)]
                pressed.update(new)
                if new:
                    self.visit(url)
                for kind in new:
                    with self.subTest(url, control=kind):
                        self.press(self.page, url, kind)
        self.assertGreater(len(pressed), 100 if SLOW else 2)

    def visit(self, url: str) -> None:
        """Open a page of the bench as it was at the start."""
        self.restore()
        self.goto(url)
        self.settle(self.page)

    def find(self, page: Page, url: str, kind: str) -> int:
        """Where a control stands on the page as the last hand left it; where it is gone, the page is opened anew."""
        offered = page.evaluate(OFFERED) if page.url.split("?")[0].endswith(url.split("?", maxsplit=1)[0]) else []
        if kind not in offered:
            self.visit(url)
            offered = page.evaluate(OFFERED)
        page.evaluate(FORGET)
        return list(offered).index(kind)

    def press(self, page: Page, url: str, kind: str) -> None:
        at = self.find(page, url, kind)
        if not page.evaluate(REACH, at):
            return
        target = page.locator("[data-pressed]")
        before = page.evaluate(OPEN)
        target_is_learned = target.evaluate("(node) => Boolean(node.closest('.learned'))")  # it folds once it is taken
        tag = self.hand(page, target)
        self.settle(page)
        told, self.errors = self.errors, []
        self.assertEqual(told, [])
        if tag in ("input", "select", "button"):
            here = url.split("?", maxsplit=1)[0]
            self.assertNotEqual(self.focused(page, here), "BODY", "the focus is lost")
        if tag != "summary" and page.url.endswith(url) and not target_is_learned:
            self.assertEqual(self.told(page, SHUT, before), [], "a list that stood open was shut")

    def focused(self, page: Page, here: str) -> object:
        """The tag that has the focus, or the page that came instead; what a busy machine draws late is waited for."""
        for _ in range(75):
            at, tag = self.told(page, "[location.pathname, document.activeElement.tagName]")
            if at != here or tag != "BODY":
                return at if at != here else tag
            page.wait_for_timeout(40)
        return "BODY"

    def told(self, page: Page, script: str, *given: object) -> Any:
        """What the page says; asked again where another page was on its way."""
        try:
            return page.evaluate(script, *given)
        except Error:
            self.settle(page)
            return page.evaluate(script, *given)

    def settle(self, page: Page) -> None:
        """Until no answer is awaited; the policy forbids to wait by an expression in the page."""
        for _ in range(1000):
            page.wait_for_timeout(40)
            with suppress(Error):  # a whole page is on its way
                if page.evaluate(QUIET):
                    return
        self.fail("an answer never came")

    def hand(self, page: Page, target: Locator) -> str:
        """Press as a hand would, by what the control is; returns its tag."""
        tag = str(target.evaluate("(node) => node.tagName.toLowerCase()"))
        if tag == "select":
            target.focus()
            page.keyboard.press("ArrowDown")
            page.keyboard.press("Tab")
        elif tag == "input" and target.get_attribute("type") in (None, "text", "search", "number"):
            target.fill("7")
            page.keyboard.press("Tab")
        else:
            target.click(timeout=30_000)
        return tag
