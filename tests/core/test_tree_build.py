"""The build sheet of several devices on one supply: shared parts once, every way its own, gates way by way."""

from __future__ import annotations

import json
from collections import Counter
from typing import Any

from django.test import SimpleTestCase
from msgspec.structs import replace

from hermotrope_core.build import parts_list, steps
from hermotrope_core.build.tree import LABEL, SHARED, tree_build
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.alone import alone as alone_of
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.stages import Changeover
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.outing import Outing, chain, forked
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.prove import gates
from hermotrope_core.prove.source_gate import OTHER
from hermotrope_core.prove.tree import SAG_SHARE, tree_gates
from hermotrope_core.several.follow import follow
from hermotrope_core.several.load import Load, everything
from tests.support import TESTS, case, golden


def outing(name: str) -> Outing:
    made = json.loads((TESTS / "outings" / f"{name}.json").read_text())
    made.pop("expect", None)
    return read_outing(json.dumps(made))


def counted(parts: Any) -> Counter[tuple[str, str]]:
    found: Counter[tuple[str, str]] = Counter()
    for line in parts:
        found[line.name, line.detail] += line.count
    return found


class OneWay(SimpleTestCase):
    """Wherever a line is cut in two, one device needs what the whole line needs, and is done in its steps."""

    def cases(self) -> list[tuple[str, Case, int]]:
        made = [(name, case("cases", name)) for name, _, _ in golden("cases")]
        return [(n, one, at) for n, one in made for at in range(len(one.path) + 1) if not one.mains_at(at)]

    def test_the_parts_are_those_of_the_line(self) -> None:
        for name, one, at in self.cases():
            with self.subTest(name, at=at):
                split = forked(one, at)
                built = tree_build(split.supplies[0], split.conditions, 1.0)
                got = counted(line for part in built for line in part.parts)
                self.assertEqual(got, counted(parts_list(one)))

    def test_the_steps_are_those_of_the_line(self) -> None:
        """But for the wires to cut, which are listed for one line, and the label, which names one device."""
        for name, one, at in self.cases():
            with self.subTest(name, at=at):
                split = forked(one, at)
                built = tree_build(split.supplies[0], split.conditions, 1.0)
                got = [step.key for part in built for step in part.steps]
                whole = [step.key for step in steps(one) if step.key not in (LABEL, "cut")]
                self.assertEqual(sorted(got), sorted(whole))

    def test_the_gates_are_those_of_the_line(self) -> None:
        one = case("cases", "hide-mount-on-tool-pack")
        split = forked(one, 2)
        alone, way = tree_gates(split.supplies[0], split.conditions)
        whole = [gate.key for gate in gates(Situation(one), {}) if gate.key != "run-down"]
        self.assertEqual([gate.key for gate in (*alone.gates, *way.gates)], whole)


class Several(SimpleTestCase):
    def test_what_is_shared_stands_once_and_equal_devices_are_counted(self) -> None:
        made = outing("six-feeders")
        supply = made.supplies[0]
        shared, feeders, last = tree_build(supply, made.conditions, 2.4)
        self.assertEqual((shared.name, feeders.name, last.parts), (SHARED, "feeder × 6", ()))
        self.assertEqual([line.count for line in shared.parts if line.key == "source"], [1])
        self.assertNotIn("source", [line.key for line in feeders.parts])
        counts = {line.name: line.count for line in feeders.parts}
        self.assertEqual(
            (counts["Buck converter"], counts["Heat-shrink sleeve"], counts["Box for the converter"]), (6, 12, 6)
        )
        junction = next(line for line in shared.parts if line.key == "junction")
        self.assertIn("1 to 6 ways, 2.4 A", junction.detail)
        self.assertEqual([step.key for step in shared.steps][-1], "junction")

    def test_another_supply_is_read_with_the_way_that_it_belongs_to(self) -> None:
        """One in the trunk with the source, one on a way with that way alone."""
        made = outing("two-lamps-one-block")
        other = Changeover(other_v=13.8)
        ways = made.supplies[0].branches
        for trunk, place, wanted in (
            ((), 1, [[], [], [f"{OTHER}0"]]),
            ((other,), None, [[f"{OTHER}0"], [], []]),
        ):
            branches = [replace(way, path=(other, *way.path)) if i == place else way for i, way in enumerate(ways)]
            supply = replace(made.supplies[0], trunk=trunk, branches=tuple(branches))
            asked = [
                [ask.key for gate in way.gates for ask in gate.asks] for way in tree_gates(supply, made.conditions)
            ]
            with self.subTest(place=place):
                self.assertEqual([[key for key in keys if key.startswith(OTHER)] for keys in asked[:3]], wanted)

    def test_supplies_that_meet_in_a_shared_part_are_refused_at_an_outing(self) -> None:
        made = outing("two-lamps-one-block")
        for isolates, told in ((True, False), (False, True)):
            supply = replace(made.supplies[0], trunk=(Changeover(other_v=13.8, isolates=isolates),))
            device = replace(supply.branches[0].device, inlet=Connector(kind="leads", polarity="marked", measured=True))
            supply = replace(supply, branches=(replace(supply.branches[0], device=device),))
            found = [one.level for one in alone_of(supply, made.conditions, 0) if one.code == "supplies-meet"]
            self.assertEqual(found, ["refuse"] if told else [])

    def test_one_device_has_no_junction(self) -> None:
        split = forked(case("cases", "hide-mount-on-tool-pack"), 2)
        keys = {line.key for part in tree_build(split.supplies[0], split.conditions, 1.0) for line in part.parts}
        self.assertNotIn("junction", keys)
        self.assertEqual(len(tree_gates(split.supplies[0], split.conditions)), 2)

    def test_all_together_is_what_the_night_draws(self) -> None:
        """The windows hold what flows at any charge of the run with everything on."""
        for name in ("a-night-in-the-cold", "three-outputs", "six-feeders", "two-lamps-one-block"):
            made = outing(name)
            supply = made.supplies[0]
            together = tree_gates(supply, made.conditions)[-1]
            volts, amps = together.gates[0].asks
            load = Load(supply, made.conditions, everything(supply))
            for soc in (1.0, 0.6, 0.3):
                flow = load.setting.flow(load.trunk.emf(soc))
                assert flow is not None
                with self.subTest(name, soc=soc):
                    self.assertTrue(volts.low < flow.junction_v < volts.high)
                    self.assertTrue(amps.low < flow.source_a < amps.high)
            self.assertGreater(volts.low, 0.5 * load.trunk.emf(0.2) if not load.trunk.holders else 0.0)
            assert load.flow is not None and load.full is not None
            self.assertLess(volts.low, (1 - SAG_SHARE) * min(load.flow.junction_v, load.full.junction_v))
            self.assertTrue(together.gates[0].energises)

    def test_each_way_is_read_with_the_others_off(self) -> None:
        made = outing("a-night-in-the-cold")
        supply = made.supplies[0]
        alone, *ways, _ = tree_gates(supply, made.conditions)
        self.assertEqual([gate.key for gate in alone.gates], ["open-voltage"])
        self.assertEqual([one.name for one in ways], [branch.device.name for branch in supply.branches])
        for place, way in enumerate(ways):
            self.assertIn("every other one is off the junction", way.arrangement)
            self.assertNotIn("open-voltage", [gate.key for gate in way.gates])
            self.assertNotIn("run-down", [gate.key for gate in way.gates])
            own = gates(Situation(chain(supply, place, made.conditions)), {})
            self.assertEqual(way.gates, tuple(gate for gate in own[1:] if gate.key != "run-down"))
        self.assertGreater(follow(supply, made.conditions, None).runtime_s, 0)
