"""Pages and fragments: what they hold, what they refuse, how many queries they cost."""

from __future__ import annotations

import io
import json
import logging
import re
from html import unescape
from typing import Any
from unittest import mock

import msgspec
from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import Client, TestCase, tag

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.shelf import starter
from hermotrope_core.kinds.switch import Switch
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.document import read_case, tree_of, write_case
from hermotrope_core.tell.help import FIELDS_HELP, PANELS_HELP
from hermotrope_core.values.fields import FIELDS
from tests.lanes import drawn
from tests.support import case, tree
from tests.web.client import Reader

HTMX = {"HX-Request": "true"}


class Pages(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)

    def setUp(self) -> None:
        self.made = actions.create(case("cases", "hide-mount-on-tool-pack"), "Started")

    def post(self, name: str, status: int = 200, **data: Any) -> str:
        form = {"version": Conversion.objects.get(pk=self.made.pk).version, **data}
        answer = self.client.post(f"/c/{self.made.pk}/{name}/", form, headers=HTMX)
        self.assertEqual(answer.status_code, status, answer.content.decode()[:500])
        return answer.content.decode()

    def now(self) -> Conversion:
        return Conversion.objects.get(pk=self.made.pk)

    def test_policy_forbids_inline_and_foreign_things(self) -> None:
        answer = self.client.get("/")
        policy = answer.headers["Content-Security-Policy"]
        self.assertIn("script-src 'self'", policy)
        self.assertNotIn("unsafe", policy)
        for url in ("/", "/new/", f"/c/{self.made.pk}/"):
            text = self.client.get(url).content.decode()
            self.assertNotRegex(text, r"<[^>]+\sstyle=|\son[a-z]+=|https?://(?!www\.w3\.org)")

    def test_forms_of_a_part_bear_the_token_that_was_sent(self) -> None:
        strict = Client(enforce_csrf_checks=True)
        page = strict.get(f"/c/{self.made.pk}/?panel=1").content.decode()
        token = re.findall(r'name="csrfmiddlewaretoken" value="(\w+)"', page)[0]
        sent = {"do": "add", "kind": "switch", "at": 0, "version": self.made.version, "panel": "1"}
        headers = {"HX-Request": "true", "X-CSRFToken": token}
        part = strict.post(f"/c/{self.made.pk}/stage/", sent, headers=headers)
        self.assertEqual(part.status_code, 200)
        self.assertEqual({*re.findall(r'name="csrfmiddlewaretoken" value="(\w+)"', part.content.decode())}, {token})
        forged = strict.post(f"/c/{self.made.pk}/stage/", sent, headers=headers | {"X-CSRFToken": "a" * 64})
        self.assertEqual(forged.status_code, 403)
        self.assertNotIn("a" * 64, forged.content.decode())
        shown = strict.get(f"/c/{self.made.pk}/?panel=1", headers=headers | {"X-CSRFToken": "a" * 64})
        self.assertNotIn("a" * 64, shown.content.decode())  # nothing has checked that one

    def test_only_loopback_names_are_served(self) -> None:
        self.assertEqual(self.client.get("/", headers={"host": "bench.example"}).status_code, 400)
        strict = Client(enforce_csrf_checks=True)
        self.assertEqual(strict.post(f"/c/{self.made.pk}/step/", {"do": "undo"}).status_code, 403)

    def test_what_is_too_much_for_a_form_or_broken_is_told(self) -> None:
        where = f"/c/{self.made.pk}/step/"
        whole = "multipart/form-data; boundary=x"
        for sent, kind, words in (
            ("note=" + "a" * 2_600_000, "application/x-www-form-urlencoded", "more than 2.5 MB of text"),
            ("&".join(f"n{i}=1" for i in range(1001)), "application/x-www-form-urlencoded", "more fields or files"),
            ('--x\r\nContent-Disposition: form-data; name="a"; filename="b"\r\n'
             "Content-Transfer-Encoding: base64\r\n\r\n!\r\n--x--", whole, "cannot be read as a form"),
        ):  # fmt: skip
            for headers, type_ in (({"HX-Request": "true"}, "text/plain"), ({}, "text/html")):
                handler, told = logging.getLogger("django.security").handlers[0], io.StringIO()
                with self.subTest(words=words, type=type_), mock.patch.object(handler, "stream", told):
                    answer = self.client.post(where, sent, content_type=kind, headers=headers)
                    self.assertEqual(answer.status_code, 400)
                    self.assertIn(words, answer.content.decode())
                    self.assertTrue(answer["Content-Type"].startswith(type_))
                    self.assertLessEqual(told.getvalue().count("\n"), 1)  # no trace of ours fills the log
        self.assertEqual(Conversion.objects.get(pk=self.made.pk).version, self.made.version)

    def test_what_is_typed_arrives_without_signs_that_nobody_sees(self) -> None:
        sent = {"place": "/title", "text": "Lamp \u202e21 V\x00\u2067 👩‍🔧", "version": self.made.version}
        self.assertEqual(self.client.post(f"/c/{self.made.pk}/set/", sent, headers=HTMX).status_code, 200)
        self.assertEqual(Conversion.objects.get(pk=self.made.pk).title, "Lamp 21 V 👩‍🔧")
        self.assertContains(self.client.get("/", {"find": "La\u200bmp 2"}), "Lamp 21 V")

    def test_every_panel_opens(self) -> None:
        for panel in (
            "",
            "1",
            "2",
            "3",
            "4",
            "5",
            "6",
            "run",
            "record",
            "add-0",
            "add-4",
            "add-99",
            "77",
            "-1",
            "x'><",
        ):
            with self.subTest(panel):
                whole = self.client.get(f"/c/{self.made.pk}/", {"panel": panel})
                part = self.client.get(f"/c/{self.made.pk}/", {"panel": panel}, headers=HTMX)
                self.assertEqual((whole.status_code, part.status_code), (200, 200))
                self.assertIn(b"<!doctype", whole.content)
                self.assertNotIn(b"<!doctype", part.content)
        self.assertEqual(self.client.get("/c/999/").status_code, 404)

    def test_a_field_is_set_and_everything_follows(self) -> None:
        text = self.post("set", place="/source/capacity_ah", text="2000 mAh", known_by="measured")
        self.assertIn('value="2 Ah"', text)
        for part in ("line", "scrub", "verdict", "scale", "state", "history"):
            self.assertRegex(text, rf'id="{part}"[^>]*hx-swap-oob="true"')
        stage = self.post("set", panel="2", place="/path/0/rating_a", text="7 A", known_by="label")
        self.assertRegex(stage, r'id="outcome"[^>]*hx-swap-oob="true"')
        self.assertEqual(self.now().case.source.capacity_ah.known_by, "measured")  # type: ignore[union-attr]

    def test_undo_and_redo_say_what(self) -> None:
        self.post("set", place="/source/capacity_ah", text="2000 mAh", known_by="measured")
        text = self.post("set", place="/source/cutoff_v", text="15.5 V", known_by="measured")
        self.assertRegex(text, r'id="undo"[^>]*title="Undo: Cut-off')
        self.assertRegex(text, r'id="redo"[^>]*disabled')
        text = self.post("step", do="undo")
        self.assertRegex(text, r'id="undo"[^>]*title="Undo: Capacity')
        self.assertRegex(text, r'id="redo"[^>]*title="Redo: Cut-off')
        self.assertRegex(self.post("step", do="undo"), r'id="undo"[^>]*disabled')

    def test_an_empty_bench_opens_an_example(self) -> None:
        Conversion.objects.all().delete()
        self.assertIn("Open an example", self.client.get("/").content.decode())
        answer = self.client.post("/new/", {"device": "example"}, follow=True)
        self.assertEqual(answer.status_code, 200)
        made = Conversion.objects.get()
        self.assertEqual((made.title, made.verdict, made.proved_on), ("Pan mount, Hide 3", "fits", None))
        self.assertNotIn("Open an example", self.client.get("/").content.decode())

    def test_the_guide_tells_every_panel_and_figure(self) -> None:
        text = self.client.get("/guide/").content.decode()
        for key in PANELS_HELP:
            self.assertIn(f'id="{key}"', text)
        self.assertEqual(text.count('<th scope="row">'), len(FIELDS))
        panel = self.client.get(f"/c/{self.made.pk}/?panel=1").content.decode()
        self.assertIn(PANELS_HELP["source"][1], panel)
        self.assertIn(FIELDS_HELP["capacity_ah"], unescape(panel))

    def test_the_bench_is_searched_and_ordered(self) -> None:
        for title, pack in (("Owl box lamp", "5S2P tool pack"), ("Adder gate", "3S1P pack")):
            actions.create(case("judgements", "all-well", title=title, **{"source.name": pack}), "Started")

        def titles(**asked: str) -> list[str]:
            text = self.client.get("/", asked).content.decode()
            return re.findall(r'<h2>.*?<a href="/c/\d+/">([^<]+)</a>', text, re.DOTALL)

        self.assertEqual(titles(q="owl lamp"), ["Owl box lamp"])
        self.assertEqual(titles(q="3S1P"), ["Adder gate"])
        self.assertEqual(titles(q="nothing of that kind"), [])
        self.assertIn("Nothing on the bench is called", self.client.get("/", {"q": "<b>"}).content.decode())
        self.assertNotIn("<b>”", self.client.get("/", {"q": "<b>"}).content.decode())
        named = titles(order="name")
        self.assertEqual(named, sorted(named))
        self.assertEqual(len(titles(order="no such")), len(named))
        self.assertEqual(titles(q="owl", show="refused"), [])

    def test_a_refused_entry_stays_with_its_reason(self) -> None:
        text = self.post("set", 422, place="/source/capacity_ah", text="<b>12 V", known_by="label")
        self.assertIn("&lt;b&gt;12 V", text)
        self.assertIn("is not ampere-hours", text)
        text = self.post("set", 422, place="/device/supply/min_v", text="14 V")
        self.assertIn("is above nominal_v", text)
        plain = self.client.post(
            f"/c/{self.made.pk}/set/", {"version": 1, "place": "/path/0/rating_a", "text": "lots", "panel": "2"}
        )
        self.assertEqual(plain.status_code, 422)
        self.assertIn('value="lots"', plain.content.decode())
        self.assertEqual(self.now().version, 1)

    def test_a_refused_choice_is_told_on_the_page(self) -> None:
        self.post("set", place="/device/inlet/kind", text="usb-c")
        text = self.post("set", 422, place="/device/inlet/kind", text="")
        self.assertIn("Connector: missing", text)
        self.assertIn('id="line"', text)

    def test_two_tabs(self) -> None:
        self.post("set", place="/path/0/rating_a", text="10 A")
        text = self.post("set", 409, place="/path/0/rating_a", text="3 A", version=1)
        self.assertIn('value="3 A"', text)
        self.assertIn("Changed in another tab to 10 A", text)
        self.assertIn('name="version" value="2"', text)
        for name, data in (
            ("step", {"do": "undo"}),
            ("cure", {"code": "x"}),
            ("pack", {"key": "bank-10"}),
            ("stage", {"do": "remove", "at": 0}),
        ):
            with self.subTest(name):
                text = self.post(name, 409, version=1, **data)
                self.assertIn("nother tab" if name != "cure" else "no longer there", text)
        self.assertEqual(self.now().version, 2)

    def test_nonsense_is_refused_without_harm(self) -> None:
        for name, data in (
            ("set", {"place": "/no/such", "text": "1"}),
            ("set", {"place": "/path/9/rating_a", "text": "1"}),
            ("set", {"place": "/device/modes/9/name", "text": "x"}),
            ("set", {"place": "/device/modes/0/kind", "text": "force"}),
            ("set", {"place": "/path/0/stage", "text": "lead"}),
            ("set", {"place": "", "text": ""}),
            ("pack", {"key": "nothing"}),
            ("stage", {"do": "add", "kind": "teleport", "at": "0"}),
            ("stage", {"do": "later", "at": "3"}),
            ("stage", {"do": "remove", "at": "99999999999999"}),
            ("mode", {"do": "remove", "at": "7"}),
            ("duty", {"do": "add", "mode": "dance", "text": "5 min"}),
            ("duty", {"do": "add", "mode": "hold", "text": "soon"}),
            ("choice", {"code": "gravity", "reason": "why not"}),
            ("choice", {"code": "over-max", "reason": " "}),
            ("trait", {"trait": "haunted", "text": "yes"}),
            ("done", {"text": "-4 h"}),
            ("remove", {}),
        ):
            with self.subTest(name, **data):
                answer = self.client.post(f"/c/{self.made.pk}/{name}/", {"version": 1, **data}, headers=HTMX)
                self.assertIn(answer.status_code, (409, 422))
        self.assertEqual(self.now().version, 1)

    def test_stages_modes_duty_and_packs(self) -> None:
        for kind in ("fuse", "switch", "cut-off", "resistor", "diode", "converter", "linear", "lead"):
            self.post("stage", do="add", kind=kind, at=0)
        self.assertEqual(len(self.now().case.path), 12)
        path, source = self.now().case.path, self.now().case.source
        assert source is not None
        told = self.post("stage", do="later", at=0)
        self.assertIn(f"{path[0].title} stands between {path[1].title} and {path[2].title} now.", unescape(told))
        told = self.post("stage", do="earlier", at=1)
        self.assertIn(f"{path[0].title} stands between {source.name} and {path[1].title} now.", unescape(told))
        self.assertIn(f"Taken out: {path[0].title}.", unescape(self.post("stage", do="remove", at=0)))
        self.post("mode", do="add")
        self.post("duty", do="add", mode="slew", text="4h30")
        self.post("duty", do="remove", at=0)
        self.post("mode", do="remove", at=2)
        self.post("pack", key="bank-10")
        self.assertEqual(self.now().case.source.name, "10,000 mAh bank")  # type: ignore[union-attr]
        self.post("set", place="/device/modes/0/name", text="stand")
        self.assertEqual([s.mode for s in self.now().case.duty.repeat], ["slew", "slew"])
        self.post("done", text="4h30")
        self.assertEqual(self.now().measured_s, 16200)
        self.post("done", do="undo")
        self.client.post(f"/c/{self.made.pk}/remove/", {"version": self.now().version, "sure": "yes"})
        self.assertFalse(Conversion.objects.exists())

    def test_an_address_comes_back_to_its_thing(self) -> None:
        def met(query: str) -> tuple[str, str]:
            page = self.client.get(f"/c/{self.made.pk}/{query}").content.decode()
            found = re.search(r'data-panel="(\w+)" data-address="([^"]*)"', page)
            assert found is not None
            return found[1], unescape(found[2])

        stations = [str(at + 2) for at in range(len(self.made.case.path) + 1)]
        kept = [met(f"?panel={key}") for key in stations]
        self.post("stage", do="add", kind="switch", at=0)
        self.assertEqual([met(address)[0] for _, address in kept], [str(int(key) + 1) for key, _ in kept])
        self.post("stage", do="add", kind=self.now().case.path[1].kind, at=len(self.now().case.path))
        self.assertEqual(met(kept[0][1])[0], "3")  # the first of its kind stays the first of them
        self.post("stage", do="remove", at=1)
        self.assertTrue(met(kept[0][1])[0])
        for odd in ("", "x", "Fuse", "Fuse 0 of 1", "Fuse 99999999999999999999", "Fuse -1 of 1", " of "):
            self.assertEqual(met(f"?panel=2&of={odd}")[0], "2", odd)

    def test_a_path_that_is_full_says_so(self) -> None:
        case = self.now().case
        switches = (Switch(resistance_ohm=0.001),) * (39 - len(case.path))
        actions.put(
            self.made.pk, self.now().version, msgspec.structs.replace(case, path=(*case.path, *switches)), "Filled"
        )
        self.post("stage", do="add", kind="switch", at=1)
        self.assertIn("more than 40 stages", self.post("stage", 422, do="add", kind="switch", at=1))
        self.assertEqual(len(self.now().case.path), 40)

    def test_workings(self) -> None:
        text = self.client.get(f"/c/{self.made.pk}/working/inlet/", {"soc": "0.6", "mode": "slew"}).content.decode()
        self.assertIn("60.0 % charge", text)
        self.assertEqual(
            self.client.get(f"/c/{self.made.pk}/working/inlet/", {"soc": "x", "mode": "x"}).status_code, 200
        )
        self.assertIn("usable charge", self.client.get(f"/c/{self.made.pk}/working/runtime/").content.decode())
        self.assertEqual(self.client.get(f"/c/{self.made.pk}/working/magic/").status_code, 404)

    def test_a_blank_device_is_led_through_its_questions(self) -> None:
        answer = self.client.post("/new/", {"device": "blank", "name": "<i>Lamp</i>"}, follow=True)
        text = answer.content.decode()
        self.assertIn("&lt;i&gt;Lamp", text)
        self.assertIn("At how many volts does it stop working?", text)
        self.assertEqual(self.client.post("/new/", {"device": "nothing"}).status_code, 422)

    def test_queries_do_not_grow(self) -> None:
        with self.assertNumQueries(2):
            self.client.get("/")
        with self.assertNumQueries(2):
            self.client.get(f"/c/{self.made.pk}/")
        for _ in range(4):
            actions.create(case("cases", "reference-1"), "Started")
            self.post("set", place="/title", text=f"x{_}")
        with self.assertNumQueries(2):
            self.client.get("/")
        with self.assertNumQueries(2):
            self.client.get(f"/c/{self.made.pk}/")


