"""The shelf: starter parts, search, edits, the decoder, files in and out."""

from __future__ import annotations

import csv
import io
import json
import re
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.db import connection
from django.test import SimpleTestCase, TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from hermotrope.bench import actions as bench_actions
from hermotrope.drawings.stock import boards_drawn, packs_drawn
from hermotrope.formats import shelf_file
from hermotrope.shelf import actions, history, starter
from hermotrope.shelf.models import Change, ImportDraft, Item
from hermotrope.shelf.parts import part_from, part_tree
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.document import CaseError
from hermotrope_core.plan.source import Source
from tests.support import VIEW_KEYS, case
from tests.web.client import Reader

HTMX = {"HX-Request": "true"}


class Starter(TestCase):
    client_class = Reader

    def test_sixty_parts_of_every_chemistry_and_stage(self) -> None:
        call_command("load_starter", verbosity=0)
        call_command("load_starter", verbosity=0)
        items = list(Item.objects.all())
        self.assertGreaterEqual(len(items), 60)
        parts = [item.content() for item in items]
        self.assertEqual({p.chemistry for p in parts if isinstance(p, Source)}, set(CHEMISTRIES))
        stages = {item.part["stage"] for item in items if item.part and "stage" in item.part}
        self.assertEqual(stages, {"lead", "fuse", "switch", "cut-off", "resistor", "diode", "converter", "linear"})
        self.assertTrue(all(item.summary for item in items if item.kind != "meter"))

    def test_what_was_changed_is_left_alone(self) -> None:
        call_command("load_starter", verbosity=0)
        item = Item.objects.get(key="bank-10")
        actions.set_field(item.pk, "have", "own")
        Item.objects.filter(key="bank-5").delete()
        call_command("load_starter", verbosity=0)
        self.assertEqual(Item.objects.get(key="bank-10").have, "own")
        self.assertTrue(Item.objects.filter(key="bank-5").exists())


