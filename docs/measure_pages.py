"""Measure the pages of a running demonstration: how high they are, where their content begins, what they weigh.

Start ``./hermotrope demo --data /tmp/shots --fresh --no-browser --port 8123`` and run
``.venv/bin/python docs/measure_pages.py http://127.0.0.1:8123``. A row a view at 1280x800: where its content begins,
its height, fields that stand open, targets under 24 px, blank share of the right third, layout shift; then what the
narrow screens push off their side, and what a first page weighs.
"""

from __future__ import annotations

import sys

from playwright.sync_api import Browser, Page, sync_playwright

FLAGS = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]
WIDE, NARROW = (1280, 800), (390, 320)
PAN = "Pan mount"
"""The conversion with the fullest pages."""
VIEWS = ("device", "source", "match", "run", "build", "prove", "record")
MEASURED = """() => {
  const shown = (node) => node.checkVisibility({ checkOpacity: false, checkVisibilityCSS: true });
  const top = (node) => (node ? Math.round(node.getBoundingClientRect().top + scrollY) : 0);
  const high = document.documentElement.scrollHeight;
  const all = "a[href], button, input:not([type=hidden]), select, textarea, summary";
  const controls = [...document.querySelectorAll(all)];
  const small = controls.filter((one) => {
    if (!shown(one) || one.matches(".skip")) return false;
    const label = one.matches("[type=checkbox], [type=radio]") ? one.closest("label") ?? one.labels[0] : null;
    const box = (label ?? one).getBoundingClientRect();
    const inline = one.matches("a") && getComputedStyle(one).display === "inline";
    return box.width > 1 && box.height > 1 && !inline && (box.height < 24 || box.width < 24);
  });
  // of rows of 8 px, how many have nothing in the right third of the page
  const filled = new Set();
  for (const node of document.querySelectorAll("main *")) {
    if (node.children.length && !node.matches("svg, input, select, textarea, button, img, canvas")) continue;
    const box = node.getBoundingClientRect();
    if (!box.height || box.right < (innerWidth * 2) / 3 || !shown(node)) continue;
    const drawn = node.matches("svg, svg *, input, select, textarea, img, canvas");
    if (!drawn && !node.textContent.trim()) continue;
    for (let y = box.top + scrollY; y < box.bottom + scrollY; y += 8) filled.add(Math.floor(y / 8));
  }
  return {
    begins: top(document.querySelector("#panel") ?? document.querySelector("main")),
    high,
    fields: controls.filter((one) => one.matches("main :is(input, select, textarea)") && shown(one)).length,
    ways: [...document.querySelectorAll(".way-list .way")]
      .filter((one) => one.getBoundingClientRect().bottom < innerHeight)
      .length,
    small: small.map((one) => {
      const words = one.textContent.trim() || one.name || one.id || one.className;
      return `${words.slice(0, 24)} ${Math.round(one.getBoundingClientRect().height)}`;
    }),
    blank: Math.round(100 * (1 - filled.size / Math.ceil(high / 8))),
    shift: Number((window.shifted ?? 0).toFixed(3)),
  };
}"""
SHIFTS = """
new PerformanceObserver((list) => {
  for (const one of list.getEntries()) if (!one.hadRecentInput) window.shifted = (window.shifted ?? 0) + one.value;
}).observe({ type: "layout-shift", buffered: true });
"""


def views(page: Page, url: str) -> list[tuple[str, str]]:
    """Names and addresses: of one conversion every view, and the other places."""
    page.goto(url)
    link = page.locator("a[href^='/c/']", has_text=PAN).first.get_attribute("href") or ""
    panels = {"device": str(stations(page, url + link)), "source": "1"}
    found = [(name, f"{url}{link}?panel={panels.get(name, name)}") for name in VIEWS]
    return [
        *found,
        *((name, f"{url}/{name}/") for name in ("shelf", "new", "outings/1", "outings/1/bench-0")),
        ("bench", url),
    ]


def stations(page: Page, link: str) -> int:
    """The number of the device, the last station of the line."""
    page.goto(link)
    return page.locator("#line .station").count()


def opened(browser: Browser, url: str, width: int, height: int) -> Page:
    page = browser.new_page(viewport={"width": width, "height": height})
    page.add_init_script(SHIFTS)
    page.goto(url)
    page.wait_for_timeout(1800)
    return page


def main(url: str) -> int:
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        first = browser.new_page()
        found = views(first, url)
        first.close()
        print(f"{'view':20}{'begins':>8}{'high':>7}{'fields':>8}{'ways':>6}{'<24px':>7}{'blank':>7}{'shift':>7}")
        for name, address in found:
            page = opened(browser, address, *WIDE)
            got = page.evaluate(MEASURED)
            cells = f"{got['begins']:8}{got['high']:7}{got['fields']:8}{got['ways']:6}{len(got['small']):7}"
            few = " · ".join(" ".join(one.split()) for one in dict.fromkeys(got["small"]))[:150]
            print(f"{name:20}{cells}{got['blank']:6}%{got['shift']:7}  {few}")
            page.close()
        for width in NARROW:
            wide = []
            for name, address in found:
                page = opened(browser, address, width, 844)
                over = page.evaluate("document.documentElement.scrollWidth - innerWidth")
                wide += [f"{name} {over} px"] if over > 0 else []
                page.close()
            print(f"off the side at {width} px: {', '.join(wide) or 'nothing'}")
        weighed(browser, found[3][1])
        browser.close()
    return 0


def weighed(browser: Browser, url: str) -> None:
    """What a first visit loads: requests, bytes over the wire."""
    page = browser.new_page(viewport={"width": WIDE[0], "height": WIDE[1]})
    sizes: list[tuple[int, str]] = []
    page.on("requestfinished", lambda one: sizes.append((one.sizes()["responseBodySize"], one.url)))
    page.goto(url)
    page.wait_for_load_state("networkidle")
    total = sum(size for size, _ in sizes)
    print(f"a first page: {len(sizes)} requests, {total / 1000:.0f} kB; the largest:")
    for size, address in sorted(sizes, reverse=True)[:6]:
        print(f"  {size / 1000:7.1f} kB {address.removeprefix(url.split('/c/', maxsplit=1)[0])[:70]}")
    page.close()


if __name__ == "__main__":
    sys.exit(main(sys.argv[1].rstrip("/")))
