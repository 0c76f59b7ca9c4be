"""The main journey, as a maker walks it: device, pack, refusal, cure, run, away and back."""

from __future__ import annotations

import json
import re
from pathlib import Path

import msgspec
from django.core.management import call_command
from django.test import tag
from playwright.sync_api import Page, expect

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope_core.tell.record import Proved
from tests.browser.base import BrowserTest
from tests.support import case


class MainJourney(BrowserTest):
    def test_from_device_to_a_run_and_back(self) -> None:
        page = self.page
        self.refused_then_cured(page)
        self.edited_and_undone(page)
        self.scrubbed(page)
        self.read(page)
        self.carried_elsewhere(page)

    def refused_then_cured(self, page: Page) -> None:
        self.goto("/")
        page.get_by_role("link", name="Convert a device").first.click()
        page.locator("form.device-card", has_text="Pan mount, Hide 3").get_by_role("button").click()
        expect(page.locator("#station-1")).to_contain_text("not chosen yet")
        page.get_by_role("button", name="18 V tool pack, 5S2P, 4 Ah").click()
        verdict = page.locator("#verdict")
        expect(verdict.locator(".verdict").first).to_have_text("Refused")
        expect(verdict).to_contain_text("21.0 V reach the inlet; above 16.0 V the device breaks")
        expect(verdict).to_contain_text("it is known to stand 15.0 V")
        expect(page.locator("#scale")).to_contain_text("21.0 full")
        expect(page.locator("#scale .inlet-span.over")).to_have_count(1)
        expect(page.locator(".gap .break[visibility=visible]")).to_have_count(1)
        page.evaluate("window.sameDocument = true")
        page.get_by_role("button", name="Put in a buck converter set to 12.0 V and a fuse").click()
        expect(verdict.locator(".verdict").first).not_to_have_text("Refused")
        expect(page.locator("#line .station")).to_have_count(4)
        expect(page.locator("#line")).to_contain_text("set to 12 V")
        expect(page.locator("[data-inlet-volts]")).to_have_text("12.00 V")
        expect(page.locator("#scale .inlet-span.over")).to_have_count(0)
        self.assertTrue(page.evaluate("window.sameDocument"))

    def edited_and_undone(self, page: Page) -> None:
        page.locator("#station-3").click()
        field = page.locator("#f-path-1-output-v")
        before = page.locator(".runs b").inner_text()
        field.fill("13V5")
        field.press("Tab")
        expect(field).to_have_value("13.5 V")
        expect(page.locator("[data-inlet-volts]")).to_have_text("13.50 V")
        expect(page.locator("#scale")).to_contain_text("13.5")
        efficiency = page.locator("#f-path-1-efficiency")
        efficiency.fill("80 %")
        efficiency.press("Enter")
        expect(page.locator(".runs b")).not_to_have_text(before)
        field.fill("twelve volts")
        field.press("Enter")
        expect(page.locator("#row-f-path-1-output-v .row-error")).to_contain_text("for example 12.6 V or 12V6")
        expect(field).to_have_value("twelve volts")
        page.locator("#undo").click()
        expect(page.locator("#f-path-1-efficiency")).not_to_have_value("80 %")
        page.reload()
        page.locator("#undo").click()
        expect(page.locator("#f-path-1-output-v")).to_have_value("12 V")
        page.reload()
        page.locator("#redo").click()
        expect(page.locator("#f-path-1-output-v")).to_have_value("13.5 V")
        page.locator("#undo").click()
        expect(page.locator("#f-path-1-output-v")).to_have_value("12 V")
        expect(page.locator(".runs b")).to_have_text(before)

    def scrubbed(self, page: Page) -> None:
        volts = page.locator("[data-gap='0'] .volts")
        full = float((volts.text_content() or "").split()[0])
        page.keyboard.press("s")
        for _ in range(60):
            page.keyboard.press("ArrowRight")
        expect(page.locator("#charge-out")).to_have_text("40 %")
        low = float((volts.text_content() or "").split()[0])
        self.assertLess(low, full - 2)
        # the server's own operating point says the same
        conversion = Conversion.objects.latest("pk")
        page.get_by_role("button", name="hold", exact=True).click()
        expect(page.locator("[data-inlet-watts]")).to_have_text("6.0 W")
        page.locator(".working-box > summary").click()
        expect(page.locator("#working-inlet")).to_contain_text("hold, 40.0 % charge")
        shown = float((volts.text_content() or "").split()[0])
        from hermotrope_core.circuit.situation import Situation

        situation = Situation(conversion.case)
        self.assertAlmostEqual(situation.at(situation.modes[0], 0.4).stations[0].volts_out, shown, delta=0.011)
        page.keyboard.press("m")
        expect(page.locator("#scrub [aria-pressed=true]")).to_have_text("slew")

    def read(self, page: Page) -> None:
        page.keyboard.press("r")
        expect(page.locator("#outcome canvas")).to_have_count(4)
        expect(page.locator(".sentence")).to_contain_text("pack cut-off")
        expect(page.locator(".working-box")).to_contain_text("usable charge")
        expect(page.locator(".working-box")).to_contain_text("Label watt-hours over mean watts")
        chart = json.loads(page.locator("#chart-data").inner_text())
        self.assertEqual(chart["end"]["cause"], "pack cut-off")
        self.assertGreater(len(chart["series"][0]), 60)
        page.emulate_media(media="print")
        expect(page.locator(".print-sheet")).to_be_visible()
        expect(page.locator("#conditions .duty-add").first).to_be_hidden()
        expect(page.locator(".sentence")).to_be_visible()
        self.assertGreater(len(page.pdf(format="A4")), 10_000)
        page.emulate_media(media="screen")

    def carried_elsewhere(self, page: Page) -> None:
        runtime = page.locator(".runs").inner_text()
        page.locator("#tab-record").click()
        with page.expect_download() as caught:
            page.get_by_role("link", name="Export the case alone").click()
        file = Path(caught.value.path())
        before = Conversion.objects.count()
        self.goto("/")
        page.locator("#file").set_input_files(
            {"name": "case.json", "mimeType": "application/json", "buffer": file.read_bytes()}
        )
        expect(page.locator(".runs")).to_have_text(runtime, use_inner_text=True)
        self.assertEqual(Conversion.objects.count(), before + 1)
        self.goto("/")
        page.locator("#file").set_input_files(
            {"name": "bad.json", "mimeType": "application/json", "buffer": b'{"format": 1}'}
        )
        expect(page.locator("#import-error")).to_contain_text("bad.json: format: must be 'hermotrope-case/1'")