class Pages(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)

    def test_search_and_filters(self) -> None:
        page = self.client.get("/shelf/", {"q": "tool 18"}, headers=HTMX).content.decode()
        self.assertEqual(page.count('<tr id="item-'), 3)
        page = self.client.get("/shelf/", {"kind": "fuse"}).content.decode()
        self.assertEqual(page.count('<tr id="item-'), len([p for p in starter.parts() if p.kind == "fuse"]))
        self.assertIn("Nothing on the shelf matches", self.client.get("/shelf/", {"q": "zebra"}).content.decode())
        self.assertEqual(self.client.get("/shelf/", {"kind": "x", "have": "y", "q": "%_'\"<"}).status_code, 200)

    def test_queries_do_not_grow(self) -> None:
        with self.assertNumQueries(7):
            self.client.get("/shelf/")
        for i in range(20):
            actions.add("source", f"Pack {i}", part_tree(starter.sources()["bank-10"].source))
        with self.assertNumQueries(7):
            self.client.get("/shelf/")

    def test_the_decoder_answers_as_one_types(self) -> None:
        page = self.client.get("/shelf/label/", {"label": "12V 74Wh"}, headers=HTMX).content.decode()
        self.assertIn("three lithium cells", page)
        self.assertIn("Put it on the shelf", page)
        page = self.client.get("/shelf/label/", {"label": "<b>no</b>"}, headers=HTMX).content.decode()
        self.assertIn("&lt;b&gt;", page)
        self.assertNotIn("Put it on the shelf", page)
        whole = self.client.get("/shelf/label/", {"label": "26800mAh"}).content.decode()
        self.assertIn('value="26800mAh"', whole)
        self.assertIn("17,000 mAh at 5 V", whole)

    def test_what_was_read_is_underlined_and_the_rest_is_said(self) -> None:
        page = self.client.get("/shelf/label/", {"label": "holiday 12V 74Wh <b>"}, headers=HTMX).content.decode()
        self.assertIn("<u>74</u><u>Wh</u>", page)
        self.assertIn('<s title="not understood">holiday</s>', page)
        self.assertIn("Not understood: holiday", page)
        self.assertNotIn("<b>", page.split("</p>", maxsplit=1)[0])

    def test_a_reading_is_chosen_and_put_on_the_shelf(self) -> None:
        asked = {"label": "holiday 12V 74Wh", "reading": "2"}
        page = self.client.get("/shelf/label/", asked, headers=HTMX).content.decode()
        self.assertIn("5.781 Ah", page)
        self.assertNotIn("lithium-ion is taken", page)
        self.client.post("/shelf/add/", asked)
        part = Item.objects.get(name="holiday 12V 74Wh").part
        self.assertEqual((part["chemistry"], part["cells_in_series"]), ("lifepo4", 4))
        for reading in ("9", "x", "-1", "99999999999"):
            with self.subTest(reading):
                answer = self.client.get("/shelf/label/", asked | {"reading": reading}, headers=HTMX)
                self.assertEqual(answer.status_code, 200)
        self.assertEqual(self.client.post("/shelf/add/", asked | {"reading": "9"}).status_code, 422)

    def test_boards_adapters_and_stations_go_where_they_belong(self) -> None:
        for label, kind, shows in (
            ("DC-DC 4.5-28V in, 0.8-20V out, 3A max", "converter", "4.5 to 28 V"),
            ("OUTPUT 12V 1.5A wall adapter", "source", "12.0 V, at most 1.50 A"),
            ("12V 1A unregulated adapter", "source", "16.8 V with nothing connected, 12.0 V, at 1.00 A"),
            ("Power station 256Wh LiFePO4 USB 5V 2.4A 12V 10A", "source", "12 V socket: 12 V 10 A"),
            ("150W inverter 20V", "converter", "inverter converter"),
        ):
            with self.subTest(label):
                page = self.client.get("/shelf/label/", {"label": label}, headers=HTMX).content.decode()
                self.assertIn(shows, page)
                answer = self.client.post("/shelf/add/", {"label": label})
                self.assertEqual(answer.status_code, 302)
                self.assertEqual(Item.objects.get(name=label).kind, kind)
                self.assertContains(self.client.get(answer["Location"]), label)

    def test_an_unregulated_adapter_feeds_a_device_on_every_panel(self) -> None:
        self.client.post("/shelf/add/", {"label": "12V 2A unregulated adapter"})
        item = Item.objects.get(name="12V 2A unregulated adapter")
        for name in ("hide-mount-on-tool-pack", "sampling-boat-direct", "warden-receiver-on-bank"):
            made = bench_actions.create(case("cases", name), "Started")
            self.client.post(f"/c/{made.pk}/pack/", {"key": item.key, "version": made.version})
            made.refresh_from_db()
            self.assertEqual(made.case.source.name, item.name)
            panels = (
                "",
                *map(str, range(1, len(made.case.path) + 3)),
                *VIEW_KEYS,
            )
            for panel in panels:
                with self.subTest(name, panel=panel):
                    page = self.client.get(f"/c/{made.pk}/", {"panel": panel})
                    self.assertEqual(page.status_code, 200)
                    self.assertNotRegex(
                        page.content.decode(), r"\bnan\b" if panel == "match" else r"\bnan\b|[Ff]ull pack"
                    )

    def test_a_decoded_label_becomes_an_item_that_feeds_a_device(self) -> None:
        self.client.post("/shelf/add/", {"label": "5S2P 18V 5Ah"})
        item = Item.objects.get(name="5S2P 18V 5Ah")
        self.assertEqual((item.have, item.certainty), ("own", "typical"))
        made = bench_actions.create(case("cases", "reference-1", source=None), "Started")
        page = self.client.get(f"/c/{made.pk}/?panel=1").content.decode()
        self.assertLess(page.index("5S2P 18V 5Ah"), page.index("Tool packs"))
        self.client.post(f"/c/{made.pk}/pack/", {"key": item.key, "version": 1})
        made.refresh_from_db()
        self.assertEqual(made.case.source.name, "5S2P 18V 5Ah")
        Item.objects.filter(pk=item.pk).delete()
        made.refresh_from_db()
        self.assertEqual(made.case.source.cells_in_series, 5)
        self.assertEqual(self.client.post("/shelf/add/", {"label": "nonsense"}).status_code, 422)

    def test_edits(self) -> None:
        item = Item.objects.get(key="bank-10")
        good: tuple[tuple[str, str, Any], ...] = (
            ("price", "24.5", 24.5),
            ("mass_g", "0.25 kg", 250),
            ("count", "3", 3),
            ("have", "borrowed", "borrowed"),
        )
        for field, text, want in good:
            answer = self.client.post(f"/shelf/{item.pk}/set/", {"field": field, "text": text}, headers=HTMX)
            self.assertEqual(answer.status_code, 200)
            item.refresh_from_db()
            self.assertEqual(getattr(item, field), want)
        bad = (
            ("price", "-3"),
            ("price", "dear"),
            ("count", "2.5"),
            ("have", "stolen"),
            ("name", ""),
            ("part", "{}"),
            ("mass_g", "12 V"),
        )
        for field, text in bad:
            with self.subTest(field, text=text):
                answer = self.client.post(f"/shelf/{item.pk}/set/", {"field": field, "text": text}, headers=HTMX)
                self.assertEqual(answer.status_code, 422)
                self.assertIn('role="alert"', answer.content.decode())
        self.assertEqual(self.client.post("/shelf/99999/set/", {"field": "count", "text": "1"}).status_code, 404)
        self.client.post(f"/shelf/{item.pk}/remove/", headers=HTMX)
        self.assertFalse(Item.objects.filter(pk=item.pk).exists())


