"""What a shared line carries: sums and starts against limits, fuses of branches, how many more; rows typed by hand."""

from __future__ import annotations

from typing import Any

from django.test import SimpleTestCase

from hermotrope_core.know.typed_row import RowError, branch_of, read_row
from hermotrope_core.plan.duty import Conditions, Duty, Segment
from hermotrope_core.several.follow import follow
from hermotrope_core.several.load import how_many
from hermotrope_core.several.remarks import remarks
from hermotrope_core.several.trunk import trunk_circuit
from tests.core.test_several import BANK, BLOCK, branch, outing
from tests.support import put

FUSED = [{"stage": "fuse", "rating_a": 10}, {"stage": "lead", "length_m": 1, "area_mm2": 2.5}]
USB = {"supply": {"min_v": 4.5, "nominal_v": 5, "max_v": 5.5}}


def told(*branches: dict[str, Any], **more: Any) -> list[tuple[str, str]]:
    """Levels and words of everything that is told."""
    made = outing(*branches, **more)
    hours = None if made.hours is None else float(made.hours)  # type: ignore[arg-type]
    run = follow(made.supplies[0], made.conditions, hours)
    return [(one.level, one.says) for one in remarks(made.supplies[0], made.conditions, run, hours)]


def said(found: list[tuple[str, str]], words: str) -> list[str]:
    return [level for level, says in found if words in says]


