"""The Run panel in the browser: the ribbon by mouse and keys, one measurement that narrows the range, the tools."""

from __future__ import annotations

import re
from typing import Any

from django.core.management import call_command
from django.test import tag
from playwright.sync_api import expect

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope_core.values.known import number
from tests.browser.base import BrowserTest
from tests.support import case

GUESSES = {
    "device.modes.0.power_w": {"value": 5, "known_by": "guess"},
    "source.capacity_ah": {"value": 4, "known_by": "measured"},
    "path.2.efficiency": {"value": 0.92, "known_by": "measured"},
    "device.modes.1.power_w": {"value": 40, "known_by": "measured"},
}


class RunJourney(BrowserTest):
    def start(self, **changes: Any) -> None:
        self.made = actions.create(case("cases", "hide-mount-on-tool-pack", **changes), "Started")
        self.goto(f"/c/{self.made.pk}/?panel=run")

    def lasts(self) -> list[float]:
        return [number(s.seconds) for s in Conversion.objects.get(pk=self.made.pk).case.duty.repeat]

    def width(self) -> float:
        """Hours between the two ends of the sentence."""
        text = self.page.locator(".sentence b").first.inner_text()
        low, high = (float(hours) + float(minutes) / 60 for hours, minutes in re.findall(r"(\d+) h (\d+) min", text))
        return high - low

    @tag("late")
    def test_redrawing_does_not_double_what_stands_beside_what_is_loaded_late(self) -> None:
        self.start()
        page = self.page
        expect(page.locator(".measure-next")).to_be_visible()
        for lasts in ("7 min", "6 min", "5 min"):
            page.locator("#f-duty-repeat-0-seconds").fill(lasts)
            page.locator("#f-duty-repeat-0-seconds").press("Tab")
            expect(page.locator("#f-duty-repeat-0-seconds")).to_have_value(lasts)
            expect(page.locator(".ribbon")).to_contain_text(f"hold {lasts}")
            expect(page.locator(".measure-next")).to_be_visible()
        self.assertEqual(page.locator("#panel .working-box").count(), 1)
        self.assertEqual(page.locator("#conditions h2", has_text="Measure next").count(), 1)

    @tag("late")
    def test_an_end_of_the_ribbon_is_dragged_and_moved_by_keys(self) -> None:
        self.start()
        page = self.page
        before = page.locator(".sentence b").first.inner_text()
        edge = page.locator('[data-edge="0"]')
        edge.scroll_into_view_if_needed()
        box = edge.bounding_box()
        assert box
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        page.mouse.move(x, y)
        page.mouse.down()
        page.mouse.move(x - 200, y, steps=5)
        expect(page.locator(".ribbon-says")).to_have_text(re.compile("min"))
        page.mouse.up()
        expect(page.locator(".sentence b").first).not_to_have_text(before)
        dragged = self.lasts()
        self.assertTrue(300 < dragged[0] < 400, dragged)
        self.assertEqual(dragged[1], 120)
        page.locator('[data-edge="1"]').focus()
        page.keyboard.press("ArrowRight")
        expect(page.locator('[data-edge="1"]')).to_have_attribute("aria-valuenow", "180")
        expect(page.locator('[data-edge="1"]')).to_be_focused()
        for _ in range(6):  # faster than the page is redrawn: none is lost
            page.keyboard.press("ArrowRight")
        expect(page.locator('[data-edge="1"]')).to_have_attribute("aria-valuenow", "540")
        page.locator("#undo").click()
        expect(page.locator('[data-edge="1"]')).to_have_attribute(
            "aria-valuenow", re.compile("180|240|300|360|420|480")
        )

    def test_the_charts_are_read_and_zoomed_by_keys(self) -> None:
        self.goto("/")
        self.assertEqual(self.page.evaluate("typeof uPlot"), "undefined")  # it comes with the first chart
        self.start()
        page = self.page
        chart, says = page.locator("[data-chart]"), page.locator(".chart-read")
        expect(chart).to_have_attribute("tabindex", "0")
        chart.focus()
        for _ in range(4):
            page.keyboard.press("Shift+ArrowRight")
        expect(says).to_contain_text("inlet")
        there = says.inner_text()
        for key in ("+", "+", "-", "0"):
            page.keyboard.press(key)
        expect(says).to_have_text(there)
        page.keyboard.press("ArrowLeft")
        expect(says).not_to_have_text(there)

    @tag("late")
    def test_one_measurement_narrows_the_range_as_promised(self) -> None:
        self.start(**GUESSES)
        page = self.page
        first = page.locator(".measure-next li").first
        expect(first).to_contain_text("“hold”")
        expect(first).to_contain_text("guess")
        promised = int(first.locator("b").inner_text().split()[0]) / 100
        wide = self.width()
        first.locator("a").click()
        field = page.locator("#f-device-modes-0-power-w")
        expect(field).to_be_visible()
        with page.expect_response(lambda r: r.request.method == "POST" and r.ok):
            page.locator("form:has(#f-device-modes-0-power-w) select").first.select_option("measured")
        page.goto(f"{self.live_server_url}/c/{self.made.pk}/?panel=run")
        self.assertAlmostEqual(1 - self.width() / wide, promised, delta=0.06)

    @tag("late")
    def test_questions_survive_reload_and_a_word_that_is_no_figure(self) -> None:
        self.start()
        page = self.page
        page.locator("summary", has_text="Swap plan").click()
        page.locator("#ask-job").fill("20 h")
        page.locator("#ask-job").press("Tab")
        expect(page.locator(".swaps li").first).to_contain_text("pack 1 out, pack 2 in")
        page.reload()
        expect(page.locator("#ask-job")).to_have_value("20 h")
        page.locator("#ask-own").fill("lots")
        page.locator("#ask-own").press("Tab")
        expect(page.locator(".asked .row-error")).to_be_visible()
        expect(page.locator("#ask-own")).to_have_value("lots")
        expect(page.locator(".swaps li").first).to_be_visible()
        with page.expect_download() as file:
            page.get_by_text("As a calendar file").click()
        self.assertEqual(file.value.suggested_filename, "swaps.ics")

    @tag("late")
    def test_a_phone_shows_it_without_sideways_scrolling(self) -> None:
        self.start(**{"duty.start": "20:30"})
        page = self.open_page(390, 844)
        self.goto(f"/c/{self.made.pk}/?panel=run&job=20h&old_hours=6h&with=tool-12-2&with=bank-10", page)
        expect(page.locator(".ribbon")).to_be_visible()
        self.assertEqual(self.sideways(page), 0)