class ImportExport(TestCase):
    client_class = Reader

    def upload(self, data: bytes) -> Any:
        return self.client.post("/import/", {"file": SimpleUploadedFile("case.json", data, "application/json")})

    def test_there_and_back_gives_the_same_numbers(self) -> None:
        made = actions.create(case("cases", "gauge-panel-boosted"), "Started")
        file = self.client.get(f"/c/{made.pk}/case.json")
        self.assertIn("attachment", file.headers["Content-Disposition"])
        self.assertEqual(read_case(file.content), made.case)
        self.upload(file.content)
        again = Conversion.objects.exclude(pk=made.pk).get()
        self.assertEqual((again.runtime_s, again.verdict, again.case), (made.runtime_s, made.verdict, made.case))

    def test_bad_files_are_told_and_nothing_is_kept(self) -> None:
        whole = write_case(case("cases", "reference-1"))
        for data, says in (
            (b"", "empty"),
            (whole[:-40].encode(), "not a JSON document"),
            (b"x" * 2_100_000, "more than 2 MB"),
            (whole.replace("case/1", "case/9").encode(), "newer"),
            (whole.replace('"capacity_ah"', '"capacity"').encode(), "source.capacity"),
            (b"\xff\xfe\x00", "not a JSON document"),
        ):
            with self.subTest(says):
                answer = self.upload(data)
                self.assertEqual(answer.status_code, 422)
                self.assertIn(says, answer.content.decode())
        self.assertEqual(self.client.post("/import/").status_code, 422)
        self.assertFalse(Conversion.objects.exists())

    def test_an_unfinished_case_is_welcome(self) -> None:
        self.upload(json.dumps(tree("cases", "reference-1", source=None)).encode())
        self.assertEqual(Conversion.objects.get().verdict, "open")


