"""The Run panel: the ribbon, what to measure next, the tools, and the files that are taken away."""

from __future__ import annotations

import csv
import re
from datetime import date, timedelta
from io import StringIO
from itertools import pairwise
from math import ceil
from typing import Any

from django.core.management import call_command
from django.test import TestCase
from django.urls import reverse
from icalendar import Calendar

from hermotrope.bench import actions
from hermotrope.bench.models import Conversion
from hermotrope.shelf.models import Item
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.estimate import QUICK_DRAWS, Range, estimate
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Device, Supply
from hermotrope_core.plan.duty import Duty
from hermotrope_core.values.clock import clock_time
from hermotrope_core.values.figures import duration, span
from hermotrope_core.values.known import number
from tests.support import case, tree
from tests.web.client import Reader

MOUNT = "hide-mount-on-tool-pack"


def quick(made: Case) -> Range | None:
    """The range as the page has it: fewer draws."""
    return estimate(made, QUICK_DRAWS, worth=False)


class RunPanel(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)

    def setUp(self) -> None:
        self.made = actions.create(case("cases", MOUNT), "Started")

    @property
    def now(self) -> Conversion:
        return Conversion.objects.get(pk=self.made.pk)

    def page(self, **asked: Any) -> str:
        return self.client.get(self.made.get_absolute_url(), {"panel": "run", **asked}).content.decode()

    def tools(self, **asked: Any) -> str:
        return self.client.get(reverse("run-tools", args=[self.made.pk]), asked).content.decode()

    def duty(self, **data: Any) -> Any:
        sent = {"version": self.now.version, "panel": "run", **data}
        return self.client.post(reverse("duty", args=[self.made.pk]), sent, headers={"HX-Request": "true"})

    def change(self, **changes: Any) -> None:
        self.made = actions.create(case("cases", MOUNT, **changes), "Started")

    def test_the_sentence_and_the_sums_are_those_of_the_core(self) -> None:
        text, found = self.page(), quick(self.now.case)
        assert found
        reach, middle = span(found.p5, found.p95), duration(found.p50)
        self.assertIn(f"<b>{reach}</b>, most likely <b>{middle}</b>; ends by pack cut-off", text)
        self.assertIn("in “slew”", text)
        for name in ("Ah / A", "Wh / W", "Wh × 0.8 / W"):
            self.assertIn(name, text)

    def test_an_end_is_dragged_to_whole_seconds(self) -> None:
        self.assertEqual(self.duty(do="resize", at=1, seconds="299.6").status_code, 200)
        self.assertEqual([number(s.seconds) for s in self.now.case.duty.repeat], [480.0, 300.0])

    def test_a_drag_that_makes_no_sense_changes_nothing(self) -> None:
        before = self.now.case
        for at, seconds in (("1", "0"), ("1", "-5"), ("1", "soon"), ("1", "1e9"), ("1", ""), ("7", "60"), ("x", "60")):
            with self.subTest(at=at, seconds=seconds):
                self.assertGreaterEqual(self.duty(do="resize", at=at, seconds=seconds).status_code, 400)
        self.assertEqual(self.now.case, before)

    def test_changing_the_duty_keeps_its_start_and_kind(self) -> None:
        self.change(**{"duty.start": "20:30", "duty.once": True})
        self.duty(do="resize", at=0, seconds="3600")
        self.duty(do="add", mode="slew", text="5 min")
        self.duty(do="remove", at=1)
        duty = self.now.case.duty
        self.assertEqual((duty.start, duty.once), ("20:30", True))
        self.assertEqual([s.mode for s in duty.repeat], ["hold", "slew"])

    def test_a_programme_is_told_by_the_clock(self) -> None:
        self.change(**{"duty.start": "20:30", "duty.once": True})
        text = self.page()
        found = quick(self.now.case)
        assert found
        self.assertIn(f"From 20:30 that is until <b>{clock_time('20:30', found.p50)}</b>", text)
        self.assertIn("It lasts the programme of 10 min even at its worst; 9", text)
        self.change(**{"duty.once": True, "duty.repeat.0.seconds": 90000})
        self.assertIn("before the programme of", self.page())

    def test_measuring_what_is_asked_shrinks_the_range_as_promised(self) -> None:
        guessed = {
            "device.modes.0.power_w": {"value": 5, "known_by": "guess"},
            "source.capacity_ah": {"value": 4, "known_by": "label"},
        }
        self.change(**guessed)
        text = self.client.get(reverse("measure-next", args=[self.made.pk])).content.decode()
        shares = [int(share) for share in re.findall(r"<b>(\d+) %</b>", text)]
        self.assertEqual(shares, sorted(shares, reverse=True))
        before = estimate(self.now.case)
        assert before
        best = before.measure_next[0]
        place = best.place.replace("[", ".").replace("]", "")
        value = tree("cases", MOUNT, **guessed)
        for step in place.split("."):
            value = value[int(step)] if step.isdigit() else value[step]
        known = value["value"] if isinstance(value, dict) else value
        self.change(**guessed | {place: {"value": known, "known_by": "measured"}})
        after = estimate(self.now.case)
        assert after
        shrunk = 1 - (after.p95 - after.p5) / (before.p95 - before.p5)
        self.assertAlmostEqual(shrunk, best.range_shrinks_by, delta=0.05)
        self.assertEqual(shares[0], round(100 * best.range_shrinks_by))

    def test_figures_that_are_not_understood_stay_with_their_reason(self) -> None:
        for word in ("lots", "-3", "0", "9 apples", "1e99", "nan"):
            with self.subTest(word):
                text = self.tools(job=word, old_hours="6 h")
                self.assertIn(f'value="{word}"', text)
                self.assertIn('aria-invalid="true"', text)
                self.assertIn("as it was", text)

    def test_a_swap_plan_is_a_list_and_a_calendar(self) -> None:
        self.change(**{"duty.start": "20:30"})
        text = self.tools(job="20 h", own="2", charger="60 W")
        found = quick(self.now.case)
        assert found
        needed = ceil(20 * 3600 / (0.9 * found.p5))
        self.assertIn(f"{needed} packs</b> without recharging", text)
        self.assertNotIn("not charged again", text)
        answer = self.client.get(reverse("run-calendar", args=[self.made.pk]), {"job": "20 h", "own": "2"})
        events = list(Calendar.from_ical(answer.content).walk("VEVENT"))
        self.assertEqual(len(events), needed - 1)
        gaps = [(b["DTSTART"].dt - a["DTSTART"].dt) / timedelta(seconds=0.9 * found.p5) for a, b in pairwise(events)]
        for gap in gaps:
            self.assertAlmostEqual(gap, 1.0, delta=0.03)
        self.assertIn("not charged again by then", str(events[1]["SUMMARY"]))

    def test_a_plan_that_is_too_long_says_how_much_is_left_out(self) -> None:
        self.assertRegex(self.tools(job="90000 h"), r"… and \d+ more swaps")
        self.assertNotIn("more swaps", self.tools(job="20 h"))

    def test_how_long_it_ran_is_marked_until_it_is_changed(self) -> None:
        self.assertIn('"measured": null', self.page())
        actions.mark_done(self.made.pk, self.now.version, date(2026, 6, 3), 18_840.0)
        self.assertIn('"measured": 18840', self.page())
        self.duty(do="resize", at=0, seconds="900")
        self.assertIn('"measured": null', self.page())

    def test_a_bank_that_falls_asleep_has_no_plan(self) -> None:
        made = actions.create(case("judgements", "bank-switches-itself-off"), "Started")
        asked = {"job": "20 h", "own": "2"}
        page = self.client.get(reverse("run-tools", args=[made.pk]), asked).content.decode()
        self.assertIn("keep it awake first", page)
        self.assertNotIn("without recharging", page)
        self.assertEqual(self.client.get(reverse("run-calendar", args=[made.pk]), asked).status_code, 404)

    def test_a_calendar_needs_a_plan(self) -> None:
        url = reverse("run-calendar", args=[self.made.pk])
        self.assertEqual(self.client.get(url).status_code, 404)
        self.assertEqual(self.client.get(url, {"job": "soon"}).status_code, 404)

    def test_the_run_as_a_table(self) -> None:
        answer = self.client.get(reverse("run-table", args=[self.made.pk]))
        rows = list(csv.DictReader(StringIO(answer.content.decode())))
        self.assertEqual(list(rows[0]), ["seconds", "pack_v", "inlet_v", "pack_a", "charge_percent", "mode"])
        seconds = [float(row["seconds"]) for row in rows]
        self.assertEqual(seconds, sorted(seconds))
        self.assertAlmostEqual(seconds[-1], run(self.now.case).runtime_s, delta=1.0)
        self.assertEqual({row["mode"] for row in rows}, {"hold", "slew"})
        self.change(**{"device.modes.0.name": "=1+1", "duty.repeat.0.mode": "=1+1"})
        again = self.client.get(reverse("run-table", args=[self.made.pk])).content.decode()
        self.assertIn(",'=1+1", again)

    def test_packs_are_laid_over_on_one_axis(self) -> None:
        keys = list(Item.objects.filter(kind="source").values_list("key", flat=True)[:5])
        text = self.tools(**{"with": [*keys, "no-such-key"]})
        self.assertEqual(text.count('<span class="place">'), 4)
        for key in keys[:3]:
            self.assertIn(f'<option value="{key}" selected>', text)
        self.assertIn("Volts at the pack", text)
        self.change(**{"path": []})
        self.assertIn("Volts at the inlet", self.tools(**{"with": keys[0]}))

    def test_the_output_of_a_device_is_drawn_over_the_run(self) -> None:
        self.change(**{"device.output_by_v": [[10, 100], [12, 400]], "device.output_unit": "rpm"})
        self.assertIn("rpm at the start", self.page())
        self.assertIn("above the <b>200 rpm</b> that are enough", self.tools(wish="200"))
        self.assertIn("Nobody said to which mode the output belongs", self.tools())
        self.change(**{"device.output_by_v": [[10, 100], [12, 400]], "device.output_mode": "slew"})
        self.assertIn("“slew” gives", self.tools())

    def test_the_pack_that_keeps_the_output_up_longest_is_marked(self) -> None:
        self.change(**{"device.output_by_v": [[10, 100], [12, 400]], "device.output_unit": "rpm"})
        text = self.tools(**{"with": ["tool-18-6", "tool-18-2"]})
        longest = re.findall(r"<tr>(?:(?!</tr>).)*<b>longest</b></td>\s*</tr>", text)
        self.assertEqual(len(longest), 1)
        self.assertIn("6 Ah", longest[0])
        self.assertNotIn("<b>longest</b>", self.page())

    def test_a_night_that_grows_colder_is_told_beside_the_run(self) -> None:
        self.assertNotIn("Through the night", self.page())
        sent = {"version": self.now.version, "panel": "run", "place": "/conditions/temperature_by_h"}
        htmx = {"HX-Request": "true"}
        answer = self.client.post(
            reverse("set", args=[self.made.pk]), {**sent, "text": "0 h: 15; 5 h: -8 °C"}, headers=htmx
        )
        self.assertEqual(answer.status_code, 200)
        self.assertEqual(self.now.case.conditions.temperature_by_h, ((0.0, 15.0), (5.0, -8.0)))
        self.assertIn("with the temperature between 1", self.page())
        self.assertIn("and −", self.page())
        refused = self.client.post(
            reverse("set", args=[self.made.pk]), {**sent, "text": "5: 200", "version": 2}, headers=htmx
        )
        self.assertEqual(refused.status_code, 422)

    def test_a_stretch_is_typed_until_a_time_of_day(self) -> None:
        refused = self.duty(do="add", mode="slew", text="until 02:00")
        self.assertContains(refused, "say first when the duty begins", status_code=422)
        self.change(**{"duty.start": "20:30", "duty.once": True})  # ten minutes of duty, to 20:40
        self.duty(do="add", mode="slew", text="until 02:00")
        self.duty(do="add", mode="hold", text="01:00")
        self.assertEqual([number(s.seconds) for s in self.now.case.duty.repeat[2:]], [5 * 3600 + 1200, 23 * 3600])

    def test_the_date_of_payback_and_what_a_unit_of_price_buys(self) -> None:
        self.change(**{"source.price": 60})
        text = self.tools(old_hours="6 h", old_fill="12", week="10 h", **{"with": "tool-18-6"})
        self.assertIn("30 h", text)
        day = date.today() + timedelta(days=21)
        self.assertIn(f"in about 21 days, on {day.day} {day:%B %Y}", text)
        self.assertIn("a unit of its price", text)
        self.assertIn("45 h", self.tools(old_hours="6 h", old_fill="12", parts="30"))
        self.assertNotIn(", on ", self.tools(old_hours="6 h", old_fill="12"))

    def test_the_run_stands_on_the_page_as_a_table(self) -> None:
        rows = re.findall(r"<tr>((?:<td[^>]*>[^<]*</td>){6})</tr>", self.page())
        self.assertTrue(20 < len(rows) <= 31, len(rows))
        self.assertIn("100.0 %", rows[0])

    def test_an_empty_conversion_says_nothing_it_does_not_know(self) -> None:
        self.made = actions.create(actions.new_case("Nothing yet", Device("Thing", Supply()), Duty()), "Started")
        text = self.page(job="9 h", old_hours="6 h")
        self.assertNotIn("most likely", text)
        self.assertNotIn("Swap plan", text)
        self.assertIn('?panel=2" hx-get', text.split("give it a mode first")[0][-200:])
        for name in ("run-table", "run-calendar"):
            self.assertEqual(self.client.get(reverse(name, args=[self.made.pk])).status_code, 404)
        for pk in (self.made.pk, self.made.pk + 1):  # asked late, by a page that showed a run
            self.assertEqual(self.client.get(reverse("measure-next", args=[pk])).status_code, 204)

    def test_no_more_queries_as_the_shelf_grows(self) -> None:
        with self.assertNumQueries(6):
            self.tools(**{"with": "tool-18-4"})
        start = Item.objects.filter(kind="source").first()
        assert start
        for i in range(60):
            start.pk, start.key = None, f"copy-{i}"
            start.save()
        with self.assertNumQueries(6):
            self.tools(**{"with": ["copy-3", "copy-4"]})
