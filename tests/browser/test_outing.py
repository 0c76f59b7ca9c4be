"""A night by hand: a pack, rows typed, the start that is refused, a proposal, a pin, another tab, a phone."""

from __future__ import annotations

from django.core.management import call_command
from django.test import tag
from playwright.sync_api import expect

from hermotrope.bench.models import Conversion
from hermotrope.outing.models import Outing
from hermotrope.shelf.models import Item
from tests.browser.base import BrowserTest

TOPS = "all => all.map(one => Math.round(one.getBoundingClientRect().top + scrollY))"


class Night(BrowserTest):
    def begin(self) -> Outing:
        self.goto("/outings/")
        self.page.fill("#title", "Jetty night")
        self.page.get_by_role("button", name="Begin").click()
        expect(self.page.get_by_role("heading", level=1)).to_have_text("Jetty night")
        return Outing.objects.get(title="Jetty night")

    def take(self, name: str) -> None:
        item = Item.objects.filter(kind="source", name__icontains=name).first()
        assert item is not None
        shown = self.page.locator(".supply").count()
        self.page.select_option("#item", str(item.pk))
        self.page.get_by_role("button", name="Take it along").click()
        expect(self.page.locator(".supply")).to_have_count(shown + 1)

    def fact(self, place: str, text: str) -> None:
        self.page.fill(f"#fact-{place}", text)
        self.page.press(f"#fact-{place}", "Enter")

    def hang(self, index: int, rows: str, count: int) -> None:
        field = self.page.locator(f"#rows-{index}")
        if not field.is_visible():
            self.page.locator(".hang summary").nth(index).click()
        field.fill(rows)
        field.locator("xpath=ancestor::form").get_by_role("button").click()
        expect(self.page.locator(".supply").nth(index).locator(".branch")).to_have_count(count)
        expect(self.page.locator(f"#rows-{index}")).to_have_value("")

    def test_a_device_is_dragged_to_another_pack_and_told_what_would_be(self) -> None:
        call_command("load_outing", verbosity=0)
        self.goto(Outing.objects.get().get_absolute_url())
        self.page.select_option("#to-0-1", "2")
        expect(self.page.locator(".branch .weighed").nth(1)).to_contain_text("Refused")
        ribbon = self.page.locator("g.hangs[data-hangs='0-1']")
        supplies = self.page.locator(".supply")
        for leave, moved in ((True, 3), (False, 2)):
            ribbon.hover(position={"x": 20, "y": 10})
            self.page.mouse.down()
            supplies.nth(1).locator(".branches").scroll_into_view_if_needed()
            box = supplies.nth(1).locator(".branches").bounding_box()
            assert box is not None
            self.page.mouse.move(box["x"] + 200, box["y"] + 10, steps=5)
            expect(self.page.locator(".in-hand")).to_contain_text("stops")
            expect(self.page.locator(".supply.takes")).to_have_count(1)
            if leave:
                self.page.keyboard.press("Escape")
            self.page.mouse.up()
            expect(self.page.locator(".in-hand")).to_have_count(0)
            expect(supplies.first.locator(".branch")).to_have_count(moved)
        expect(supplies.nth(1).locator("h3")).to_contain_text(["hide lamp", "dew strap"])

    def test_what_comes_later_moves_no_handle(self) -> None:
        call_command("load_demo", verbosity=0)
        call_command("load_outing", verbosity=0)
        lamps = Conversion.objects.get(title="Jetty lamps").get_absolute_url()
        outing = Outing.objects.get().get_absolute_url()
        for address, later, count, handles, come in (
            (outing, "**/range/**", 3, ".hangs .grip, .branch", ".how-sure"),
            (f"{lamps}?panel=run", "**/run/next/", 1, "#conditions .row-field", ".measure-next"),
        ):
            held = self.held_back(later)
            with self.page.expect_request(later):
                self.goto(address)
            for _ in range(600):
                if len(held) == count:
                    break
                self.page.wait_for_timeout(50)
            stood = self.page.locator(handles).evaluate_all(TOPS)
            self.assertGreater(len(stood), 4)
            for one in held:
                one.continue_()
            expect(self.page.locator(come)).to_contain_text(["%"] * count)
            expect(self.page.locator(".how-sure .room")).to_have_count(0)
            self.assertEqual(self.page.locator(handles).evaluate_all(TOPS), stood)

    @tag("late")
    def test_packs_take_turns_and_an_own_battery_goes_first(self) -> None:
        call_command("load_outing", verbosity=0)
        self.goto(Outing.objects.get().get_absolute_url())
        turns = self.page.locator("#turns")
        expect(turns).to_contain_text("the iron-phosphate block: 2 are wanted to be sure, only one goes along")
        rows = turns.locator("text.name")
        expect(rows.nth(1)).to_contain_text("not along")
        self.page.locator("#spares-0").fill("1")
        self.page.locator("#spares-0").press("Enter")
        expect(rows.nth(1)).to_contain_text("block 2")
        self.page.locator("#charger").fill("the moon 07:00-08:00")
        self.page.locator("#charger").press("Enter")
        expect(self.page.locator("#charger-error")).to_contain_text("watts are missing")
        expect(self.page.locator("#charger")).to_have_value("the moon 07:00-08:00")
        self.page.locator("#charger").fill("car 90W 17:20-18:00")
        self.page.locator("#charger").press("Enter")
        expect(self.page.locator(".chargers li")).to_have_count(3)
        self.page.locator(".chargers button").last.click()
        expect(self.page.locator(".chargers li")).to_have_count(2)
        self.page.get_by_role("button", name="own battery first").click()
        expect(self.page.locator(".night .own")).to_have_count(1)
        expect(self.page.get_by_text("It begins on its own battery")).to_be_visible()
        self.page.get_by_role("button", name="how many evenings?").nth(1).click()
        expect(self.page.locator("#needs-1")).to_contain_text("2 with everything left connected")
        self.page.get_by_role("button", name="which volts to share?").click()
        expect(self.page.locator("#proposal")).to_contain_text("12.0 V held by one board for all")

    def test_a_night_is_scrubbed_and_keys_go_along_the_devices(self) -> None:
        call_command("load_outing", verbosity=0)
        self.goto(Outing.objects.get().get_absolute_url())
        says, here = self.page.locator(".night-scrub output").first, self.page.locator(".night .here").first
        expect(here).to_have_attribute("visibility", "hidden")
        self.page.locator("#charge-0").fill("45")
        expect(says).to_have_text("01:35: 45 % left · 13.03 V at the fork · 1.31 A from the pack")
        expect(here.locator("text").nth(1)).to_have_text("warm · 0.924 A · 3.96 V to spare")
        moved = here.locator("path").get_attribute("transform") or ""
        clock = self.page.locator("#clock-0")
        clock.fill(clock.get_attribute("max") or "")
        expect(says).to_contain_text("left")
        expect(here.locator("text").first).to_have_text("stopped")
        expect(here.locator("path")).not_to_have_attribute("transform", moved)
        self.page.locator("h1").click()
        self.page.keyboard.press("5")
        self.assertEqual(self.page.evaluate("document.activeElement.querySelector('h3').textContent"), "chart tablet")

    @tag("late")
    def test_a_supply_is_built_and_proved(self) -> None:
        call_command("load_outing", verbosity=0)
        self.goto(Outing.objects.get().get_absolute_url())
        self.page.get_by_role("link", name="build and prove").first.click()
        self.page.get_by_role("checkbox", name="The junction").check()
        expect(self.page.locator("#tree .outing-top")).to_contain_text("1 of 12 steps done")
        expect(self.page.get_by_role("checkbox", name="The junction")).to_be_checked()
        field = self.page.locator("#way-source input[name=text]")
        field.fill("no volts")
        field.press("Enter")
        expect(self.page.locator("#way-source .row-error")).to_be_visible()
        expect(field).to_have_value("no volts")
        field.fill("14.5 V")
        field.press("Enter")
        expect(self.page.locator("#way-0 .gate.current")).to_contain_text("Continuous, and no short")
        self.page.locator("#way-0 .tree-inlet").get_by_role("combobox").select_option("centre-negative")
        self.page.locator("#way-0 .tree-inlet").get_by_role("checkbox").check()
        self.page.locator("#way-0 .tree-inlet").get_by_role("button").click()
        expect(self.page.locator("#way-0 .tree-inlet summary")).to_contain_text("centre minus, measured")
        for reading in ("0.05", "OL"):
            ask = self.page.locator("#way-0 .gate.current .gate-ask:not(.pass)").first.locator("input[name=text]")
            ask.fill(reading)
            ask.press("Enter")
            expect(ask).not_to_have_value(reading)
        expect(self.page.locator("#way-0 .gate.passed")).to_have_count(1)

    @tag("late")
    def test_a_device_goes_first(self) -> None:
        call_command("load_outing", verbosity=0)
        self.goto(Outing.objects.get().get_absolute_url())
        self.page.get_by_role("button", name="if it goes first?").nth(1).click()
        field = self.page.locator("#trips-0-1")
        expect(field).to_have_value("12.30 V")
        field.fill("a lot")
        self.page.get_by_role("button", name="Put it in").click()
        expect(self.page.locator("#trips-0-1-error")).to_be_visible()
        expect(field).to_have_value("a lot")
        field.fill("12.5 V")
        self.page.get_by_role("button", name="Put it in").click()
        expect(self.page.locator(".branch").nth(1).locator(".branch-name")).to_contain_text("Cut-off opens at 12.5 V")
        expect(self.page.locator(".supply-head").first).to_contain_text("one device stops")

    @tag("late")
    def test_a_conversions_line_forks(self) -> None:
        call_command("load_demo", verbosity=0)
        made = Conversion.objects.get(title__startswith="Pan mount")
        self.goto(f"/c/{made.pk}/?panel=add-2")
        self.page.get_by_role("button", name="Another device").click()
        expect(self.page.get_by_role("heading", level=1)).to_contain_text("and more")
        self.hang(0, "lamp 12V 3W", 2)
        expect(self.page.locator(".night .when").first).to_be_visible()
        self.page.go_back()
        expect(self.page.get_by_role("button", name="Another device")).to_be_visible()

    def test_a_range_is_asked_for_no_longer_when_its_night_is_gone(self) -> None:
        self.begin()
        self.take("12.8 V 6 Ah")
        held = self.held_back("**/range/0/")
        with self.page.expect_request("**/range/0/"):
            self.hang(0, "jetty lamp 12V 4W", 1)
        with self.page.expect_event("requestfailed", lambda one: "/range/0/" in one.url):
            self.page.get_by_role("button", name="take it out").click()
        held[0].fulfill(body='How sure: late.<span id="bands-0" hx-swap-oob="true"></span>')
        expect(self.page.locator("#sure-0")).to_have_count(0)

    def test_build_refuse_propose_pin(self) -> None:
        made = self.begin()
        self.take("12.8 V 6 Ah")
        self.fact("hours", "10 h")
        expect(self.page.locator("#fact-hours")).to_have_value("10 h 00 min")
        self.fact("start", "half past")
        expect(self.page.locator("#fact-start-error")).to_contain_text("time of day")
        expect(self.page.locator("#fact-start")).to_have_value("half past")
        self.fact("start", "20:00")
        expect(self.page.locator("#fact-start-error")).to_have_count(0)
        self.hang(0, "jetty lamp 12V 4W\nwinch 12V 3A 02:00-03:00", 2)
        expect(self.page.locator(".supply-head")).to_contain_text("stop before the end")
        expect(self.page.locator(".night .when").first).to_have_text("20:00")
        expect(self.page.locator("#sure-0")).to_contain_text("of the draws")
        expect(self.page.get_by_text("No fuse before the fork")).to_be_visible()
        self.page.fill("#rating_a-0", "10")
        self.page.fill("#length_m-0", "1")
        self.page.fill("#area_mm2-0", "1.5")
        self.page.get_by_role("button", name="Set it").click()
        expect(self.page.get_by_text("No fuse before the fork")).to_have_count(0)
        self.page.get_by_role("button", name="how many more?").nth(1).click()
        expect(self.page.locator("#many-0-1")).to_contain_text("the next is refused")
        self.take("12.8 V 20 Ah")
        self.page.get_by_role("button", name="Propose").click()
        expect(self.page.locator(".proposal")).to_contain_text("would move")
        self.page.get_by_role("button", name="Hang them so").click()
        expect(self.page.locator(".supply").nth(1).locator(".branch")).to_have_count(2)
        expect(self.page.locator(".supply-head").nth(1)).not_to_contain_text("before the end")
        self.page.get_by_role("button", name="Undo").click()
        expect(self.page.locator(".supply").nth(0).locator(".branch")).to_have_count(2)
        self.page.get_by_role("button", name="pin it here").first.click()
        expect(self.page.get_by_role("button", name="stays here")).to_have_count(1)
        self.page.get_by_role("button", name="Propose").click()
        expect(self.page.locator(".proposal")).to_contain_text("jetty lamp (pinned)")
        self.page.get_by_role("button", name="Hang them so").click()
        expect(self.page.locator(".supply").nth(1).locator(".branch")).to_have_count(1)
        self.page.reload()
        expect(self.page.locator(".supply").nth(1).locator(".branch")).to_have_count(1)
        made.refresh_from_db()
        self.assertEqual(made.content().supplies[1].branches[0].device.name, "winch")

    @tag("late")
    def test_another_tab_and_a_phone(self) -> None:
        self.begin()
        self.take("12.8 V 6 Ah")
        self.hang(0, "lamp 12V 4W", 1)
        other = self.page.context.new_page()
        other.goto(self.page.url)
        other.fill("#fact-hours", "5 h")
        other.press("#fact-hours", "Enter")
        expect(other.locator("#fact-hours")).to_have_value("5 h 00 min")
        self.fact("hours", "8 h")
        expect(self.page.get_by_text("another tab")).to_be_visible()
        expect(self.page.locator("#fact-hours")).to_have_value("8 h")
        self.page.set_viewport_size({"width": 320, "height": 640})
        self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), 320)
        self.page.get_by_role("button", name="take it out").click()
        expect(self.page.get_by_text("No device hangs on it yet")).to_be_visible()
        self.page.get_by_role("button", name="leave it at home").click()
        expect(self.page.locator(".supply")).to_have_count(0)
        self.page.locator(".outing-end summary").click()
        self.page.get_by_role("button", name="Remove this outing").click()
        expect(self.page.get_by_role("heading", level=1)).to_have_text("Outings")
        self.assertEqual(Outing.objects.count(), 0)