class Starters(TestCase):
    client_class = Reader

    def test_the_shelf(self) -> None:
        listed = starter.sources()
        self.assertGreaterEqual(len(listed), 15)
        self.assertEqual({item.source.chemistry for item in listed.values()}, set(CHEMISTRIES))
        self.assertEqual(len(starter.devices()), 10)

    @tag("slow")
    def test_every_device_on_every_pack_is_judged(self) -> None:
        for device in starter.devices().values():
            for pack in starter.sources().values():
                if not drawn(f"{device.key} {pack.key}", 8):
                    continue
                made = actions.with_source(actions.new_case(device.title, device.device, device.duty), pack.source)
                with self.subTest(device.key, pack=pack.key):
                    conversion = actions.create(made, "x")
                    answer = self.client.get(f"/c/{conversion.pk}/")
                    self.assertEqual(answer.status_code, 200)
                    self.assertEqual(tree_of(read_case(write_case(made))), tree_of(made))

    def test_the_demonstration(self) -> None:
        call_command("load_demo", verbosity=0)
        call_command("load_demo", verbosity=0)
        shown = Conversion.objects.values_list("verdict", flat=True)
        self.assertGreaterEqual(len(shown), 5)
        self.assertEqual(set(shown), {"open", "refused", "fits with care", "fits"})
        self.assertEqual(Conversion.objects.get(title="Bat detector").end_cause, "auto-off")
        self.assertTrue(Conversion.objects.get(title__startswith="Pan mount").done_on)
        for show in ("all", "done", "fits", "care", "refused", "open", "nonsense"):
            self.assertEqual(self.client.get("/", {"show": show}, headers=HTMX).status_code, 200)
