"""Made and measured parts over the web: begun from the plan, shaped, refused in words, kept in the record."""

from __future__ import annotations

import json
from io import BytesIO
from tempfile import TemporaryDirectory
from typing import Any

import trimesh
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import tag
from PIL import Image

from hermotrope.bench import actions as bench
from hermotrope.bench.models import Conversion
from hermotrope.making import actions, demo
from hermotrope.making.documents import asked_of, measured_of, process_now
from hermotrope.making.lists import read_list
from hermotrope.making.models import MadePart, MeasuredPart, Printing
from hermotrope.proving.records import put_on_bench
from hermotrope_core.make.measured import found
from hermotrope_core.plan.document import case_from
from tests.support import alone
from tests.web.demo import DemoTest

HTMX = {"HX-Request": "true"}


class Made(DemoTest):
    def setUp(self) -> None:
        self.conversion = Conversion.objects.get(title="Pan mount, Hide 3")

    def begin(self, **words: str) -> MadePart:
        answer = self.client.post(f"/c/{self.conversion.pk}/made/", words)
        newest = MadePart.objects.order_by("-pk")[0]
        self.assertRedirects(answer, f"/c/{self.conversion.pk}/?panel=make&part={newest.pk}")
        return newest

    def post(self, row: MadePart, what: str, **words: str) -> Any:
        words = {"part_version": str(MadePart.objects.get(pk=row.pk).version), **words}
        return self.client.post(f"/c/{self.conversion.pk}/made/{row.pk}/{what}/", words, headers=HTMX)

    @tag("late")
    def test_every_kind_begins_from_the_plan_of_every_conversion(self) -> None:
        for conversion in Conversion.objects.all():
            self.conversion = conversion
            for kind in ("dummy", "box", "dock", "plate", "template"):
                row = self.begin(kind=kind)
                page = self.client.get(f"/c/{conversion.pk}/?panel=make&part={row.pk}")
                if not any(words in page.content.decode() for words in ("Build is closed", "First choose a pack")):
                    self.assertContains(page, f'id="m-{row.pk}-')

    def test_what_the_plan_knows_goes_along(self) -> None:
        box = self.begin(kind="box")
        self.assertGreater(box.values["heat_w"], 0.5)
        self.assertGreater(box.values["room_mm"], 3 * box.values["lead_in_mm"] - 0.2)
        plate = self.begin(kind="plate")
        assert self.conversion.case.source is not None
        self.assertEqual(plate.values["pack_g"], self.conversion.case.source.mass_g)
        self.conversion = Conversion.objects.get(title="Jetty lamps")
        dummy = self.begin(kind="dummy")
        self.assertEqual((dummy.values["across_mm"], dummy.values["length_mm"]), (14.5, 50.5))
        self.assertContains(self.client.get(f"/c/{self.conversion.pk}/?panel=make"), "usual, not measured")

    def test_a_measure_is_typed_known_and_undone(self) -> None:
        row = self.begin(kind="dock")
        answer = self.post(row, "set", name="foot_w_mm", text="1.9 in")
        self.assertContains(answer, "48.26 mm")
        self.assertContains(answer, "typed ± 0.10 mm if by caliper")
        self.assertNotContains(answer, "foot wide, rail")
        undone = self.post(row, "undo")
        self.assertContains(undone, 'value="48 mm"')
        self.assertEqual(MadePart.objects.get(pk=row.pk).known, {})

    def test_lists_and_choices(self) -> None:
        row = self.begin(kind="box")
        self.post(row, "set", name="holes", text="3 3 3; 41 19 3.2")
        self.post(row, "set", name="lid", text="snaps")
        asked = asked_of(MadePart.objects.get(pk=row.pk))
        self.assertEqual((asked.holes, asked.lid), (((3.0, 3.0, 3.0), (41.0, 19.0, 3.2)), "snaps"))  # type: ignore[attr-defined]
        self.assertEqual(
            read_list("cuts", "jack 25 30\n60 30 20 10"),
            [
                {"part": "jack", "x": 25.0, "y": 30.0},
                {"part": "", "x": 60.0, "y": 30.0, "long_mm": 20.0, "wide_mm": 10.0},
            ],
        )
        self.assertEqual(read_list("names", "+;  − ; "), ["+", "−"])
        self.assertEqual(read_list("names", "+; ; −"), ["+", "", "−"], "nobody named the one in the middle")
        self.assertEqual(read_list("names", " "), [])
        for name, text, why in (
            ("holes", "3 3", "should hold x, y and across"), ("holes", "3 x 3", "entry 1"),
            ("cuts", "door 3 3", "entry 1"),
            ("cuts", "3 3", "should begin with a part"), ("cuts", "jack 1 2 3 4 5", "two sides"),
            ("holes", "1 1 1;" * 61, "up to 60"),
        ):  # fmt: skip
            with self.assertRaisesRegex(ValueError, why):
                read_list(name, text)

    def test_a_slip_stays_in_its_field_with_the_reason(self) -> None:
        row = self.begin(kind="box")
        for name, text, why in (
            ("wall_mm", "9 in", "Wall must be from 0.8 to 10 mm"), ("wall_mm", "thick", "is not millimetres"),
            ("wall_mm", "", "nothing is entered"), ("holes", "3 3", "should hold x, y and across"),
            ("lid", "glue", "Invalid enum value"), ("rise_k", "1e999", "not a finite number"),
        ):  # fmt: skip
            with self.subTest(name, text=text):
                answer = self.post(row, "set", name=name, text=text)
                self.assertContains(answer, why, status_code=422)
                if name != "lid" and text:
                    self.assertContains(answer, text, status_code=422)
                self.assertEqual(MadePart.objects.get(pk=row.pk).version, 1)
        self.assertContains(self.post(row, "set", name="secret", text="1"), "no such measure", status_code=422)
        self.assertContains(
            self.client.post(f"/c/{self.conversion.pk}/made/", {"kind": "lamp"}), "choose what", status_code=422
        )

    def test_two_tabs(self) -> None:
        row = self.begin(kind="plate")
        self.post(row, "set", name="plate_t_mm", text="6 mm", part_version="1")
        late = self.post(row, "set", name="plate_t_mm", text="8 mm", part_version="1")
        self.assertContains(late, "Another tab changed this part", status_code=409)
        self.assertEqual(MadePart.objects.get(pk=row.pk).values["plate_t_mm"], 6.0)

    def test_files_are_what_they_say(self) -> None:
        row = self.begin(kind="box")
        base = f"/c/{self.conversion.pk}/made/{row.pk}"
        stl = self.client.get(f"{base}/piece-1.stl")
        self.assertEqual(stl["Content-Disposition"], 'attachment; filename="pan-mount-hide-3-box-for-a-board-lid.stl"')
        mesh = trimesh.load(BytesIO(stl.content), file_type="stl")
        assert isinstance(mesh, trimesh.Trimesh)
        self.assertTrue(mesh.is_watertight)
        for name in ("whole.3mf", "slice.3mf", "slice-0.stl"):
            self.assertEqual(self.client.get(f"{base}/{name}").status_code, 200, name)
        for name in ("piece-2.stl", "flat.svg", "whole.exe", "..", "piece-.stl", "true-size.html"):
            self.assertEqual(self.client.get(f"{base}/{name}").status_code, 404, name)
        self.assertEqual(self.client.get(f"/c/{self.conversion.pk + 1}/made/{row.pk}/whole.3mf").status_code, 404)
        flat = self.begin(kind="template")
        for name, starts in (("flat.svg", b"<svg"), ("flat.dxf", b"  0\nSECTION")):
            self.assertTrue(
                self.client.get(f"/c/{self.conversion.pk}/made/{flat.pk}/{name}").content.startswith(starts)
            )

    def test_no_files_of_what_is_stopped(self) -> None:
        row = self.begin(kind="dock")
        self.post(row, "set", name="contacts", text="")
        page = self.client.get(f"/c/{self.conversion.pk}/?panel=make&part={row.pk}")
        self.assertContains(page, "No contact is marked")
        self.assertNotContains(page, "whole.3mf")

    def test_mains_in_the_line_stop_a_printed_box(self) -> None:
        tree = json.loads(self.client.get(f"/c/{self.conversion.pk}/case.json").content)
        tree["path"].append({"stage": "converter", "topology": "inverter", "output_v": 230, "efficiency": 0.85})
        self.conversion = bench.create(case_from(tree), "Started")
        row = self.begin(kind="box")
        sheet = self.client.get(f"/c/{self.conversion.pk}/sheet/")
        self.assertEqual(self.client.get(f"/c/{self.conversion.pk}/made/{row.pk}/whole.3mf").status_code, 404)
        self.assertContains(sheet, "nothing printed holds them")

    def test_made_and_removed(self) -> None:
        row = self.begin(kind="plate")
        self.assertContains(self.post(row, "printed", do="done"), "Not yet")
        self.post(row, "set", name="plate_t_mm", text="7")
        self.assertIsNone(MadePart.objects.get(pk=row.pk).printed_on, "another plate is not made yet")
        self.assertContains(self.post(row, "remove"), "tick the box to remove it", status_code=422)
        self.post(row, "remove", sure="yes")
        self.assertFalse(MadePart.objects.filter(pk=row.pk).exists())
        self.assertEqual(self.client.post(f"/c/{self.conversion.pk}/made/{row.pk}/undo/").status_code, 404)

    def test_a_sign_never_moves_to_another_contact(self) -> None:
        row = self.begin(kind="dock")
        self.assertContains(
            self.client.get(f"/c/{self.conversion.pk}/?panel=make&part={row.pk}"), "and where its contacts are:"
        )
        self.post(row, "set", name="names", text="−; +")
        self.assertEqual(MadePart.objects.get(pk=row.pk).values["names"], ["−", "+"])
        told = self.post(row, "set", name="contacts", text="50 12 8 0.8; 50 -12 8 0.8")
        self.assertContains(told, "Which contact is plus and which is minus is not said")
        self.assertNotContains(told, "and where its contacts are:")
        self.assertEqual(MadePart.objects.get(pk=row.pk).values["names"], [])
        self.post(row, "set", name="names", text="+; −")
        self.post(row, "set", name="contacts", text="50 12 8 0.8; 50 -12 8 0.8;")
        self.assertEqual(MadePart.objects.get(pk=row.pk).values["names"], ["+", "−"], "nothing was changed")

    def test_every_number_shows_its_unit_and_reads_back(self) -> None:
        box, plate = self.begin(kind="box"), self.begin(kind="plate")
        self.assertContains(self.post(box, "set", name="rise_k", text="25 K"), 'value="25 K"')
        self.assertContains(self.post(plate, "set", name="holds_nm", text="1.5 N·m"), 'value="1.5 N·m"')
        self.assertContains(self.post(plate, "set", name="holds_nm", text="2 Nm"), 'value="2 N·m"')
        self.assertEqual(asked_of(MadePart.objects.get(pk=plate.pk)).holds_nm, 2.0)  # type: ignore[attr-defined]

    def test_printing_is_kept_for_every_part(self) -> None:
        row = self.begin(kind="box")
        words = {
            "nozzle_mm": "0.6",
            "layer_mm": "0.3 mm",
            "clearance_mm": "0.35",
            "bed_mm": "180",
            "kerf_mm": "0.15",
            "material": "asa",
        }
        url = f"/c/{self.conversion.pk}/made/printing/"
        self.assertContains(self.client.post(url, {**words, "part": str(row.pk)}, headers=HTMX), "of ASA")
        self.assertEqual((process_now().nozzle_mm, self.begin(kind="dock").values["clearance_mm"]), (0.6, 0.35))
        slip = self.client.post(url, {**words, "bed_mm": "9 m", "part": str(row.pk)}, headers=HTMX)
        self.assertContains(slip, "Bed must be from 50 to 2000 mm (got 9000)</strong>", status_code=422)
        self.assertContains(slip, 'value="9 m"', status_code=422)
        Printing.objects.update(values={"material": "wood"})
        self.assertEqual(process_now().material, "petg")

    def test_after_a_measured_part_and_its_newest_measures(self) -> None:
        demo.put_on_shelf()
        foot = MeasuredPart.objects.get(kind="foot")
        row = self.begin(measured=str(foot.pk))
        self.assertEqual((row.kind, row.values["foot_w_mm"], row.values["names"]), ("dock", 48.1, ["−", "+"]))
        self.assertEqual([round(y) for _, y, _, _ in row.values["contacts"]], [12, -12])
        actions.caliper(foot.pk, foot.version, "foot_w_mm", 48.4)
        followed = self.post(row, "follow")
        self.assertContains(followed, "48.4 mm")
        self.assertContains(followed, "Nobody measured how thick its contacts are:")
        self.post(row, "set", name="contacts", text="50 12 8 0.7; 50 -12 8 0.7")
        self.assertNotContains(self.client.get(f"/c/{self.conversion.pk}/?panel=make&part={row.pk}"), "how thick its")
        foot.delete()
        self.assertContains(self.post(row, "follow"), "made after no measured part", status_code=422)

    def test_on_the_sheet_and_through_the_record(self) -> None:
        demo.put_on_shelf()
        row = MadePart.objects.get(kind="dock")
        self.conversion = row.conversion
        sheet = self.client.get(f"/c/{self.conversion.pk}/sheet/")
        self.assertContains(sheet, "To be made")
        self.assertContains(self.client.get(f"/c/{self.conversion.pk}/?panel=buy"), "2 made parts</a>: about")
        self.assertContains(sheet, "Dock for a pack, Foot of the 18 V tool pack")
        record = self.client.get(f"/c/{self.conversion.pk}/record.json").getvalue()
        again = put_on_bench(record, "record.json")
        for old, new in zip(self.conversion.made_parts.all(), again.made_parts.all(), strict=True):
            self.assertEqual((old.kind, old.name, old.values, old.known), (new.kind, new.name, new.values, new.known))
            self.assertEqual(old.measured, new.measured)
        MeasuredPart.objects.all().delete()
        put_on_bench(record, "record.json")
        self.assertEqual(sorted(MeasuredPart.objects.values_list("kind", flat=True)), ["board", "foot"])
        tree = json.loads(record)
        tree["made"][0]["values"] = {"wall_mm": 99}
        count = Conversion.objects.count()
        answer = self.client.post("/import/", {"file": SimpleUploadedFile("r.json", json.dumps(tree).encode())})
        self.assertContains(answer, "must be from 0.8 to 10 mm", status_code=422)
        self.assertEqual(Conversion.objects.count(), count)

    def test_a_row_that_cannot_be_read_takes_nothing_down(self) -> None:
        row = self.begin(kind="box")
        MadePart.objects.filter(pk=row.pk).update(values={"wall_mm": -1})
        page = self.client.get(f"/c/{self.conversion.pk}/?panel=make&part={row.pk}")
        self.assertContains(page, "This part cannot be read")
        self.assertContains(page, "Remove this part")
        self.assertContains(self.client.get(f"/c/{self.conversion.pk}/sheet/"), "It cannot be read")
        self.assertEqual(self.client.get(f"/c/{self.conversion.pk}/made/{row.pk}/whole.3mf").status_code, 404)


