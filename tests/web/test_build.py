"""The Build panel: drawings, wire and fuse, switch, joints, choices, stops; and the shaping of the line."""

from __future__ import annotations

import json
import re
from math import inf
from typing import Any
from xml.etree import ElementTree

from django.core.management import call_command
from django.test import TestCase
from django.urls import reverse
from msgspec.structs import replace

from hermotrope.bench import actions
from hermotrope.bench.build_panel import build_context
from hermotrope.bench.feed import Feed
from hermotrope.bench.models import Conversion
from hermotrope.bench.places import HOLDS_AWAKE, move_problems
from hermotrope.drawings.margins import GREATEST_W, WIDE, heat_wide, margin_bar, warmth
from hermotrope.drawings.reach import ROOM, reach
from hermotrope.drawings.reach import WIDE as SPAN
from hermotrope.drawings.wiring import BOTTOM, TITLE_Y, part_view, switch_marks, wiring
from hermotrope_core.circuit.estimate import Range
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.standing import switch_places
from hermotrope_core.judge.findings import check
from hermotrope_core.kinds.stages import Fuse, Lead, Switch
from hermotrope_core.values.known import number
from tests.support import case
from tests.web.client import Reader


class Build(TestCase):
    client_class = Reader

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)

    def start(self, name: str, folder: str = "judgements", **changes: Any) -> Conversion:
        self.made = actions.create(case(folder, name, **changes), "Started")
        return self.made

    @property
    def now(self) -> Conversion:
        return Conversion.objects.get(pk=self.made.pk)

    def post(self, name: str, **data: Any) -> Any:
        url = reverse(name, args=[self.made.pk])
        sent = {"version": self.now.version, "panel": "build", **data}
        return self.client.post(url, sent, headers={"HX-Request": "true"})

    def panel(self, key: str = "build") -> str:
        return self.client.get(f"{self.made.get_absolute_url()}?panel={key}").content.decode()

    def codes(self) -> set[str]:
        return {f.code for f in check(Situation(self.now.case))}

    def test_a_refused_plan_is_not_built(self) -> None:
        words = "nothing of this is built or joined"
        for name, refused in (("fuse-bigger-than-wire", True), ("all-well", False)):
            self.start(name)
            self.assertEqual(self.now.verdict == "refused", refused)
            for key in ("build", "buy", "do"):
                self.assertEqual(words in self.panel(key), refused, (name, key))

    def test_gauge_and_fuse_are_chosen_together(self) -> None:
        for name in (
            "long-thin-lead",
            "wire-too-hot",
            "fuse-bigger-than-wire",
            "fuse-too-small",
            "start-peak-opens-fuse",
        ):
            self.start(name)
            before = self.codes() & {"wire-drop", "wire-hot", "fuse-over-wire", "fuse-under-load"}
            self.assertTrue(before)
            self.assertEqual(self.post("wire").status_code, 200)
            self.assertFalse(self.codes() & {"wire-drop", "wire-hot", "fuse-over-wire", "fuse-under-load", "no-fuse"})

    def test_what_no_copper_does_is_told(self) -> None:
        self.start("long-thin-lead", **{"path.3.length_m": 900.0})
        answer = self.post("wire")
        self.assertContains(answer, "even 10 mm² is too thin for 900 m", status_code=422)

    def test_the_switch_goes_where_it_saves_the_draw(self) -> None:
        self.start("converter-always-on")
        self.assertIn("standing-drain", self.codes())
        self.assertIn("flat in", self.panel())
        self.post("switch", at="1")
        self.assertIsInstance(self.now.case.path[1], Switch)
        self.assertNotIn("standing-drain", self.codes())
        self.post("switch", at="")
        self.assertFalse([s for s in self.now.case.path if isinstance(s, Switch)])
        self.assertEqual(self.post("switch", at="77").status_code, 422)

    def test_a_swapping_lead_says_so_on_the_line_in_the_drawing_and_in_the_verdict(self) -> None:
        self.start("centre-negative-device")
        self.assertIn("polarity-reversed", self.codes())
        page = self.panel()
        self.assertIn("it swaps plus and minus", page.replace('<b class="swap-word">', ""))
        gap = re.findall(r'name="start" value="(\d+)"', page)[-1]
        self.post("join", start=gap)
        self.assertEqual(self.codes() & {"polarity-reversed", "polarity-swapped"}, {"polarity-swapped"})
        page = self.panel()
        line, verdict, drawing = (
            re.search(pattern, page, re.S)
            for pattern in (
                r'<section id="line".*?</section>',
                r'<section id="verdict".*?</section>',
                r'<svg[^>]*class="wiring".*?</svg>',
            )
        )
        assert line and verdict and drawing
        self.assertIn("swaps ±", line[0])
        self.assertIn("swaps plus and minus", verdict[0])
        self.assertIn("PLUS AND MINUS SWAP HERE", drawing[0])

    def test_a_chain_from_the_shelf_is_used(self) -> None:
        self.start("all-well")
        page = self.panel()
        leads = re.findall(r'name="start" value="3"><input type="hidden" name="leads" value="([\d,]+)"', page)
        self.post("join", start="3", leads=leads[0])
        put_in = [s for s in self.now.case.path if isinstance(s, Lead)]
        self.assertTrue(any(lead.device_end is not None for lead in put_in))
        self.assertNotIn("polarity-reversed", self.codes())
        for bad in ("9999", "1,x", "1;2"):
            self.assertEqual(self.post("join", start="3", leads=bad).status_code, 422)
        self.assertEqual(self.post("join", start="44").status_code, 422)

    def test_an_alarm_is_put_in_so_that_it_sounds_in_time(self) -> None:
        self.start("hide-mount-on-tool-pack", "cases")
        self.assertEqual(self.post("stage", do="add", at="2", kind="voltmeter").status_code, 200)
        self.assertEqual([stage.kind for stage in self.now.case.path][2], "voltmeter")
        self.assertFalse(self.codes() & {"alarm-volts", "no-warning"})
        told = re.search(
            r"The alarm \([\d.]+ V\) sounds in “slew” from about ([^,]*) before the end, in “hold” from about (\w+)",
            self.panel("run"),
        )
        assert told is not None
        self.assertGreater(int(told[1].removesuffix(" min")), 30)
        self.assertIn("warns at", self.panel("build"))
        self.assertRegex(self.panel("run"), r'"guards": \[\["alarm [\d.]+ V", [\d.]+, "--care"')

    def test_another_supply_begins_with_volts_that_suit_its_place(self) -> None:
        for at, volts in (("1", 18.0), ("4", 12.0)):
            self.start("hide-mount-on-tool-pack", "cases")
            self.post("stage", do="add", at=at, kind="changeover")
            stage = self.now.case.path[int(at)]
            self.assertEqual((stage.kind, stage.beside), ("changeover", (volts, None)))
            self.assertNotIn("other-supply", self.codes())
            self.assertIn("Changeover", self.panel("build"))

    def test_drawings_are_whole_files(self) -> None:
        self.start("swapped-by-the-lead")
        for name in ("wiring", "schematic"):
            answer = self.client.get(reverse(name, args=[self.made.pk]))
            self.assertEqual(answer["Content-Type"], "image/svg+xml")
            text = answer.content.decode()
            ElementTree.fromstring(text.encode())
            self.assertIn("swap", text.lower())
        listed = self.client.get(reverse("netlist", args=[self.made.pk])).content.decode()
        self.assertIn(".meas tran runtime_s", listed)
        blank = actions.create(case("judgements", "all-well", source=None), "Started")
        for name in ("wiring", "schematic", "netlist"):
            self.assertEqual(self.client.get(reverse(name, args=[blank.pk])).status_code, 404)

    def test_names_cannot_break_out_of_a_drawing(self) -> None:
        self.start("all-well", **{"device.name": "<script>x</script>", "source.name": "a & b \" '"})
        for name in ("wiring", "schematic"):
            text = self.client.get(reverse(name, args=[self.made.pk])).content
            self.assertNotIn(b"<script", text)
            ElementTree.fromstring(text)

    def test_a_stop_keeps_it_closed_until_somebody_is_named(self) -> None:
        self.start("breathing-gear")
        page = self.panel()
        self.assertIn("Build is closed", page)
        self.assertNotIn('class="wiring"', page)
        self.assertContains(
            self.post("choice", code="life-safety", reason="because"), "who takes it over", status_code=422
        )
        self.assertEqual(self.post("choice", code="life-safety", by="the fire service's workshop").status_code, 200)
        self.assertIn('class="wiring"', self.panel())
        self.assertIn("the fire service", self.now.headline)
        self.post("choice", code="life-safety", do="undo")
        self.assertIn("Build is closed", self.panel())

    def test_a_deliberate_choice_needs_its_reason(self) -> None:
        self.start("direct-little-over")
        self.assertEqual(self.now.verdict, "refused")
        self.assertContains(self.post("choice", code="over-max", reason=" "), "say why", status_code=422)
        self.post("choice", code="over-max", reason="it ran on 17.4 V for years")
        self.assertEqual(self.now.verdict, "fits with care")
        self.assertIn("it ran on 17.4 V for years", self.panel())
        self.assertEqual(self.post("choice", code="no-such-thing", reason="x").status_code, 422)
        self.post("choice", code="over-max", do="undo")
        self.assertEqual(self.now.verdict, "refused")

    def test_cautions_stand_in_the_panel_where_they_arise(self) -> None:
        self.start("all-well", **{"device.traits": ["near-water", "motor"]})
        self.assertIn("drip loop", self.panel(str(len(self.made.case.path) + 2)))
        self.assertIn("swollen cells", self.panel("1"))
        self.assertIn("unloaded and measured", self.panel("4"))
        self.assertIn("one hand", self.panel())

    def test_queries_do_not_grow_with_the_shelf(self) -> None:
        self.start("all-well")
        self.panel()
        with self.assertNumQueries(8):
            self.panel()
        with self.assertNumQueries(4):
            self.panel("add-1")

    def test_a_stage_is_moved_doubled_and_dropped_from_the_shelf(self) -> None:
        self.start("all-well")
        first = [type(s).__name__ for s in self.made.case.path]
        self.post("stage", do="move", at="0", to="3")
        self.assertEqual([type(s).__name__ for s in self.now.case.path], [*first[1:3], first[0], first[3]])
        self.post("stage", do="move", at="2", to="0")
        self.assertEqual(self.now.case.path, self.made.case.path)
        self.post("stage", do="copy", at="3")
        self.assertEqual(self.now.case.path[3], self.now.case.path[4])
        self.post("stage", do="part", at="0", key="fuse-3")
        dropped = self.now.case.path[0]
        self.assertIsInstance(dropped, Fuse)
        self.assertEqual(number(dropped.rating_a), 3)  # type: ignore[union-attr]
        for bad in (
            {"do": "move", "at": "0", "to": "99"},
            {"do": "part", "at": "0", "key": "bank-20"},
            {"do": "copy", "at": "70"},
        ):
            self.assertEqual(self.post("stage", **bad).status_code, 422)

    def test_the_page_says_where_a_move_makes_no_sense(self) -> None:
        self.start("all-well")
        page = self.panel("2")
        moves = json.loads(re.findall(r'<script id="moves" type="application/json">(.*?)</script>', page)[0])
        self.assertEqual(len(moves), 4)
        self.assertIsNone(moves[0][0])
        self.assertIn("protects nothing", moves[0][3])
        add = self.panel("add-3")
        self.assertIn("protects nothing", add)
        self.assertIn("From the shelf", add)