class Remarks(SimpleTestCase):
    def test_nothing_against_two_lamps(self) -> None:
        found = told(branch("power", 5.0), branch("power", 3.0), trunk=FUSED)
        self.assertEqual([level for level, _ in found], ["note"])
        own = branch("power", 5.0, path=[{"stage": "fuse", "rating_a": 3}])
        self.assertEqual(told(own, own, trunk=FUSED), [])

    def test_a_pack_gives_no_more_than_its_limit_to_all_together(self) -> None:
        pack = BLOCK | {"max_current_a": 3}
        two = [branch("current", 1.4), branch("current", 1.4)]
        self.assertEqual(said(told(*two, trunk=FUSED, source=pack), "gives at most 3"), [])
        three = told(*two, branch("current", 0.3), trunk=FUSED, source=pack)
        self.assertEqual(said(three, "gives at most 3"), ["refuse"])

    def test_a_shared_fuse_and_lead_see_the_sum(self) -> None:
        thin = [{"stage": "fuse", "rating_a": 4}, {"stage": "lead", "length_m": 1, "area_mm2": 0.34}]
        found = told(branch("current", 2.1), branch("current", 2.1), trunk=thin)
        self.assertEqual(said(found, "fuse opens above"), ["refuse"])
        self.assertEqual(said(found, "the shared lead stands 4.00 A, and together they draw 4.20 A"), ["refuse"])
        under = told(branch("current", 1.9), branch("current", 1.9), trunk=thin)
        self.assertEqual(said(under, "fuse opens above"), [])

    def test_a_shared_switch_carries_them_all(self) -> None:
        two = [branch("current", 1.4), branch("current", 1.4)]
        for rating, levels in ((2.81, []), (2.79, ["refuse"]), (None, [])):
            with self.subTest(rating):
                switch = {"stage": "switch"} | ({} if rating is None else {"rating_a": rating})
                found = told(*two, trunk=[*FUSED, switch])
                self.assertEqual(said(found, "the shared switch is rated for"), levels)
        cut_off = {"stage": "cut-off", "trips_v": 10.5, "rating_a": 2}
        self.assertEqual(
            said(told(*two, trunk=[*FUSED, cut_off]), "the shared cut-off is rated for 2.00 A"), ["refuse"]
        )

    def test_no_fuse_before_the_fork(self) -> None:
        self.assertEqual(said(told(branch("power", 2.0)), "No fuse before the fork"), ["refuse"])
        weak = BLOCK | {"resistance_ohm": 4.0}
        self.assertEqual(said(told(branch("power", 0.2), source=weak), "No fuse"), [])
        self.assertEqual(said(told(branch("current", 0.5, device=USB), source=BANK), "No fuse"), [])

    def test_a_fuse_far_from_the_pack(self) -> None:
        lead = {"stage": "lead", "length_m": 1, "area_mm2": 2.5}
        fuse = {"stage": "fuse", "rating_a": 10}
        far = told(branch("power", 2.0), trunk=[lead, fuse])
        self.assertEqual(said(far, "stands behind 1.0 m of lead"), ["care"])
        self.assertEqual(
            said(told(branch("power", 2.0), trunk=[put(lead, "length_m", 0.2), fuse]), "stands behind"), []
        )

    def test_too_cold_and_too_warm(self) -> None:
        for celsius, expect in ((-25, ["care"]), (-15, []), (20, []), (70, ["care"])):
            found = told(branch("power", 2.0), trunk=FUSED, conditions={"temperature_c": celsius})
            self.assertEqual(said(found, "in which its chemistry is run"), expect, celsius)

    def test_a_shared_fuse_must_protect_its_lead_and_stand_before_a_board(self) -> None:
        thin = [{"stage": "fuse", "rating_a": 20}, {"stage": "lead", "length_m": 1, "area_mm2": 0.5}]
        self.assertEqual(said(told(branch("power", 2.0), trunk=thin), "its fuse opens only above 20 A"), ["refuse"])
        self.assertEqual(said(told(branch("power", 2.0), trunk=FUSED), "its fuse opens only above"), [])
        board = {"stage": "converter", "topology": "buck-boost", "output_v": 12, "efficiency": 0.9}
        behind = told(branch("power", 2.0), trunk=[board, {"stage": "fuse", "rating_a": 5}])
        self.assertEqual(said(behind, "No fuse before the fork"), ["refuse"])

    def test_a_resistance_draws_most_of_a_full_pack(self) -> None:
        """Held against the amperes of both charges, worked out beside it: a limit between them is passed when full."""
        heater = branch("resistance", 4.2)
        circuit = trunk_circuit(outing(heater, trunk=FUSED).supplies[0], Conditions())
        full, low = (circuit.emf(soc) / (circuit.stretches[0].resistance_ohm + 4.2) for soc in (1.0, 0.2))
        between = 0.5 * (full + low)
        self.assertLess(low, between)
        for limit, expect in ((between, ["refuse"]), (1.001 * full, [])):
            found = told(heater, trunk=FUSED, source=BLOCK | {"max_current_a": limit})
            self.assertEqual(said(found, "gives at most"), expect)

    def test_a_thin_branch_behind_a_large_fuse_needs_its_own(self) -> None:
        thin = {"stage": "lead", "length_m": 2, "area_mm2": 0.25}
        bare = branch("current", 0.5, path=[thin])
        self.assertEqual(said(told(bare, trunk=FUSED), "a fuse of its own, at the fork"), ["refuse"])
        own = branch("current", 0.5, path=[{"stage": "fuse", "rating_a": 2}, thin])
        self.assertEqual(said(told(own, trunk=FUSED), "a fuse of its own, at the fork"), [])
        far = branch("current", 0.5, path=[put(thin, "length_m", 1), {"stage": "fuse", "rating_a": 2}, thin])
        self.assertEqual(said(told(far, trunk=FUSED), "a fuse of its own, at the fork"), ["refuse"])
        board = {"stage": "converter", "topology": "buck", "output_v": 11, "efficiency": 0.9}
        behind = branch("current", 0.5, path=[thin, board, {"stage": "fuse", "rating_a": 2}])
        self.assertEqual(said(told(behind, trunk=FUSED), "a fuse of its own, at the fork"), ["refuse"])
        thick = branch("current", 0.5, path=[put(thin, "area_mm2", 4.0)])
        self.assertEqual(said(told(thick, trunk=FUSED), "a fuse of its own, at the fork"), [])

    def test_full_volts_on_a_device_straight_on_the_pack(self) -> None:
        low = branch("power", 3.0, device={"supply": {"min_v": 9, "nominal_v": 12, "max_v": 13}})
        self.assertEqual(said(told(low, trunk=FUSED), "converter of its own"), ["refuse"])
        board = {"stage": "converter", "topology": "buck", "output_v": 12, "efficiency": 0.9}
        self.assertEqual(said(told(put(low, "path", [board]), trunk=FUSED), "converter of its own"), [])
        high = told(put(low, "path", [board | {"topology": "buck-boost", "output_v": 13.5}]), trunk=FUSED)
        self.assertEqual(said(high, "lamp gets 13.5 V from its converter and stands 13.0 V"), ["refuse"])
        weak = told(put(low, "path", [board | {"input_max_v": 14}]), trunk=FUSED)
        self.assertEqual(said(weak, "gets 14.6 V from the full pack and takes in up to 14.0 V"), ["refuse"])
        self.assertEqual(said(told(put(low, "path", [board | {"input_max_v": 15}]), trunk=FUSED), "takes in"), [])

    def test_starts(self) -> None:
        """Each start is carried beside the rest, both at once are not."""
        pack = BLOCK | {"peak_current_a": 12}
        peaky = put(branch("current", 1.0), "device.modes.0.peak_a", 8.0)
        one = told(peaky, branch("current", 1.0), trunk=FUSED, source=pack)
        self.assertEqual(said(one, "start"), [])
        both = told(peaky, peaky, trunk=FUSED, source=pack)
        self.assertEqual(said(both, "If all start in the same moment"), ["care"])
        alone = told(put(peaky, "device.modes.0.peak_a", 12.5), branch("current", 1.0), trunk=FUSED, source=pack)
        self.assertEqual(said(alone, "As lamp starts while the rest runs"), ["care"])

    def test_the_shared_drop(self) -> None:
        long = [{"stage": "fuse", "rating_a": 10}, {"stage": "lead", "length_m": 10, "area_mm2": 1.5}]
        found = told(branch("current", 3.0), branch("current", 0.5), trunk=long)
        self.assertEqual(said(found, "the shared way takes"), ["care"])
        self.assertEqual(said(told(branch("current", 0.5), trunk=long), "the shared way takes"), [])

    def test_who_does_not_last(self) -> None:
        found = told(branch("power", 20.0), trunk=FUSED, hours=9)
        self.assertEqual(said(found, "before the end"), ["care"])
        self.assertEqual(said(told(branch("power", 2.0), trunk=FUSED, hours=9), "before the end"), [])
        never = branch("power", 3.0, device={"supply": {"min_v": 14.4, "nominal_v": 15, "max_v": 16}})
        self.assertEqual(said(told(never, branch("power", 1.0), trunk=FUSED), "does not start"), ["refuse"])


