"""Runs of a conversion: kept as typed, held against the plan, told together, taken once."""

from __future__ import annotations

from datetime import date, timedelta
from io import BytesIO

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase
from msgspec.structs import replace
from PIL import Image

from hermotrope.bench import actions, trials
from hermotrope.bench.actions import Conflict
from hermotrope.bench.models import Conversion, Trial
from hermotrope.entry.typed import EditError
from hermotrope_core.fit.trials import same_line
from hermotrope_core.kinds.stages import Converter
from hermotrope_core.plan.case import Case
from hermotrope_core.values.known import Known, number
from tests.web.client import Reader
from tests.web.demo import DemoTest

TODAY = date(2026, 6, 20)


class Trials(DemoTest):
    client_class = Reader

    def setUp(self) -> None:
        self.it = next(one for one in Conversion.objects.all() if one.case.device.name == "Sampling boat")
        self.it.trials.all().delete()
        self.url = f"/c/{self.it.pk}/trials/"

    def keep(self, seconds: float, **more: object) -> Trial:
        typed = {"ran": f"{seconds} s", "on": TODAY.isoformat(), **{name: str(text) for name, text in more.items()}}
        found, errors = trials.read(self.it, typed, TODAY)
        self.assertEqual(errors, {})
        return trials.add(self.it, found)

    def test_typed_in_the_page_it_is_held_against_the_plan(self) -> None:
        typed = {
            "ran": "1h40",
            "temperature": "41 °F",
            "how": "it slowed",
            "note": "wind",
            "pack": "A",
            "where": "north pool",
        }
        page = self.client.post(f"{self.url}add/", typed, headers={"HX-Request": "true"})
        row = self.it.trials.get()
        self.assertEqual((row.seconds, round(row.temperature_c or 0.0, 6), row.ended), (6000.0, 5.0, True))
        self.assertAlmostEqual(number(row.case.conditions.temperature_c), 5.0)
        for words in ("It ran 1 h 40", "After 1 run the next one lasts", "north pool", "it slowed", "wind"):
            self.assertContains(page, words)

    def test_a_run_has_a_picture_or_is_told_that_it_is_none(self) -> None:
        out = BytesIO()
        Image.new("RGB", (40, 30), "blue").save(out, "PNG")
        for data, status in ((b"no picture", 422), (out.getvalue(), 200)):
            typed = {"ran": "1h40", "picture": SimpleUploadedFile("p.png", data)}
            page = self.client.post(f"{self.url}add/", typed, headers={"HX-Request": "true"})
            self.assertEqual(page.status_code, status)
        row = self.it.trials.get()
        typed = {"ran": "long", "picture": SimpleUploadedFile("p.png", out.getvalue())}
        again = self.client.post(f"{self.url}add/", typed, headers={"HX-Request": "true"})
        self.assertContains(again, "choose it again", status_code=422)
        self.assertContains(page, f"{self.url}{row.pk}/picture/")
        self.assertEqual(self.client.get(f"{self.url}{row.pk}/picture/")["Content-Type"], "image/jpeg")
        self.assertEqual(self.client.get(f"{self.url}{self.keep(60.0).pk}/picture/").status_code, 404)

    def test_a_kept_log_counts_once_among_the_runs(self) -> None:
        mount = next(one for one in Conversion.objects.all() if one.case.device.name.startswith("Pan mount"))
        log = mount.logs.get()
        for status in (200, 422):
            url = f"/c/{mount.pk}/log/{log.pk}/run/"
            page = self.client.post(f"{url}?log={log.pk}", headers={"HX-Request": "true"})
            self.assertEqual(page.status_code, status)
        row = mount.trials.get()
        self.assertEqual((row.seconds, row.note), (log.lasts_s, f"log “{log.name}”"))

    def test_what_cannot_be_read_is_told_beside_its_field_and_nothing_is_lost(self) -> None:
        typed = {
            "ran": "long",
            "temperature": "warm",
            "how": "x" * 121,
            "on": "2031-01-01",
            "note": "kept as typed",
            "mode": "no such",
        }
        page = self.client.post(f"{self.url}add/", typed, headers={"HX-Request": "true"})
        self.assertEqual(page.status_code, 422)
        for words in ("kept as typed", "a day that has been", "no such mode", 'value="long"', 'value="warm"'):
            self.assertContains(page, words, status_code=422)
        self.assertEqual(page.content.count(b"row-error"), 5)
        self.assertContains(page, "at most 120 letters, these are 121", status_code=422)
        self.assertEqual(self.it.trials.count(), 0)

    def test_odd_days_and_lengths(self) -> None:
        for name, text in (
            ("ran", "0 s"), ("ran", "-1 h"), ("ran", "1e30 h"), ("ran", "nan"), ("on", "0001-01-01"), ("on", "x"),
            ("on", (TODAY + timedelta(days=3)).isoformat()), ("temperature", "-400 °C"),
        ):  # fmt: skip
            with self.subTest(name, text=text):
                self.assertIn(name, trials.read(self.it, {"ran": "1 h", name: text}, TODAY)[1])

    def test_ten_runs_narrow_the_next_and_an_odd_one_is_told(self) -> None:
        middle = self.it.runtime_s or 0.0
        for factor in (0.9, 0.91, 0.89, 0.9, 0.92, 0.88, 0.9, 0.91, 0.9):
            self.keep(middle * factor)
        self.keep(middle * 0.4)
        page = self.client.get(self.url)
        self.assertContains(page, "After 10 runs the next one lasts")
        self.assertContains(page, "Odd among the others", count=1)
        found, asked = trials.together(self.it, list(self.it.trials.all()))
        assert found
        self.assertEqual(len(asked), 10)
        self.assertLess(found.p95 - found.p5, 0.7 * ((self.it.runtime_high_s or 0) - (self.it.runtime_low_s or 0)))
        self.assertAlmostEqual(found.p50 / middle, 0.9, delta=0.03)

    def test_what_the_runs_taught_is_taken_once(self) -> None:
        middle = self.it.runtime_s or 0.0
        for _ in range(6):
            self.keep(middle * 0.85)
        found, _ = trials.together(self.it, list(self.it.trials.all()))
        assert found
        place = found.learned[0].place
        with self.assertRaises(Conflict):
            trials.take(self.it, self.it.version + 1, place)
        with self.assertRaisesRegex(EditError, "nothing sure"):
            trials.take(self.it, self.it.version, "path[0].length_m.nothing")
        done = trials.take(self.it, self.it.version, place)
        self.assertLess(done.runtime_s or 0.0, middle)
        self.assertEqual({row.taken_in for row in self.it.trials.all()}, {done.revision})
        page = self.client.get(self.url)
        self.assertContains(page, "6 runs are in the plan already")
        self.assertNotContains(page, "the next one lasts")  # they are in the plan: they say nothing twice
        actions.step(done.pk, done.version, -1)
        self.assertContains(self.client.get(self.url), "After 6 runs the next one lasts")  # undone, they speak again

    def test_a_run_of_another_set_point_or_part_is_left_out_and_said(self) -> None:
        mount = next(one for one in Conversion.objects.all() if one.case.device.name.startswith("Pan mount"))
        middle = mount.runtime_s or 0.0
        for case in (mount.case, self.moved(mount.case)):
            Trial.objects.create(conversion=mount, case=case, on=TODAY, seconds=middle)
        _, asked = trials.together(mount, list(mount.trials.all()))
        self.assertEqual([row.case for row in asked], [mount.case])
        self.assertContains(self.client.get(f"/c/{mount.pk}/trials/"), "1 of another line is left out")

    def moved(self, case: Case) -> Case:
        """The same line with its converter set a little lower."""
        path = tuple(replace(one, output_v=11.5) if isinstance(one, Converter) else one for one in case.path)
        self.assertNotEqual(path, case.path)
        return replace(case, path=path)

    def test_a_run_typed_before_the_plan_changed_is_one_of_the_plan_before(self) -> None:
        revision = self.it.revision
        edit = {"place": "/source/cutoff_v", "text": "9 V", "version": self.it.version, "panel": "run"}
        self.client.post(f"/c/{self.it.pk}/set/", edit, headers={"HX-Request": "true"})
        self.client.post(f"{self.url}add/", {"ran": "1h", "revision": str(revision)}, headers={"HX-Request": "true"})
        self.client.post(f"{self.url}add/", {"ran": "1h"}, headers={"HX-Request": "true"})
        cut_off = [number(row.case.source.cutoff_v) for row in self.it.trials.all()]
        self.assertEqual(cut_off, [10.0, 9.0])

    def test_what_is_known_better_by_now_is_the_same_line(self) -> None:
        self.keep(self.it.runtime_s or 0.0)
        known = replace(self.it.case.source, capacity_ah=Known(value=5.5, known_by="measured"), price=99.0)
        case = replace(self.it.case, source=known)
        self.assertTrue(same_line(self.it.case, case))
        self.assertFalse(same_line(case, replace(case, source=replace(known, cutoff_v=9.0))))
        supply = replace(case.device.supply, max_v=9.5)
        self.assertFalse(same_line(case, replace(case, device=replace(case.device, supply=supply))))

    def test_stopped_runs_another_line_and_removing(self) -> None:
        row = self.keep(60.0, ended="no")
        page = self.client.get(self.url)
        self.assertContains(page, "It still ran after")
        self.assertContains(page, "no leave to run it so again")  # the boat's line is refused
        self.client.post(f"{self.url}{row.pk}/remove/", headers={"HX-Request": "true"})
        self.assertEqual(self.it.trials.count(), 0)

    def test_a_plan_that_is_open_takes_none(self) -> None:
        receiver = next(one for one in Conversion.objects.all() if one.case.device.name == "Weather receiver")
        page = self.client.post(f"/c/{receiver.pk}/trials/add/", {"ran": "1 h"}, headers={"HX-Request": "true"})
        self.assertContains(page, "answer what is open first", status_code=422)
        self.assertEqual(receiver.trials.count(), 0)


class Nothing(TestCase):
    def test_of_no_conversion(self) -> None:
        for path in ("", "add/", "1/remove/", "take/"):
            method = self.client.get if not path else self.client.post
            self.assertEqual(method(f"/c/99/trials/{path}").status_code, 404, path)
