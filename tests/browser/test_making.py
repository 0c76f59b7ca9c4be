"""From a picture to a dock, from a board to its box, from a bay to its dummies; by touch; and true to size on paper."""

from __future__ import annotations

from contextlib import nullcontext
from io import BytesIO
from pathlib import Path
from tempfile import TemporaryDirectory

import pypdfium2
import trimesh
from django.test import tag
from playwright.sync_api import Page, expect

from hermotrope.bench import actions as bench
from hermotrope.bench.models import Conversion
from hermotrope.making import actions, demo
from hermotrope.making.documents import measured_of
from hermotrope.making.models import MadePart, MeasuredPart
from hermotrope_core.make.measured import found
from tests.browser.base import BrowserTest
from tests.support import case

MM = 72.0 / 25.4
LINE_MM = 0.2
"""Width of a line, by which an outline reaches farther on each side (half as far again where its ends are square)."""


class Making(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.conversion = bench.create(case("judgements", "all-well"), "Started")

    def press(self, page: Page, x: float, y: float, touch: bool = False) -> None:
        """Press a pixel of the picture."""
        at = page.evaluate(
            "([x, y]) => { const svg = document.getElementById('picture');"
            " svg.scrollIntoView({ block: 'center', behavior: 'instant' });"
            " const p = new DOMPoint(x, y).matrixTransform(svg.getScreenCTM()); return [p.x, p.y]; }",
            [x, y],
        )
        before = page.locator("#mark-points").input_value()
        if touch:
            page.touchscreen.tap(*at)
        else:
            page.mouse.click(*at)
        expect(page.locator("#mark-points")).not_to_have_value(before)

    def mark(
        self, page: Page, role: str, points: tuple[tuple[float, float], ...], name: str = "", touch: bool = False
    ) -> None:
        page.locator("#mark-role").select_option(role)
        for x, y in points:
            self.press(page, x, y, touch)
        if name:
            page.locator("#mark-name").fill(name)
        version = page.locator("#marker input[name=part_version]").input_value()
        page.get_by_role("button", name="Keep the mark").click()
        expect(page.locator("#marker input[name=part_version]")).not_to_have_value(version)

    def taken_in(self, page: Page) -> None:
        """The foot's picture, begun as a part of its own."""
        self.goto("/shelf/measured/", page)
        page.locator("#new-kind").select_option("foot")
        page.locator("#new-name").fill("Foot of a borrowed pack")
        with TemporaryDirectory() as folder:
            path = Path(folder) / "foot.jpg"
            path.write_bytes(demo.foot_picture())
            page.locator("#new-picture").set_input_files(path)
            page.get_by_role("button", name="Begin").click()
            page.wait_for_url("**/shelf/measured/*/")

    def test_picture_to_dock_to_build_sheet(self) -> None:
        known = demo.foot()
        assert known.reference is not None
        page = self.page
        self.taken_in(page)
        self.mark(page, "sheet", known.reference.points)
        for one in known.marks:
            self.mark(page, one.role, one.points, one.name)
        read = found(measured_of(MeasuredPart.objects.get()))
        self.assertAlmostEqual(read.reads["foot_l_mm"].mm, 62.0, delta=0.6)
        self.assertAlmostEqual(read.contacts[0][1], 12.0, delta=0.6)
        wide = page.get_by_label("Foot wide")
        wide.fill("48.1")
        wide.press("Enter")
        expect(page.get_by_text("The caliper corrects the picture")).to_be_visible()
        page.get_by_role("button", name="Undo: Caliper").click()
        expect(page.get_by_text("The caliper corrects the picture")).to_have_count(0)
        self.goto(f"/c/{self.conversion.pk}/?panel=make")
        page.get_by_role("button", name="Foot of a borrowed pack").click()
        expect(page.get_by_label("Foot long")).to_be_visible()
        expect(page.locator("canvas.solid")).to_be_visible()
        before = page.locator("canvas.solid").screenshot()
        page.locator("canvas.solid").focus()
        page.keyboard.press("ArrowLeft")
        self.assertNotEqual(page.locator("canvas.solid").screenshot(), before, "it does not turn")
        expect(page.locator(".made-view .made-name")).to_have_count(2)
        with page.expect_download() as download:
            page.get_by_role("link", name="Test slice first, 3MF").click()
        self.assertGreater(len(Path(download.value.path()).read_bytes()), 1000)
        page.get_by_role("button", name="It is made").click()
        expect(page.get_by_role("button", name="Not yet")).to_be_visible()
        page.get_by_role("link", name="Build sheet, to print").click()
        expect(page.get_by_role("heading", name="Dock for a pack, Foot of a borrowed pack")).to_be_visible()

    @tag("late")
    def test_board_to_box_with_a_hole_over_the_trimmer(self) -> None:
        board = actions.measure("board", "Buck board", None, 0)
        for name, mm in (("board_l_mm", 44.0), ("board_w_mm", 22.5), ("tall_mm", 14.0)):
            board = actions.caliper(board.pk, board.version, name, mm)
        page = self.page
        self.goto(f"/c/{self.conversion.pk}/?panel=make")
        page.get_by_role("button", name="Buck board").click()
        for term, text in (("Trimmer from the left", "12"), ("Trimmer from below", "7"), ("Board long", "45 mm")):
            field = page.get_by_label(term, exact=True)
            before = page.locator(".made-fields input[name=part_version]").first.input_value()
            field.fill(text)
            field.press("Enter")
            expect(page.locator(".made-fields input[name=part_version]").first).not_to_have_value(before)
        self.assertEqual(page.evaluate("document.activeElement.id").split("-")[-1], "board_l_mm", "the focus is lost")
        with page.expect_download() as download:
            page.get_by_role("link", name="Lid, STL").click()
        mesh = trimesh.load(BytesIO(Path(download.value.path()).read_bytes()), file_type="stl")
        assert isinstance(mesh, trimesh.Trimesh)
        values = MadePart.objects.get().values
        x = 2.0 + values["room_mm"] + 12.0
        section = mesh.section(plane_origin=[0, 0, 1.0], plane_normal=[0, 0, 1])
        assert section is not None
        rings = [loop[:, :2] for loop in section.discrete]
        holes = [ring.mean(axis=0) for ring in rings if abs(float(ring[:, 0].max() - ring[:, 0].min()) - 4.0) < 0.1]
        self.assertTrue(any(abs(float(hole[0]) - x) < 0.3 for hole in holes), "no hole over the trimmer")

    @tag("late")
    def test_bay_to_four_dummies(self) -> None:
        bay = {"size": "AA", "slots": ["up", "down", "up", "down"], "links": [], "leads": ["1-", "4+"]}
        inlet = {"kind": "cell-bay", "polarity": "marked", "measured": True}
        made = bench.create(case("judgements", "all-well", **{"device.bay": bay, "device.inlet": inlet}), "Started")
        page = self.page
        self.goto(f"/c/{made.pk}/?panel=make")
        for count, role in enumerate(("fed", "through", "insulating", "fed"), 1):
            if count > 1:
                page.get_by_text("Another part").click()
            page.get_by_role("button", name="Dummy cell").click()
            expect(page.locator(".made-list > a")).to_have_count(count)
            with page.expect_response("**/set/"):
                page.get_by_label("Role").select_option("insulating" if role == "fed" else role)
            with page.expect_response("**/set/") if role == "fed" else nullcontext():
                page.get_by_label("Role").select_option(role)
            expect(page.get_by_label("Role")).to_have_value(role)
        self.assertEqual([row.values.get("across_mm") for row in made.made_parts.all()], [14.5] * 4)
        self.goto(f"/c/{made.pk}/sheet/")
        expect(page.get_by_role("heading", name="Dummy cell")).to_have_count(4)

    @tag("late")
    def test_marking_by_touch_on_a_phone(self) -> None:
        context = self.page.context.browser.new_context(viewport={"width": 390, "height": 844}, has_touch=True)  # type: ignore[union-attr]
        self.addCleanup(context.close)
        page = context.new_page()
        page.on("pageerror", lambda error: self.errors.append(str(error)))
        known = demo.foot()
        assert known.reference is not None
        self.taken_in(page)
        self.assertLessEqual(self.sideways(page), 0)
        self.mark(page, "sheet", known.reference.points, touch=True)
        page.get_by_role("button", name="Zoom in").click()
        page.get_by_role("button", name="Whole picture").click()
        self.mark(page, "outline", known.marks[0].points, touch=True)
        self.assertAlmostEqual(found(measured_of(MeasuredPart.objects.get())).reads["foot_l_mm"].mm, 62.0, delta=1.0)
        self.assertLessEqual(self.sideways(page), 0)

    def test_marking_by_keys_alone(self) -> None:
        page = self.page
        self.taken_in(page)
        page.locator("#mark-role").select_option("span")
        page.locator("#mark-settle").uncheck()
        page.locator("#picture").focus()
        for keys in (["Enter"], ["Shift+ArrowRight"] * 12 + ["Enter"]):
            for key in keys:
                page.keyboard.press(key)
        first, last = (tuple(map(float, one.split())) for one in page.locator("#mark-points").input_value().split("; "))
        self.assertGreater(last[0], first[0] + 100)
        self.assertEqual(last[1], first[1])
        page.keyboard.press("Backspace")
        self.assertNotIn(";", page.locator("#mark-points").input_value())
        page.keyboard.press("+")
        self.assertLess(float(page.evaluate("document.getElementById('picture').viewBox.baseVal.width")), 1600)

    def test_printed_true_to_size(self) -> None:
        row = actions.add(self.conversion, "template", None)
        cuts = [
            {"part": "", "x": 20.0, "y": 30.0, "across_mm": 12.0},
            {"part": "", "x": 320.0, "y": 210.0, "across_mm": 12.0},
        ]
        values = {"panel_l_mm": 340.0, "panel_w_mm": 230.0, "cuts": cuts}
        MadePart.objects.filter(pk=row.pk).update(values=values)
        for paper in ("a4", "letter"):
            self.goto(f"/c/{self.conversion.pk}/made/{row.pk}/true-size.html?paper={paper}")
            document = pypdfium2.PdfDocument(self.page.pdf(format=paper.capitalize(), prefer_css_page_size=True))
            self.addCleanup(document.close)
            rulers, across = 0, []
            for sheet in document:
                for one in sheet.get_objects(filter=[pypdfium2.raw.FPDF_PAGEOBJ_PATH]):
                    left, bottom, right, top = one.get_bounds()
                    wide, high = (right - left) / MM, (top - bottom) / MM
                    rulers += abs(wide - 100.0 - 3 * LINE_MM) < 0.1 and abs(high - 8.0 - 3 * LINE_MM) < 0.1
                    if abs(wide - high) < 0.05 and 10.0 < wide < 14.0:
                        across.append(wide - 2 * LINE_MM)
            self.assertEqual(rulers, len(document), paper)
            self.assertGreaterEqual(len(document), 2, paper)
            self.assertEqual(len(across), 2, paper)
            for wide in across:
                self.assertAlmostEqual(wide, 12.0, delta=0.1)

    @tag("late")
    def test_refused_and_lost_nothing(self) -> None:
        row = actions.add(self.conversion, "box", None)
        page = self.page
        self.goto(f"/c/{self.conversion.pk}/?panel=make&part={row.pk}")
        wall = page.get_by_label("Wall", exact=True)
        wall.fill("thick")
        wall.press("Enter")
        expect(page.locator(".made-fields [role=alert]")).to_contain_text("is not millimetres")
        expect(wall).to_have_value("thick")
        Conversion.objects.get(pk=self.conversion.pk)
        actions.shape(row.pk, 1, "wall_mm", 2.5)
        wall.fill("3")
        wall.press("Enter")
        expect(page.locator(".made-fields [role=alert]")).to_contain_text("Another tab changed this part")