class Later(BrowserTest):
    """What is asked for after an edit: as it was asked, and not where somebody went on to another view."""

    def test_the_tools_follow_an_edit_and_stay_behind_on_leaving(self) -> None:
        call_command("load_demo", verbosity=0)
        self.goto(f"/c/{Conversion.objects.get(title='Pan mount, Hide 3').pk}/?panel=run")
        page = self.page
        page.locator("summary", has_text="The same on other packs").click()
        page.locator("select[name=with]").first.select_option(index=2)
        expect(page.locator(".compare-curves")).to_be_visible()
        before = page.locator("#run-tools").inner_text()
        field = page.locator("#f-duty-repeat-0-seconds")
        field.fill("25 min")
        field.press("Enter")
        expect(page.locator("#run-tools")).to_have_attribute("aria-busy", "true")
        expect(page.locator("#run-tools")).not_to_have_attribute("aria-busy", "true")
        expect(page.locator(".compare-curves")).to_be_visible()
        self.assertNotEqual(page.locator("#run-tools").inner_text(), before)
        tools = re.compile(r"/run/\?")
        page.route(tools, lambda one: one.fulfill(status=503))
        with page.expect_response(tools):
            field.fill("26 min")
            field.press("Enter")
        page.wait_for_timeout(200)
        expect(page.locator("#run-tools")).to_have_attribute("aria-busy", "true")  # it says what was before
        self.errors = [error for error in self.errors if "503" not in error]
        page.unroute(tools)
        held = self.held_back(tools)
        field.fill("27 min")
        field.press("Enter")
        expect(page.locator("#run-tools")).to_have_attribute("aria-busy", "true")
        page.get_by_role("link", name="Build", exact=True).first.click()
        expect(page.locator("#panel")).to_have_attribute("data-panel", "build")
        for one in held:  # none, where it was left in time
            one.continue_()
        page.wait_for_timeout(600)
        self.assertIn("panel=build", page.url)

    def test_what_is_given_up_while_more_of_it_waits_is_no_error(self) -> None:
        self.goto("/outings/")
        self.page.route("**/held/*", lambda _: None)
        for _ in range(2):
            self.page.evaluate("htmx.ajax('GET', '/held/', { source: '#title', target: '#title' }) && 0")
        self.page.evaluate("htmx.trigger('#title', 'htmx:abort')")  # the one that waited is asked now
        self.page.wait_for_timeout(100)
        self.page.evaluate("htmx.trigger('#title', 'htmx:abort')")
        self.page.wait_for_timeout(100)


class RunsSoFar(BrowserTest):
    def test_a_run_is_typed_mended_kept_and_taken_into_the_plan(self) -> None:
        call_command("load_demo", verbosity=0)
        boat = next(one for one in Conversion.objects.all() if one.case.device.name == "Jetty lamps")
        page = self.page
        self.goto(f"/c/{boat.pk}/?panel=run")
        runs = page.locator("#trials")
        expect(runs).to_contain_text("After 5 runs the next one lasts")
        runs.get_by_text("Another run").click()
        runs.get_by_label("It ran").fill("long")
        runs.get_by_label("Note").fill("calm")
        runs.get_by_role("button", name="Keep this run").click()
        expect(runs.locator(".row-error")).to_have_count(1)
        expect(runs.get_by_label("Note")).to_have_value("calm")
        runs.get_by_label("It ran").fill("19h20")
        runs.get_by_role("button", name="Keep this run").click()
        expect(runs).to_contain_text("After 6 runs the next one lasts")
        expect(runs).to_contain_text("calm")
        runs.get_by_role("button", name="Take it into the plan").first.click()
        expect(page.get_by_role("button", name="Undo: As the runs have it")).to_be_visible()
        expect(page.locator("#trials")).to_contain_text("Runs so far")
        expect(page.locator("#trials")).not_to_contain_text("the next one lasts")
        page.once("dialog", lambda dialog: dialog.dismiss())
        page.locator("#trials").get_by_role("button", name="Remove the run of 6 June").click()
        page.get_by_role("button", name="Undo: As the runs have it").click()
        expect(runs).to_contain_text("After 6 runs the next one lasts")
        page.wait_for_timeout(300)
        expect(page.locator(".runs-list li")).to_have_count(6)  # what was declined is not done by the next redraw
        page.get_by_role("button", name="Redo: As the runs have it").click()
        expect(page.locator("#trials")).not_to_contain_text("the next one lasts")
        page.once("dialog", lambda dialog: dialog.accept())
        page.locator("#trials").get_by_role("button", name="Remove the run of 6 June").click()
        expect(page.locator(".runs-list li")).to_have_count(5)
