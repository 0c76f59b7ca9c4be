"""Made parts: how soon a changed measure stands on the page, and how long a dock takes to come out.

One run in Chromium on the demonstration: the goal is that a changed measure is drawn within 6 times the Run panel of an
empty conversion, and a dock is written within 2 s. Run it with ``PYTHONPATH=src:. .venv/bin/python benchmarks/make.py``
on an idle machine.
"""

from __future__ import annotations

import statistics
import sys
import time

from benchmarks.redraw import CHROMIUM, FLAGS, demonstration, p95, times
from playwright.sync_api import sync_playwright

from hermotrope_core.make.dock import Dock
from hermotrope_core.make.files import stl, threemf
from hermotrope_core.make.made import made
from hermotrope_core.make.process import Process

CHANGES, GOAL_TIMES, GOAL_S = 40, 6.0, 2.0
CHANGED = """async ([form, text]) => {
  const input = document.querySelector(form + " input[name=text]");
  input.value = text;
  const begin = performance.now();
  await new Promise((done) => {
    document.addEventListener("htmx:afterSettle", done, { once: true });
    input.dispatchEvent(new Event("change", { bubbles: true }));
  });
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
  return performance.now() - begin;
}"""


def main() -> int:
    began = time.perf_counter()
    shape = made("dock", Dock(), Process())
    stl(shape.pieces[0])
    threemf(shape.pieces)
    dock_s = time.perf_counter() - began
    with demonstration() as url, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"{url}/new/")
        page.get_by_role("button", name="Start blank").click()
        page.goto(page.url.split("?")[0] + "?panel=run")
        empty = statistics.median(times(page, "GET", [{}] * 20))
        page.goto(url)
        page.get_by_role("link", name="Pan mount, Hide 3").first.click()
        page.goto(page.url.split("?")[0] + "?panel=make")
        worst = 0.0
        for name in page.locator(".made-list > a").all_inner_texts():
            page.locator(".made-list > a", has_text=name).click()
            page.wait_for_timeout(800)
            form = ".made-fields form:has(input[value=wall_mm])"
            found = [page.evaluate(CHANGED, [form, f"{2.4 + 0.01 * k:.2f} mm"]) for k in range(CHANGES)]
            middle, late = statistics.median(found), p95(found)
            worst = max(worst, late / empty)
            cells = f"{middle:6.0f} ms{late:6.0f} ms{empty:6.0f} ms{late / empty:6.1f}"
            print(f"{name[:44]:46}{cells}   goal {GOAL_TIMES:g} times")
        browser.close()
    print(f"a dock with its STL and 3MF {dock_s:.2f} s   goal {GOAL_S:g} s")
    return int(worst > GOAL_TIMES or dock_s > GOAL_S)


if __name__ == "__main__":
    sys.exit(main())
