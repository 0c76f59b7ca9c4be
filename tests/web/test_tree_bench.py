"""A supply with all its devices at the bench: steps ticked, gates read way by way, locked, undone by a change."""

from __future__ import annotations

import re
from html import unescape
from math import inf

from hermotrope.outing.models import Outing, TreeReading, TreeStep
from hermotrope.outing.workshop import TreeWorkshop
from hermotrope_core.prove.gate import Ask
from hermotrope_core.prove.tree import SOURCE, TOGETHER, WayProgress
from tests.web.demo import DemoTest

HTMX = {"HX-Request": "true"}


def good(ask: Ask) -> str:
    """A reading that passes, as somebody would type it."""
    if ask.high == inf:
        return "OL" if ask.meter in ("ohms", "diode") else f"{1.1 * ask.low:.4g}"
    value = 0.5 * (ask.low + ask.high) if ask.expected is None else ask.expected
    return f"{value:.5g}"


class TreeBench(DemoTest):
    def setUp(self) -> None:
        self.outing = Outing.objects.get()

    def shop(self, index: int = 0) -> TreeWorkshop:
        return TreeWorkshop(Outing.objects.get(), index)

    def post(self, what: str, index: int = 0, code: int = 200, **data: str) -> str:
        answer = self.client.post(f"/outings/{self.outing.pk}/bench-{index}/{what}/", data, headers=HTMX)
        self.assertEqual(answer.status_code, code, answer.content[-500:])
        return unescape(answer.content.decode())

    def page(self, index: int = 0, code: int = 200) -> str:
        answer = self.client.get(f"/outings/{self.outing.pk}/bench-{index}/")
        self.assertEqual(answer.status_code, code)
        return unescape(" ".join(answer.content.decode().split()))

    def inlet(self, place: int, code: int = 200, version: int | None = None, **data: str) -> str:
        now = Outing.objects.get().version if version is None else version
        return self.post(f"{place}/inlet", 0, code, version=str(now), **data)

    def test_no_reading_passes_a_plug_whose_device_nobody_measured(self) -> None:
        page = self.page()
        self.assertIn("Nobody has described its inlet", page)
        self.read_source()
        for row in self.way("0").rows[:2]:
            for one in row.asks:
                page = self.post(
                    "reading", way="0", ask=one.ask.key, text="13.2" if one.ask.unit == "V" else good(one.ask)
                )
        self.assertIn("Stop: no reading here tells", page)
        for data in ({"inlet": ""}, {"inlet": "magic"}, {"inlet": "centre-positive", "size": "big"},
                     {"inlet": "centre-positive", "size": "2.1 x 5.5"}):  # fmt: skip
            with self.subTest(**data):
                refused = self.inlet(0, 422, **data)
                self.assertEqual(refused.count('role="alert"'), 1)
                self.assertIn(f'value="{data.get("size", "")}"', refused)
        self.inlet(9, 422, inlet="leads")
        self.assertIn("another tab", self.inlet(0, 422, version=1_000, inlet="leads"))
        page = self.inlet(0, inlet="centre-negative", size="5,5 × 2,1 mm", measured="yes")
        self.assertIn("Its inlet: barrel 5.5 × 2.1 mm, centre minus, measured", page)
        made = self.outing.content().supplies[0].branches[0].device.inlet
        assert made is None  # as it was read before
        made = Outing.objects.get().content().supplies[0].branches[0].device.inlet
        assert made is not None
        self.assertEqual((made.polarity, made.measured, made.outer_mm), ("centre-negative", True, 5.5))
        self.assertEqual(next(r for r in self.way("0").rows if r.gate.key == "polarity").asks[0].stale, True)

    def read_all(self, index: int) -> int:
        """Take every reading in its order; how many."""
        taken = 0
        while True:
            todo = [
                (way.way.key, one.ask)
                for way in self.shop(index).ways
                for row in way.rows
                if row.state in ("open", "failed")
                for one in row.asks
                if one.reading is None or one.stale
            ]
            if not todo:
                return taken
            key, ask = todo[0]
            self.post("reading", index, way=key, ask=ask.key, text=good(ask))
            taken += 1
            self.assertLess(taken, 200)

    def test_from_the_source_alone_to_all_together(self) -> None:
        page = self.page()
        self.assertIn("0 of 12 steps done", page)
        self.assertEqual(page.count("not before 12.8 V 11 Ah iron-phosphate block has passed"), 4)
        ask = self.way("1").rows[0].asks[0].ask.key
        refused = self.post("reading", code=422, way="1", ask=ask, text="13")
        self.assertIn("Not before “12.8 V 11 Ah iron-phosphate block” has passed. You had typed: 13", refused)
        self.post("reading", code=422, way=TOGETHER, ask="together.junction", text="13")
        for place in range(3):
            self.inlet(place, inlet="centre-positive", size="5.5 x 2.1", measured="yes")
        self.assertGreater(self.read_all(0), 20)
        shop = self.shop()
        self.assertTrue(
            all(way.passed for way in shop.ways), [(w.way.name, [r.state for r in w.rows]) for w in shop.ways]
        )
        self.assertEqual([way.way.key for way in shop.ways], [SOURCE, "0", "1", "2", TOGETHER])
        sheet = unescape(self.client.get(f"/outings/{self.outing.pk}/build-0/").content.decode())
        self.assertIn("Cut list", sheet)
        proved = sheet.split("Prove, in this order")[1].split("</section>")[0]
        left = [one for way in shop.ways for row in way.rows for one in row.asks if one.reading is None]
        self.assertTrue(all(one.ask.optional for one in left))
        self.assertEqual(proved.count('class="blank"'), len(left))

    def test_a_wrong_sign_at_a_plug_stops_that_way_alone(self) -> None:
        self.read_source()
        way = next(one for one in self.shop().ways if one.way.key == "1")
        first = [row.gate.key for row in way.rows]
        self.assertIn("polarity", first)
        while (
            row := next(one for one in self.way("1").rows if one.state in ("open", "failed"))
        ).gate.key != "polarity":
            for one in row.asks:
                self.post("reading", way="1", ask=one.ask.key, text=good(one.ask))
        self.assertEqual(self.way("1").rows[first.index("polarity") + 1].state, "locked")
        page = self.post("reading", way="1", ask=row.asks[0].ask.key, text="-13.1 V")
        self.assertRegex(page, r"−13\.10 V</b> Stop: ")
        states = {one.way.key: one.passed for one in self.shop().ways}
        self.assertEqual(states, {SOURCE: True, "0": False, "1": False, "2": False, TOGETHER: False})
        self.assertEqual(next(r for r in self.way("1").rows if r.gate.key == "polarity").state, "failed")
        self.assertEqual(self.way("0").rows[0].state, "open")

    def way(self, key: str) -> WayProgress:
        return next(one for one in self.shop().ways if one.way.key == key)

    def read_source(self) -> None:
        for row in self.way(SOURCE).rows:
            for one in row.asks:
                self.post("reading", way=SOURCE, ask=one.ask.key, text=good(one.ask))

    def test_what_no_meter_shows_comes_back_as_typed(self) -> None:
        ask = self.way(SOURCE).rows[0].asks[0].ask.key
        for text in ("", "x", "13 Ah", "²", "1e99"):
            with self.subTest(text):
                page = self.post("reading", code=422, way=SOURCE, ask=ask, text=text)
                self.assertIn(f'value="{text}"', page)
                self.assertEqual(page.count('class="row-error"'), 1)
        self.post("reading", code=422, way="nowhere", ask=ask, text="13")
        self.post("reading", code=422, way=SOURCE, ask="nothing", text="13")
        self.assertEqual(TreeReading.objects.count(), 0)

    def test_equal_devices_are_read_one_by_one(self) -> None:
        keys = [way.way.key for way in self.shop(1).ways]
        self.assertEqual(keys, [SOURCE, "0.1", "0.2", TOGETHER])
        self.assertIn("Hide lamp 2", self.page(1))
        self.assertIn(
            "Each of the 2: Hide lamp",
            unescape(self.client.get(f"/outings/{self.outing.pk}/build-1/").content.decode()),
        )

    def test_steps_are_ticked_and_a_change_of_the_plan_says_so(self) -> None:
        page = self.post("tick", key="0.junction", done="yes")
        self.assertIn("1 of 12 steps done", " ".join(page.split()))
        self.assertIn("✓", self.client.get(f"/outings/{self.outing.pk}/build-0/").content.decode())
        self.post("tick", key="0.junction")
        self.assertEqual(TreeStep.objects.count(), 0)
        self.post("tick", key="0.junction", done="yes")
        self.post("tick", code=422, key="0.nothing", done="yes")
        self.read_source()
        document = self.outing.document
        document["supplies"][0]["branches"] = document["supplies"][0]["branches"][:2]
        Outing.objects.update(document=document)
        page = self.page()
        self.assertIn("the plan changed since you did this", page)
        self.assertTrue(self.way(SOURCE).passed)  # nothing of the shared line has changed
        document["supplies"][0]["source"]["cells_in_series"] = 5
        Outing.objects.update(document=document)
        row = self.way(SOURCE).rows[0]
        self.assertEqual((row.state, row.asks[0].stale), ("open", True))

    def test_another_pack_of_the_same_name_has_marks_of_its_own(self) -> None:
        document = self.outing.document
        document["supplies"].append(document["supplies"][0])
        Outing.objects.update(document=document)
        self.post("tick", 3, key="0.junction", done="yes")
        self.assertIn("1 of 12 steps done", self.page(3))
        self.assertIn("0 of 12 steps done", self.page(0))

    def test_nothing_is_built_of_what_is_refused_open_or_stopped(self) -> None:
        document = self.outing.document
        document["supplies"][1]["branches"] = []
        document["supplies"][0]["trunk"] = document["supplies"][0]["trunk"][1:]
        document["supplies"][2]["branches"][0]["device"]["traits"] = ["life-safety"]
        Outing.objects.update(document=document)
        for index, why in ((0, "while this is refused"), (1, "No device hangs on it yet"), (2, "somebody qualified")):
            with self.subTest(why):
                self.assertIn(why, self.page(index))
                self.assertNotIn("It reads", self.page(index))
                self.assertIn(why, self.post("tick", index, code=422, key="0.gather", done="yes"))
                self.post("reading", index, code=422, way=SOURCE, ask="open-voltage.volts", text="13")
        self.page(9, 404)
        self.assertEqual(self.client.post(f"/outings/{self.outing.pk}/bench-9/tick/", {}).status_code, 404)

    def test_without_javascript_the_page_comes_back(self) -> None:
        url = f"/outings/{self.outing.pk}/bench-0/"
        answer = self.client.post(f"{url}tick/", {"key": "0.gather", "done": "yes"})
        self.assertRedirects(answer, url)
        self.assertTrue(re.search(r"checked", self.page()))