class Tabs(BrowserTest):
    def test_two_tabs_never_overwrite_each_other_silently(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        first, second = self.page, self.open_page()
        for page in (first, second):
            self.goto(f"/c/{made.pk}/?panel=2", page)
        first.locator("#f-path-0-rating-a").fill("10 A")
        first.locator("#f-path-0-rating-a").press("Enter")
        expect(first.locator("#station-2")).to_contain_text("10 A")
        field = second.locator("#f-path-0-rating-a")
        field.fill("5 A")
        field.press("Enter")
        expect(second.locator("#row-f-path-0-rating-a")).to_contain_text("Changed in another tab to 10 A")
        expect(field).to_have_value("5 A")
        expect(second.locator("#station-2")).to_contain_text("10 A")
        second.get_by_role("button", name="Put mine in").click()
        expect(second.locator("#station-2")).to_contain_text("5 A")
        first.locator("#undo").click()
        expect(first.locator(".notice")).to_contain_text("Another tab changed this conversion")
        expect(first.locator("#f-path-0-rating-a")).to_have_value("5 A")

    def test_two_quick_entries_both_arrive(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        self.goto(f"/c/{made.pk}/?panel=6")
        self.open_fields()
        low, high = self.page.locator("#f-device-supply-min-v"), self.page.locator("#f-device-supply-max-v")
        low.fill("9 V")
        high.fill("15.5 V")
        high.press("Enter")
        expect(self.page.locator("#station-6")).to_contain_text("wants 9–15.5 V")
        expect(low).to_have_value("9 V")


class Manners(BrowserTest):
    @tag("late")
    def test_figures_are_written_as_they_are_liked(self) -> None:
        self.goto("/new/")
        self.page.locator("form.device-card", has_text="Pan mount").get_by_role("button").click()
        self.page.get_by_role("link", name="units").click()
        self.page.get_by_label("Temperature").select_option("°F")
        self.page.get_by_label("Decimal sign").select_option("comma")
        self.page.get_by_role("button", name="Write them so").click()
        self.page.wait_for_url("**/c/*/**")
        self.page.locator("#tab-run").click()
        warm = self.page.locator("form", has_text="Temperature").locator("input[name=text]").first
        expect(warm).to_have_value("68 °F")
        warm.fill("50")
        warm.press("Enter")
        expect(self.page.locator("form", has_text="Temperature").locator("input[name=text]").first).to_have_value(
            "50 °F"
        )

    def test_keys_alone(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        self.goto(f"/c/{made.pk}/")
        page = self.page
        page.keyboard.press("4")
        expect(page.locator(".tab-title")).to_contain_text("Buck converter")
        page.keyboard.press("?")
        expect(page.locator("#keys")).to_be_visible()
        page.keyboard.press("r")
        expect(page.locator(".tab-title")).to_contain_text("Run")
        page.go_back()
        expect(page.locator(".tab-title")).to_contain_text("Buck converter")
        page.keyboard.press("b")
        expect(page.locator("h1")).to_contain_text("One conversion")

    def test_the_line_folds_where_a_view_is_about_something_else(self) -> None:
        page = self.page
        call_command("load_demo", verbosity=0)
        made = Conversion.objects.get(title="Pan mount, Hide 3")
        self.goto(f"/c/{made.pk}/?panel=build")
        line, fold = page.locator("#line"), page.locator("#fold")
        expect(line).to_be_hidden()
        expect(page.locator(".verdict-strip")).to_be_in_viewport()
        self.assertLess((page.locator("#panel").bounding_box() or {"y": 9e9})["y"], 200)
        fold.click()
        expect(line).to_be_visible()
        expect(fold).to_have_attribute("aria-expanded", "true")
        fold.click()
        expect(line).to_be_hidden()
        page.locator("body").press("s")
        expect(line).to_be_visible()
        expect(page.locator("#charge")).to_be_focused()
        page.locator("#tab-match").click()
        expect(line).to_be_hidden()
        page.locator("#tab-run").click()
        expect(line).to_be_visible()

    @tag("late")
    def test_what_is_refused_is_never_folded(self) -> None:
        page = self.page
        made = actions.create(case("judgements", "pack-trusts-the-tool", **{"source.max_current_a": 0.1}), "Started")
        self.assertEqual(made.verdict, "refused")
        for width, height in ((1280, 800), (390, 844)):
            page.set_viewport_size({"width": width, "height": height})
            for panel in ("match", "build", "buy", "do", "prove", "record"):
                self.goto(f"/c/{made.pk}/?panel={panel}")
                for finding in page.locator("#verdict .finding.refuse").all():
                    expect(finding).to_be_visible()
                expect(page.locator("#verdict .finding.refuse").first).to_be_visible()
                expect(page.locator("#verdict .counts")).to_contain_text("refused")

    @tag("late")
    def test_what_stands_on_a_view_prints_and_what_is_pressed_does_not(self) -> None:
        page = self.page
        call_command("load_starter", verbosity=0)
        call_command("load_demo", verbosity=0)
        address = Conversion.objects.get(title="Pan mount, Hide 3").get_absolute_url()
        for panel, shown in (
            ("1", ".rows .row-field"), ("6", ".known-grid"), ("match", ".way-list .way"), ("run", ".sentence"),
            ("build", "svg.wiring"), ("buy", ".parts-table"), ("do", "#steps summary"), ("prove", ".gate-now"),
        ):  # fmt: skip
            page.emulate_media(media="screen")
            self.goto(f"{address}?panel={panel}")
            expect(page.locator(shown).first).to_be_visible()
            page.emulate_media(media="print")
            with self.subTest(panel):
                expect(page.locator(shown).first).to_be_visible()
                self.assertEqual(
                    [one.inner_text() for one in page.locator("#panel button").all() if one.is_visible()], []
                )
        page.emulate_media(media="screen")

    def test_going_back_shows_a_whole_page_not_the_part_that_was_fetched_last(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        self.goto(f"/c/{made.pk}/")
        page = self.page
        for key in "4", "3", "4":
            page.keyboard.press(key)
            expect(page).to_have_url(re.compile(f"panel={key}"))
        self.goto("/")
        page.go_back()
        expect(page.locator("#line")).to_be_visible()
        expect(page.locator("#panel")).to_have_count(1)

    @tag("late")
    def test_nothing_runs_off_the_side(self) -> None:
        made = actions.create(case("cases", "gauge-panel-boosted"), "Started")
        for size in ((1280, 800), (390, 844)):
            page = self.open_page(*size)
            for path in (
                "/",
                f"/c/{made.pk}/",
                f"/c/{made.pk}/?panel=4",
                f"/c/{made.pk}/?panel=1",
                f"/c/{made.pk}/?panel=record",
            ):
                self.goto(path, page)
                with self.subTest(path, size=size):
                    self.assertLessEqual(self.sideways(page), 0)

    @tag("late")
    def test_names_without_a_space_and_what_changed_since_run_off_no_side(self) -> None:
        name = "Wg-71_" * 8
        named = {"title": name, "device.name": name, "source.name": name, "device.modes.0.name": name}
        made = actions.create(case("cases", "gauge-panel-boosted", **named, **{"duty.repeat.0.mode": name}), "Started")
        was = case("cases", "gauge-panel-boosted")
        document = Proved("2026-11-02", "2026-11-02T10:00:00+00:00", was, "fits", None, None, (), ())
        made.proved.create(on=document.on, frozen_at=document.frozen_at, document=msgspec.to_builtins(document))
        page = self.open_page(390, 844)
        panels = [f"/c/{made.pk}/?panel={one}" for one in ("1", "4", "match", "run", "build", "do", "prove", "record")]
        for path in ("/", f"/?q={'9' * 60}", f"/shelf/?q={'9' * 60}", "/outings/", "/logbook/", *panels):
            self.goto(path, page)
            with self.subTest(path):
                self.assertLessEqual(self.sideways(page), 0)

    def test_an_open_question_leads_to_its_field(self) -> None:
        self.goto("/new/")
        self.page.locator("#name").fill("Lamp by the gate")
        self.page.get_by_role("button", name="Start blank").click()
        self.page.locator("#verdict .questions a.answer").first.click()
        expect(self.page.locator("#f-device-supply-min-v")).to_be_focused()
        self.page.keyboard.type("10,8 V")
        self.page.keyboard.press("Tab")
        expect(self.page.locator("#verdict")).not_to_contain_text("At how many volts does it stop working?")
        expect(self.page.locator("#f-device-supply-min-v")).to_have_value("10.8 V")
        self.page.locator("#fields-draws > summary").click()
        self.page.get_by_role("button", name="Add a mode").click()
        expect(self.page.locator("#f-device-modes-0-power-w")).to_be_visible()

    def test_saved_stands_only_after_an_answer_that_took_it(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        self.goto(f"/c/{made.pk}/?panel=2")
        field, told = self.page.locator("#f-path-0-rating-a"), self.page.locator("#saved")
        for text, says in (("pigeon", "not saved"), ("12 A", "saved"), ("-3 A", "not saved")):
            field.fill(text)
            field.press("Enter")
            expect(told).to_have_text(says)
        made.delete()
        field.fill("10 A")
        field.press("Enter")
        expect(told).to_have_text("not saved")
        self.errors = [error for error in self.errors if "404" not in error and "htmx:" not in error]

    def test_a_bench_that_is_gone_is_told_and_nothing_typed_is_lost(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        self.goto(f"/c/{made.pk}/?panel=2")
        self.page.route("**/set/", lambda route: route.abort())
        field = self.page.locator("#f-path-0-rating-a")
        field.fill("12 A")
        field.press("Enter")
        expect(self.page.locator("#trouble")).to_contain_text("The bench does not answer")
        expect(field).to_have_value("12 A")
        expect(self.page.locator("#saved")).to_have_text("not saved")
        self.errors = [error for error in self.errors if "ERR_FAILED" not in error and "htmx:" not in error]


class ShelfJourney(BrowserTest):
    @tag("late")
    def test_a_decoded_label_becomes_a_shelf_item_and_is_used(self) -> None:
        page = self.page
        self.goto("/shelf/")
        page.locator("#label").press_sequentially("12V 20Ah 74Wh", delay=5)
        expect(page.locator("#decoded")).to_contain_text("counted at one cell (3.70 V)")
        expect(page.locator("#decoded")).to_contain_text("3 in series")
        page.locator("#label").fill("only words")
        expect(page.locator("#decoded")).to_contain_text("for example 12V 7Ah")
        page.locator("#label").fill("12V 74Wh")
        page.locator("#decoded").get_by_role("button", name="Lithium iron phosphate, 4 in series").click()
        expect(page.locator("#decoded")).to_contain_text("5.781 Ah")
        page.locator("#label").fill("5S2P 18V 5Ah")
        expect(page.locator("#decoded")).to_contain_text("21.0 full")
        page.get_by_role("button", name="Put it on the shelf").click()
        expect(page.locator("tr.own")).to_contain_text("5S2P 18V 5Ah")
        page.locator("#q").fill("bank")
        expect(page.locator("#items")).to_contain_text("10,000 mAh bank")
        expect(page.locator("#items")).not_to_contain_text("tool pack")
        price = page.locator("tr", has_text="10,000 mAh bank").locator("input.mono").nth(1)
        price.fill("dear")
        price.press("Enter")
        expect(page.locator("tr", has_text="10,000 mAh bank").locator("[role=alert]")).to_contain_text("price")
        self.goto("/new/")
        page.locator("form.device-card", has_text="Pan mount, Hide 3").get_by_role("button").click()
        page.locator(".shelf section", has_text="Yours").get_by_role("button", name="5S2P 18V 5Ah").click()
        expect(page.locator("#verdict .verdict").first).to_have_text("Refused")
        expect(page.locator("#station-1")).to_contain_text("5S2P 18V 5Ah")

    def test_the_bench_and_the_shelf_follow_what_is_asked(self) -> None:
        page = self.page
        call_command("load_starter", verbosity=0)
        self.goto("/")
        page.get_by_role("button", name="Open an example").click()
        expect(page.locator("#verdict .verdict").first).to_have_text("Fits")
        self.goto("/")
        page.locator("#q").fill("nobody has that")
        expect(page.locator("#list")).to_contain_text("Nothing on the bench is called")
        expect(page.locator("#q")).to_be_focused()
        page.locator("#q").fill("tool pack")
        expect(page.locator(".strip")).to_have_count(1)
        page.locator("#order").select_option("name")
        page.wait_for_url("**order=name**")
        expect(page.locator(".strip")).to_contain_text("Pan mount")
        self.goto("/shelf/")
        expect(page.locator(".in-mind")).to_have_count(0)
        page.locator("#for").select_option(label="for Pan mount, Hide 3")
        expect(page.locator(".in-mind")).to_have_count(1)
        self.assertGreater(page.locator(".stock-drawing a.fits").count(), 1)
        expect(page.locator(".stock-drawing a.fits title").first).to_contain_text("; within what the device works on")

    @tag("late")
    def test_what_is_done_on_the_shelf_is_undone_by_its_name(self) -> None:
        call_command("load_starter", verbosity=0)
        page = self.page
        self.goto("/shelf/?kind=fuse")
        rows, undo = page.locator(".stock-table tbody tr"), page.locator("#shelf-history button").first
        count = rows.count()
        price = page.locator("input[id^=price-]").first
        was = price.input_value()
        price.fill("9")
        price.press("Tab")
        expect(undo).to_contain_text("Blade fuse")  # beside a row that was put in anew
        undo.click()
        expect(price).to_have_value(was)
        expect(page.locator("#shelf-history button").nth(1)).to_be_focused()
        for box in page.get_by_label("Tick Blade fuse").all()[:2]:
            box.check()
        page.locator("#several-do").select_option("remove")
        page.get_by_role("button", name="Do it").click()
        expect(rows).to_have_count(count - 2)
        expect(undo).to_contain_text("2 parts taken off")
        page.reload()
        undo.click()
        expect(rows).to_have_count(count)
        self.goto("/shelf/")
        expect(rows).to_have_count(20)
        page.get_by_role("link", name=re.compile(r"^\d+ more$")).click()
        expect(rows).to_have_count(80)
        page.locator("#q").fill("blade")
        expect(rows).to_have_count(count)
        page.get_by_role("button", name="Do it").click()
        expect(page.locator("#several .row-error")).to_contain_text("tick at least one")

    @tag("late")
    def test_importing_a_shelf_shows_every_fate_first(self) -> None:
        page = self.page
        self.goto("/shelf/")
        part = '{""stage"": ""fuse"", ""rating_a"": 4}'
        table = f'name,kind,part\n"Fuse from the drawer",fuse,"{part}"\nNothing,spaceship,\n'
        file = {"name": "shelf.csv", "mimeType": "text/csv", "buffer": table.encode()}
        page.locator("#file").set_input_files(file)
        expect(page.locator(".counts")).to_contain_text("1 refused")
        expect(page.get_by_role("button", name="Put all of it on the shelf")).to_be_disabled()
        page.get_by_role("button", name="Drop it").click()
        page.wait_for_url("**/shelf/")
        page.wait_for_load_state("load")
        file["buffer"] = table.replace("Nothing,spaceship,\n", "").encode()
        page.locator("#file").set_input_files(file)
        page.get_by_role("button", name="Put all of it on the shelf").click()
        expect(page.locator(".counts")).to_have_count(0)
        page.wait_for_load_state("networkidle")
        page.locator("#q").fill("drawer")
        expect(page.locator("#items")).to_contain_text("Fuse from the drawer")
        expect(page.locator("#items tbody tr")).to_have_count(1)


class IntakeJourney(BrowserTest):
    @tag("late")
    def test_a_device_from_four_c_cells_with_a_centre_negative_jack(self) -> None:
        page = self.page
        self.goto("/new/")
        page.locator("#name").fill("Reed-bed recorder")
        page.get_by_role("button", name="Start blank").click()
        expect(page.locator("#panel")).to_have_attribute("data-panel", "2")
        page.locator("#learn-cells summary").click()
        page.locator("#e-cells-cells_in_series").fill("4")
        page.locator("#learn-cells").get_by_role("button", name="Put it in").click()
        expect(page.locator("#piece-0")).to_contain_text("Ran on 4 alkaline manganese cells")
        self.open_fields()
        expect(page.locator("#f-device-supply-max-v")).to_have_value("6.48 V")
        expect(page.locator("#row-f-device-supply-max-v")).to_contain_text("inferred: 4 × 1.62 V")
        page.locator("#f-device-inlet-kind").select_option("barrel")
        page.locator("#red-on").select_option("centre")
        page.locator("#polarity-read").fill("-6.1 V")
        page.get_by_role("button", name="Record it").click()
        expect(page.locator("#f-device-inlet-polarity")).to_have_value("centre-negative")
        expect(page.locator("#f-device-inlet-measured")).to_have_value("yes")
        expect(page.locator("#line .sign")).to_have_text("−")
        page.get_by_role("button", name="Add a mode").click()
        page.get_by_role("link", name="measure: read at the inlet").click()
        page.locator("#m-f-device-modes-0-power-w-volts-0").fill("6 V")
        page.locator("#m-f-device-modes-0-power-w-amps-0").fill("210 mA")
        page.locator("#m-f-device-modes-0-power-w-amps-0").press("Enter")
        page.get_by_role("button", name="Use 1.26 W, measured").click()
        expect(page.locator("#f-device-modes-0-power-w")).to_have_value("1.26 W")
        expect(page.locator("#row-f-device-modes-0-power-w .known")).to_have_value("measured")
        expect(page.locator("#m-f-device-modes-0-power-w")).to_be_empty()
        page.reload()
        expect(page.locator("#f-device-modes-0-power-w")).to_have_value("1.26 W")
        expect(page.locator(".draw-row")).to_contain_text("1.26 W measured")
        page.keyboard.press("1")
        page.get_by_role("button", name="10,000 mAh bank").first.click()
        expect(page.locator("#verdict .verdict").first).to_have_text("Fits")

    def test_the_helpers_work_on_a_phone(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        page = self.open_page(390, 844)
        self.goto(f"/c/{made.pk}/?panel=1", page)
        page.get_by_role("link", name="measure: from two readings").click()
        for name, text in (("volts-0", "20.1"), ("amps-0", "0.2"), ("volts-1", "19.7"), ("amps-1", "4.2")):
            page.locator(f"#m-f-source-resistance-ohm-{name}").fill(text)
        page.locator("#m-f-source-resistance-ohm-amps-1").press("Enter")
        expect(page.locator(".sum-shown")).to_contain_text("0.1 Ω")
        self.assertLessEqual(self.sideways(page), 0)

    @tag("late")
    def test_a_seven_pin_inlet_by_measuring(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel={len(made.case.path) + 2}")
        self.open_fields()
        page.locator("#f-device-inlet-kind").select_option("pins")
        page.locator("#f-device-inlet-pin-count").fill("7")
        page.keyboard.press("Enter")
        expect(page.locator(".faces svg").first.locator(".pin")).to_have_count(7)
        expect(page.locator("#verdict")).to_contain_text("polarity")
        for red, black, reads in (("9", "1", "12 V"), ("1", "3", "12.1 V"), ("2", "3", "12.1 V"), ("1", "2", "beep")):
            page.locator("#pin-red").fill(red)
            page.locator("#pin-black").fill(black)
            page.locator("#pin-read").fill(reads)
            page.locator("#pins-form").get_by_role("button", name="Record it").click()
            if red == "9":  # refused: the connector has seven
                expect(page.locator("#pins-form [role=alert]")).to_contain_text("the connector has 7")
                expect(page.locator("#pin-red")).to_have_value("9")
            else:
                expect(page.locator("#pin-read")).to_have_value("")
        expect(page.locator("ul.told")).to_contain_text("plus is pins 1 and 2, minus is pin 3: 12.1 V")
        expect(page.locator("#f-device-inlet-measured")).to_have_value("yes")
        mating, solder = page.locator(".faces svg").all()
        x = [float(face.locator(".pin.minus").get_attribute("cx") or 0) for face in (mating, solder)]
        self.assertEqual(x[0], -x[1])
        page.locator("#pin-red").fill("5")
        page.locator("#pin-black").fill("3")
        page.locator("#pin-read").fill("5 V")
        page.locator("#pins-form").get_by_role("button", name="Record it").click()
        expect(page.locator("#verdict")).to_contain_text("second")
        page.locator(".readings button").last.click()
        expect(page.locator(".readings li")).to_have_count(3)

    @tag("late")
    def test_a_bay_with_a_tap_is_refused_and_without_it_gets_its_dummies(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel={len(made.case.path) + 2}")
        self.open_fields()
        page.locator("#bay-count").fill("4")
        page.locator("#bay-size").select_option("C")
        page.get_by_role("button", name="Lay it out").click()
        expect(page.locator(".bay-map .slot")).to_have_count(4)
        leads = page.locator("#f-device-bay-leads")
        leads.fill("1- 2+ 4+")
        leads.press("Enter")
        expect(page.locator("#verdict")).to_contain_text("tapped at 2+, 2 of 4 cells up")
        expect(page.locator("#verdict .verdict").first).to_have_text("Refused")
        leads.fill("1- 9+")
        leads.press("Enter")
        expect(page.locator("#row-f-device-bay-leads")).to_contain_text("which is no contact")
        leads.fill("1- 4+")
        leads.press("Enter")
        expect(page.locator(".bay-map .slot.fed")).to_have_count(2)
        page.locator("#f-device-bay-fed-slot").fill("2")
        page.keyboard.press("Enter")
        expect(page.locator(".bay-map .slot.through")).to_have_count(3)
        page.get_by_role("link", name="Print it 1:1").click()
        page.emulate_media(media="print")
        slot = page.locator(".bay-map .slot").first.bounding_box()
        assert slot is not None
        self.assertAlmostEqual(slot["height"] * 25.4 / 96, 50.0, delta=0.6)

    def test_what_is_half_typed_survives_a_redraw_a_reload_and_the_way_back(self) -> None:
        made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel=1")
        page.get_by_role("link", name="measure: from two readings").click()
        reading = page.locator("#m-f-source-resistance-ohm-volts-0")
        reading.fill("20.1")
        page.locator("#f-source-low-voltage-cut-off").select_option("no")
        expect(page.locator("#verdict")).to_contain_text("cut-off")
        expect(reading).to_have_value("20.1")
        page.wait_for_load_state("networkidle")
        field = page.locator("#f-source-capacity-ah")
        field.fill("lots")
        field.press("Enter")
        expect(page.locator("#row-f-source-capacity-ah")).to_contain_text("for example")
        page.reload()
        expect(field).to_have_value("lots")
        expect(page.locator("#row-f-source-capacity-ah")).to_contain_text("not saved yet")
        page.goto(self.live_server_url + "/shelf/")
        page.go_back()
        expect(field).to_have_value("lots")
        page.get_by_role("link", name="measure: from two readings").click()
        expect(reading).to_have_value("20.1")
        field.fill("3 Ah")
        field.press("Enter")
        expect(page.locator("#row-f-source-capacity-ah")).not_to_contain_text("not saved")
        page.reload()
        expect(field).to_have_value("3 Ah")


class BankJourney(BrowserTest):
    @tag("late")
    def test_a_bank_is_watched_falling_asleep(self) -> None:
        page = self.page
        self.goto("/shelf/?q=20%2C000")
        page.get_by_role("link", name="20,000 mAh bank", exact=True).click()
        page.locator("#draw-0").fill("20 mA")
        page.get_by_role("button", name="Plug it in").click()
        expect(page.locator(".trial-events")).to_contain_text("falls asleep")
        expect(page.locator(".lamp.off")).to_have_count(1)  # once the playhead has come by
        page.locator("#f-resistance-ohm").fill("much")
        page.locator("#f-resistance-ohm").press("Enter")
        expect(page.locator("#row-f-resistance-ohm")).to_contain_text("for example")
        expect(page.locator("#f-resistance-ohm")).to_have_value("much")
        page.locator("#f-resistance-ohm").fill("60 mΩ")
        page.locator("#f-resistance-ohm").press("Enter")
        expect(page.locator("#row-f-resistance-ohm .row-error")).to_have_count(0)

    @tag("late")
    def test_a_large_import_tells_how_far_it_is(self) -> None:
        page = self.page
        self.goto("/shelf/")
        rows = "".join(f"Meter {i},meter,\n" for i in range(1600))
        file = {"name": "many.csv", "mimeType": "text/csv", "buffer": f"name,kind,part\n{rows}".encode()}
        seen: list[str] = []
        page.on("response", lambda r: seen.append(r.url) if r.url.endswith("/read/") else None)
        page.locator("#file").set_input_files(file)
        expect(page.locator(".counts")).to_contain_text("1600 new")
        self.assertEqual(len(seen), 4)
        page.get_by_role("button", name="Put all of it on the shelf").click()
        page.wait_for_url("**/shelf/")
