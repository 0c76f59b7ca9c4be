"""A conversion's line with a junction in it: alone nothing changes, wherever it forks; a device keeps its findings."""

from __future__ import annotations

from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.alone import OF_THE_SUPPLY, WITH_THE_REST, alone
from hermotrope_core.judge.findings import check
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from
from hermotrope_core.plan.outing import Branch, Outing, forked
from hermotrope_core.plan.outing_document import outing_from, outing_tree
from hermotrope_core.several.follow import follow
from tests.support import case, golden

UNKNOWN = Connector(kind="barrel")
INVERTER = {"stage": "converter", "topology": "inverter", "output_v": 230, "efficiency": 0.8}


class Forked(SimpleTestCase):
    def test_wherever_it_forks_one_device_runs_as_before(self) -> None:
        places = 0
        for name, tree, expected in golden("cases"):
            plan = case_from(tree)
            wanted = run(plan)
            for at in range(len(plan.path) + 1):
                with self.subTest(name, at=at):
                    made = forked(plan, at)
                    self.assertEqual(outing_from(outing_tree(made)), made)
                    got = follow(made.supplies[0], made.conditions, None).branches[0]
                    self.assertAlmostEqual(got.runtime_s, wanted.runtime_s, delta=1e-9 * wanted.runtime_s + 1e-6)
                    self.assertAlmostEqual(
                        got.energy_to_device_wh, wanted.energy_to_device_wh, delta=1e-9 * wanted.energy_to_device_wh
                    )
                    self.assertEqual(got.end_cause, expected["end_cause"])
                    places += 1
        self.assertGreater(places, 30)

    def test_it_is_refused_without_a_pack_outside_the_line_and_where_mains_volts_stand(self) -> None:
        plan = case("cases", "hide-mount-on-tool-pack")
        behind = case("cases", "hide-mount-on-tool-pack", path=[{"stage": "fuse", "rating_a": 5}, INVERTER])
        for made, at, says in (
            (msgspec.structs.replace(plan, source=None), 0, "no pack is chosen"),
            (plan, -1, "not there any more"),
            (plan, len(plan.path) + 1, "not there any more"),
            (behind, 2, "mains volts"),
        ):
            with self.subTest(says), self.assertRaisesRegex(ValueError, says):
                forked(made, at)
        self.assertEqual(len(forked(behind, 1).supplies[0].trunk), 1)
        self.assertEqual(len(forked(plan, len(plan.path)).supplies[0].trunk), len(plan.path))


class Alone(SimpleTestCase):
    def codes(self, made: Outing, place: int = 0) -> list[str]:
        return [one.code for one in alone(made.supplies[0], made.conditions, place)]

    def both(self, name: str, at: int, **changes: Any) -> tuple[list[str], Case]:
        plan = case("judgements", name, **changes)
        return self.codes(forked(plan, at)), plan

    def test_every_device_keeps_what_concerns_it_alone(self) -> None:
        kept = 0
        for name, tree, _ in golden("judgements"):
            plan = case_from(tree)
            if plan.source is None or not plan.duty.repeat or plan.mains_at(0):
                continue
            wanted = [
                one.code
                for one in check(Situation(plan))
                if one.level != "note"
                and one.code not in WITH_THE_REST
                and plan.device.inlet is not None
                and (one.code, one.stage) != OF_THE_SUPPLY
            ]
            with self.subTest(name):
                self.assertEqual(self.codes(forked(plan, 0)), wanted)
                kept += len(wanted)
        self.assertGreater(kept, 10)

    def test_a_reversed_plug_is_refused_and_a_shared_part_is_not_told_of_a_device(self) -> None:
        found, plan = self.both("centre-negative-device", 0)
        self.assertIn("polarity-reversed", found)
        length = len(plan.path)
        for at in range(length + 1):
            told = alone(forked(plan, at).supplies[0], plan.conditions, 0)
            self.assertFalse([one for one in told if 0 <= one.stage < at])

    def test_a_pack_that_nobody_measured_is_no_fault_of_a_device(self) -> None:
        plan = case("judgements", "centre-negative-device", **{"source.outlet": None})
        self.assertIn(OF_THE_SUPPLY, [(one.code, one.stage) for one in check(Situation(plan))])
        self.assertNotIn("polarity-unknown", self.codes(forked(plan, 0)))
        unknown = msgspec.structs.replace(plan, device=msgspec.structs.replace(plan.device, inlet=UNKNOWN))
        self.assertIn("polarity-unknown", self.codes(forked(unknown, 0)))

    def test_of_a_typed_row_nothing_is_said(self) -> None:
        made = forked(case("judgements", "centre-negative-device"), 0)
        supply = made.supplies[0]
        typed = msgspec.structs.replace(supply.branches[0].device, inlet=None)
        row = Branch(device=typed, duty=supply.branches[0].duty)
        both = msgspec.structs.replace(supply, branches=(*supply.branches, row))
        self.assertEqual(alone(both, made.conditions, 1), ())
        self.assertTrue(alone(both, made.conditions, 0))