class Measured(DemoTest):
    def setUp(self) -> None:
        demo.put_on_shelf()
        self.row = MeasuredPart.objects.get(kind="foot")
        self.url = self.row.get_absolute_url()

    def post(self, what: str, **words: str) -> Any:
        version = str(MeasuredPart.objects.get(pk=self.row.pk).version)
        return self.client.post(f"{self.url}{what}/", {"part_version": version, **words}, headers=HTMX)

    def test_a_picture_is_taken_in_and_marked(self) -> None:
        picture = SimpleUploadedFile("foot.jpg", demo.foot_picture())
        answer = self.client.post("/shelf/measured/", {"kind": "foot", "name": "Another foot", "picture": picture})
        self.row = MeasuredPart.objects.get(name="Another foot")
        self.url = self.row.get_absolute_url()
        self.assertRedirects(answer, self.url)
        self.assertEqual((self.row.picture_wide, self.row.picture_high), demo.SIZE)
        self.assertEqual(self.client.get(f"{self.url}picture.jpg")["Content-Type"], "image/jpeg")
        known = demo.foot()
        assert known.reference is not None
        corners = "; ".join(f"{x} {y}" for x, y in known.reference.points)
        self.post("reference", of="sheet", points=corners, length="85.6 mm", width="54", doubt="0.1")
        for mark in known.marks:
            points = "; ".join(f"{x} {y}" for x, y in mark.points)
            answer = self.post("mark", role=mark.role, points=points, name=mark.name)
        self.assertContains(answer, "62.0 ±")
        self.assertContains(answer, "Contact +")
        corrected = self.post("caliper", name="foot_w_mm", text="48.5 mm")
        self.assertContains(corrected, "The caliper corrects the picture by 1.0 %")
        self.assertContains(self.post("undo"), "Undo: Mark")
        raised = self.post("held", above="8 mm", distance="350")
        self.assertContains(raised, "0.29 %")
        self.assertContains(self.post("unmark", at="0"), "Mark the outline")

    def test_one_outline_many_contacts(self) -> None:
        first = len(measured_of(self.row).marks)
        self.post("mark", role="outline", points="100 100; 500 100; 300 400")
        self.assertEqual(len(measured_of(MeasuredPart.objects.get(pk=self.row.pk)).marks), first)
        self.post("mark", role="contact", points="100 100; 150 100", name="T")
        self.assertEqual(len(measured_of(MeasuredPart.objects.get(pk=self.row.pk)).marks), first + 1)

    def test_what_is_refused_keeps_what_was_typed(self) -> None:
        for what, words, why in (
            ("mark", {"role": "hole", "points": "1 1"}, "Hole: mark across it"),
            ("mark", {"role": "door", "points": "1 1"}, "choose what you mark"),
            ("mark", {"role": "trimmer", "points": "1;1"}, "is no point of the picture"),
            ("mark", {"role": "trimmer", "points": "NaN 1"}, "is no point of the picture"),
            ("reference", {"of": "sheet", "points": "1 1; 9 1; 9 9", "length": "10", "width": "10"}, "mark 4 points"),
            ("reference", {"of": "span", "points": "1 1; 900 1", "length": "long"}, "is not millimetres"),
            ("reference", {"of": "span", "points": "1 1; 2 2", "length": "20"}, "too close"),
            ("caliper", {"name": "foot_w_mm", "text": "5 m"}, "Foot wide must be"),
            ("caliper", {"name": "tall_mm", "text": "5"}, "no such measure"),
            ("held", {"above": "500", "distance": "400"}, "lies well below"),
            ("unmark", {"at": "99"}, "not there any more"),
            ("mark", {"role": "trimmer", "points": "1 1", "part_version": "0"}, "Another tab changed this part"),
        ):  # fmt: skip
            with self.subTest(what, words=words):
                answer = self.post(what, **words)
                self.assertEqual(answer.status_code, 409 if "part_version" in words else 422)
                self.assertContains(answer, why, status_code=answer.status_code)
                if what in ("mark", "reference") and "part_version" not in words:
                    self.assertContains(answer, f'value="{words["points"]}"', status_code=422)
        self.assertEqual(MeasuredPart.objects.get(pk=self.row.pk).version, 1)

    def test_without_a_picture_by_caliper_alone(self) -> None:
        self.client.post("/shelf/measured/", {"kind": "board", "name": "Boost board"})
        self.row = MeasuredPart.objects.get(name="Boost board")
        self.url = self.row.get_absolute_url()
        self.post("caliper", name="board_l_mm", text="2 in")
        self.assertAlmostEqual(
            found(measured_of(MeasuredPart.objects.get(pk=self.row.pk))).reads["board_l_mm"].mm, 50.8
        )
        self.post("caliper", name="board_l_mm", text="")
        self.assertEqual(found(measured_of(MeasuredPart.objects.get(pk=self.row.pk))).reads, {})
        self.assertEqual(self.client.get(f"{self.url}picture.jpg").status_code, 404)
        self.assertEqual(self.client.get(f"{self.url}settle/?x=1&y=1").json(), {})

    def test_what_is_no_part_or_no_picture(self) -> None:
        bad = SimpleUploadedFile("foot.jpg", b"\x89PNG no picture at all")
        for words, why in (
            ({"kind": "lamp", "name": "x"}, "choose what it is"), ({"kind": "foot", "name": " "}, "has a name"),
            ({"kind": "foot", "name": "n" * 121}, "up to 120 letters"),
            ({"kind": "foot", "name": "Foot 2", "picture": bad}, "no JPEG, PNG or WebP"),
        ):  # fmt: skip
            answer = self.client.post("/shelf/measured/", words)
            self.assertContains(answer, why, status_code=422)
            self.assertContains(answer, f'value="{words["name"]}"', status_code=422)
        self.assertEqual(MeasuredPart.objects.count(), 2)

    def test_a_press_settles_on_a_corner(self) -> None:
        reference = measured_of(self.row).reference
        assert reference is not None
        for x, y in reference.points:
            found_ = self.client.get(f"{self.url}settle/?x={x + 3}&y={y - 2}").json()
            self.assertLess(abs(found_["x"] - x) + abs(found_["y"] - y), 2.0)
        self.assertEqual(self.client.get(f"{self.url}settle/?x=1500&y=1100").json(), {})
        self.assertEqual(self.client.get(f"{self.url}settle/?x=here&y=1").status_code, 400)
        self.assertEqual(self.client.get(f"{self.url}settle/?x=nan&y=inf").json(), {})

    def test_removed_once_it_was_confirmed_what_was_made_stays(self) -> None:
        self.assertContains(self.client.post(f"{self.url}remove/"), "tick the box", status_code=422)
        self.client.post(f"{self.url}remove/", {"sure": "yes"})
        self.assertEqual(self.client.get(self.url).status_code, 404)
        self.assertIsNone(MadePart.objects.get(kind="dock").measured)

    def test_a_row_that_cannot_be_read(self) -> None:
        MeasuredPart.objects.filter(pk=self.row.pk).update(document={"kind": "door"})
        self.assertContains(self.client.get(self.url), "This part cannot be read")
        self.assertContains(self.client.get(self.url), "Remove it from the shelf")
        self.assertEqual(self.post("undo").status_code, 200)


@tag("late")
class Large(DemoTest):
    def test_fifty_megapixels_in_less_than_300_mb(self) -> None:
        script = (
            "import sys; from hermotrope.entry.pictures import encoded\n"
            "with open(sys.argv[1], 'rb') as file: print(*encoded(file, 1, 2400, 90)[1:])"
        )
        noise = Image.effect_noise((2000, 1250), 60).resize((8660, 5774)).convert("RGB")
        with TemporaryDirectory() as folder:
            for name, how in (("picture.jpg", {"quality": 80}), ("picture.png", {"compress_level": 1})):
                noise.save(f"{folder}/{name}", **how)
                told, megabytes = alone(script, f"{folder}/{name}")
                self.assertEqual(told, [2400, 1600])
                self.assertLess(megabytes, 300, name)
