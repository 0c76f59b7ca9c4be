"""A changeover between the pack and another supply: what each does behind it, and what happens between them."""

from __future__ import annotations

from typing import Any

from django.test import SimpleTestCase

from hermotrope_core.build import parts_list, steps
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.evidence import judgement_working
from hermotrope_core.judge.findings import Finding, check
from hermotrope_core.judge.findings.other_supply import on_the_other
from hermotrope_core.prove import StandIn, gates, judge
from hermotrope_core.values.known import number
from tests.support import case

OTHER = {"stage": "changeover", "other_v": 13.8, "other_a": 8.0, "resistance_ohm": 0.02}
DIRECT: dict[str, Any] = {
    "path": [{"stage": "fuse", "rating_a": 5}, OTHER, {"stage": "lead", "length_m": 1, "area_mm2": 1}],
    "source": {"name": "4S", "chemistry": "lifepo4", "cells_in_series": 4, "capacity_ah": 6, "resistance_ohm": 0.05,
               "cutoff_v": 10.5},
}  # fmt: skip


def found(code: str = "other-supply", **changes: Any) -> list[Finding]:
    made = Situation(case("cases", "hide-mount-on-tool-pack", **(DIRECT | changes)))
    return [one for one in check(made) if one.code == code]


class Other(SimpleTestCase):
    def test_the_plan_runs_from_the_pack(self) -> None:
        plain = case("cases", "hide-mount-on-tool-pack", **DIRECT)
        same = case(
            "cases", "hide-mount-on-tool-pack", **(DIRECT | {"path.1": {"stage": "resistor", "resistance_ohm": 0.02}})
        )
        self.assertEqual(run(plain), run(same))

    def test_what_fits_is_silent_and_what_does_not_is_told_by_its_own_rule(self) -> None:
        self.assertEqual(found(), [])
        for volts, level, says in (
            (15.2, "refuse", "15.2 V"),
            (17.0, "refuse", "17.0 V"),
            (9.0, "refuse", "9.0"),
        ):
            with self.subTest(volts):
                got = found(**{"path.1.other_v": volts})
                self.assertEqual([one.level for one in got][:1], [level], got)
                self.assertTrue(got[0].message.startswith("On the other supply"), got)
                self.assertIn(says, got[0].message)
                self.assertNotIn("pack", got[0].message)
                self.assertEqual(got[0].stage, 1)

    def test_too_few_amperes(self) -> None:
        self.assertEqual(found(**{"path.1.other_a": 6.1}), [])
        self.assertTrue(found(**{"path.1.other_a": 1.0}))

    def test_only_what_is_behind_it_counts(self) -> None:
        """Before a converter it takes what the converter takes; behind it, what the device takes."""
        board = case("cases", "hide-mount-on-tool-pack").path[2]
        for at, volts, refused in ((1, 20.0, False), (2, 20.0, True), (2, 12.0, False)):
            stages: list[Any] = [{"stage": "fuse", "rating_a": 7.5}, case_tree(board)]
            stages.insert(at, OTHER | {"other_v": volts})
            with self.subTest(at=at, volts=volts):
                made = Situation(case("cases", "hide-mount-on-tool-pack", path=stages))
                got = [one for one in check(made) if one.code == "other-supply" and one.level == "refuse"]
                self.assertEqual(bool(got), refused, got)
                self.assertEqual(len(on_the_other(made, at).case.path), 2 - at)

    def test_a_gap(self) -> None:
        self.assertEqual([one.level for one in found("feed-gap")], ["note"])
        self.assertEqual(found("feed-gap", **{"path.1.gap_s": 0.0}), [])
        for change in ({"device.ends": "resets"}, {"device.traits": ["writes-storage"]}):
            self.assertEqual([one.level for one in found("feed-gap", **change)], ["care"])
        inner = {"chemistry": "li-ion", "energy_wh": 5, "takes_over": True}
        self.assertEqual(found("feed-gap", **{"device.internal_battery": inner}), [])

    def test_supplies_that_meet_and_the_cure(self) -> None:
        (one,) = found("supplies-meet", **{"path.1.isolates": False})
        self.assertEqual(one.level, "refuse")
        self.assertEqual(found("supplies-meet"), [])
        self.assertEqual([(step["path"], step["value"]) for step in one.change], [("/path/1/isolates", True)])


def case_tree(stage: Any) -> dict[str, Any]:
    return {
        "stage": "converter", "topology": "buck", "output_v": 12.0, "efficiency": 0.94, "quiescent_w": 0.05,
        "input_min_v": number(stage.input_min_v or 8), "input_max_v": 32, "output_current_max_a": 8,
    }  # fmt: skip


class Built(SimpleTestCase):
    def test_it_is_on_the_sheet_and_measured_by_itself_first(self) -> None:
        made = case("cases", "hide-mount-on-tool-pack", **DIRECT)
        self.assertIn("Changeover", [line.name for line in parts_list(made)])
        self.assertTrue(any("the two never meet" in step.how for step in steps(made)))
        first = gates(Situation(made), {})[0]
        ask = next(one for one in first.asks if one.key == "open-voltage.other-1")
        self.assertEqual(first.key, "open-voltage")
        self.assertTrue(ask.low < 13.8 < ask.high)
        for value, level in ((13.8, "pass"), (-13.8, "stop"), (0.0, "fail"), (19.0, "stop"), (12.0, "fail")):
            with self.subTest(value):
                self.assertEqual(judge(ask, value).level, level)
        self.assertEqual(StandIn(made).read(ask), 13.8)


class Working(SimpleTestCase):
    def test_every_finding_of_it_shows_its_two_numbers(self) -> None:
        made = Situation(
            case(
                "cases",
                "hide-mount-on-tool-pack",
                **(DIRECT | {"path.1.other_v": 17.0, "path.1.isolates": False, "path.1.gap_s": 0.5}),
            )
        )
        told = {one.code: judgement_working(made, one) for one in check(made) if one.stage == 1}
        self.assertEqual([step.result for step in told["feed-gap"].steps], ["0.500 s", "0.00100 s"])
        self.assertIn("17.0 V", [step.result for step in told["other-supply"].steps])
        self.assertIn("path[1].other_v", [given.place for given in told["other-supply"].givens])
        self.assertIn("supplies-meet", told)
