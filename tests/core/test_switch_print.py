"""Switches and cut-offs from what is printed on them, and what they may carry."""

from __future__ import annotations

from typing import Any

from django.test import SimpleTestCase

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check
from hermotrope_core.kinds.cut_off import CutOff
from hermotrope_core.kinds.switch import Switch
from hermotrope_core.know.label import LabelError
from hermotrope_core.know.printed import read_print
from hermotrope_core.know.shelved import part_of
from hermotrope_core.know.switch_print import Opens, switch_facts, switch_of
from hermotrope_core.values.known import maybe
from tests.labels import LABELS
from tests.support import case

SWITCHES: list[tuple[str, float, float | None]] = [
    # amperes, volts of direct current
    ("rocker switch 6A 250VAC, 20A 12VDC", 20, 12),
    ("toggle switch 10A", 10, None),
    ("Rocker switch 250V~ 6A", 6, None),
    ("switch 6A/250VAC 10A/125VAC", 6, None),
    ("slide switch DC 50V 0.5A", 0.5, 50),
    ("push button switch 3A 24V", 3, 24),
    ("switch 12V DC 5A / 48V DC 2A", 2, 48),
    ("key switch 16A 230V", 16, None),
]


def mount(switch: dict[str, Any], **changes: Any) -> Situation:
    return Situation(case("cases", "hide-mount-on-tool-pack", path=[{"stage": "switch", **switch}], **changes))


class Prints(SimpleTestCase):
    def part(self, label: str) -> tuple[Opens, tuple[str, ...]]:
        found = switch_of(label)
        assert found is not None
        return found

    def test_only_direct_volts_count_and_the_amperes_that_go_with_them(self) -> None:
        for label, amps, volts in SWITCHES:
            with self.subTest(label):
                part, assumed = self.part(label)
                assert isinstance(part, Switch)
                self.assertEqual((maybe(part.rating_a), maybe(part.rating_v)), (amps, volts))
                self.assertEqual(bool(assumed), volts is None)
                self.assertEqual(part_of(label).kind, "stage")

    def test_a_cut_off_by_where_it_opens(self) -> None:
        part, _ = self.part("low voltage cut-off 12V 10A, opens at 11.1V")
        assert isinstance(part, CutOff)
        self.assertEqual((maybe(part.trips_v), maybe(part.rating_a)), (11.1, 10))
        self.assertEqual(switch_facts(part), [("Stands", "10.0 A"), ("Opens", "at 11.1 V")])

    def test_what_is_missing_is_asked(self) -> None:
        for label, says in (("switch 12V", "how many amperes"), ("LVD 20A 12V", "at how many volts does it open")):
            with self.subTest(label), self.assertRaisesRegex(LabelError, says):
                switch_of(label)

    def test_nothing_else_is_taken_for_a_switch(self) -> None:
        for label, *_ in LABELS:
            self.assertIsNone(switch_of(label), label)
        for label in (
            "network switch 12V 1A",
            "8 port switch 5V 2A",
            "switch mode adapter 12V 1A",
            "power bank 5000mAh with switch",
            "buck converter 12V 3A with switch",
        ):
            self.assertIsNone(switch_of(label))
        with self.assertRaisesRegex(LabelError, "gives nothing by itself"):
            read_print("rocker switch 12V 20A")


class Carries(SimpleTestCase):
    def levels(self, rating: float | None, **changes: Any) -> list[tuple[str, float | None]]:
        switch = {} if rating is None else {"rating_a": rating, "rating_v": 60}
        return [(one.level, one.limit) for one in check(mount(switch, **changes)) if one.code == "part-overload"]

    def test_it_is_judged_by_what_flows_through_it(self) -> None:
        modes = [{"name": "on", "kind": "current", "current_a": 4.0}]
        on = {"device.modes": modes, "duty.repeat": [{"mode": "on", "seconds": 60}]}
        for rating, found in (
            (None, []), (10.0, []), (4.0, []), (3.9, [("care", 3.9)]), (2.0, [("refuse", 2.0)]),
        ):  # fmt: skip
            with self.subTest(rating):
                self.assertEqual(self.levels(rating, **on), found)

    def test_a_cut_off_too_and_never_a_fuse(self) -> None:
        cut_off = {"stage": "cut-off", "trips_v": 15, "rating_a": 1.0}
        fuse = {"stage": "fuse", "rating_a": 0.1}
        found = check(Situation(case("cases", "hide-mount-on-tool-pack", path=[fuse, cut_off])))
        self.assertEqual([(one.stage, one.level) for one in found if one.code == "part-overload"], [(1, "refuse")])
        self.assertIn("The cut-off carries", next(one.message for one in found if one.code == "part-overload"))
