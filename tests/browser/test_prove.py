"""Build and Prove as makers walk through them, and the sheet as it comes out of the printer."""

from __future__ import annotations

import tempfile
from pathlib import Path
from unittest import skipUnless

import numpy as np
import pypdfium2
from django.test import tag
from PIL import Image
from playwright.sync_api import Page, expect

from hermotrope.bench import actions as bench
from hermotrope.bench.models import Conversion
from hermotrope.proving import equipment
from hermotrope.proving.bench import Workshop
from tests.browser.base import BrowserTest
from tests.lanes import SLOW
from tests.support import case
from tests.web.test_prove import csv_of

PAPERS = {"A4": (595, 842), "Letter": (612, 792)}
MM = 72 / 25.4
MARGIN_PT = 12 * MM
BAY = {"size": "AA", "columns": 4, "links": [["1+", "2-"], ["2+", "3-"], ["3+", "4-"]]}


class Prove(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.made = bench.create(case("judgements", "all-well"), "Started")
        self.addCleanup(equipment.close_all)

    def open(self, page: Page | None = None, panel: str = "prove") -> Page:
        page = page or self.page
        self.goto(f"{self.made.get_absolute_url()}?panel={panel}", page)
        return page

    def type_reading(self, ask: str, text: str, page: Page | None = None) -> None:
        page = page or self.page
        box = page.locator(f"#ask-{ask}")
        box.locator("input[name=text]").fill(text)
        with page.expect_response(lambda r: "/gate/" in r.url):
            box.get_by_role("button", name="Take it").click()

    @tag("slow")
    @skipUnless(SLOW, "every gate by hand: in the slow lane")
    def test_rehearsed_from_the_first_gate_to_the_frozen_record(self) -> None:
        page = self.open()
        page.get_by_role("button", name="Rehearse on a copy").click()
        expect(page.locator(".rehearsal-note")).to_be_visible()
        for gate in Workshop(Conversion.objects.get(rehearsal=True)).gates:
            for ask in gate.asks:
                if ask.meter == "clock" or ask.optional:
                    continue
                here = f"#ask-{ask.key.replace('.', '-')}"
                if ask.meter == "seen":
                    page.locator(f"{here} input[name=text]").fill(f"{ask.expected:.2f}")
                    page.locator(here).get_by_role("button", name="Take it").click()
                else:
                    page.locator(here).get_by_role("button", name="Read the").click()
                expect(page.locator(f"{here}.pass, {here}.note, #gate-{gate.key}.passed").first).to_be_visible()
        expect(page.locator("#gate-run-down")).to_have_attribute("aria-current", "step")
        page.get_by_role("button", name="Log a run").click()
        expect(page.locator(".live")).to_be_visible()
        expect(page.get_by_role("heading", name="What this run tells")).to_be_visible(timeout=90_000)
        expect(page.locator(".run-log canvas").first).to_be_visible()
        page.get_by_role("button", name="Count it as the run-down").click()
        page.get_by_role("button", name="Freeze as rehearsed today").click()
        expect(page.locator(".proved-one")).to_contain_text("Rehearsed")
        copy = Conversion.objects.get(rehearsal=True)
        self.assertEqual(copy.proved.count(), 1)
        for box in page.locator("input[name=take]").all():
            box.uncheck()
        page.get_by_role("button", name="Put these into the plan, as measured").click()
        expect(page.locator("#log-shown .row-error")).to_contain_text("tick at least one figure")
        expect(page.locator("#line")).to_have_count(1)  # the refusal lands in the panel, not over the page
        page.locator("input[name=take]").first.check()
        page.get_by_role("button", name="Put these into the plan, as measured").click()
        expect(page.locator(".proved-one")).to_contain_text("since: the plan is not the one that was rehearsed")
        with page.expect_download() as download:
            page.get_by_role("link", name="The whole record").click()
        self.assertIn('"hermotrope-record/1"', Path(download.value.path()).read_text()[:60])
        page.reload()
        expect(page.locator(".proved-one")).to_be_visible()

    @tag("late")
    def test_a_decimal_comma_file_with_a_gap_is_looked_at_and_imported(self) -> None:
        page = self.open()
        data = csv_of(case("judgements", "all-well", **{"source.capacity_ah": 3.6}))
        page.set_input_files("#log-file", {"name": "shed logger.csv", "mimeType": "text/csv", "buffer": data})
        page.locator(".log-bring form", has=page.locator("#log-file")).get_by_role("button", name="Look at it").click()
        expect(page.get_by_text("Nothing is imported yet")).to_be_visible()
        expect(page.locator("#d-decimal")).to_have_value(",")
        page.get_by_role("button", name="Import it").click()
        expect(page.locator(".remarks")).to_contain_text("gap")
        expect(page.locator(".fit-table")).to_contain_text("Capacity of the pack")
        expect(page.locator(".run-log canvas").first).to_be_visible()
        self.assertLessEqual(self.sideways(page), 0)
        with page.expect_download() as download:
            page.get_by_role("link", name="As it came").click()
        self.assertEqual(Path(download.value.path()).read_bytes(), data)

    def test_a_failed_gate_locks_and_is_waived(self) -> None:
        page = self.open()
        self.type_reading("open-voltage-volts", "-20.9")
        expect(page.locator(".said.stop")).to_contain_text("swapped")
        expect(page.locator("#gate-continuity .gate-word")).to_have_text("locked")
        page.get_by_text("Go past this gate without passing it").click()
        page.get_by_role("button", name="Waive").click()
        expect(page.locator(".waive .row-error")).to_contain_text("say why")
        page.locator("input[name=reason]").fill("the meter’s leads are in the wrong holes")
        page.get_by_role("button", name="Waive").click()
        expect(page.locator("#gate-continuity")).to_have_attribute("aria-current", "step")
        page.locator("#gate-open-voltage a").click()
        expect(page.locator(".waive")).to_contain_text("wrong holes")
        page.go_back()
        expect(page.locator("#gate-open-voltage .gate-word")).to_have_text("waived")

    def test_with_one_hand_on_a_phone(self) -> None:
        page = self.open(self.open_page(390, 844))
        self.assertLessEqual(self.sideways(page), 0)
        field = page.locator("#r-open-voltage-volts")
        self.assertLess((field.bounding_box() or {"y": 9e9})["y"], 844)
        field.fill("20.9")
        page.get_by_role("button", name="Change the sign").click()
        expect(field).to_have_value("-20.9")
        page.get_by_role("button", name="Change the sign").click()
        button = page.get_by_role("button", name="Take it").first
        self.assertGreaterEqual((button.bounding_box() or {"height": 0})["height"], 44)
        button.click()
        expect(page.locator("#gate-continuity")).to_have_attribute("aria-current", "step")
        page.locator("#ask-continuity-plus-0").get_by_role("button", name="OL").click()
        page.locator("#ask-continuity-plus-0").get_by_role("button", name="Take it").click()
        expect(page.locator(".said.fail")).to_be_in_viewport()
        self.assertLessEqual(self.sideways(page), 0)

    @tag("late")
    def test_two_tabs_on_one_bench_both_count(self) -> None:
        first, second = self.open(), self.open(self.open_page())
        self.type_reading("open-voltage-volts", "20.9", first)
        self.type_reading("open-voltage-volts", "-3", second)  # the newest reading counts, and is told
        expect(second.locator("#gate-open-voltage .gate-word")).to_have_text("failed")
        first.reload()
        expect(first.locator("#gate-open-voltage .gate-word")).to_have_text("failed")

    @tag("late")
    def test_steps_are_ticked_annotated_and_photographed(self) -> None:
        page = self.open(panel="do")
        step = page.locator("#step-gather")
        with page.expect_response(lambda r: "/tick/" in r.url):
            step.locator("input[type=checkbox]").check()
        expect(page.locator("#steps-done")).to_contain_text("1 of")
        expect(page.locator("#steps details[open] summary")).to_contain_text("2. ")  # the next one opens
        step.locator("summary").click()
        step.locator("input[name=note]").fill("switch missing")
        with page.expect_response(lambda r: "/note/" in r.url):
            step.locator("input[name=note]").press("Enter")
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "shed.png"
            Image.new("RGB", (300, 200), "teal").save(file)
            step.locator("input[type=file]").set_input_files(file)
            expect(page.locator("#step-gather img")).to_be_visible()
        expect(step.locator("details[open]")).to_be_visible()  # and this one stays, where it was written in
        page.reload()
        expect(page.locator("#step-gather input[name=note]")).to_have_value("switch missing")
        expect(page.locator("#here svg.wiring")).to_be_visible()
        for _ in range(2):
            opened = page.locator("#steps details[open]")
            was = opened.locator("summary b").inner_text()
            opened.get_by_role("button", name="Done, next").click()
            expect(page.locator("#steps details[open] summary b")).not_to_have_text(was)
            expect(page.locator("#steps details[open] summary")).to_be_focused()
        lit = page.locator("#steps details[open]").get_attribute("data-of")
        expect(page.locator("#here svg.wiring .lit")).to_have_attribute("data-part", lit or "?")
        expect(page.locator("#steps-done")).to_contain_text("3 of")
        self.goto("/")
        expect(page.locator(".strip", has_text="Built 3 of")).to_be_visible()


class Printed(BrowserTest):
    """The build sheet as pages: how many, nothing cut, drawings at their true size."""

    def sheets(self, made: Conversion, paper: str) -> pypdfium2.PdfDocument:
        self.goto(f"{made.get_absolute_url()}sheet/")
        self.page.wait_for_load_state("networkidle")
        document = pypdfium2.PdfDocument(self.page.pdf(format=paper))
        self.addCleanup(document.close)
        return document

    def ink(self, page: pypdfium2.PdfPage) -> tuple[float, float, float, float]:
        """Left, top, right and bottom of what is printed, in points."""
        dark = np.array(page.render(scale=2).to_pil().convert("L")) < 160
        rows, columns = np.flatnonzero(dark.any(axis=1)), np.flatnonzero(dark.any(axis=0))
        return columns[0] / 2, rows[0] / 2, columns[-1] / 2, rows[-1] / 2

    @tag("late")
    def test_a4_and_letter(self) -> None:
        made = bench.create(case("judgements", "cut-off-added"), "Started")
        for paper, (width, height) in PAPERS.items():
            with self.subTest(paper=paper):
                document = self.sheets(made, paper)
                self.assertIn(len(document), range(3, 6))
                texts = []
                for page in document:
                    left, top, right, bottom = self.ink(page)
                    self.assertGreaterEqual(min(left, top), MARGIN_PT - 3)
                    self.assertLessEqual(right, width - MARGIN_PT + 3)
                    self.assertLessEqual(bottom, height - MARGIN_PT + 3)
                    texts.append(page.get_textpage().get_text_bounded())
                whole = "\n".join(texts)
                for words in (
                    "Verdict",
                    "Wiring",
                    "Parts",
                    "Cut list",
                    "Steps",
                    "Prove, in this order",
                    "How to go back",
                    "Label for the box",
                ):
                    self.assertIn(words, whole)
                # the verdict with what was accepted comes first, the box's label is whole on one page
                self.assertIn("Verdict", texts[0])
                self.assertTrue(any("LOAD" in text and "FUSE" in text and "DATE" in text for text in texts))

    @tag("late")
    def test_the_bay_is_true_to_size(self) -> None:
        bay = {**BAY, "slots": ["up", "down", "up", "down"]}
        inlet = {"kind": "cell-bay", "polarity": "marked", "measured": True}
        made = bench.create(case("judgements", "all-well", **{"device.bay": bay, "device.inlet": inlet}), "Started")
        for paper in PAPERS:
            with self.subTest(paper=paper):
                document = self.sheets(made, paper)
                found = None
                for page in document:
                    text = page.get_textpage()
                    if "50 mm: measure" in text.get_text_bounded():
                        found = page
                assert found is not None
                self.assertAlmostEqual(self.ruler(found), 50.0, delta=0.6)

    def ruler(self, page: pypdfium2.PdfPage) -> float:
        """Length of the printed ruler in mm: the longest dark run in the rows about its words."""
        scale = 4
        dark = np.array(page.render(scale=scale).to_pil().convert("L")) < 150
        text = page.get_textpage()
        search = text.search("50 mm: measure")
        index, _ = search.get_next()
        _, bottom, _, top = text.get_charbox(index)
        height = page.get_height()
        best = 0
        for row in dark[int((height - top - 12) * scale) : int((height - bottom + 12) * scale)]:
            edges = np.flatnonzero(np.diff(np.concatenate([[0], row.astype(int), [0]])))
            runs = edges[1::2] - edges[::2]
            best = max(best, int(runs[runs < 100 * MM * scale].max(initial=0)))  # not the rule under a heading
        return best / scale / MM