class OneItem(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)
        cls.bank = Item.objects.get(key="bank-20")

    def set(self, place: str, text: str, known_by: str = "") -> Any:
        return self.client.post(
            f"/shelf/{self.bank.pk}/part/",
            {"place": place, "text": text, "known_by": known_by},
            headers={"HX-Request": "true"},
        )

    def test_every_item_shows_every_value(self) -> None:
        for item in Item.objects.all():
            with self.subTest(item.key), self.assertNumQueries(1):
                self.assertEqual(self.client.get(f"/shelf/{item.pk}/").status_code, 200)

    def test_a_value_is_set_with_how_it_is_known(self) -> None:
        self.set("/resistance_ohm", "48 mΩ", "measured")
        self.set("/ports/1/profiles/2/output_current_max_a", "1,6 A", "label")
        part = Item.objects.get(pk=self.bank.pk).part
        self.assertEqual(part["resistance_ohm"], {"value": 0.048, "known_by": "measured"})
        self.assertEqual(part["ports"][1]["profiles"][2]["output_current_max_a"], {"value": 1.6, "known_by": "label"})

    def test_a_refused_value_stays_with_its_reason(self) -> None:
        for place, text, why in (
            ("/capacity_ah", "twenty", "for example"),
            ("/resistance_ohm", "-1", "at least 0"),
            ("/cells_in_series", "", "missing"),
        ):
            answer = self.set(place, text)
            with self.subTest(place):
                self.assertEqual(answer.status_code, 422)
                self.assertIn(why, answer.content.decode())
                self.assertIn(f'value="{text}"', answer.content.decode())
        self.assertEqual(self.set("/nowhere", "1").status_code, 404)

    def test_a_bank_is_tried(self) -> None:
        page = self.client.get(f"/shelf/{self.bank.pk}/try/", {"draw-0": "50 mA"}).content.decode()
        self.assertIn("falls asleep", page)
        awake = self.client.get(f"/shelf/{self.bank.pk}/try/", {"draw-0": "80 mA"}).content.decode()
        self.assertNotIn("falls asleep", awake)
        fast = self.client.get(f"/shelf/{self.bank.pk}/try/", {"draw-1": "1.6 A", "wants-1": "12 V"}).content.decode()
        self.assertIn("trips: 1.60 A is above its 1.50 A", fast)
        wrong = self.client.get(f"/shelf/{self.bank.pk}/try/", {"draw-0": "lots"}).content.decode()
        self.assertIn("is not amperes", wrong)


