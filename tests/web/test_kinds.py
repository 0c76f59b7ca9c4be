"""A kind of stage is one class: one that nobody else has heard of goes through everything that asks kinds."""

from __future__ import annotations

import msgspec
from django.test import SimpleTestCase

from hermotrope.drawings.line import feed_line
from hermotrope.drawings.schematic import schematic
from hermotrope.drawings.wiring import wiring
from hermotrope_core.build import cut_list, parts_list, steps
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.many import runs
from hermotrope_core.circuit.netlist import netlist
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check
from hermotrope_core.judge.working import stage_givens
from hermotrope_core.kinds.effects import Element
from hermotrope_core.kinds.stage import Place, StageKind, Work
from hermotrope_core.kinds.stages import KINDS, Resistor, kind_named
from hermotrope_core.plan.case import Case
from hermotrope_core.prove import gates
from hermotrope_core.values.known import Number, number
from tests.support import case


class Choke(StageKind, frozen=True, tag="choke"):
    """A coil in the plus conductor: some resistance and a little drop."""

    TITLE = OFFERED = "Choke"
    WORK_KEY = "choke"
    ROWS = SHOWN = ("resistance_ohm",)

    resistance_ohm: Number = 0.0

    def element(self, i: int) -> Element:
        return Element(i, number(self.resistance_ohm), 0.0)

    def work(self, place: Place) -> Work:
        return Work("the choke", "Round the plus wire.", 5, "none")


class AThrowAwayKind(SimpleTestCase):
    def with_one(self, stage: StageKind) -> Case:
        made = case("cases", "hide-mount-on-tool-pack")
        return msgspec.structs.replace(made, path=(*made.path[:2], stage, *made.path[2:]))

    def test_it_goes_through_run_draws_netlist_sheet_and_drawings(self) -> None:
        made, same = self.with_one(Choke(resistance_ohm=0.05)), self.with_one(Resistor(resistance_ohm=0.05))
        self.assertEqual(run(made), run(same))
        self.assertEqual(list(runs(made, {}, 3).runtime_s), list(runs(same, {}, 3).runtime_s))
        self.assertEqual(netlist(made), netlist(same))
        situation = Situation(made)
        found = {finding.code for finding in check(situation)}
        self.assertEqual(found, {finding.code for finding in check(Situation(same))})
        at = situation.at(situation.heaviest, 1.0).at_stage(2)
        self.assertEqual(made.path[2].working(at).formula, "V − I R")
        self.assertEqual([one.place for one in stage_givens(made, 2)], ["path[2].resistance_ohm"])
        self.assertIn(("choke-2", "Part 3: the choke"), [(step.key, step.title) for step in steps(made)])
        self.assertIn("Choke", [line.name for line in parts_list(made)])
        self.assertIn("part 3, tails", [cut.what for cut in cut_list(made)])
        self.assertEqual(len(gates(situation, {}, None)), len(gates(Situation(same), {}, None)))
        line = feed_line(made, None, 1.0, (), ())
        self.assertEqual([station.title for station in line.stations][3], "Choke")
        drawing = wiring(made)
        assert drawing is not None
        self.assertEqual(drawing.parts[2].title, "Choke")
        self.assertIn("Choke", schematic(made))


class TheList(SimpleTestCase):
    def test_every_kind_says_what_must_be_said(self) -> None:
        for kind in KINDS:
            with self.subTest(kind.__name__):
                self.assertIs(kind_named(str(kind.__struct_config__.tag)), kind)
                self.assertTrue(kind.OFFERED and kind.WORK_KEY and kind.ROWS)
                self.assertLessEqual({*kind.ROWS, *kind.SHOWN}, set(kind.__struct_fields__))
                self.assertIsNot(kind.work, StageKind.work)
        with self.assertRaises(LookupError):
            kind_named("choke")
