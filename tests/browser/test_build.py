"""Path and wiring in the browser: the line is shaped by mouse and keys, and Build says what to join with what."""

from __future__ import annotations

import re

from django.core.management import call_command
from playwright.sync_api import expect

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from tests.browser.base import BrowserTest
from tests.support import case


def kinds_of(pk: int) -> list[str]:
    return [str(type(s).__struct_config__.tag) for s in Conversion.objects.get(pk=pk).case.path]


class LineJourney(BrowserTest):
    def test_stations_are_dragged_and_refusals_are_told_while_dragging(self) -> None:
        made = actions.create(case("judgements", "all-well"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel=2")
        switch = page.locator("#station-3 .hit").bounding_box()
        gap = page.locator('[data-gap="3"] .copper').bounding_box()
        assert switch and gap
        page.mouse.move(switch["x"] + switch["width"] / 2, switch["y"] + switch["height"] / 2)
        page.mouse.down()
        page.mouse.move(switch["x"] + 60, switch["y"] + 90, steps=4)
        page.mouse.move(gap["x"] + gap["width"] / 2, gap["y"] + 10, steps=6)
        expect(page.locator("#line-says")).to_contain_text("own draw running")
        expect(page.locator('[data-gap="3"]')).to_have_class(re.compile("nonsense"))
        page.mouse.up()
        expect(page.locator("#verdict")).to_contain_text("With the device off")
        self.assertEqual(kinds_of(made.pk), ["fuse", "converter", "switch", "lead"])
        page.locator("#undo").click()
        expect(page.locator("#verdict")).not_to_contain_text("With the device off")

    def test_keys_move_double_and_remove(self) -> None:
        made = actions.create(case("judgements", "all-well"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel=2")
        page.locator("#station-3").focus()
        page.keyboard.press("Alt+ArrowLeft")
        expect(page.locator("#station-2")).to_contain_text("Switch")
        expect(page.locator("#station-2")).to_be_focused()
        page.keyboard.press("Delete")
        expect(page.locator("#station-2")).to_contain_text("Fuse")
        page.locator("#station-4").focus()
        page.keyboard.press("+")
        expect(page.locator("#station-5")).to_contain_text("Lead")
        self.assertEqual(kinds_of(made.pk), ["fuse", "converter", "lead", "lead"])

    def test_a_part_of_the_shelf_is_dropped_on_the_line(self) -> None:
        made = actions.create(case("judgements", "all-well"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel=add-3")
        part = page.locator("[data-part='lead-2m-0v5']").first
        part.scroll_into_view_if_needed()
        start = part.bounding_box()
        assert start
        page.mouse.move(start["x"] + 20, start["y"] + 10)
        page.mouse.down()
        page.mouse.move(start["x"] + 60, start["y"] - 40, steps=4)  # from here on the line stays in sight
        gap = page.locator('[data-gap="3"] .copper').bounding_box()
        assert gap
        page.mouse.move(gap["x"] + gap["width"] / 2, gap["y"] + 6, steps=6)
        expect(page.locator("#line-says")).to_contain_text("Fits here")
        page.mouse.up()
        expect(page.locator("#station-5")).to_contain_text("2 m, 0.5 mm²")
        self.assertEqual(kinds_of(made.pk), ["fuse", "switch", "converter", "lead", "lead"])


class BuildJourney(BrowserTest):
    def test_the_switch_goes_where_the_drawing_is_pressed(self) -> None:
        call_command("load_starter", verbosity=0)
        call_command("load_demo", verbosity=0)
        made = Conversion.objects.get(title="Pan mount, Hide 3")
        page = self.page
        self.goto(f"{made.get_absolute_url()}?panel=build")
        expect(page.locator(".switch-mark")).to_have_count(1)  # behind the board; where it stands is not offered
        page.locator(".switch-mark").click()
        expect(page.locator("#undo")).to_contain_text("witch")
        self.assertEqual(kinds_of(made.pk), ["fuse", "converter", "switch", "lead"])
        expect(page.locator(".switch-places .here")).to_contain_text("behind the buck")
        button = page.locator("[data-help]")
        expect(page.locator("#panel-help")).to_be_hidden()
        button.click()
        expect(page.locator("#panel-help")).to_contain_text("Dashed places on the drawing")
        expect(button).to_have_attribute("aria-expanded", "true")

    def test_a_centre_negative_device_gets_a_swapping_lead(self) -> None:
        made = actions.create(case("judgements", "centre-negative-device"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/")
        expect(page.locator("#verdict .verdict").first).to_have_text("Refused")
        page.keyboard.press("d")
        expect(page.locator(".swap-word").first).to_contain_text("swaps plus and minus")
        page.locator(".join").last.get_by_role("button", name="Put this lead in").click()
        expect(page.locator("#line")).to_contain_text("swaps ±")
        expect(page.locator("#verdict")).to_contain_text("swaps plus and minus")
        expect(page.locator("svg.wiring")).to_contain_text("PLUS AND MINUS SWAP HERE")
        expect(page.locator("#verdict .verdict").first).not_to_have_text("Refused")
        page.get_by_text("Schematic", exact=True).click()
        self.assertGreater(page.locator(".sheet img").evaluate("img => img.decode().then(() => img.naturalWidth)"), 100)

    def test_a_pack_without_a_cut_off_gets_one_and_wire_and_fuse_are_chosen(self) -> None:
        made = actions.create(case("judgements", "pack-trusts-the-tool", **{"path.3.length_m": 6.0}), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel=build")
        page.locator("#verdict .counts").click()
        page.get_by_role("button", name=re.compile("Put in a cut-off")).click()
        expect(page.locator("#line")).to_contain_text("opens at 15 V")
        expect(page.locator("#verdict")).not_to_contain_text("leaves the low cut-off")
        page.get_by_role("button", name="Choose wire and fuse for me").scroll_into_view_if_needed()
        stood = page.evaluate("scrollY")
        page.get_by_role("button", name="Choose wire and fuse for me").click()
        expect(page.locator(".stands.bad")).to_have_count(0)
        self.assertLess(abs(page.evaluate("scrollY") - stood), 100)  # the page is put in anew and stays where it was
        expect(page.get_by_role("button", name="Choose wire and fuse for me")).to_be_focused()
        expect(page.locator("#verdict")).not_to_contain_text("lead loses")

    def test_a_stop_and_a_choice_keep_what_was_typed(self) -> None:
        made = actions.create(case("judgements", "breathing-gear"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/")
        page.get_by_role("link", name="Say who takes it over").click()
        page.locator("#reason-life-safety").fill("tests these sets every year")
        page.locator("#by-life-safety").evaluate("node => node.removeAttribute('required')")
        page.get_by_role("button", name="I state this").click()
        expect(page.locator(".locked [role=alert]")).to_contain_text("who takes it over")
        expect(page.locator("#reason-life-safety")).to_have_value("tests these sets every year")
        page.locator("#by-life-safety").fill("the workshop of the fire service")
        page.get_by_role("button", name="I state this").click()
        expect(page.locator("svg.wiring")).to_be_visible()
        expect(page.locator("#verdict .verdict").first).to_have_text("Fits with care")