class Stands(TestCase):
    """What a part stands, drawn."""

    def test_a_bar_says_where_a_rating_fits(self) -> None:
        for least, rated, most, bad in (
            (2.0, 3.0, 4.0, False),
            (2.0, 2.0, 2.0, False),
            (2.0, 1.9, 4.0, True),
            (2.0, 4.1, 4.0, True),
            (0.0, 0.0, inf, False),
        ):
            bar = margin_bar(least, rated, most)
            self.assertEqual(bar.bad, bad, (least, rated, most))
            self.assertEqual(bar.left + bar.wide == WIDE, most == inf)
            inside = bar.left <= bar.rated <= bar.left + bar.wide
            self.assertEqual(inside, not bad, bar)
            self.assertLessEqual(bar.left + bar.wide, WIDE)
        self.assertEqual((heat_wide(0.0), heat_wide(GREATEST_W), heat_wide(99.0)), (0.0, WIDE, WIDE))
        self.assertEqual([warmth(c) for c in (20.0, 45.0, 45.1, 60.0, 60.1)], ["cool", "cool", "warm", "warm", "hot"])

    def test_the_drawing_shows_where_else_the_switch_could_stand(self) -> None:
        bare = case(
            "cases", "hide-mount-on-tool-pack", **{"path.1": {"stage": "lead", "length_m": 0.1, "area_mm2": 1.0}}
        )
        kinds = [stage.kind for stage in bare.path]
        board = kinds.index("converter")
        drawing = wiring(bare)
        assert drawing is not None
        marks = switch_marks(bare, drawing, switch_places(bare))
        self.assertEqual([(mark.at, mark.flat[0] == "never") for mark in marks], [(1, True), (board + 1, False)])
        self.assertTrue(drawing.parts[0].x < marks[0].x < drawing.parts[1].x)
        switched = replace(bare, path=(*bare.path[:1], Switch(), *bare.path[1:]))
        drawing = wiring(switched)
        assert drawing is not None
        (mark,) = switch_marks(switched, drawing, switch_places(switched))  # where it stands is not offered
        self.assertEqual(mark.at, board + 1)
        self.assertTrue(drawing.parts[board + 1].x < mark.x < drawing.parts[board + 2].x)

    def test_no_switch_is_drawn_into_a_mains_cord(self) -> None:
        made = case("judgements", "dc-on-a-mains-socket")
        self.assertEqual([place.at for place in switch_places(made) if place.at is not None], [2])  # behind the buck
        drawing = wiring(made)
        assert drawing is not None
        for mark in switch_marks(made, drawing, switch_places(made)):
            wire = next(one for one in drawing.wires if one.left <= mark.x <= one.right)
            self.assertFalse(wire.mains)

    def test_a_board_is_held_against_what_it_may_give_where_it_stands(self) -> None:
        for enclosure, bad in (("open", False), ("closed", True)):
            made = case("cases", "hide-mount-on-tool-pack", **{"conditions.enclosure": enclosure})
            at = next(i for i, stage in enumerate(made.path) if stage.HOLDS)
            board = replace(made.path[at], output_current_max_a=4.0)
            tight = replace(made, path=(*made.path[:at], board, *made.path[at + 1 :]))
            kept = actions.create(tight, "Started")
            row = next(one for one in build_context(kept, Feed(tight))["rows"] if one["station"] == at + 2)
            self.assertEqual((row["margin"]["bad"], row["margin"]["bar"].bad), (bad, bad), enclosure)

    def test_how_far_a_run_reaches_is_drawn_to_scale(self) -> None:
        found = Range(3600.0, 5400.0, 7200.0, {"pack cut-off": 1.0})
        bar = reach(found, 9000.0)
        top = 9000.0 * ROOM
        self.assertAlmostEqual(bar.left, SPAN * 3600.0 / top, delta=0.1)
        self.assertAlmostEqual(bar.wide, SPAN * 3600.0 / top, delta=0.2)
        self.assertAlmostEqual(bar.likely, SPAN * 5400.0 / top, delta=0.1)
        self.assertAlmostEqual(bar.measured or 0.0, SPAN / ROOM, delta=0.1)
        self.assertEqual(
            bar.words, "Nine of ten runs last 60 min to 2 h 00 min, most likely 1 h 30 min; it ran 2 h 30 min"
        )
        self.assertIsNone(reach(found, None).measured)

    def test_a_view_of_a_part_holds_it_and_stays_on_the_sheet(self) -> None:
        drawing = wiring(case("cases", "hide-mount-on-tool-pack"))
        assert drawing is not None
        ends = {0: 141.0, len(drawing.parts) + 1: drawing.device_x}
        for which, x in ends.items() | {(part.number, part.x) for part in drawing.parts}:
            left, top, wide, high = map(float, part_view(drawing, which).split())
            self.assertTrue(left < x < left + wide)
            self.assertGreaterEqual(left, 0.0)
            self.assertLessEqual(left + wide, drawing.width)
            self.assertTrue(top < TITLE_Y < BOTTOM < top + high)

    def test_plan_tells_margin_and_heat_of_each_part(self) -> None:
        call_command("load_demo", verbosity=0)
        made = Conversion.objects.get(title="Pan mount, Hide 3")
        rows = {row["name"]: row for row in build_context(made, Feed(made.case))["rows"]}
        self.assertEqual(list(rows), ["Fuse 7.5 A", "Buck converter set to 12 V", "Lead 1.2 m, 1 mm²"])
        self.assertIn("rated 7.5 A", rows["Fuse 7.5 A"]["margin"]["says"])
        self.assertIsNone(rows["Fuse 7.5 A"]["heat"])
        board = rows["Buck converter set to 12 V"]["margin"]
        self.assertEqual(board["says"], "gives 3.4 A; rated 8.0 A, in a closed box 5.6 A")
        self.assertFalse(board["bad"])
        self.assertAlmostEqual(board["bar"].left / board["bar"].rated, 3.37 / 8.0, delta=0.01)
        self.assertEqual(rows["Buck converter set to 12 V"]["heat"]["warmth"], "warm")
        self.assertTrue(rows["Buck converter set to 12 V"]["heat"]["hot_closed"])


class Moving(TestCase):
    def test_what_holds_its_volts_by_itself_keeps_no_part_in_its_place(self) -> None:
        """Behind a bank or an adapter a keep-alive load needs no board: that may go anywhere before or behind it."""
        load = {"stage": "keep-alive", "current_a": 0.1}
        adapter = {"name": "Adapter", "chemistry": "mains-adapter", "cells_in_series": 1, "capacity_ah": 1,
                   "cutoff_v": 0, "resistance_ohm": 0, "ocv": [[0, 19], [1, 19]], "full_v": 19}  # fmt: skip
        board = {"stage": "converter", "topology": "buck", "output_v": 12, "efficiency": 0.9}
        for source, wanted in ((adapter, [None, None, None]), ({}, [None, None, HOLDS_AWAKE])):
            change = {"source": source} if source else {}
            made = case("cases", "reference-1", **{"path": [board, load], **change})
            self.assertEqual(move_problems(made)[0], wanted)
