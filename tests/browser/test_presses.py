"""Pressed while an answer is under way: what was pressed is done, to what stood there, once; or it is told."""

from __future__ import annotations

from playwright.sync_api import Route, expect

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from tests.browser.base import BrowserTest
from tests.support import case, tree


class Presses(BrowserTest):
    def hold(self, address: str) -> None:
        """Requests to an address wait for `let_go`."""
        self.held: list[Route] | None = []
        self.page.route(address, lambda one: one.continue_() if self.held is None else self.held.append(one))

    def let_go(self) -> None:
        self.page.wait_for_timeout(150)  # what was pressed has reached its queue
        held, self.held = self.held, None
        for one in held or ():
            one.continue_()

    def titles(self, made: Conversion) -> list[str]:
        return [stage.title for stage in Conversion.objects.get(pk=made.pk).case.path]

    def test_a_double_click_takes_out_one_part(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        parts = self.titles(made)
        self.assertGreater(len(parts), 1)
        self.goto(f"/c/{made.pk}/?panel=2")
        self.hold("**/stage/")
        self.page.get_by_role("button", name="Take it out").dblclick()
        self.let_go()
        expect(self.page.locator(".notice")).to_contain_text("Taken out")
        expect(self.page.locator("#saved")).to_have_text("saved")
        self.page.wait_for_timeout(300)
        self.assertEqual(self.titles(made), parts[1:])

    def test_a_press_that_waits_is_for_what_it_was_pressed_on(self) -> None:
        plain = tree("cases", "hide-mount-on-tool-pack")["device"]["modes"][0]
        modes = [plain | {"name": name} for name in ("first", "second", "third")]
        made = actions.create(
            case("cases", "hide-mount-on-tool-pack", **{"device.modes": modes, "duty.repeat": []}), "Started"
        )
        self.goto(f"/c/{made.pk}/?panel={len(made.case.path) + 2}")
        self.open_fields()
        out = self.page.get_by_role("button", name="Take this mode out")
        self.hold("**/mode/")
        out.nth(0).click()
        out.nth(1).click()
        self.let_go()
        expect(out).to_have_count(1)
        self.assertEqual([m.name for m in Conversion.objects.get(pk=made.pk).case.device.modes], ["third"])

    def test_the_page_is_drawn_anew_while_the_pointer_is_down(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        parts = self.titles(made)
        self.goto(f"/c/{made.pk}/?panel=2")
        for moved, left in ((0, parts[1:]), (40, parts[1:])):  # the second is drawn away from the button: no press
            out = self.page.get_by_role("button", name="Take it out")
            out.hover()
            box = out.bounding_box()
            assert box is not None
            self.page.mouse.down()
            out.evaluate(
                "(button) => { const made = button.form.cloneNode(true);"
                " button.form.replaceWith(made); htmx.process(made); }"
            )
            self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2 + moved)
            self.page.mouse.up()
            self.page.wait_for_timeout(600)
            self.assertEqual(self.titles(made), left)

    def test_what_a_press_was_for_is_gone(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        parts = self.titles(made)
        self.goto(f"/c/{made.pk}/?panel=2")
        self.hold("**/stage/")
        self.page.get_by_role("button", name="Take it out").click()
        self.page.get_by_role("button", name="Double it").click()
        self.let_go()
        expect(self.page.locator("#trouble")).to_contain_text("what it was for is no longer there")
        self.assertEqual(self.titles(made), parts[1:])

    def test_two_choices_one_after_the_other(self) -> None:
        bay = {"size": "AA", "slots": ["up", "down"], "links": [], "leads": ["1-", "2+"]}
        inlet = {"kind": "cell-bay", "polarity": "marked", "measured": True}
        made = actions.create(case("judgements", "all-well", **{"device.bay": bay, "device.inlet": inlet}), "Started")
        self.goto(f"/c/{made.pk}/?panel=make")
        self.page.get_by_role("button", name="Dummy cell").click()
        role = self.page.get_by_label("Role")
        self.hold("**/set/")
        role.select_option("through")
        role.select_option("insulating")
        self.let_go()
        expect(self.page.locator("#saved")).to_have_text("saved")
        expect(role).to_have_value("insulating")
        self.page.reload()
        expect(role).to_have_value("insulating")

    def test_two_buttons_of_one_row_are_two_presses(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        parts = self.titles(made)
        self.goto(f"/c/{made.pk}/?panel=2")
        self.hold("**/stage/")
        self.page.get_by_role("button", name="towards the device").click()
        self.page.get_by_role("button", name="Double it").click()
        self.let_go()
        expect(self.page.locator(".notice")).to_contain_text("stands")
        expect(self.page.locator("#saved")).to_have_text("saved")
        self.page.wait_for_timeout(500)
        self.assertEqual(self.titles(made), [parts[1], parts[0], parts[0], *parts[2:]])


class Long(BrowserTest):
    """A list longer than its page goes on by a press."""

    def test_a_long_bench_goes_on(self) -> None:
        for n in range(45):
            actions.create(case("cases", "hide-mount-on-tool-pack"), f"Started {n}")
        self.goto("/")
        expect(self.page.locator("input[name=pk]")).to_have_count(40)
        self.page.get_by_role("link", name="5 more").click()
        expect(self.page.locator("input[name=pk]")).to_have_count(45)