class Files(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)

    def upload(self, data: bytes, name: str = "shelf.csv") -> Any:
        return self.client.post("/shelf/import/", {"file": SimpleUploadedFile(name, data)}, follow=True)

    def apply(self) -> Any:
        return self.client.post(f"/shelf/import/{ImportDraft.objects.get().pk}/", {"do": "apply"})

    def refused(self) -> str:
        with self.assertRaises(CaseError) as caught:
            actions.apply_draft(ImportDraft.objects.get().pk)
        return str(caught.exception)

    def test_a_key_twice_is_refused_across_chunks(self) -> None:
        rows = [{"key": "one", "name": "a", "kind": "meter"}] * 3
        draft = actions.start_draft("x", rows)
        for _ in rows:
            draft = actions.read_on(draft.pk, 1)
        self.assertEqual([fate["fate"] for fate in draft.rows], ["new", "refused", "refused"])
        self.assertEqual([fate["row"] for fate in draft.rows], [1, 2, 3])

    def test_there_and_back_changes_nothing(self) -> None:
        before = [actions.row_of(item) for item in Item.objects.order_by("key")]
        for url in ("/shelf/shelf.csv", "/shelf/shelf.json"):
            data = self.client.get(url).content
            page = self.upload(data, url.rsplit("/", 1)[1]).content.decode()
            with self.subTest(url):
                self.assertIn(f"<b>{len(before)}</b> same", page)
                self.apply()
                self.assertEqual([actions.row_of(item) for item in Item.objects.order_by("key")], before)
        data = self.client.get("/shelf/shelf.csv").content
        Item.objects.all().delete()
        self.upload(data)
        self.apply()
        self.assertEqual([actions.row_of(item) for item in Item.objects.order_by("key")], before)

    def test_a_file_in_another_tab_does_not_take_this_ones_preview_away(self) -> None:
        files = [f"key,kind,group,name\nk{n},meter,g,meter {n}\n".encode() for n in range(7)]
        address = reverse("shelf-import")
        pages = [self.client.post(address, {"file": SimpleUploadedFile("a.csv", data)}) for data in files]
        found = [self.client.get(page["Location"]).status_code for page in pages]
        self.assertEqual(found, [404] * 2 + [200] * 5)
        self.client.post(pages[2]["Location"])
        self.client.post(pages[6]["Location"])
        self.assertEqual(set(Item.objects.filter(key__in=["k2", "k6"]).values_list("key", flat=True)), {"k2", "k6"})

    def test_a_preview_writes_nothing_and_can_be_dropped(self) -> None:
        count = Item.objects.count()
        page = self.upload(b"name;kind;part\nMy meter;meter;\n").content.decode()
        self.assertIn("<b>1</b> new", page)
        self.assertEqual(Item.objects.count(), count)
        self.client.post(f"/shelf/import/{ImportDraft.objects.get().pk}/", {"do": "drop"})
        self.assertEqual((Item.objects.count(), ImportDraft.objects.count()), (count, 0))

    def test_one_bad_row_keeps_all_out(self) -> None:
        good = '{"stage": "fuse", "rating_a": 3}'
        rows = [
            ["name", "kind", "part"],
            ["Good", "fuse", good],
            ["Bad", "fuse", good.replace("3", "-3")],
            ["", "meter", ""],
        ]
        rows += [
            ["Odd", "spaceship", ""],
            ["Twisted", "lead", "{"],
            ["Free", "fuse", '{"stage": "fuse", "rating_a": 3, "x": 1}'],
        ]
        out = io.StringIO()
        csv.writer(out).writerows(rows)
        page = self.upload(out.getvalue().encode()).content.decode()
        self.assertIn("<b>5</b> refused", page)
        told = (
            "part.rating_a: must be above 0 A",
            "name: is missing",
            "kind: must be one of",
            "part: is not a JSON object",
            "part.x: unknown field",
        )
        for why in told:
            self.assertIn(why, page)
        self.assertEqual(self.apply().status_code, 422)
        self.assertFalse(Item.objects.filter(name="Good").exists())

    def test_files_that_are_no_shelf(self) -> None:
        for data, says in (
            (b"", "is empty"),
            (b"\xff\xfe\x00\x01", "not text in UTF-8"),
            (b'{"format": "other"}', "format: must be"),
            (b'{"format": "hermotrope-shelf/1", "items": [1]}', "items: must be a list"),
            (b'{"format": ', "not a JSON document"),
            (b'{"format": "hermotrope-shelf/1", "items": [{"price": NaN}]}', "items[0].price: must be a finite number"),
            (b'{"format": "hermotrope-shelf/1", "items": [{"price": -1e999}]}', "must be a finite number"),
            (b'{"format": "hermotrope-shelf/1", "items": [{"name": "\\ud800"}]}', "surrogates not allowed"),
            (b"[" * 100_000, "nested too deeply"),
            (b'{"format": "hermotrope-shelf/1", "items": [' + b"[" * 200 + b"]" * 201 + b"}", "nested too deeply"),
            (b"name,kind\rx,meter\r", "line 1: "),
            (b"colour,name,kind\n", "unknown column"),
            (b"just some words\n", "unknown column"),
            (b"name,kind\n" + b"x,meter\n" * 20_001, "20001 rows"),
            (b"18 V 5 Ah pack\n" * 5_001, "5001 lines; 5000 labels at most"),
        ):
            with self.subTest(says):
                answer = self.upload(data)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.content.decode().replace("&#x27;", "'"))
        self.assertEqual(self.client.post("/shelf/import/").status_code, 422)

    def test_a_part_with_numbers_that_are_none_is_refused_in_its_row(self) -> None:
        for number in ("NaN", "1e999", "-Infinity"):
            with self.subTest(number):
                rows = f'name,kind,part\nx,fuse,"{{""stage"": ""fuse"", ""rating_a"": {number}}}"\n'.encode()
                row = shelf_file.read(rows)[0]
                with self.assertRaisesRegex(CaseError, "part.rating_a: must be a finite number"):
                    actions.item_from(row)

    def test_formulas_are_disarmed_on_the_way_out_and_restored_on_the_way_in(self) -> None:
        for name in ("=1+1", "+cmd", "-2", "@sum", "\tx", "\nx", "＝1", "plain"):
            Item.objects.create(key=actions.free_key("x" + name), kind="meter", name=name)
        text = self.client.get("/shelf/shelf.csv").content.decode()
        for row in csv.reader(io.StringIO(text)):
            for cell in row:
                self.assertNotRegex(cell, r"^[=+\-@\t\r\n＝＋－＠]")
        names = {row["name"] for row in shelf_file.read(text.encode())}
        self.assertLessEqual({"=1+1", "+cmd", "-2", "@sum", "＝1", "plain"}, names)
        turned = text.replace("plain", "pla\u202ein")
        self.assertEqual({row["name"] for row in shelf_file.read(turned.encode())}, names)

    def test_five_thousand_rows_in_one_go(self) -> None:
        part = json.dumps({"stage": "lead", "length_m": 1, "area_mm2": 0.75})
        out = io.StringIO()
        writer = csv.writer(out, delimiter=";")
        writer.writerow(["name", "kind", "price", "part"])
        writer.writerows([f"Lead {i}", "lead", "1,50", part] for i in range(5000))
        page = self.upload(out.getvalue().encode()).content.decode()
        told = []
        while match := re.search(r'action="(/shelf/import/\d+/read/)".*?<b class="mono">(\d+)</b> of', page, re.S):
            self.assertIn("not read to its end", self.refused())
            told.append(int(match[2]))
            page = self.client.post(match[1], headers={"HX-Request": "true"}).content.decode()
        self.assertEqual(told, list(range(0, 5000, actions.CHUNK)))
        page = self.client.get(f"/shelf/import/{ImportDraft.objects.get().pk}/").content.decode()
        self.assertIn("<b>5000</b> new", page)
        with CaptureQueriesContext(connection) as queries:  # SQLite takes about 75 rows a statement
            self.apply()
        self.assertLess(len(queries), 100)
        self.assertEqual(Item.objects.filter(kind="lead", price=1.5, starter=False).count(), 5000)
        with self.assertNumQueries(7):
            self.client.get("/shelf/")


