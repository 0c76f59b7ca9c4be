"""How long a change of the duty takes until the page stands again, against the Run panel of an empty conversion.

One run, in Chromium, on the demonstration: an end of the duty's ribbon is moved again and again, each time to a
figure not seen before, and the time from the request to the settled page is taken. The goal is 300 ms at the 95th
percentile. Run it with ``.venv/bin/python benchmarks/redraw.py`` on an idle machine.
"""

from __future__ import annotations

import socket
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).parent.parent
CHROMIUM, FLAGS = "/usr/bin/chromium", ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"]
CHANGES, GOAL_MS = 60, 300.0

TIMED = """async ([method, url, values]) => {
  const version = document.querySelector("#state input[name=version]").value;
  const begin = performance.now();
  await new Promise((done) => {
    document.addEventListener("htmx:afterSettle", done, { once: true });
    const where = method === "POST" ? { target: "#body" } : { target: "#workbench", swap: "outerHTML" };
    htmx.ajax(method, url, { ...where, values: { ...values, version, panel: "run" } });
  });
  await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
  return performance.now() - begin;
}"""


@contextmanager
def demonstration() -> Iterator[str]:
    """The demonstration on a free port, with its data thrown away afterwards."""
    with socket.socket() as free, tempfile.TemporaryDirectory() as data:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
        free.close()
        words = [str(ROOT / "hermotrope"), "demo", "--data", data, "--port", str(port), "--no-browser"]
        server = subprocess.Popen(words, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        url = f"http://127.0.0.1:{port}"
        try:
            for _ in range(120):
                try:
                    urllib.request.urlopen(url).read()
                    break
                except urllib.error.URLError:
                    time.sleep(0.5)
            yield url
        finally:
            server.terminate()
            server.wait()


def times(page: Page, method: str, values: list[dict[str, object]], path: str = "") -> list[float]:
    """Milliseconds of each request until the page has settled and been painted."""
    return [page.evaluate(TIMED, [method, page.evaluate("location.pathname") + path, one]) for one in values]


def p95(found: list[float]) -> float:
    return statistics.quantiles(found, n=20)[-1]


FETCHED = """async ([method, url, values]) => {
  const begin = performance.now();
  const form = new URLSearchParams(values);
  form.set("version", document.querySelector("#outing input[name=version]")?.value ?? "");
  const token = document.querySelector("input[name=csrfmiddlewaretoken]")?.value ?? "";
  const headers = { "HX-Request": "true", "X-CSRFToken": token };
  const answer = await fetch(url, method === "POST" ? { method, headers, body: form } : { headers });
  const text = await answer.text();
  if (method === "POST") {
    document.querySelector("#outing").outerHTML = text;
    await new Promise((done) => requestAnimationFrame(() => setTimeout(done)));
  }
  if (!answer.ok) throw new Error(`${url}: ${answer.status}`);
  return performance.now() - begin;
}"""


def dragged(page: Page, url: str) -> None:
    """A device dragged at the outing: what would be, and the page once it is dropped, against an empty one's page."""
    page.goto(f"{url}/outings/")
    page.locator("input[name=title]").fill("Empty")
    page.locator("input[name=title]").press("Enter")
    page.wait_for_url("**/outings/2/")
    empty = statistics.median(page.evaluate(FETCHED, ["GET", page.url, {}]) for _ in range(30))
    page.goto(f"{url}/outings/1/")
    path = "/outings/1"
    weighed = [page.evaluate(FETCHED, ["GET", f"{path}/weigh/0/{k % 3}/?to={1 + k % 2}", {}]) for k in range(CHANGES)]
    dropped = []
    for k in range(CHANGES):
        move = (f"{path}/supply/0/2/move/", "1") if k % 2 == 0 else (f"{path}/supply/1/1/move/", "0")
        dropped.append(page.evaluate(FETCHED, ["POST", move[0], {"to": move[1]}]))
    for name, found in (("a device held over another pack", weighed), ("and dropped there", dropped)):
        middle = statistics.median(found)
        print(f"{name:40}{middle:6.0f} ms{p95(found):6.0f} ms{empty:6.0f} ms{middle / empty:7.1f}   goal 4 times")


def main() -> int:
    with demonstration() as url, sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path=CHROMIUM, args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(url)
        links = page.locator("a[href^='/c/']").evaluate_all("all => all.map(a => a.getAttribute('href'))")
        print(f"{'':40}{'median':>9}{'95th':>9}{'empty':>9}{'times':>7}   goal {GOAL_MS:.0f} ms")
        page.goto(f"{url}/new/")
        page.get_by_role("button", name="Start blank").click()
        page.goto(page.url.split("?")[0] + "?panel=run")
        empty = statistics.median(times(page, "GET", [{}] * 20))
        worst = 0.0
        for link in dict.fromkeys(links):
            page.goto(f"{url}{link}?panel=run")
            if not page.locator(".ribbon").count() or not page.locator(".sentence").count():
                continue
            title = page.title().split(" · ")[0]
            began = float(page.locator("[data-edge='0']").get_attribute("data-seconds") or 60)
            changes = [{"do": "resize", "at": 0, "seconds": round(began) + 7 * i} for i in range(1, CHANGES + 1)]
            drawn = times(page, "POST", changes, "duty/")
            worst = max(worst, p95(drawn))
            middle = statistics.median(drawn)
            cells = f"{middle:6.0f} ms{p95(drawn):6.0f} ms{empty:6.0f} ms{middle / empty:7.1f}"
            print(f"{title[:39]:40}{cells}")
        dragged(page, url)
        browser.close()
    print(f"worst 95th percentile {worst:.0f} ms")
    return int(worst > GOAL_MS)


if __name__ == "__main__":
    sys.exit(main())
