"""From an empty bench to a range one can trust, by what people know: cells and a life, an adapter, a car, a reading."""

from __future__ import annotations

import re

from django.test import tag
from playwright.sync_api import Locator, expect

from hermotrope.bench.models import Conversion
from hermotrope_core.values.known import maybe
from tests.browser.base import BrowserTest

MOST_ACTIONS = 20
RANGE = re.compile(r"\d.*–.*\d")


class Known(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.actions = 0

    def act(self, node: Locator, text: str | None = None) -> None:
        """One action of a hand: a press, a choice, or a field filled in."""
        self.actions += 1
        if text is None:
            node.click()
        elif node.evaluate("(one) => one.tagName") == "SELECT":
            node.select_option(text)
        else:
            node.fill(text)

    def start(self, name: str) -> None:
        self.goto("/new/")
        self.act(self.page.locator("#name"), name)
        self.act(self.page.get_by_role("button", name="Start blank"))
        expect(self.page.locator("#learn-cells")).to_be_visible()

    def learn(self, kind: str, shows: str, **fields: str) -> None:
        form = self.page.locator(f"#learn-{kind}")
        self.act(form.locator("summary"))
        for name, text in fields.items():
            self.act(self.page.locator(f"#e-{kind}-{name}"), text)
        self.act(form.get_by_role("button", name="Put it in"))
        expect(self.page.locator(".piece").filter(has_text=shows)).to_have_count(1)
        expect(form).not_to_have_attribute("open", "")

    def feed(self, pack: str) -> None:
        """Nobody can be hurt by it, and that pack feeds it: a range stands in the verdict strip."""
        self.act(self.page.get_by_role("button", name="None of these"))
        expect(self.page.get_by_role("button", name="None of these")).to_have_count(0)
        self.act(self.page.locator("#station-1"))
        self.act(self.page.get_by_role("button", name=pack).first)
        expect(self.page.locator("#station-1")).to_contain_text(pack[:12])
        self.assertLess(self.actions, MOST_ACTIONS)

    def made(self) -> Conversion:
        return Conversion.objects.latest("pk")

    @tag("late")
    def test_cells_and_a_life(self) -> None:
        self.start("Hide lantern")
        self.learn("life", "lasted 42 h", lasted_s="21 * 2 h", cells_in_series="4", cell_size="C", mode="lit")
        expect(self.page.locator(".draw-row")).to_contain_text("lit 0.886 W typical")
        self.feed("10,000 mAh bank")
        expect(self.page.locator(".runs")).to_contain_text(RANGE)
        device = self.made().case.device
        self.assertEqual([maybe(device.supply.min_v), maybe(device.supply.max_v)], [3.2, 6.48])

    @tag("late")
    def test_an_adapter_and_a_meter_reading(self) -> None:
        self.start("Reed-bed radio")
        self.learn("adapter", "labelled 12 V", nominal_v="12 V", current_a="1 A")
        expect(self.page.locator(".draw-row")).to_contain_text("at most 12.0 W")
        self.learn("reading", "0.310 A at 12.1 V", current_a="310 mA", at_v="12.1 V", mode="listening")
        expect(self.page.locator(".draw-row")).to_have_count(1)
        expect(self.page.locator(".draw-row")).to_contain_text("listening 3.75 W measured")
        self.feed("12 V 7 Ah sealed lead block")
        expect(self.page.locator(".runs")).to_contain_text(RANGE)

    @tag("late")
    def test_a_car_and_a_dim_lamp(self) -> None:
        self.start("Jetty lamp")
        self.learn("car", "engine running", engine_running="yes")
        self.learn("tried", "It stopped at 9.80 V", at_v="9.8 V", went="too-few")
        self.learn("reading", "0.900 A at 12.6 V", current_a="0.9", at_v="12.6", mode="lit")
        expect(self.page.locator(".known-row.window svg")).to_have_attribute("aria-label", "Its window: least 9.8 V, "
                                                                             "rated 12 V, most 14.4 V")  # fmt: skip
        self.feed("12 V 7 Ah sealed lead block")
        expect(self.page.locator(".runs")).to_contain_text(RANGE)

    def label(self, text: str) -> None:
        """A label typed on the Shelf makes a part there; then back to the conversion."""
        here = self.page.url
        self.act(self.page.get_by_role("link", name="Shelf", exact=True))
        self.act(self.page.locator("#label"), text)
        self.act(self.page.get_by_role("button", name="Put it on the shelf"))
        expect(self.page.locator("tr.own")).to_contain_text(text)
        self.actions += 1
        self.page.goto(here)

    @tag("late")
    def test_a_station_with_three_outlets_from_its_label(self) -> None:
        self.start("Jetty lamp")
        self.learn("car", "engine off")
        self.learn("reading", "0.900 A at 12.6 V", current_a="0.9", at_v="12.6", mode="lit")
        text = "Power station 256Wh LiFePO4 USB 5V 2.4A 12V 10A DC USB-C PD 20V 3A"
        self.label(text)
        self.feed(text)
        ports = self.page.locator(".traits button", has_text=" at ")
        expect(ports).to_have_count(4)
        expect(self.page.locator(".runs")).to_contain_text("does not start")
        self.act(ports.filter(has_text="12 V socket at 12 V"))
        expect(self.page.locator(".runs")).to_contain_text(RANGE)
        expect(self.page.locator("#verdict")).to_contain_text("polarity")
        self.assertLess(self.actions, MOST_ACTIONS)

    @tag("late")
    def test_an_own_board_from_its_print(self) -> None:
        self.start("Moth lamp")
        self.learn("life", "lasted 20 h", lasted_s="20 h", cells_in_series="4", cell_size="D", mode="lit")
        text = "DC-DC 4.5-28V in, 0.8-20V out, 3A max"
        self.label(text)
        self.feed("12 V 7 Ah sealed lead block")
        self.act(self.page.locator("#line .insert").first)
        self.act(self.page.locator(".tray button", has_text="DC-DC"))
        expect(self.page.locator("#station-2")).to_contain_text("set to 6")
        expect(self.page.locator(".runs")).to_contain_text(RANGE)
        self.assertLess(self.actions, MOST_ACTIONS)

    @tag("late")
    def test_an_adapter_in_place_of_cells(self) -> None:
        self.start("Weather radio")
        self.learn("life", "lasted 30 h", lasted_s="30 h", cells_in_series="4", cell_size="C", mode="listening")
        self.label("OUTPUT 6V 1A wall adapter")
        self.feed("OUTPUT 6V 1A wall adapter")
        expect(self.page.locator("#line")).to_contain_text("1.2 W")
        expect(self.page.locator("#verdict")).to_contain_text("polarity")

    def test_every_question_leads_to_where_it_is_answered(self) -> None:
        self.start("Hide lantern")
        for ask, field in (
            ("At how many volts does it stop working?", "f-device-supply-min-v"),
            ("What does it draw?", "press-reading"),
            ("How is it fed?", "f-device-inlet-kind"),
        ):
            self.page.locator(".known-grid").get_by_role("link", name=ask).click()
            expect(self.page.locator(f"#{field}")).to_be_focused()
        expect(self.page.locator("#e-reading-at_v")).to_be_visible()

    @tag("late")
    def test_what_contradicts_is_told_and_a_doubted_piece_lets_go(self) -> None:
        self.start("Otter-gate reader")
        self.learn("cells", "4 alkaline", cells_in_series="4")
        self.learn("adapter", "labelled 12 V", nominal_v="12 V")
        expect(self.page.locator(".known-volts > .caution")).to_contain_text(
            "Rated volts: 12.0 V by a regulated adapter"
        )
        self.page.locator("#piece-1 summary").click()
        self.page.locator("#piece-1").get_by_role("button", name="Doubt it").click()
        expect(self.page.locator("#piece-1")).to_contain_text("doubted, does not count")
        expect(self.page.locator(".known-volts > .caution")).to_have_count(0)
        self.page.locator("#undo").click()
        expect(self.page.locator(".known-volts > .caution")).to_have_count(1)

    def test_a_slip_stays_in_its_form_and_the_first_screen_holds_the_picture(self) -> None:
        self.start("Moth lamp")
        self.learn("cells", "4 alkaline", cells_in_series="4")
        self.page.locator("#learn-reading summary").click()
        self.page.locator("#e-reading-current_a").fill("banana")
        self.page.locator("#e-reading-at_v").fill("6 V")
        self.page.locator("#learn-reading").get_by_role("button", name="Put it in").click()
        expect(self.page.locator("#learn-reading [role=alert]")).to_contain_text("banana")
        expect(self.page.locator("#e-reading-at_v")).to_have_value("6 V")
        self.page.locator("#e-reading-current_a").fill("0.2")
        self.page.locator("#e-reading-current_a").press("Enter")
        expect(self.page.locator(".draw-row")).to_contain_text("1.20 W")
        self.page.locator(".known-row.window").click()
        expect(self.page.locator("#f-device-supply-min-v")).to_be_focused()
        expect(self.page.locator(".fields[open]")).to_have_id("fields-volts")  # no other is in the way
        self.page.locator("#fields-volts > summary").click()
        self.page.evaluate("document.querySelector('#panel').scrollIntoView()")
        for part in (".known-row.window", ".draw-row", "#uses", ".learn-chips", "#fields-is"):
            box = self.page.locator(part).first.bounding_box()
            assert box is not None
            self.assertLess(box["y"] + box["height"], 800, part)