class HowMany(SimpleTestCase):
    def many(self, *branches: dict[str, Any], **more: Any) -> Any:
        made = outing(*branches, **more)
        return how_many(made.supplies[0], made.conditions, 0)

    def test_a_port_carries_so_many(self) -> None:
        """2.0 A of the port, 0.3 A each: six, whatever hangs on it now; beside 0.5 A of another, five."""
        feeder = branch("current", 0.3, device=USB)
        found = self.many(feeder, source=BANK)
        self.assertEqual(found.steady, 6)
        self.assertIn("gives at most 2", found.next_refused.says)
        self.assertEqual(self.many(feeder, branch("current", 0.5, device=USB), source=BANK).steady, 5)

    def test_starting_together_carries_fewer(self) -> None:
        peaky = put(branch("current", 0.3, device=USB), "device.modes.0.peak_a", 0.9)
        found = self.many(peaky, source=BANK)
        self.assertEqual((found.steady, found.starting), (6, 2))
        self.assertIn("gives at most 2", found.next_start_refused.says)

    def test_volts_refuse_where_no_rating_does(self) -> None:
        """Behind a long lead of the trunk: as many as keep the least volts, by hand I = (E - v) / R."""
        far = branch("current", 0.5, device={"supply": {"min_v": 12.0, "nominal_v": 12.8, "max_v": 15}})
        trunk = [{"stage": "resistor", "resistance_ohm": 0.44}]
        found = self.many(far, trunk=trunk)
        emf = 4 * 3.2
        low, high = int((emf * 0.98 - 12.0) / 0.5 / 0.5), int((emf * 1.03 - 12.0) / 0.5 / 0.5)
        self.assertTrue(low <= found.steady <= high, found.steady)
        self.assertIn("too few volts", found.next_refused.says)

    def test_none_and_no_end(self) -> None:
        self.assertEqual(self.many(branch("current", 2.5, device=USB), source=BANK).steady, 0)
        endless = self.many(branch("power", 0.001))
        self.assertEqual((endless.steady, endless.next_refused), (100, None))


