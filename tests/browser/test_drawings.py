"""What drawings say can be read: no text over another, none cut off; figures are alike on server and browser."""

from __future__ import annotations

from pathlib import Path

from django.core.management import call_command
from django.test import tag

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.drawings.numbers import volts
from hermotrope_core.values.figures import duration, figure
from tests.browser.base import BrowserTest
from tests.browser.test_controls import QUIET, WATCH
from tests.lanes import drawn
from tests.support import VIEW_KEYS, case

TEXTS = (Path(__file__).parent / "texts.js").read_text()
LONG = "Weatherproof floating reference station number seventeen of the Sallow Fen survey"
VALUES = (0.0, 1e-5, 0.0123, 0.0994, 0.0996, 0.16, 0.24, 1.0, 3.456, 9.996, 21.0, 99.94, 100.0, 1234.5)
SECONDS = (0.0, 0.4, 42.0, 89.9, 90.0, 3599.0, 5399.0, 5400.0, 7199.0, 18515.0, 86399.0, 161741.0, 8.6e5, 1.7e6)


@tag("slow")
class Drawings(BrowserTest):
    """Every panel in the slow lane, a sample of them in each run."""

    maxDiff = None

    def setUp(self) -> None:
        super().setUp()
        self.page.add_init_script(WATCH)

    def read(self, *urls: str) -> list[str]:
        """What cannot be read on some pages, all lists open."""
        found = []
        for url in urls:
            self.goto(url)
            self.page.evaluate("document.querySelectorAll('details').forEach((one) => { one.open = true; })")
            self.page.wait_for_function(QUIET)
            found += [f"{url}: {one}" for one in self.page.evaluate(TEXTS)]
        return found

    def panels(self, made: Conversion) -> list[str]:
        """The panels of a conversion that draw."""
        device = len(made.case.path) + 2
        panels = [(f"{made.case.title} {one}", one) for one in (1, device, "match", "run", "build", "do", "prove")]
        return [f"/c/{made.pk}/?panel={one}" for name, one in panels if drawn(name, 8)]

    def test_nothing_covers_or_cuts_a_text(self) -> None:
        call_command("load_demo", verbosity=0)
        self.assertEqual(self.read("/", "/shelf/", "/new/"), [])
        for made in Conversion.objects.order_by("pk"):
            with self.subTest(made.case.title):
                self.assertEqual(self.read(*self.panels(made)), [])

    def test_long_names_and_crowds_fit_too(self) -> None:
        named = {"device.name": LONG, "source.name": LONG}
        modes = [{"name": f"{i} {LONG[: 14 + 9 * i]}", "kind": "power", "power_w": i} for i in range(1, 8)]
        turns = [{"mode": one["name"], "seconds": 40.0 * 3**i} for i, one in enumerate(modes)]
        fuse, diode = {"stage": "fuse", "rating_a": 5}, {"stage": "diode", "forward_v": 0.1}
        lead = {"stage": "lead", "length_m": 0.4, "area_mm2": 1.5}
        bay = {
            "size": "AAA",
            "slots": ["up", "down", "up"],
            "links": [["1-", "2+"], ["2-", "3+"]],
            "leads": ["1+", "3-"],
        }
        crowd = [fuse, lead, diode, lead, {"stage": "switch"}, lead, diode, lead, fuse]
        wide = {"min_v": 3, "nominal_v": 5, "max_v": 15, "absolute_max_v": 18}
        for name, change in (
            ("hide-mount-on-tool-pack", {"device.modes": modes, "duty.repeat": turns, "duty.start": "21:00"}),
            ("hide-mount-on-tool-pack", {"path": crowd}),
            ("hide-mount-on-tool-pack", {"path": [], "source.capacity_ah": 4000}),
            ("warden-receiver-on-bank", {"device.supply": wide}),
            ("bat-detector-on-six-aaa", {"device.bay": bay, "device.inlet": {"kind": "cell-bay"}}),
            ("bat-detector-on-six-aaa", {"device.inlet": {"kind": "pins", "pin_count": 9}}),
        ):  # fmt: skip
            made = actions.create(case("cases", name, **(named | change)), "Started")
            with self.subTest(name, change=list(change)):
                self.assertEqual(self.read(*self.panels(made)), [])


@tag("slow")
class Narrow(BrowserTest):
    """Nothing runs off the side of a phone: every panel of the demonstration in the slow lane, a sample in each run."""

    @tag("late")
    def test_every_panel_fits(self) -> None:
        for command in ("load_demo", "load_outing"):
            call_command(command, verbosity=0)
        urls = ["/", "/shelf/", "/new/", "/outings/", "/outings/1/", "/outings/1/build-0/", "/outings/1/bench-0/"]
        urls = [url for url in urls if drawn(url, 3)]
        for made in Conversion.objects.order_by("pk"):
            for panel in (
                1,
                2,
                len(made.case.path) + 2,
                "add-1",
                *VIEW_KEYS,
            ):
                urls += [f"/c/{made.pk}/?panel={panel}"] if drawn(f"{made.title} {panel}", 20) else []
        for width in (390, 320):
            page = self.open_page(width, 844)
            for url in urls:
                self.goto(url, page)
                with self.subTest(url, width=width):
                    self.assertLessEqual(self.sideways(page), 0)


class Figures(BrowserTest):
    def test_browser_and_server_write_the_same(self) -> None:
        self.goto("/new/")
        for value in VALUES:
            for name, unit in (("V", ""), ("A", "A"), ("W", "W"), ("Ah", "Ah"), ("%", "%")):
                told = self.page.evaluate("([v, u]) => u ? figures.figure(v, u) : figures.volts(v)", [value, unit])
                self.assertEqual(told, figure(value, unit) if unit else volts(value), name)
        for seconds in SECONDS:
            self.assertEqual(self.page.evaluate("(s) => figures.clock(s)", seconds), duration(seconds))
