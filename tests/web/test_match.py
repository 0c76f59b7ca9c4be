"""The Match panel: what it asks and answers, what it refuses, and taking a way."""

from __future__ import annotations

import re
import time
from typing import Any
from unittest import mock

from django.core.management import call_command
from django.test import TestCase
from django.urls import reverse
from msgspec.structs import replace

from hermotrope.bench import actions, matching, searching
from hermotrope.bench.models import Conversion
from hermotrope.bench.searcher import Question
from hermotrope.bench.searching import Job
from hermotrope.shelf.models import Item
from hermotrope_core.match.request import WISHES
from hermotrope_core.match.search import Limits
from hermotrope_core.plan.document import case_from
from hermotrope_core.values.known import number
from hermotrope_core.values.liking import METRIC
from tests.shelves import request
from tests.support import case, tree
from tests.web.client import Reader


def _words(page: Any) -> str:
    return " ".join(page.content.decode().split())


class Match(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)
        Item.objects.filter(key__in=("tool-18-4", "converter-2", "lfp-12-6", "bank-20")).update(have="own")

    def setUp(self) -> None:
        self.enterContext(mock.patch.multiple(matching, WAITS_S=60.0, OPENING_WAITS_S=60.0))
        self.made = actions.create(case("judgements", "all-well"), "Started")

    def ways(self, **asked: Any) -> str:
        url = reverse("ways", args=[self.made.pk])
        return self.client.get(
            url, {"asked": "1", "all_parts": "on", **asked}, headers={"HX-Request": "true"}
        ).content.decode()

    def ids(self, text: str) -> list[str]:
        return re.findall(r'id="way-([0-9a-f]{12})"', text)

    def take(self, **chosen: str) -> Any:
        now = Conversion.objects.get(pk=self.made.pk)
        data = {"version": now.version, "panel": "match", "query": "asked=1&all_parts=on", **chosen}
        return self.client.post(reverse("take", args=[self.made.pk]), data, headers={"HX-Request": "true"})

    def test_the_panel_lists_what_fits_and_what_was_refused(self) -> None:
        text = self.client.get(f"{self.made.get_absolute_url()}?panel=match").content.decode()
        self.assertEqual(len(self.ids(text)), matching.SHOWN)
        self.assertIn("Straight to the device", text)
        self.assertIn("The full pack exceeds what the converter takes in", text)
        self.assertIn("Cure: ", text)

    def test_the_way_in_use_stands_first_under_the_same_question(self) -> None:
        text = self.ways()
        now, rest = text.split('<ol class="way-list">')
        self.assertIn("as it is", now)
        self.assertNotIn("as it is", rest)
        self.assertIn("Fuse", now)

        def runs(text: str) -> str:
            found = re.search(r'in-use.*?<dd class="mono">([^<]+)', text, re.S)
            assert found is not None
            return found[1]

        self.assertNotEqual(runs(text), runs(self.ways(twice="on")))
        actions.put(self.made.pk, self.made.version, replace(self.made.case, source=None, path=()), "No pack")
        self.assertNotIn("as it is", self.ways())

    def test_a_way_is_taken_and_can_be_undone(self) -> None:
        first = self.ids(self.ways())[0]
        self.assertEqual(self.take(way=first).status_code, 200)
        taken = Conversion.objects.get(pk=self.made.pk)
        self.assertNotEqual(taken.case.path, self.made.case.path)
        self.assertIn(taken.verdict, ("fits", "fits with care"))
        back = actions.step(taken.pk, taken.version, -1)
        self.assertEqual(back.case, self.made.case)

    def test_the_cure_of_a_near_miss_is_taken(self) -> None:
        codes = re.findall(r'name="cure" value="([a-z-]+)"', self.ways())
        self.assertGreater(len(codes), 2)
        self.take(cure=codes[0])
        self.assertNotEqual(Conversion.objects.get(pk=self.made.pk).verdict, "refused")

    def test_what_is_gone_is_told(self) -> None:
        for chosen in ({"way": "0" * 12}, {"cure": "no-such"}, {}):
            answer = self.take(**chosen)
            self.assertEqual(answer.status_code, 422)
            self.assertContains(answer, "no longer there", status_code=422)

    def test_another_tab_is_not_overwritten(self) -> None:
        first = self.ids(self.ways())[0]
        stale = {"version": 99, "query": "asked=1&all_parts=on", "way": first}
        answer = self.client.post(reverse("take", args=[self.made.pk]), stale, headers={"HX-Request": "true"})
        self.assertEqual(answer.status_code, 409)

    def test_wishes_and_what_ifs_change_the_answer(self) -> None:
        light, longest = (self.ids(self.ways(**{wish: "3"}, **{o: "0" for o in WISHES if o != wish}))[0]
                          for wish in ("lightest", "longest"))  # fmt: skip
        self.assertNotEqual(light, longest)
        self.assertNotIn("buck", "".join(re.findall(r"<p>Through a (\w+)", self.ways(no_soldering="on"))))
        self.assertIn("runs for less than the 40 h", self.ways(hours="40 h"))
        self.assertNotEqual(self.ids(self.ways(twice="on")), self.ids(self.ways()))
        self.assertNotIn("From the wall", self.ways())
        self.assertIn("From the wall", self.ways(wall="on"))
        mine = self.client.get(reverse("ways", args=[self.made.pk]), {"asked": "1"}).content.decode()
        self.assertNotIn("might buy", mine.split("Refused")[0])

    def test_what_is_not_understood_stays_with_its_reason(self) -> None:
        text = self.ways(temperature="cosy", hours="-3 h")
        self.assertIn("for example 5 °C", text)
        self.assertIn("must be from 0 h", text)
        page = self.client.get(f"{self.made.get_absolute_url()}?panel=match&asked=1&temperature=cosy").content.decode()
        self.assertIn('value="cosy"', page)
        self.assertIn('aria-invalid="true"', page)

    def test_side_by_side_up_to_four(self) -> None:
        ids = self.ids(self.ways(most="40"))
        text = self.ways(vs=ids[:5])
        self.assertEqual(text.count('class="pack-span" points="0,'), 4)
        self.assertIn("compare-curves", text)
        self.assertIn('class="differs"', text)
        self.assertNotIn("compare-table", self.ways(vs=ids[:1]))

    def test_why_shows_the_working_of_every_finding(self) -> None:
        ids = self.ids(self.ways(most="60"))
        seen = ""
        for one in ids[:20]:
            seen += self.client.get(
                reverse("way", args=[self.made.pk, one]), {"asked": "1", "all_parts": "on"}
            ).content.decode()
        self.assertIn("geometric mean", seen)
        self.assertIn("held against", seen)
        self.assertEqual(self.client.get(reverse("way", args=[self.made.pk, "0" * 12])).status_code, 404)

    def test_a_half_entered_device_is_told_what_is_missing(self) -> None:
        blank = tree("judgements", "all-well", **{"device.supply.min_v": None})
        made = actions.create(case_from(blank), "Started")
        page = self.client.get(f"{made.get_absolute_url()}?panel=match")
        self.assertContains(page, "First it must know")

    def test_what_stands_at_the_device_is_said_once(self) -> None:
        made = actions.create(case("judgements", "nobody-has-measured"), "Started")
        page = self.client.get(f"{made.get_absolute_url()}?panel=match")
        self.assertContains(page, "Before any of them", count=1)
        self.assertContains(page, 'class="way"')

    def test_long_work_shows_progress_and_can_be_stopped(self) -> None:
        self.enterContext(mock.patch.object(matching, "WAITS_S", 0.0))
        url = reverse("ways", args=[self.made.pk])
        text = self.client.get(url, {"asked": "1", "all_parts": "on", "temperature": "3 °C"}).content.decode()
        self.assertIn("Trying every way", text)
        key = re.findall(r'name="job" value="([0-9a-f]+)"', text)[0]
        job = searching.known_job(key)
        assert job is not None
        stopped = self.client.post(
            reverse("ways-stop", args=[self.made.pk]), {"job": key, "query": "asked=1&all_parts=on&temperature=3+°C"}
        )
        self.assertEqual(stopped.status_code, 200)
        found = job.wait(30)
        assert found is not None
        self.assertEqual(found.complete, job.done == job.total)

    def test_what_was_not_tried_is_told_in_numbers(self) -> None:
        twin = Item.objects.filter(kind="source").exclude(have="maybe").first() or Item.objects.get(key="lead-12-7")
        for n in range(2):
            twin.pk, twin.key, twin.name = None, f"twin-{n}", f"twin {n}"
            twin.save(force_insert=True)
        url = f"{self.made.get_absolute_url()}?panel=match"
        self.assertIn("2 more on the shelf are like one of these but for the name", _words(self.client.get(url)))
        job = Job(Question(request(200, 60), Limits(), METRIC))
        while not job.done:
            time.sleep(0.01)
        job.stop()
        found = job.wait(60.0)
        assert found is not None
        with mock.patch.object(matching, "job_for", return_value=("key", job)):
            told = _words(self.client.get(url))
        self.assertIn(f"{len(found.fitting)} of {found.tried} ways fit", told.replace("<b>", "").replace("</b>", ""))
        self.assertIn(f"Only {found.packs} of 200 packs were tried, those at hand first", told)

    def test_queries_do_not_grow_with_the_shelf(self) -> None:
        url = f"{self.made.get_absolute_url()}?panel=match"
        self.client.get(url)
        with self.assertNumQueries(3):
            self.client.get(url)
        item = Item.objects.get(key="lead-12-7")
        for i in range(6):
            item.pk, item.key = None, f"more-{i}"
            item.save(force_insert=True)
        with self.assertNumQueries(4):  # another shelf: its parts are read for a new search
            self.client.get(url)

    def test_the_working_of_a_finding_in_the_verdict_strip(self) -> None:
        made = actions.create(case("judgements", "direct-little-over"), "Started")
        page = self.client.get(made.get_absolute_url()).content.decode()
        link = re.findall(r'hx-get="(/c/\d+/working/finding/\?code=over-max&amp;stage=\d+)"', page)[0].replace(
            "&amp;", "&"
        )
        text = self.client.get(link).content.decode()
        limit = number(made.case.device.supply.max_v or 0)
        self.assertIn(f"{limit:.1f} V", text)
        self.assertIn("Most volts", text)
        self.assertEqual(self.client.get(link.replace("over-max", "ridden")).status_code, 404)
