"""Outings through their pages: every action, what is refused, two tabs, files."""

from __future__ import annotations

import csv
import io
import json
import re
from html import unescape
from typing import Any

from django.core.files.uploadedfile import SimpleUploadedFile
from django.http import HttpResponse

from hermotrope.bench import actions as bench_actions
from hermotrope.bench.models import Conversion
from hermotrope.outing.models import Outing
from hermotrope.outing.urls import urlpatterns
from hermotrope.shelf.models import Item
from hermotrope_core.values.known import number
from tests.support import case
from tests.web.demo import DemoTest

HTMX = {"HX-Request": "true"}


class OutingPages(DemoTest):
    def setUp(self) -> None:
        self.outing = Outing.objects.get()

    def post(self, what: str, *, fails: int = 200, version: int | None = None, **data: Any) -> str:
        self.outing.refresh_from_db()
        sent = {"version": self.outing.version if version is None else version, **data}
        url = f"/outings/{self.outing.pk}/{what}/"
        response: HttpResponse = self.client.post(url, sent, headers=HTMX)  # type: ignore[assignment]
        self.assertEqual(response.status_code, fails, response.content[-600:])
        self.outing.refresh_from_db()
        return response.content.decode()

    def weigh(self, device: str, to: object, code: int = 200) -> str:
        answer = self.client.get(f"/outings/{self.outing.pk}/weigh/{device}/", {"to": to})
        self.assertEqual(answer.status_code, code)
        return answer.content.decode()

    def sheet(self, index: int, code: int = 200) -> str:
        answer = self.client.get(f"/outings/{self.outing.pk}/build-{index}/")
        self.assertEqual(answer.status_code, code)
        return unescape(answer.content.decode())

    def test_a_supply_from_which_everything_was_taken_breaks_no_address(self) -> None:
        """As a page asks that was drawn before: addresses of devices, and of supplies, that are gone."""
        addresses = [
            re.sub(r"<int:\w+>", "0", re.sub(r"<slug:\w+>", "packs", str(one.pattern).replace("<int:pk>", "{pk}")))
            for one in urlpatterns
        ]
        for index, supply in enumerate(self.outing.content().supplies):
            for _ in supply.branches:
                self.post(f"supply/{index}/0/remove")
        for gone in (False, True):
            for address in addresses:
                if "remove" in address or "new" in address:
                    continue
                url = f"/outings/{address.format(pk=self.outing.pk)}"
                with self.subTest(url, gone=gone):
                    self.assertIn(self.client.get(url).status_code, (200, 204, 302, 404, 405))
                    self.assertIn(
                        self.client.get(url, {"to": "1"}, headers=HTMX).status_code, (200, 204, 302, 404, 405)
                    )
            for _ in self.outing.content().supplies:
                self.post("supply/0/remove")

    def test_a_supply_is_built_from_one_sheet(self) -> None:
        page = self.sheet(0)
        for words in ("Verdict: fits with care", "Shared by all", "1 to 3 ways", "The junction", "All together"):
            self.assertIn(words, page)
        self.assertEqual(page.count('class="wiring"'), 3)
        self.assertEqual(page.count("The pack alone"), 1)
        self.assertEqual(page.count("Only the way of"), 3)
        self.sheet(9, 404)

    def test_a_sheet_of_what_is_open_or_stopped_says_so(self) -> None:
        document = self.outing.document
        document["supplies"][1]["branches"] = []
        document["supplies"][0]["branches"][0]["device"]["traits"] = ["life-safety"]
        self.outing.save()
        self.assertIn("No device hangs on it yet", self.sheet(1))
        stopped = self.sheet(0)
        self.assertIn("Nothing is built before somebody qualified", stopped)
        self.assertNotIn("The junction", stopped)

    def test_a_move_is_weighed_before_it_is_made(self) -> None:
        """What is told beforehand is what stands there afterwards."""
        before = self.outing.content()
        refused = self.weigh("0/1", 2)
        self.assertEqual(refused, "Refused: dew strap does not start: the device gets too few volts.")
        early = self.weigh("0/1", 1)
        self.assertIn("stops", early)
        self.assertEqual(self.outing.content(), before)
        page = unescape(self.post("supply/0/1/move", to="1"))
        self.assertIn(early, page)
        self.post("step", by="-1")
        self.post("set", place="hours", text="4 h")
        lasts = self.weigh("0/1", 1)
        self.assertRegex(lasts, r"^dew strap 4 h 00 min, until 00:30; \d+ % of the spare block left\.$")
        for device, to in (("0/1", 0), ("0/1", 9), ("0/9", 1), ("9/0", 1), ("0/1", ""), ("0/1", "²"), ("0/1", -1)):
            with self.subTest(device, to=to):
                self.weigh(device, to, 404)

    def test_a_device_goes_first_so_that_the_others_last(self) -> None:
        page = self.client.get(f"/outings/{self.outing.pk}/", headers=HTMX).content.decode()
        self.assertIn(f"/outings/{self.outing.pk}/first/0/1/", page)
        self.assertNotIn(f"/outings/{self.outing.pk}/first/1/0/", page)
        told = self.client.get(f"/outings/{self.outing.pk}/first/0/1/").content.decode()
        volts = re.search(r"opens at <b>(\d+\.\d+) V</b>", told)
        assert volts is not None, told
        self.assertIn("one device stops", self.post("supply/0/1/cut-off", trips_v=volts[1]))
        supply = self.outing.content().supplies[0]
        self.assertEqual((supply.branches[1].path[0].kind, supply.branches[1].path[1].kind), ("fuse", "cut-off"))
        told = self.client.get(f"/outings/{self.outing.pk}/first/0/1/").content.decode()
        self.assertIn("a cut-off of its own already", told)
        self.post("step", by="-1")
        for trips in ("", "x", "-1", "1e99"):
            with self.subTest(trips):
                refused = self.post("supply/0/1/cut-off", trips_v=trips, fails=422)
                self.assertIn(f'value="{trips}"', refused)
                self.assertIn('role="alert"', refused)
        self.post("supply/0/9/cut-off", trips_v="12", fails=409)
        self.post("set", place="hours", text="")
        told = self.client.get(f"/outings/{self.outing.pk}/first/0/1/").content.decode()
        self.assertIn("say for how many hours", told)
        self.assertEqual(self.client.get(f"/outings/{self.outing.pk}/first/0/9/").status_code, 404)

    def test_a_line_forks_and_feeds_another_device(self) -> None:
        made = Conversion.objects.get(title__startswith="Pan mount")
        page = self.client.get(f"/c/{made.pk}/", {"panel": "add-2"}, headers=HTMX).content.decode()
        self.assertIn(f'action="/outings/fork/{made.pk}/"', page)
        answer = self.client.post(f"/outings/fork/{made.pk}/", {"at": "2"})
        self.outing = Outing.objects.latest("pk")
        self.assertRedirects(answer, self.outing.get_absolute_url())
        supply = self.outing.content().supplies[0]
        self.assertEqual((supply.source, supply.trunk), (made.case.source, made.case.path[:2]))
        self.assertEqual(supply.branches[0].path, made.case.path[2:])
        page = self.post("supply/0/row", rows="lamp 12V 3W")
        self.assertIn("<h3>lamp</h3>", page)
        made.refresh_from_db()
        self.assertEqual(made.revisions.latest("number").number, made.revision)

    def test_a_fork_that_cannot_be_is_refused(self) -> None:
        made = Conversion.objects.first()
        assert made is not None
        before = Outing.objects.count()
        for at in ("", "-1", "x", "99", "9" * 30, "٣"):
            with self.subTest(at):
                answer = self.client.post(f"/outings/fork/{made.pk}/", {"at": at})
                self.assertContains(answer, "not there any more", status_code=422)
        self.assertEqual(self.client.post("/outings/fork/99999/", {"at": "0"}).status_code, 404)
        self.assertEqual(self.client.get(f"/outings/fork/{made.pk}/").status_code, 405)
        self.assertEqual(Outing.objects.count(), before)

    def test_a_device_of_the_bench_brings_what_concerns_it_alone(self) -> None:
        made = bench_actions.create(case("judgements", "centre-negative-device"), "Started")
        self.client.post(f"/outings/fork/{made.pk}/", {"at": "0"})
        self.outing = Outing.objects.latest("pk")
        page = self.client.get(self.outing.get_absolute_url()).content.decode()
        self.assertIn("the device takes centre-negative, and no lead swaps them", page)
        self.assertIn("Refused", page)

    def test_from_nothing_to_a_night(self) -> None:
        made = self.client.post("/outings/new/", {"title": "Two lamps"})
        self.outing = Outing.objects.get(title="Two lamps")
        self.assertRedirects(made, self.outing.get_absolute_url())
        page = self.post("supply", item=_pack().pk)
        self.assertIn("No device hangs on it yet", page)
        self.post("set", place="start", text="21:00")
        self.post("set", place="hours", text="8 h")
        self.post("set", place="temperature_c", text="50 °F")
        page = self.post("supply/0/row", rows="lamp 12V 3W\n2x feeder 5V 1W 22:00-23:30\n")
        document = self.outing.content()
        self.assertEqual(
            [(b.device.name, b.count) for b in document.supplies[0].branches], [("lamp", 1), ("feeder", 2)]
        )
        self.assertEqual((document.start, document.hours), ("21:00", 8.0))
        self.assertAlmostEqual(number(document.conditions.temperature_c), 10.0)
        self.assertIn("the volts it stands are guessed", page)
        self.assertIn("Measure plus and minus", page)
        self.post("supply/0/trunk", rating_a="10", length_m="4 ft", area_mm2="16 AWG")
        trunk = self.outing.content().supplies[0].trunk
        self.assertEqual([stage.kind for stage in trunk], ["fuse", "lead"])
        self.assertEqual(
            [round(number(getattr(trunk[1], name)), 3) for name in ("length_m", "area_mm2")], [1.219, 1.309]
        )
        self.post("supply/0/trunk", rating_a="", length_m="", area_mm2="")
        self.assertEqual(self.outing.content().supplies[0].trunk, ())

    def test_a_conversion_comes_with_its_way_and_duty(self) -> None:
        made = Conversion.objects.exclude(verdict="open").first()
        assert made is not None
        self.post("supply/0/conversion", conversion=made.pk)
        last = self.outing.content().supplies[0].branches[-1]
        self.assertEqual((last.device, last.path), (made.case.device, made.case.path))

    def test_a_change_on_the_bench_is_told_and_taken_over(self) -> None:
        made = Conversion.objects.exclude(verdict="open").first()
        assert made is not None
        page = self.post("supply/0/conversion", conversion=made.pk)
        place = len(self.outing.content().supplies[0].branches) - 1
        self.assertIn(f'<a href="/c/{made.pk}/">', page)
        self.assertNotIn("take it over as it is now", page)
        self.post(f"supply/0/{place}/count", count="3")
        patch = [{"op": "add", "path": "/device/name", "value": "renamed on the bench"}]
        bench_actions.change(made.pk, made.version, patch, "Renamed")
        page = self.client.get(f"/outings/{self.outing.pk}/").content.decode()
        self.assertEqual(page.count("take it over as it is now"), 1)
        page = self.post(f"supply/0/{place}/renew")
        self.assertNotIn("take it over as it is now", page)
        last = self.outing.content().supplies[0].branches[place]
        self.assertEqual((last.device.name, last.count, last.bench), ("renamed on the bench", 3, made.pk))
        self.assertIn("not on the Bench any more", self.post("supply/0/0/renew", fails=422))
        self.post("supply/0/99/renew", fails=409)
        file = SimpleUploadedFile("night.json", json.dumps(self.outing.document).encode())
        self.client.post("/outings/import/", {"file": file})
        other = Outing.objects.exclude(pk=self.outing.pk).get().content()
        self.assertEqual({one.bench for supply in other.supplies for one in supply.branches}, {None})

    def test_count_move_take_out_undo(self) -> None:
        self.post("supply/1/0/count", count="5")
        self.assertEqual(self.outing.content().supplies[1].branches[0].count, 5)
        self.post("supply/2/1/move", to="0")
        names = [[b.device.name for b in s.branches] for s in self.outing.content().supplies]
        self.assertEqual(names[2], ["chart tablet"])
        self.assertEqual(names[0][-1], "bat recorder")
        self.post("supply/0/0/remove")
        self.assertNotIn("hide mount", [b.device.name for b in self.outing.content().supplies[0].branches])
        self.post("supply/2/remove")
        self.assertEqual(len(self.outing.content().supplies), 2)
        for _ in range(4):
            self.post("step", by="-1")
        self.assertEqual([len(s.branches) for s in self.outing.content().supplies], [3, 1, 2])
        self.post("step", by="-1")
        self.post("step", by="1")
        self.assertEqual(self.outing.content().supplies[1].branches[0].count, 5)

    def test_what_is_refused_comes_back_as_typed(self) -> None:
        before = self.outing.document
        for what, data, says in (
            ("set", {"place": "hours", "text": "half"}, "half"),
            ("set", {"place": "start", "text": "25:99"}, "time of day"),
            ("set", {"place": "temperature_c", "text": "900"}, "at most 100"),
            ("set", {"place": "title", "text": "  "}, "needs a name"),
            ("supply", {"item": "0"}, "Choose a pack"),
            ("supply", {"item": "²"}, "Choose a pack"),
            ("supply/0/row", {"rows": "lamp 12V"}, "its watts or its amperes are wanted"),
            ("supply/0/row", {"rows": "lamp 12V 1W\nbad line"}, "line 2"),
            ("supply/0/row", {"rows": ""}, "one device a line"),
            ("supply/0/conversion", {"conversion": "99999"}, "Choose a conversion"),
            ("supply/0/trunk", {"rating_a": "-3"}, "at most 10000"),
            ("supply/0/trunk", {"length_m": "2"}, "its length and its copper"),
            ("supply/0/0/count", {"count": "0"}, "1 to 100"),
            ("supply/0/0/count", {"count": "1e9"}, "1 to 100"),
            ("supply/0/0/move", {"to": "0"}, "another supply"),
            ("supply/0/0/move", {"to": "77"}, "another supply"),
        ):
            with self.subTest(what, **data):
                page = self.post(what, fails=422, **data)
                self.assertIn(says, page)
                for name in ("text", "rows", "rating_a", "length_m"):
                    if data.get(name, "").strip():
                        self.assertIn(data[name].splitlines()[0], page)
        self.assertEqual(self.outing.document, before)

    def test_two_tabs(self) -> None:
        old = self.outing.version
        self.post("set", place="hours", text="5 h")
        page = self.post("set", fails=409, version=old, place="hours", text="6 h")
        self.assertIn("another tab", page)
        self.assertEqual(self.outing.content().hours, 5.0)
        page = self.post("supply/0/row", fails=409, version=old, rows="strip 12V 2W")
        self.assertIn("not taken yet", page)
        self.assertIn(">strip 12V 2W</textarea>", page)
        page = self.post("supply/1/trunk", fails=409, version=old, rating_a="7.77", length_m="", area_mm2="")
        self.assertIn('value="7.77"', page)
        page = self.post("supply/0/1/count", fails=409, version=old, count="6")
        self.assertRegex(page, r'name="count"[^>]*value="6"')
        for what in ("step", "remove"):
            self.assertIn("another tab", self.post(what, fails=409, version=old))
        self.assertIn("not there any more", self.post("supply/9/remove", fails=409))
        self.assertIn("not there any more", self.post("supply/0/40/remove", fails=409))

    def test_how_many_more(self) -> None:
        base = f"/outings/{self.outing.pk}/many"
        page = self.client.get(f"{base}/2/1/", headers=HTMX).content.decode()
        self.assertIn("It carries", page)
        self.assertIn("gives at most 2.4", page)
        for gone in ("9/0", "0/9"):
            self.assertEqual(self.client.get(f"{base}/{gone}/").status_code, 404)

    def test_propose_hang_pin(self) -> None:
        base = f"/outings/{self.outing.pk}"
        page = self.client.get(f"{base}/proposal/", {"wish": "fewest packs"}, headers=HTMX).content.decode()
        self.assertIn("1\n      device would move", page)
        self.assertIn("Why not otherwise", page)
        self.assertIn("converter of its own", page)
        self.post("hang", wish="fewest packs")
        names = [[b.device.name for b in s.branches] for s in self.outing.content().supplies]
        self.assertEqual(names[1], ["sampling pump", "hide lamp"])
        self.assertIn("hangs so already", self.client.get(f"{base}/proposal/", headers=HTMX).content.decode())
        self.post("step", by="-1")
        self.post("supply/0/2/pin", pinned="yes")
        self.assertTrue(self.outing.content().supplies[0].branches[2].pinned)
        pinned = self.client.get(f"{base}/proposal/", headers=HTMX).content.decode()
        self.assertIn("sampling pump\n          (pinned)", pinned)
        self.post("supply/0/2/pin", pinned="no")
        self.assertFalse(self.outing.content().supplies[0].branches[2].pinned)
        self.assertIn("Choose what", self.post("hang", fails=422, wish="most fun"))
        self.post("set", place="hours", text="")
        self.assertIn("how many hours", self.client.get(f"{base}/proposal/", headers=HTMX).content.decode())
        self.assertIn("Nothing can be proposed", self.post("hang", fails=422, wish="least mass"))
        self.assertIn("how many hours", self.client.get(f"{base}/needs/0/", headers=HTMX).content.decode())

    def test_how_sure(self) -> None:
        page = self.client.get(f"/outings/{self.outing.pk}/range/0/", headers=HTMX).content.decode()
        self.assertRegex(page, r"hide mount \d h \d+ min – \d h \d+ min, to the end in \d+ % of the draws")
        self.assertEqual(self.client.get(f"/outings/{self.outing.pk}/range/9/").status_code, 404)

    def test_calendar(self) -> None:
        text = self.client.get(f"/outings/{self.outing.pk}/outing.ics").content.decode().replace("\r\n ", "")
        self.assertEqual(text.count("BEGIN:VEVENT"), 13)
        self.assertIn("SUMMARY:the iron-phosphate block: put pack 2 in", text)
        self.assertIn("SUMMARY:the iron-phosphate block\\, pack 1: charge it from wall at the farm", text)
        self.assertRegex(text, r"DTSTART:\d{8}T0520\d\d\r\n")
        self.assertIn("SUMMARY:hide mount stops", text)
        evil = json.loads(json.dumps(self.outing.document))
        evil["title"] = "x\nEND:VEVENT"
        Outing.objects.update(document=evil, title=evil["title"])
        again = self.client.get(f"/outings/{self.outing.pk}/outing.ics").content.decode()
        self.assertEqual(again.count("\nEND:VEVENT"), 13)

    def test_a_device_of_which_something_is_open(self) -> None:
        """It says what is missing, by name, and nothing falls over: page, proposal, files."""
        made = Conversion.objects.filter(verdict="open").first()
        assert made is not None
        page = self.post("supply/0/conversion", conversion=made.pk)
        self.assertIn(f"{made.case.device.name}: missing (", page)
        for what in ("outing.csv", "outing.ics", "many/0/", "needs/0/"):
            self.assertNotIn(what, page)
        base = f"/outings/{self.outing.pk}"
        proposal = self.client.get(f"{base}/proposal/", headers=HTMX)
        self.assertEqual(proposal.status_code, 200)
        self.assertIn(made.case.device.name, proposal.content.decode())
        self.post("supply/0/3/pin", pinned="yes")
        self.assertEqual(self.client.get(f"{base}/proposal/", headers=HTMX).status_code, 200)
        for what in ("outing.csv", "outing.ics", "range/0/", "needs/0/", "many/0/0/", "line-0.cir"):
            self.assertEqual(self.client.get(f"{base}/{what}").status_code, 404, what)

    def part(self, what: str, code: int = 200) -> str:
        answer = self.client.get(f"/outings/{self.outing.pk}/{what}/")
        self.assertEqual(answer.status_code, code)
        return unescape(" ".join(re.sub(r"<[^>]*>", " ", answer.content.decode()).split()))

    def test_packs_in_turn_and_what_charges_them(self) -> None:
        told = self.part("packs")
        self.assertIn("the iron-phosphate block: 2 are wanted to be sure, only one goes along", told)
        self.assertRegex(told, r"pack 2 in after \d h \d\d min, at 0\d:\d\d; what it feeds is off meanwhile")
        self.assertIn("in time for the next evening", told)
        page = self.post("supply/0/spares", spares="2")
        self.assertIn('value="2"', page)
        self.assertIn("3 × <b>the iron-phosphate block", page)
        self.assertIn("All packs together: 5300 g, without 1 of unknown mass.", page)
        self.assertIn("the iron-phosphate block: 2 are enough", self.part("packs"))
        self.post("supply/0/spares", spares="")
        self.assertEqual(self.outing.content().supplies[0].spares, 0)
        self.post("charger", charger="car 90W 17:20-18:00")
        self.assertEqual([one.name for one in self.outing.content().chargers], ["wall at the farm", "sun", "car"])
        for _ in range(3):
            self.post("charger/0/remove")
        self.assertEqual(self.outing.content().chargers, ())
        self.assertNotIn("full again", self.part("packs"))
        self.post("charger", charger="wall 1W 12:00-12:01")
        self.assertIn("is not full again within weeks", self.part("packs"))
        self.post("set", place="temperature_c", text="-5 °C")
        self.assertIn("is charged between 0 °C and 45 °C only", self.part("packs"))
        self.post("set", place="start", text="")
        self.assertIn("Say from when the outing is", self.part("packs"))
        self.post("set", place="hours", text="")
        self.assertIn("Say for how many hours it is meant", self.part("packs"))

    def test_what_is_refused_of_chargers_and_spares_comes_back(self) -> None:
        for text in ("", "wall", "wall 60W", "wall 60W 07:00-25:00", "'><b> 60W 07:00-07:00"):
            with self.subTest(text):
                page = self.post("charger", charger=text, fails=422)
                self.assertIn('id="charger-error"', page)
                self.assertIn(f'value="{text}"', unescape(page))
        for text in ("x", "-1", "21", "²"):
            with self.subTest(text):
                self.assertIn('id="spares-1-error"', self.post("supply/1/spares", spares=text, fails=422))
        self.post("charger/9/remove", fails=409)
        self.post("supply/9/spares", spares="1", fails=409)
        self.post("supply/0/9/own-battery", goes="first", fails=409)

    def test_an_own_battery_goes_first_or_last(self) -> None:
        page = unescape(self.client.get(f"/outings/{self.outing.pk}/").content.decode())
        self.assertRegex(page, r"Its own battery \(\d\d Wh\) is not needed\.")
        page = unescape(self.post("supply/2/0/own-battery", goes="first"))
        self.assertRegex(page, r"It begins on its own battery .* with what the feed has put back it then lasts \d h")
        self.assertIn('class="own"', page)
        self.post("supply/2/0/own-battery", goes="last")
        self.post("set", place="hours", text="20 h")
        page = unescape(self.post("supply/2/row", rows="logger 5V 3W own 60Wh"))
        self.assertRegex(page, r"The feed of logger ends .* Its own battery carries it to the end")
        self.assertRegex(page, r"The feed of chart tablet ends .* On its own battery it then stops")
        self.post("set", place="hours", text="")
        self.assertIn("say for how many hours", self.post("supply/2/0/own-battery", goes="first"))

    def test_temperatures_by_the_hour_are_told_beside(self) -> None:
        page = unescape(self.client.get(f"/outings/{self.outing.pk}/").content.decode())
        self.assertIn("0 h: 6 °C; 5 h: 3 °C; 9 h: -4 °C", page)
        self.assertRegex(
            page, r"Through the temperatures by the hour \(6\.0 °C at first, -4\.0 °C at the end\): hide mount"
        )
        page = unescape(self.post("set", place="temperature_by_h", text="0 h: 20 °C; 9 h: 21 °C"))
        self.assertIn("at the end): all go on to the end; ", page)
        for text in ("cold", "0 h: cold", "0 h: 300 °C", "0 h: 1 °C; 0 h: 2 °C", "99 h: 1 °C"):
            with self.subTest(text):
                self.assertIn(f'value="{text}"', self.post("set", place="temperature_by_h", text=text, fails=422))
        self.assertNotIn("Through the temperatures", self.post("set", place="temperature_by_h", text=""))

    def test_how_many_evenings_and_which_volts(self) -> None:
        self.assertRegex(
            self.part("evenings/1"), r"on one charge: 2 with everything left connected, 2 with the pack taken"
        )
        self.assertIn("has to be woken", self.part("evenings/2"))
        self.part("evenings/9", 404)
        self.assertIn("a pack that stands flat is ruined, so charge it", self.part("evenings/1"))
        document = self.outing.document
        document["supplies"][1]["source"] |= {"chemistry": "alkaline", "cells_in_series": 9, "cutoff_v": 8.0}
        Outing.objects.update(document=document)
        thrown_away = self.part("evenings/1")
        self.assertIn("take them out before", thrown_away)
        self.assertNotIn("charge", thrown_away.replace("on one charge", ""))
        told = self.part("rails")
        self.assertIn("straight from 12.8 V 11 Ah iron-phosphate block", told)
        self.assertIn("12.0 V held by one board for all", told)
        self.post("set", place="hours", text="")
        self.assertIn("Say for how many hours", self.part("evenings/1"))
        self.assertIn("Say for how many hours", self.part("rails"))

    def test_plan_b_and_the_bag(self) -> None:
        base = f"/outings/{self.outing.pk}"
        page = self.client.get(f"{base}/proposal/", {"failed": "1"}, headers=HTMX).content.decode()
        self.assertIn("If the spare block fails", page)
        self.assertIn("hide lamp on the spare block: it has failed", page)
        self.assertNotIn("Hang them so", page)
        self.assertEqual(self.client.get(f"{base}/proposal/", {"failed": "9"}).status_code, 404)
        page = self.client.get(f"{base}/").content.decode()
        self.assertIn("2 × hide lamp: Lead 3 m", page)
        self.assertIn("1500 g", page)

    def test_too_much_is_refused_before_it_is_followed(self) -> None:
        tree = json.loads(json.dumps(self.outing.document))
        tree["hours"] = 5000
        tree["supplies"][0]["branches"][0]["duty"]["repeat"] = [
            {"mode": "hold", "seconds": 1}, {"mode": "slew", "seconds": 1},
        ]  # fmt: skip
        Outing.objects.update(document=tree)
        base = f"/outings/{self.outing.pk}"
        self.assertIn("Too many changes of mode", self.client.get(f"{base}/").content.decode())
        self.assertIn("too many changes", self.client.get(f"{base}/proposal/").content.decode())
        self.assertIn("not drawn", self.client.get(f"{base}/range/0/").content.decode())
        self.assertEqual(self.client.get(f"{base}/outing.csv").status_code, 404)
        self.post("supply", fails=422, item="9" * 30)
        self.post("supply/0/conversion", fails=422, conversion="9" * 5000)

    def test_what_a_pack_must_be(self) -> None:
        page = self.client.get(f"/outings/{self.outing.pk}/needs/0/", headers=HTMX).content.decode()
        self.assertIn("of Lithium iron phosphate, 4 in series", page)
        self.assertIn("Of the Shelf: 12.8 V 20 Ah", page)
        self.assertEqual(self.client.get(f"/outings/{self.outing.pk}/needs/7/").status_code, 404)

    def test_files_out_and_in(self) -> None:
        text = self.client.get(f"/outings/{self.outing.pk}/outing.json").content
        self.assertEqual(json.loads(text), self.outing.document)
        rows = list(
            csv.DictReader(io.StringIO(self.client.get(f"/outings/{self.outing.pk}/outing.csv").content.decode()))
        )
        self.assertEqual(len(rows), 6)
        self.assertEqual(rows[3]["count"], "2")
        made = self.client.post("/outings/import/", {"file": SimpleUploadedFile("night.json", text)})
        self.assertEqual(made.status_code, 302)
        self.assertEqual(Outing.objects.count(), 2)
        for content, says in ((b"{}", "format"), (b"nonsense", "JSON"), (b"", "")):
            with self.subTest(content):
                refused = self.client.post("/outings/import/", {"file": SimpleUploadedFile("x.json", content)})
                self.assertEqual(refused.status_code, 422)
                self.assertIn(says, refused.content.decode())
        evil = json.loads(text)
        evil["supplies"][0]["branches"][0]["device"]["name"] = "=cmd|' /C calc'!A0"
        evil["supplies"][0]["name"] = "<script>alert(1)</script>"
        self.client.post("/outings/import/", {"file": SimpleUploadedFile("e.json", json.dumps(evil).encode())})
        taken = Outing.objects.latest("pk")
        self.assertIn("'=cmd", self.client.get(f"/outings/{taken.pk}/outing.csv").content.decode())
        self.assertNotIn("<script>alert", self.client.get(f"/outings/{taken.pk}/").content.decode())

    def test_an_unreadable_one_takes_no_page_down(self) -> None:
        Outing.objects.update(document={"format": "hermotrope-outing/9"})
        self.assertIn("cannot be read", self.client.get("/outings/").content.decode())
        page = self.client.get(f"/outings/{self.outing.pk}/").content.decode()
        self.assertIn("newer", page)
        self.assertEqual(self.client.get(f"/outings/{self.outing.pk}/outing.csv").status_code, 404)
        self.outing.refresh_from_db()
        gone = self.client.post(f"/outings/{self.outing.pk}/remove/", {"version": self.outing.version})
        self.assertRedirects(gone, "/outings/")
        self.assertFalse(Outing.objects.exists())

    def test_without_javascript_a_change_leads_back_to_the_page(self) -> None:
        sent = {"version": self.outing.version, "place": "hours", "text": "4 h"}
        self.assertRedirects(self.client.post(f"/outings/{self.outing.pk}/set/", sent), self.outing.get_absolute_url())


def _pack() -> Item:
    found = Item.objects.filter(kind="source", name__icontains="12.8").first()
    assert found is not None
    return found
