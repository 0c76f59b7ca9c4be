"""Every view held against the rules of accessibility, light and dark, on a desk and on a phone."""

from __future__ import annotations

from pathlib import Path
from typing import Any, Literal

from django.core.management import call_command
from django.test import tag

from hermotrope.bench.models import Conversion
from tests.browser.base import BrowserTest, chromium
from tests.lanes import SLOW, drawn
from tests.support import VIEW_KEYS

AXE = (Path(__file__).parent / "vendor" / "axe.min.js").read_text()
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
LOOKS: tuple[tuple[Literal["light", "dark"], int, int, list[str]], ...] = (
    ("light", 1280, 800, RULES),
    ("light", 390, 844, RULES),
    ("dark", 1280, 800, ["color-contrast"]),  # nothing else goes with the colours
)
GRAVE = ("moderate", "serious", "critical")
PANELS = ("1", "2", "4", "6", "add-2", *VIEW_KEYS)
ONE_IN = 30


@tag("slow", "late")
class Accessible(BrowserTest):
    def test_no_view_breaks_a_rule(self) -> None:
        for command in ("load_starter", "load_demo", "load_outing", "load_making", "load_logbook"):
            call_command(command, verbosity=0)
        urls = ["/", "/shelf/", "/new/", "/outings/", "/outings/1/", "/outings/1/bench-0/", "/outings/1/build-0/"]
        urls += ["/logbook/", "/logbook/?pack=Jetty+pack", "/phones/", "/drill/", "/compare/?a=1&b=2"]
        urls += ["/units/", "/backup/", "/guide/", "/shelf/measured/", "/shelf/measured/1/", "/shelf/measured/2/"]
        for title in ("Pan mount, Hide 3", "Sampling boat"):
            made = Conversion.objects.get(title=title)
            urls += [f"/c/{made.pk}/?panel={panel}" for panel in PANELS]
            urls.append(f"/c/{made.pk}/sheet/")
        looked = 0
        for scheme, width, height, rules in LOOKS:
            context = chromium().new_context(
                viewport={"width": width, "height": height}, color_scheme=scheme, bypass_csp=True
            )
            page = context.new_page()
            for url in urls:
                if not drawn(f"{scheme} {width} {url}", ONE_IN):
                    continue
                page.goto(f"{self.live_server_url}{url}")
                page.wait_for_load_state("networkidle")
                page.evaluate(AXE)
                with self.subTest(url=url, scheme=scheme, width=width):
                    self.assertEqual(broken(page.evaluate("rules => axe.run(document, { runOnly: rules })", rules)), [])
                looked += 1
            context.close()
        self.assertGreater(looked, 80 if SLOW else 1)


def broken(found: dict[str, Any]) -> list[tuple[str, str]]:
    """The rules that are broken, each with the place."""
    return [
        (one["id"], str(node["target"]))
        for one in found["violations"]
        if one["impact"] in GRAVE
        for node in one["nodes"]
    ]
