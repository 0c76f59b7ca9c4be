"""By keys alone: how many presses a whole start takes, and that keys can be changed and switched off."""

from __future__ import annotations

import re

from django.core.management import call_command
from django.test import tag
from playwright.sync_api import expect

from hermotrope.bench.models import Conversion
from tests.browser.base import BrowserTest

MOST_PRESSES = 120


class Keys(BrowserTest):
    def press(self, *keys: str) -> None:
        """Press keys one by one; a text in quotes is typed, each of its letters a press."""
        for key in keys:
            letters = key[1:-1] if key[:1] == "'" else (key,)
            for letter in letters:
                self.page.keyboard.press("Space" if letter == " " else letter)
                self.presses += 1

    def test_from_a_blank_device_to_the_first_gate(self) -> None:
        call_command("load_starter", verbosity=0)
        page, self.presses = self.page, 0
        self.goto("/")
        self.press("n")
        expect(page.locator("h1")).to_contain_text("What do you want to feed")
        self.press("a", "'Lamp'", "Enter")
        for name, text in (("min", "'10.5'"), ("nominal", "'12'"), ("max", "'15'")):
            field = f"#f-device-supply-{name}-v"
            expect(page.locator("#verdict .questions")).to_be_visible()
            page.wait_for_load_state()  # keys are heard once the page has come whole
            self.press("a")
            expect(page.locator(field)).to_be_focused()
            self.press(text, "Enter")
            expect(page.locator("#saved")).to_have_text("saved")
            expect(page.locator("#verdict .findings a.answer").first).not_to_have_attribute("data-focus", field[1:])
            self.press("Escape")
        self.press("a")
        expect(page.locator("#press-reading")).to_be_focused()
        self.press("Tab", "'0.5 A'")
        expect(page.locator("#e-reading-current_a")).to_have_value("0.5 A")
        self.press("Tab", "Tab", "'12'", "Enter")
        expect(page.locator(".draw-row")).to_contain_text("6.00 W")
        self.press("w")
        expect(page.locator("#ways .way-list .way").first).to_be_visible()
        self.press("a", "Enter")
        expect(page.locator("#verdict .verdict").first).to_have_text("Refused")  # which contact is plus, nobody knows
        self.press("a")
        expect(page.locator("#f-device-inlet-kind")).to_be_focused()
        with page.expect_response(lambda one: "/set/" in one.url):
            self.press("t")
        expect(page.locator("#f-device-inlet-kind")).to_have_value("terminals")
        expect(page.locator("#polarity-read")).to_have_count(1)
        self.press("Escape", "a")
        expect(page.locator("#polarity-read")).to_be_focused()
        self.press("'12'", "Enter")
        expect(page.locator("#verdict .verdict").first).to_have_text(re.compile("^Fits"))
        self.press("Escape", "g")
        expect(page.locator("#gate-open-voltage")).to_have_attribute("aria-current", "step")
        self.press("a")
        expect(page.locator("#prove .gate-now input[name=text]").first).to_be_focused()
        self.assertLess(self.presses, MOST_PRESSES)
        made = Conversion.objects.get()
        self.assertEqual(made.title, "Lamp")

    @tag("late")
    def test_keys_are_changed_and_switched_off(self) -> None:
        call_command("load_demo", verbosity=0)
        page = self.page
        self.goto(f"{Conversion.objects.get(title='Pan mount, Hide 3').get_absolute_url()}?panel=run")
        page.keyboard.press("?")
        field = page.locator("[data-key-of=prove]")
        field.fill("r")
        field.press("Tab")
        expect(page.locator("#keys-says")).to_contain_text("is taken already")
        expect(field).to_have_value("g")
        field.fill("7")
        field.press("Tab")
        expect(page.locator("#keys-says")).to_contain_text("none of 1 to 9")
        field.fill("p")
        field.press("Escape")  # leaves the field, and so keeps it
        page.keyboard.press("p")
        expect(page.locator("#tab-prove")).to_have_attribute("aria-current", "true")
        page.reload()
        page.keyboard.press("r")
        expect(page.locator("#tab-run")).to_have_attribute("aria-current", "true")
        page.keyboard.press("g")
        page.wait_for_timeout(300)
        expect(page.locator("#tab-run")).to_have_attribute("aria-current", "true")
        page.keyboard.press("?")
        page.locator("#keys-off").check()
        page.locator("#keys-off").blur()
        page.keyboard.press("p")
        page.wait_for_timeout(300)
        expect(page.locator("#tab-run")).to_have_attribute("aria-current", "true")
        page.keyboard.press("?")
        expect(page.locator("#keys")).to_be_hidden()  # this one always shows them, and how to switch them on