class Parts(SimpleTestCase):
    def test_a_part_is_validated(self) -> None:
        with self.assertRaisesRegex(CaseError, r"^part\.capacity_ah: must be above"):
            part_from("source", {**part_tree(starter.sources()["bank-10"].source), "capacity_ah": -1})
        with self.assertRaisesRegex(CaseError, "not known"):
            part_from("source", {**part_tree(starter.sources()["bank-10"].source), "chemistry": "mud"})
        with self.assertRaisesRegex(CaseError, r"^part"):
            part_from("fuse", {"stage": "lead", "length_m": 1, "area_mm2": 1})


class History(TestCase):
    """What is changed on the shelf can be taken back by its name."""

    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)

    def post(self, name: str, *args: int, status: int = 200, **data: Any) -> str:
        answer = self.client.post(reverse(name, args=args), data, headers=HTMX)
        self.assertEqual(answer.status_code, status)
        return answer.content.decode()

    def state(self) -> list[dict[str, Any]]:
        return [{**actions.row_of(item), "id": item.pk, "at": item.position} for item in Item.objects.order_by("pk")]

    def test_every_change_is_named_taken_back_and_made_again(self) -> None:
        item = Item.objects.filter(kind="source").first()
        assert item is not None
        three = list(Item.objects.filter(kind="fuse").values_list("pk", flat=True)[:3])
        changes: list[tuple[str, tuple[int, ...], dict[str, Any], str]] = [
            ("shelf-set", (item.pk,), {"field": "price", "text": "12.5"}, "price"),
            ("shelf-set", (item.pk,), {"field": "have", "text": "borrowed"}, "have"),
            ("shelf-part", (item.pk,), {"place": "/capacity_ah", "text": "3 Ah", "known_by": "measured"}, "capacity"),
            ("shelf-several", (), {"pk": three, "do": "borrowed"}, "3 parts: borrowed"),
            ("shelf-several", (), {"pk": three[:2], "do": "remove"}, "2 parts taken off"),
            ("shelf-remove", (item.pk,), {}, "taken off"),
        ]
        states = [self.state()]
        for name, args, data, words in changes:
            self.post(name, *args, **data)
            self.assertNotEqual(self.state(), states[-1], name)
            states.append(self.state())
            shown = self.client.get(reverse("shelf")).content.decode()
            self.assertRegex(shown, f'title="Undo: [^"]*{words}')
        for state in states[-2::-1]:
            text = self.post("shelf-step", by="-1")
            self.assertEqual(self.state(), state)
        self.assertRegex(text, r'value="-1"\s*disabled')
        self.post("shelf-step", by="-1")  # nothing is left to take back
        self.assertEqual(self.state(), states[0])
        for state in states[1:]:
            self.post("shelf-step", by="1")
            self.assertEqual(self.state(), state)

    def test_a_new_change_forgets_what_was_undone_and_old_ones_are_forgotten(self) -> None:
        item = Item.objects.all()[0]
        for price in range(history.KEPT + 5):
            self.post("shelf-set", item.pk, field="price", text=str(price))
        self.assertEqual(Change.objects.count(), history.KEPT)
        self.post("shelf-step", by="-1")
        self.post("shelf-set", item.pk, field="price", text="7")
        self.assertFalse(Change.objects.filter(undone=True).exists())
        self.post("shelf-set", item.pk, field="price", text="7")  # the same again is no change
        self.assertEqual(Change.objects.count(), history.KEPT)

    def test_several_need_a_tick_and_keep_it(self) -> None:
        text = self.post("shelf-several", status=422, do="borrowed")
        self.assertIn("tick at least one", text)
        self.assertIn('<option value="borrowed" selected>', text)
        pk = Item.objects.order_by("-have", "position", "name", "pk")[0].pk
        text = self.post("shelf-several", status=422, do="a dragon", pk=pk)
        self.assertIn("must be one of own, borrowed, maybe", text)
        self.assertRegex(text, rf'value="{pk}" form="several"[^>]*checked')

    def test_what_came_back_under_the_same_key_makes_room(self) -> None:
        before, item = self.state(), Item.objects.filter(starter=True)[0]
        self.post("shelf-remove", item.pk)
        call_command("load_starter", verbosity=0)
        self.assertNotEqual(Item.objects.get(key=item.key).pk, item.pk)
        self.post("shelf-step", by="-1")
        self.assertEqual(self.state(), before)

    def test_an_import_is_taken_back_whole(self) -> None:
        before = self.state()
        rows = [actions.row_of(item) for item in Item.objects.all()[:5]]
        rows = [{**row, "price": 3.25} for row in rows] + [{**rows[0], "key": "", "name": "Quite new"}]
        draft = actions.start_draft("mine.json", rows)
        actions.read_on(draft.pk)
        self.assertEqual(actions.apply_draft(draft.pk), (1, 5))
        self.assertEqual(history.step(-1), "mine.json imported")
        self.assertEqual(self.state(), before)
        history.step(1)
        self.assertTrue(Item.objects.filter(name="Quite new").exists())

    def test_the_drawing_lays_a_device_over_the_packs(self) -> None:
        made = bench_actions.create(case("judgements", "all-well"), "Started")
        text = self.client.get(reverse("shelf"), {"for": made.pk}).content.decode()
        self.assertIn('class="in-mind"', text)
        self.assertNotIn('class="in-mind"', self.client.get(reverse("shelf"), {"for": 999}).content.decode())
        packs = [(one.pk, one.name, part) for one in Item.objects.all() if isinstance(part := one.readable(), Source)]
        drawn = packs_drawn(packs, made.case.device.supply)
        assert drawn is not None and drawn.window is not None
        top, high = drawn.window
        self.assertEqual({shape.fits for shape in drawn.shapes}, {True, False})
        for shape in drawn.shapes:
            self.assertEqual("; within what the device works on" in shape.words, shape.fits)
            inside = top - 0.2 <= shape.y and shape.y + shape.high <= top + high + 4.0
            self.assertTrue(inside or not shape.fits, shape)
            self.assertLessEqual(shape.x + shape.wide, 1200.5)
        self.assertIsNone(packs_drawn([], None))
        boards = [(x.pk, x.name, part) for x in Item.objects.all() if isinstance(part := x.readable(), Holding)]
        shown = boards_drawn(boards, None)
        assert shown is not None
        self.assertTrue(all(shape.out_y is not None and shape.fits is None for shape in shown.shapes))
        self.assertLess(len(shown.shapes), len(boards))  # an inverter has no window


class ListsAndDoubts(SimpleTestCase):
    """Lists of labels, and files that say two things at once."""

    def test_a_list_of_labels_is_a_shelf(self) -> None:
        rows = shelf_file.read(b"10,000 mAh 3.7 V\n\n20V MAX 4Ah 72Wh\n")
        self.assertEqual([row["name"] for row in rows], ["10,000 mAh 3.7 V", "20V MAX 4Ah 72Wh"])
        self.assertEqual({row["kind"] for row in rows}, {"source"})
        with self.assertRaisesRegex(CaseError, "line 2.*says enough"):
            shelf_file.read(b"12V 7Ah\nhello\n")

    def test_too_many_cells_and_doubled_keys_are_refused(self) -> None:
        with self.assertRaisesRegex(CaseError, "line 3.*more cells"):
            shelf_file.read(b"kind,name\nsource,a\nsource,b,c\n")
        with self.assertRaisesRegex(CaseError, "'items' is given twice"):
            shelf_file.read(b'{"format": "hermotrope-shelf/1", "items": [], "items": [1]}')
