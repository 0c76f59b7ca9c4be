"""Take the pictures of docs/screenshots from a running demonstration.

Start ``./hermotrope demo --data /tmp/shots --fresh --no-browser --port 8123`` and run
``.venv/bin/python docs/take_screenshots.py http://127.0.0.1:8123``. Conversions are found by their title.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

SHOTS = Path(__file__).parent / "screenshots"
FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]
WIDE, PHONE = (1280, 800), (390, 844)


def to(selector: str) -> Callable[[Page], None]:
    """Scroll so that an element is at the top."""

    def scroll(page: Page) -> None:
        page.locator(selector).first.evaluate("node => scrollTo(0, node.getBoundingClientRect().top + scrollY - 12)")

    return scroll


def scrubbed(page: Page) -> None:
    page.locator("#charge-0").fill("45")


def gate(page: Page) -> None:
    """A gate in the hand: the reading just taken, and what it means."""
    page.locator(".gate-now input[name=text]").first.fill("12.1")
    page.get_by_role("button", name="Take it").first.click()
    page.wait_for_selector(".said")
    to(".prove-top")(page)
    page.evaluate("scrollBy(0, -90)")


def step_on(page: Page) -> None:
    """Three steps done, the fourth open."""
    for _ in range(3):
        page.locator("#steps details[open] .step-next").click()
        page.wait_for_timeout(400)


def lay_over(page: Page) -> None:
    page.locator("#for").select_option(label="for Pan mount, Hide 3")
    page.wait_for_timeout(600)


# file, title of the conversion (or a path), panel, size, what to do before the picture
VIEWS: list[tuple[str, str, str, tuple[int, int], Callable[[Page], None] | None]] = [
    ("bench", "/", "", WIDE, None),
    ("feed", "Pan mount, Hide 3", "", WIDE, None),
    ("refused", "Sampling boat", "", WIDE, None),
    ("run", "Pan mount, Hide 3", "run", WIDE, to("#workbench")),
    ("do", "Otter-gate tag reader", "do", WIDE, step_on),
    ("match", "Pan mount, Hide 3", "match", WIDE, None),
    ("runs", "Jetty lamps", "run", WIDE, to("#run-tools")),
    ("build", "Otter-gate tag reader", "build", WIDE, None),
    ("sheet", "Pan mount, Hide 3", "sheet", WIDE, to(".build-sheet")),
    ("gates", "Moth-trap lamp", "prove", PHONE, gate),
    ("measured", "Pan mount, Hide 3", "prove", WIDE, to("#run-down")),
    ("outing-bench", "/outings/1/bench-0/", "", WIDE, None),
    ("shelf", "/shelf/?label=26800mAh", "", WIDE, lay_over),
    ("outing", "/outings/1/", "", WIDE, scrubbed),
    ("phone", "Pan mount, Hide 3", "", PHONE, None),
    ("device", "Pan mount, Hide 3", "6", WIDE, to("#workbench")),
    ("make", "Pan mount, Hide 3", "make", WIDE, None),
    ("marking", "/shelf/measured/1/", "", WIDE, None),
    ("logbook", "/logbook/?pack=Jetty+pack", "", WIDE, None),
]


def main() -> None:
    base = sys.argv[1].rstrip("/")
    wanted = set(sys.argv[2:])
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page()
        page.goto(base)
        links = {a.inner_text(): a.get_attribute("href") or "" for a in page.locator(".strip h2 a").all()}
        for name, where, panel, (width, height), prepare in VIEWS:
            if wanted and name not in wanted:
                continue
            page = browser.new_page(viewport={"width": width, "height": height})
            path = where if where.startswith("/") else links[where] + (f"?panel={panel}" if panel else "")
            if panel == "sheet":
                path = links[where] + "sheet/"
            page.goto(base + path)
            page.wait_for_load_state("networkidle")
            if panel == "match":
                page.wait_for_selector(".way-list .way")
            if prepare is not None:
                prepare(page)
            page.wait_for_timeout(700)
            page.screenshot(path=SHOTS / f"{name}.png")
            page.close()
            print(name)
        browser.close()


if __name__ == "__main__":
    main()