class TypedRows(SimpleTestCase):
    def test_read(self) -> None:
        for text, expect in (
            ("dew strap 12V 0.8A 21:00-05:00", ("dew strap", 12.0, None, 0.8, 1, None, ("21:00", "05:00"))),
            ("3x feeder 3V 0.5W 4h", ("feeder", 3.0, 0.5, None, 3, 4.0, None)),
            ("hub, 5 V, 4 W", ("hub", 5.0, 4.0, None, 1, None, None)),
            ("camera 7,4V 700mA x2", ("camera", 7.4, None, 0.7, 2, None, None)),
            ("lamp\t12V\t2W\t9.30 to 23.00".replace("\t", " "), ("lamp", 12.0, 2.0, None, 1, None, ("09:30", "23:00"))),
        ):
            with self.subTest(text):
                row = read_row(text)
                got = (row.name, row.volts, row.watts, row.amps, row.count, row.hours, row.between)
                self.assertEqual(got[:2] + got[4:], expect[:2] + expect[4:])
                for one, wanted in zip(got[2:4], expect[2:4], strict=True):
                    self.assertAlmostEqual(one or 0.0, wanted or 0.0)
        self.assertEqual(read_row("strap 12V 10W 40%").on_share, 0.4)

    def test_refused(self) -> None:
        for text, says in (
            ("12V 1A", "name"), ("lamp 2W", "volts"), ("lamp 12V", "watts or its amperes"),
            ("lamp 12V 1A 2W", "one of"), ("lamp 12V 1A 25:00-03:00", "no time"), ("", "name"),
            ("lamp 12V 1A 20:00-20:00", "same time"), ("lamp 0V 1A", "above 0"), ("x" * 300, "at most"),
            ("lamp 12V 1A 5V", "twice"), ("lamp 12V 1A 140%", "100 %"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(RowError, says):
                read_row(text)

    def test_becomes_a_branch(self) -> None:
        night = branch_of(read_row("strap 12V 0.8A 22:00-05:00"), "20:30", 14.6)
        self.assertEqual(
            [(s.mode, s.seconds) for s in night.duty.repeat], [("off", 5400.0), ("on", 25200.0), ("off", 55800.0)]
        )
        self.assertEqual(night.path, ())
        round_ = branch_of(read_row("lamp 12V 2W 18:00-22:00"), "20:00", 14.6)
        self.assertEqual(
            [(s.mode, s.seconds) for s in round_.duty.repeat], [("on", 7200.0), ("off", 72000.0), ("on", 7200.0)]
        )
        low = branch_of(read_row("hub 5V 4W"), "20:00", 14.6)
        self.assertEqual([(s.kind, s.topology, s.output_v) for s in low.path], [("converter", "buck", 5.0)])  # type: ignore[union-attr]


class Begun(SimpleTestCase):
    def test_a_programme_joined_late(self) -> None:
        duty = Duty(repeat=(Segment(mode="a", seconds=100.0), Segment(mode="b", seconds=50.0)))
        for late, expect in (
            (0.0, [("a", 100.0), ("b", 50.0)]),
            (30.0, [("a", 70.0), ("b", 50.0), ("a", 30.0)]),
            (100.0, [("b", 50.0), ("a", 100.0)]),
            (420.0, [("b", 30.0), ("a", 100.0), ("b", 20.0)]),
        ):
            with self.subTest(late):
                self.assertEqual([(s.mode, s.seconds) for s in duty.begun_at(late).repeat], expect)
                self.assertEqual(duty.begun_at(late).seconds, 150.0)
        once = Duty(repeat=duty.repeat, once=True)
        self.assertEqual(once.begun_at(30.0), once)
