"""The logbook: everything that happened once, narrowed, paged, written, taken away."""

from __future__ import annotations

import csv
import json
from datetime import date, datetime, timedelta
from io import BytesIO, StringIO
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.core.management import call_command
from django.test import TestCase
from django.utils import timezone
from PIL import Image

from hermotrope.bench.models import Conversion, Revision
from hermotrope.logbook import entries
from hermotrope.logbook.models import Entry
from hermotrope.logbook.timeline import KINDS, MOST, Filter, everything, timeline
from hermotrope.shelf.models import Item
from tests.web.client import Reader
from tests.web.demo import DemoTest

TODAY = date(2026, 6, 20)


def wrote(**typed: str) -> Entry:
    found, errors = entries.read({"on": TODAY.isoformat(), **typed}, TODAY)
    assert not errors, errors
    return entries.add(found, typed.get("device", ""), None)


class Timeline(DemoTest):
    client_class = Reader

    def test_every_kind_of_thing_is_told_with_its_device(self) -> None:
        call_command("load_logbook", verbosity=0)
        for kind in KINDS:
            lines, _ = timeline(Filter(kind=kind))
            if kind != "swapped":
                self.assertTrue(lines, kind)
            self.assertEqual({one.kind for one in lines} - {kind}, set())
        page = self.client.get("/logbook/")
        for words in ("Read at the gates", "Water in the lamp", "east side", "Pan mount, Hide 3"):
            self.assertContains(page, words)

    def test_narrowed_by_each_and_by_all(self) -> None:
        lamps = next(one for one in Conversion.objects.all() if one.case.device.name == "Jetty lamps")
        wrote(kind="charged", pack="A", device=str(lamps.pk), text="overnight")
        wrote(kind="charged", pack="B", text="overnight")
        self.assertEqual([one.pack for one in timeline(Filter(pack="A"))[0]], ["A"])
        self.assertEqual({one.device for one in timeline(Filter(device=lamps.pk))[0]}, {lamps.title})
        self.assertEqual(len(timeline(Filter(words="OVERNIGHT"))[0]), 2)
        self.assertEqual(len(timeline(Filter(words="overnight jetty"))[0]), 1)
        may = timeline(Filter(month=date(2026, 5, 1), kind="run"))[0]
        self.assertEqual({one.on.month for one in may}, {5})
        self.assertEqual(len([one for one in may if one.device == lamps.title]), 4)
        self.assertEqual(timeline(Filter(words="overnight", month=date(2026, 5, 1)))[0], [])

    def test_pages_go_on_without_losing_or_doubling_a_line(self) -> None:
        for i in range(150):
            Entry.objects.create(kind="note", on=TODAY - timedelta(days=i // 7), text=f"n{i}")
        found: list[str] = []
        asked: Filter | None = Filter(kind="note")
        pages = 0
        while asked:
            lines, before = timeline(asked)
            found += [one.words for one in lines]
            pages += 1
            asked = Filter(kind="note", before=before) if before else None
        self.assertEqual(len(found), 150)
        self.assertEqual(len(set(found)), 150)
        self.assertEqual(pages, 3)

    def test_more_rows_than_a_source_is_asked_for(self) -> None:
        Entry.objects.bulk_create(
            Entry(kind="note", on=TODAY - timedelta(days=i // 9), text=f"n{i}") for i in range(MOST * 2)
        )
        seen, asked = set(), Filter(kind="note")
        for _ in range(40):
            lines, before = timeline(asked)
            seen |= {one.words for one in lines}
            if before is None:
                break
            asked = Filter(kind="note", before=before)
        self.assertEqual(len(seen), MOST * 2)
        whole = json.loads(self.client.get("/logbook/logbook.json?kind=note").content)["lines"]
        self.assertEqual([one["words"] for one in whole[:2]], [f"n{8}", f"n{7}"])  # of one day, the last written first
        self.assertEqual({one["words"] for one in whole}, seen)
        self.assertEqual(len(whole), MOST * 2)

    def test_one_full_day_and_many_changes_are_cut_nowhere(self) -> None:
        """A day with more rows than are asked for at once, and rows that are told together."""
        Entry.objects.bulk_create(Entry(kind="note", on=TODAY, text=f"n{i}") for i in range(MOST + 50))
        boat = next(one for one in Conversion.objects.all() if one.case.device.name == "Sampling boat")
        moment = timezone.make_aware(datetime(2026, 1, 1, 8))
        Revision.objects.filter(conversion=boat).update(made_at=moment)
        Revision.objects.bulk_create(
            Revision(conversion=boat, number=100 + i, case=boat.case, label="again") for i in range(MOST + 20)
        )
        lines, _ = timeline(Filter())
        self.assertEqual(sum(one.kind == "note" and one.on == TODAY for one in lines), 0)  # today's changes come first
        found = everything(Filter(), 10**6)
        self.assertEqual(sum(one.on == TODAY and one.kind == "note" for one in found), MOST + 50)
        changes = [one for one in found if one.kind == "changed" and one.device_pk == boat.pk]
        self.assertIn(f"again and {MOST + 19} more", {one.words for one in changes})
        self.assertEqual(min(one.on for one in changes), date(2026, 1, 1))

    def test_so_many_questions_however_much_there_is(self) -> None:
        with self.assertNumQueries(10):
            timeline(Filter())
        Entry.objects.bulk_create(Entry(kind="note", on=TODAY, text="x", pack="A") for _ in range(50))
        with self.assertNumQueries(10):
            timeline(Filter())

    def test_files_hold_the_same_lines_and_run_nothing(self) -> None:
        wrote(kind="note", text="=1+1")
        lines = json.loads(self.client.get("/logbook/logbook.json?kind=note").content)["lines"]
        self.assertEqual([one["words"] for one in lines], ["=1+1"])
        rows = list(csv.DictReader(StringIO(self.client.get("/logbook/logbook.csv?kind=note").content.decode())))
        self.assertEqual([row["words"] for row in rows], ["'=1+1"])
        both = (self.client.get(f"/logbook/logbook.{kind}").content.decode() for kind in ("csv", "json"))
        self.assertTrue(all("Pan mount, Hide 3" in one for one in both))

    def test_odd_addresses_ask_for_nothing(self) -> None:
        odd = "month=9999-99 before=x device=1e9 device=² kind=all q=%00 pack=%ff month=0001-01"
        for query in odd.split():
            self.assertEqual(self.client.get(f"/logbook/?{query}").status_code, 200, query)


class Writing(TestCase):
    client_class = Reader

    def post(self, **typed: Any) -> Any:
        return self.client.post("/logbook/write/", {"kind": "note", "on": "2026-05-03", **typed})

    def picture(self) -> SimpleUploadedFile:
        out = BytesIO()
        Image.new("RGB", (60, 40), "red").save(out, "PNG")
        return SimpleUploadedFile("p.png", out.getvalue())

    def test_a_note_with_a_picture_comes_and_goes(self) -> None:
        self.assertRedirects(self.post(text="Two lines\nof it", picture=self.picture()), "/logbook/")
        row = Entry.objects.get()
        page = self.client.get("/logbook/")
        self.assertContains(page, "Two lines<br>of it")
        self.assertContains(page, f"/logbook/{row.pk}/picture/")
        shown = self.client.get(f"/logbook/{row.pk}/picture/")
        self.assertEqual(shown["Content-Type"], "image/jpeg")
        self.client.post(f"/logbook/{row.pk}/remove/")
        self.assertEqual(self.client.get(f"/logbook/{row.pk}/picture/").status_code, 404)

    def test_what_is_wrong_is_told_beside_its_field_and_nothing_is_lost(self) -> None:
        for typed, words in (
            ({}, "a note says something"),
            ({"kind": "charged", "text": "kept"}, "which pack?"),
            ({"kind": "pack", "pack": "A"}, "its capacity or its resistance"),
            ({"kind": "pack", "pack": "A", "capacity_ah": "-1 Ah"}, "must be above 0 Ah and at most 100000 Ah"),
            ({"text": "x" * 1001}, "at most 1000 letters, these are 1001"),
            ({"kind": "pack", "pack": "A", "resistance_ohm": "much"}, "much"),
            ({"kind": "charged", "pack": "A", "months": "0"}, "whole months"),
            ({"kind": "charged", "pack": "A", "months": "²"}, "whole months"),
            ({"kind": "odd", "text": "x"}, "one of those listed"),
            ({"text": "x", "on": "2031-01-01"}, "a day that has been"),
            ({"text": "kept as typed", "picture": SimpleUploadedFile("p.png", b"no picture")}, "kept as typed"),
        ):
            with self.subTest(typed):
                self.assertContains(self.post(**typed), words, status_code=422)
        self.assertEqual(Entry.objects.count(), 0)

    def test_the_life_of_a_pack_and_its_reminder(self) -> None:
        call_command("load_logbook", verbosity=0)
        page = self.client.get("/logbook/", {"pack": "Jetty pack"})
        self.assertContains(page, "<b>80 %</b> of 5.9 Ah left")
        self.assertContains(page, "it is to be retired about")
        self.assertContains(page, "1 charge written down")
        self.assertContains(page, "<polyline")
        due = self.client.get("/logbook/charges.ics").content.decode()
        self.assertIn("Charge Jetty pack", due)
        self.assertIn("20260905T100000", due)

    def test_a_pack_on_the_shelf_tells_its_life(self) -> None:
        call_command("load_starter", verbosity=0)
        pack = Item.objects.filter(kind="source")[0]
        page = self.client.get(f"/shelf/{pack.pk}/")
        self.assertContains(page, "/logbook/life/?pack=")
        for capacity in ("2 Ah", "1 Ah"):
            wrote(kind="pack", pack=pack.name, capacity_ah=capacity)
        self.assertContains(self.client.get("/logbook/life/", {"pack": pack.name}), "<polyline")
        self.assertContains(self.client.get("/logbook/life/?pack=none"), "Nobody measured")

    def test_an_empty_logbook_says_how_it_begins(self) -> None:
        self.assertContains(self.client.get("/logbook/"), "Nothing happened yet")
        self.assertContains(self.client.get("/logbook/?kind=run"), "Nothing of that kind happened")
