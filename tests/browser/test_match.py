"""Match in the browser: from a device to a way that fits, by question, comparison and taking."""

from __future__ import annotations

import re

from django.test import tag
from playwright.sync_api import expect

from hermotrope.bench import actions
from hermotrope.shelf import starter
from hermotrope.shelf.models import Item
from tests.browser.base import BrowserTest
from tests.support import case


class MatchJourney(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        Item.objects.filter(key__in=starter.owned()).update(have="own")

    def test_from_a_device_to_a_way_that_fits(self) -> None:
        page = self.page
        self.goto("/new/")
        page.locator("form.device-card", has_text="Pan mount, Hide 3").get_by_role("button").click()
        page.get_by_role("link", name="Match try every way").click()
        expect(page.locator(".way-list .way")).to_have_count(8)
        page.locator(".way .beside").nth(0).click()
        expect(page.locator(".way.chosen")).to_have_count(1)
        page.locator(".way:not(.chosen) .beside").first.click()
        expect(page.locator(".compare-scales polygon")).to_have_count(2)
        expect(page.locator(".compare-curves polyline")).to_have_count(2)
        expect(page.locator(".compare-table tr.differs").first).to_be_visible()
        page.reload()  # what stands side by side is in the address
        expect(page.locator(".compare-table")).to_be_visible()
        page.get_by_role("button", name="Take 2").click()
        expect(page.locator("#verdict .verdict").first).to_have_text(re.compile("^Fits"))
        expect(page.locator("#station-2")).to_contain_text("Fuse")
        expect(page).to_have_url(re.compile(r"panel=run"))
        page.locator("#undo").click()
        expect(page.locator("#verdict .verdict").first).to_have_text("Open")

    @tag("late")
    def test_what_if_ranks_again_in_place_and_a_slip_loses_nothing(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel=match")
        first = page.locator(".way-list .way h3").first
        before = first.inner_text()
        page.locator("#wish-lightest").focus()
        page.keyboard.press("End")
        page.locator("#wish-longest").fill("0")
        expect(first).not_to_have_text(before)
        expect(page).to_have_url(re.compile("lightest=3"))
        page.locator("#hours").fill("many")
        page.locator("#hours").press("Enter")
        expect(page.locator("#ways [role=alert]")).to_contain_text("for example")
        expect(page.locator("#hours")).to_have_value("many")
        page.locator("#hours").fill("4 h")
        page.locator("#hours").press("Enter")
        expect(page.locator(".refused-list")).to_contain_text("runs for less than the 4 h 00 min you asked for")
        page.get_by_label("no soldering").check()
        expect(page.locator(".refused-list")).to_contain_text("soldered joints")
        page.reload()
        expect(page.get_by_label("no soldering")).to_be_checked()
        expect(page.locator("#hours")).to_have_value("4 h")

    def test_why_and_the_cure_of_a_near_miss(self) -> None:
        made = actions.create(case("judgements", "direct-far-over"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/")
        page.locator("#verdict a.why").first.click()
        expect(page.locator("#verdict .why-box").first).to_contain_text("held against")
        page.keyboard.press("w")
        page.locator(".way-why summary").first.click()
        expect(page.locator("div.why").first).to_contain_text("geometric mean")
        page.locator(".refused-group", has=page.locator("form")).first.locator("summary").click()
        page.locator(".refused-group form button").first.click()
        expect(page.locator("#verdict .verdict").first).to_have_text(re.compile("^Fits"))

    def test_the_way_that_is_pointed_at_is_drawn_beside_the_list(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel=match")
        ways = page.locator(".way-list .way")
        expect(ways.first).to_be_visible()
        expect(page.locator("#pointed")).to_be_hidden()
        for i in (1, 3):
            ways.nth(i).hover()
            pack = ways.nth(i).locator("h3").get_attribute("title") or "?"
            expect(page.locator("#pointed figcaption")).to_contain_text(f"{i + 1} {pack}")
            told = ways.nth(i).locator(".way-scale").get_attribute("aria-label") or "?"
            expect(page.locator("#pointed figcaption")).to_contain_text(told)
            expect(page.locator("#pointed svg")).to_have_count(1)

    def test_nothing_runs_off_the_side_of_a_phone(self) -> None:
        made = actions.create(case("cases", "bat-detector-on-six-aaa"), "Started")
        page = self.open_page(390, 844)
        self.goto(f"/c/{made.pk}/?panel=match", page)
        expect(page.locator(".way-list .way").first).to_be_visible()
        self.assertLessEqual(self.sideways(page), 0)
