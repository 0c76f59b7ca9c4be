"""Pressed while an answer is under way: what was pressed is done, to what stood there, once; or it is told."""

from __future__ import annotations

import pickle

from django.core.management import call_command
from django.test import tag
from playwright.sync_api import Route, expect

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.proving import equipment
from hermotrope.shelf.models import Item
from tests.browser.base import BrowserTest, chromium
from tests.support import case, tree


class Presses(BrowserTest):
    def hold(self, address: str) -> None:
        """Requests to an address wait for `let_go`."""
        self.held: list[Route] | None = []
        self.page.route(address, lambda one: one.continue_() if self.held is None else self.held.append(one))

    def let_go(self, status: int | None = None) -> None:
        self.page.wait_for_timeout(150)  # what was pressed has reached its queue
        held, self.held = self.held, None
        for one in held or ():
            one.fulfill(status=status) if status else one.continue_()

    def titles(self, made: Conversion) -> list[str]:
        return [stage.title for stage in Conversion.objects.get(pk=made.pk).case.path]

    def comes_to(self, made: Conversion, parts: list[str]) -> None:
        """Its parts are these before long, and stay so."""
        for _ in range(600):
            if self.titles(made) == parts:
                break
            self.page.wait_for_timeout(100)
        self.page.wait_for_timeout(500)
        self.assertEqual(self.titles(made), parts)

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

    def test_what_failed_is_told_by_another_process(self) -> None:
        with self.subTest("of many"):
            self.goto("/")
            told = pickle.loads(pickle.dumps(self._subtest))  # type: ignore[attr-defined]
            self.assertEqual(told.id(), self._subtest.id())  # type: ignore[attr-defined]

    def test_a_button_that_is_switched_off_while_it_works_has_the_focus_afterwards(self) -> None:
        made = actions.create(case("judgements", "all-well"), "Started")
        self.addCleanup(equipment.close_all)
        self.goto(f"{made.get_absolute_url()}?panel=prove")
        self.page.get_by_role("button", name="Rehearse on a copy").click()
        expect(self.page.locator(".rehearsal-note")).to_be_visible()
        self.page.reload()
        for refused in (False, True):
            with self.subTest(refused=refused):
                read = self.page.get_by_role("button", name="Read the").first
                self.hold("**/gate/measure/")
                read.focus()
                self.page.keyboard.press("Enter")
                expect(read).to_be_disabled()
                expect(self.page.locator("body :focus")).to_have_count(0)
                self.let_go(status=503 if refused else None)
                expect(read if refused else self.page.locator("#panel:focus, #panel :focus")).to_be_focused()
                self.page.unroute_all()
        self.errors = [one for one in self.errors if "503" not in one]

    @tag("late")
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
            self.comes_to(made, left)

    def test_the_page_moves_while_the_pointer_is_down(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        self.goto(f"/c/{made.pk}/?panel=run")
        lower = "() => document.body.prepend(Object.assign(document.createElement('p'), {textContent: 'Kept.'}))"
        anew = "(link) => { const made = link.cloneNode(true); link.replaceWith(made); htmx.process(made); }"
        for tab, change, moved, there in (
            ("build", lower, 0, "build"),
            ("match", anew, 0, "match"),
            ("run", lower, 150, "match"),  # drawn away from the link: no press
        ):
            link = self.page.locator(f"#tab-{tab}")
            link.hover()
            box = link.bounding_box()
            assert box is not None
            self.page.mouse.down()
            link.evaluate(change)
            self.page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2 + moved)
            self.page.mouse.up()
            self.page.wait_for_timeout(300)
            expect(self.page.locator("#panel")).to_have_attribute("data-panel", there)

    @tag("late")
    def test_the_page_moves_under_a_finger(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        page = chromium().new_context(viewport={"width": 390, "height": 844}, has_touch=True, is_mobile=True).new_page()
        self.addCleanup(page.context.close)
        self.goto(f"/c/{made.pk}/?panel=run", page)
        finger = page.context.new_cdp_session(page)
        asked: list[str] = []
        page.on("request", lambda one: asked.append(one.url.rpartition("/")[2]))
        for tab, higher in (("build", 0), ("match", -60), ("run", 60)):
            link = page.locator(f"#tab-{tab}")
            link.scroll_into_view_if_needed()
            box = link.bounding_box()
            assert box is not None
            at = {"x": box["x"] + box["width"] / 2, "y": box["y"] + box["height"] / 2}
            finger.send("Input.dispatchTouchEvent", {"type": "touchStart", "touchPoints": [at]})
            link.evaluate("(link, by) => { link.closest('.tabs').style.marginTop = `${by}px`; }", higher)
            finger.send("Input.dispatchTouchEvent", {"type": "touchEnd", "touchPoints": []})
            expect(page.locator("#panel")).to_have_attribute("data-panel", tab)
            page.wait_for_timeout(600)
        page.locator("#tab-build").evaluate(
            "link => ['pointerdown', 'pointerup'].forEach(kind => link.dispatchEvent(new PointerEvent(kind,"
            " { bubbles: true, pointerType: 'touch' })))"  # a finger that stops a scrolling page makes no click
        )
        page.wait_for_timeout(600)
        tabs = [f"?panel={tab}" for tab in ("build", "match", "run")]
        self.assertEqual([one for one in asked if one in tabs], tabs)

    @tag("late")
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

    @tag("late")
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
        self.comes_to(made, [parts[1], parts[0], parts[0], *parts[2:]])


FOLDS = "one => { for (let at = one; at; at = at.parentElement) if (at.matches('details')) at.open = true; }"
"""Unfolds whatever something is folded into."""


@tag("late")
class Sought(BrowserTest):
    """On a shelf of thousands what is not among the first is typed for, and what is typed stays."""

    def setUp(self) -> None:
        super().setUp()
        call_command("load_demo", verbosity=0)
        facts = [one.attname for one in Item._meta.concrete_fields if one.attname not in ("id", "key", "name")]
        made = [
            Item(key=f"{row.key}-{crate}", name=f"{row.name}, crate {crate}x", **{n: getattr(row, n) for n in facts})
            for row in Item.objects.filter(kind__in=("source", "converter"))
            for crate in range(1, 12)
        ]
        Item.objects.bulk_create(made)
        self.gauge = Conversion.objects.get(title="Water-level gauge")

    def seek(self, field: str) -> None:
        self.page.locator(field).evaluate(FOLDS)
        self.page.locator(field).press_sequentially("crate 7x", delay=20)

    def test_for_another_pack(self) -> None:
        self.goto(f"/c/{self.gauge.pk}/?panel=1")
        self.seek("#seek")
        buttons = self.page.get_by_role("button", name="crate 7x")
        expect(buttons.first).to_be_visible()
        expect(self.page.locator("#seek")).to_be_focused()
        expect(self.page.locator("#seek")).to_have_value("crate 7x")
        was = self.gauge.case.source
        buttons.first.click()
        expect(self.page.locator(".notice")).to_contain_text("feeds it now")
        self.assertNotEqual(Conversion.objects.get(pk=self.gauge.pk).case.source, was)

    def test_for_the_tools_of_run(self) -> None:
        self.goto(f"/c/{self.gauge.pk}/?panel=run")
        self.seek("#find-pack")
        choice = self.page.locator("select[name=with]").first
        expect(choice.locator("option").nth(1)).to_contain_text("crate 7x")
        expect(self.page.locator("#find-pack")).to_have_value("crate 7x")
        choice.select_option(index=1)
        expect(self.page.locator(".compare-curves")).to_be_visible()
        expect(choice.locator("option:checked")).to_contain_text("crate 7x")

    def test_for_a_pack_of_an_outing(self) -> None:
        self.goto("/outings/")
        self.page.locator("input[name=title]").fill("Night")
        self.page.locator("input[name=title]").press("Enter")
        self.page.wait_for_url("**/outings/*/")
        self.seek(".take-along input[type=search]")
        expect(self.page.locator("#item option").first).to_contain_text("crate 7x")
        key = self.page.locator("#item option").first.get_attribute("value")
        self.page.locator("#item").select_option(key)
        self.page.locator("form:has(#item)").get_by_role("button").first.click()
        expect(self.page.locator("#outing")).to_contain_text("crate 7x")


class Long(BrowserTest):
    """A list longer than its page goes on by a press."""

    def test_a_long_bench_goes_on(self) -> None:
        for n in range(45):
            actions.create(case("cases", "hide-mount-on-tool-pack"), f"Started {n}")
        self.goto("/")
        expect(self.page.locator("input[name=pk]")).to_have_count(40)
        self.page.get_by_role("link", name="5 more").click()
        expect(self.page.locator("input[name=pk]")).to_have_count(45)
