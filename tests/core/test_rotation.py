"""Packs in turn and what charges them again by the clock; evenings on one charge; which volts to share."""

from __future__ import annotations

from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.hours.rotation import packs_in_turn, windows
from hermotrope_core.hours.swap import MARGIN, charged_share
from hermotrope_core.know.typed_row import read_charger
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import BOARD_EFFICIENCY, BOARD_IDLE_W
from hermotrope_core.plan.outing import Outing
from hermotrope_core.several.evenings import MOST_EVENINGS, evenings
from hermotrope_core.several.follow import follow
from hermotrope_core.several.rails import rails

PACK = {
    "name": "block", "chemistry": "lifepo4", "cells_in_series": 4, "capacity_ah": 10.0, "resistance_ohm": 0.0,
    "cutoff_v": 8.0,
}  # fmt: skip
CELL = CHEMISTRIES["lifepo4"]


def device(name: str, watts: float, volts: float = 12.0, window: tuple[float, float] = (7.0, 15.0)) -> dict[str, Any]:
    mode = {"name": "on", "kind": "power", "power_w": watts}
    low, high = window
    made = {"name": name, "supply": {"min_v": low, "nominal_v": volts, "max_v": high}, "modes": [mode]}
    return {"device": made, "duty": {"repeat": [{"mode": "on", "seconds": 3600}]}}


def outing(*supplies: dict[str, Any], hours: float | None = 24.0, start: str | None = "20:00", **more: Any) -> Outing:
    tree = {"format": "hermotrope-outing/1", "title": "t", "supplies": list(supplies), "hours": hours, "start": start}
    chargers = [read_charger(line) for line in more.pop("chargers", ())]
    made = msgspec.convert({key: value for key, value in (tree | more).items() if value is not None}, Outing)
    return msgspec.structs.replace(made, chargers=tuple(chargers))


def supply(watts: float = 20.0, spares: int = 0, **more: Any) -> dict[str, Any]:
    return {"source": PACK | more, "spares": spares, "branches": [device("recorder", watts)]}


class Turns(SimpleTestCase):
    def test_each_comes_out_before_it_would_end_by_the_range_and_a_margin(self) -> None:
        made = outing(supply(spares=3))
        [one] = packs_in_turn(made).rotations
        assert one.share is not None
        self.assertTrue(0.5 < one.share < 1.0)
        whole = follow(made.supplies[0], made.conditions, None).runtime_s
        lasts = whole * one.share * (1.0 - MARGIN)  # of a steady draw from a pack without ohms
        self.assertEqual(one.needed, len(one.spans))
        self.assertEqual([span.pack for span in one.spans], list(range(1, len(one.spans) + 1)))
        for k, span in enumerate(one.spans):
            self.assertAlmostEqual(span.from_s, k * lasts, delta=0.01 * lasts * (k + 1))
            self.assertAlmostEqual(span.until_s, min((k + 1) * lasts, 86400.0), delta=0.01 * lasts * (k + 1))
            self.assertAlmostEqual(span.taken_wh, 20.0 * (span.until_s - span.from_s) / 3600.0, places=6)

    def test_one_that_lasts_several_times_the_outing_stays_in(self) -> None:
        [one] = packs_in_turn(outing(supply(watts=1.0, spares=1))).rotations
        self.assertEqual((one.needed, one.taken, len(one.spans)), (1, 2, 1))
        self.assertEqual((one.spans[0].from_s, one.spans[0].until_s), (0.0, 86400.0))

    def test_a_programme_goes_on_where_it_was(self) -> None:
        """Heavy in the first six hours: the first pack is out early, the ones of the quiet time stay."""
        tree = supply()
        tree["branches"][0]["device"]["modes"].append({"name": "rest", "kind": "power", "power_w": 4})
        tree["branches"][0]["duty"] = {"repeat": [{"mode": "on", "seconds": 21600}, {"mode": "rest", "seconds": 64800}]}
        [one] = packs_in_turn(outing(tree)).rotations
        self.assertEqual(len(one.spans), 3)
        self.assertLess(one.spans[0].until_s, 21600.0)
        self.assertGreater(one.spans[1].until_s - one.spans[1].from_s, 2 * one.spans[0].until_s)

    def test_more_go_in_turn_where_those_along_are_not_full_in_time(self) -> None:
        few = [packs_in_turn(outing(supply(spares=spares))).rotations[0] for spares in (0, 1, 2, 9)]
        self.assertEqual({one.needed for one in few}, {len(few[0].spans)})
        self.assertEqual([one.taken for one in few], [1, 2, 3, 10])
        self.assertTrue(all(span.ready for one in few for span in one.spans))
        # a strong charger that is always there lets two be enough
        [two] = packs_in_turn(outing(supply(spares=1), chargers=["wall 200W 00:00-23:59"])).rotations
        self.assertEqual((two.needed, all(span.ready for span in two.spans)), (2, True))
        self.assertEqual([span.pack for span in two.spans][:4], [1, 2, 1, 2][: len(two.spans)])

    def test_what_is_charged_from_is_there_by_the_clock(self) -> None:
        got = packs_in_turn(outing(supply(watts=6.0), hours=8.0, chargers=["sun 18 W 10:00-11:00"]))
        [one] = got.rotations
        needs_h = one.spans[0].taken_wh / charged_share(CELL) / 18.0
        self.assertTrue(2.0 < needs_h < 4.0)
        # from 20:00 the sun is there after 14, 38, 62 … hours, an hour each
        days = int(needs_h) + 1
        self.assertEqual([charge.from_s for charge in got.charges], [3600.0 * (14 + 24 * day) for day in range(days)])
        self.assertEqual([charge.until_s - charge.from_s for charge in got.charges][:-1], [3600.0] * (days - 1))
        last = 3600.0 * (14 + 24 * (days - 1) + needs_h - (days - 1))
        self.assertAlmostEqual(got.charges[-1].until_s, last, places=3)
        self.assertEqual(got.full_s, ((0, 1, got.charges[-1].until_s),))

    def test_one_pack_at_a_time_in_the_order_they_come_out_on_what_is_done_first(self) -> None:
        made = outing(
            supply(watts=5.0), supply(watts=5.0), hours=8.0,
            chargers=["wall 100W 05:00-20:00", "car 20W 05:00-20:00"],
        )  # fmt: skip
        got = packs_in_turn(made)
        self.assertEqual([(one.supply, one.by) for one in got.charges], [(0, "wall"), (1, "wall")])
        self.assertAlmostEqual(got.charges[1].from_s, got.charges[0].until_s, places=6)
        slow = packs_in_turn(msgspec.structs.replace(made, chargers=made.chargers[1:]))
        self.assertEqual({one.by for one in slow.charges}, {"car"})

    def test_not_faster_than_the_pack_takes_it(self) -> None:
        made = outing(supply(watts=8.0, recharge_h=5), hours=8.0, chargers=["wall 500W 05:00-20:00"])
        got = packs_in_turn(made)
        used = got.rotations[0].spans[0].used_soc
        self.assertAlmostEqual(got.charges[0].until_s - got.charges[0].from_s, 5 * 3600.0 * used, places=3)

    def test_windows_follow_one_another_and_never_overlap(self) -> None:
        rows = [(0.0, 7200.0, 5.0), (3600.0, 10800.0, 18.0)]
        got = [next(iter_) for iter_ in [iter(windows(rows, 1800.0))] for _ in range(3)]
        self.assertEqual(got, [(1800.0, 7200.0, 5.0), (7200.0, 10800.0, 18.0), (86400.0, 93600.0, 5.0)])
        night = [(79200.0, 79200.0 + 28800.0, 60.0)]  # 22:00 to 06:00, and it is 02:00 already
        self.assertEqual(next(windows(night, 14400.0)), (14400.0, 21600.0, 60.0))

    def test_cells_that_are_thrown_away_and_what_nothing_is_taken_of(self) -> None:
        primary = supply(chemistry="alkaline", cells_in_series=8, cutoff_v=7.0, watts=2.0)
        got = packs_in_turn(outing(primary, hours=3.0, chargers=["wall 50W 00:00-23:59"]))
        self.assertEqual((got.charges, got.full_s), ((), ((0, 1, None),)))
        idle = packs_in_turn(outing(supply(watts=0.0), hours=3.0, chargers=["wall 50W 00:00-23:59"]))
        self.assertEqual((idle.charges, idle.full_s), ((), ((0, 1, 3 * 3600.0),)))

    def test_without_a_start_nothing_is_charged_and_without_hours_nothing_planned(self) -> None:
        got = packs_in_turn(outing(supply(), start=None, chargers=["wall 200W 00:00-23:59"]))
        self.assertEqual(got.charges, ())
        with self.assertRaisesRegex(ValueError, "for how many hours"):
            packs_in_turn(outing(supply(), hours=None))

    def test_hundreds_of_packs_are_no_plan(self) -> None:
        with self.assertRaisesRegex(ValueError, "block would take more than 60 packs in turn"):
            packs_in_turn(outing(supply(watts=60.0), hours=240.0))

    def test_a_line_names_what_is_missing(self) -> None:
        got = read_charger("sun behind the hide, 1.5kW 10:00 to 15.30")
        self.assertEqual(
            (got.name, got.power_w, got.opens, got.closes), ("sun behind the hide", 1500.0, "10:00", "15:30")
        )
        for text, why in (
            ("wall 07:00-09:00", "watts"), ("wall 60W", "times"), ("60W 07:00-09:00", "name"),
            ("wall 0W 07:00-09:00", "above 0"), ("wall 60W 25:00-26:00", "no time of day"), ("x" * 201, "at most"),
        ):  # fmt: skip
            with self.subTest(text), self.assertRaisesRegex(ValueError, why):
                read_charger(text)


class OneCharge(SimpleTestCase):
    def test_evenings_are_counted_by_what_each_takes(self) -> None:
        """10 W for 3 h are 30 Wh of 128; what an idle board draws in the other 21 h costs one of them or more."""
        made = outing(supply(watts=10.0))
        whole = follow(made.supplies[0], made.conditions, None).energy_from_source_wh
        got = evenings(made.supplies[0], made.conditions, 3.0)
        self.assertEqual(
            (got.connected, got.taken_off, got.idle_a, got.sleeps), (int(whole / 30.0), int(whole / 30.0), 0, False)
        )
        board = {"stage": "converter", "topology": "buck", "output_v": 9.0, "efficiency": 1.0, "quiescent_w": 0.4}
        tree = supply(watts=10.0)
        tree["branches"][0]["path"] = [board]
        held = evenings(outing(tree).supplies[0], made.conditions, 3.0)
        # each day costs 30 Wh, 0.4 W in the evening, and 0.4 W through the other 21 hours
        self.assertEqual(held.connected, int((whole - 31.2) / (31.2 + 0.4 * 21)) + 1)
        self.assertEqual(held.taken_off, int(whole / 31.2))
        self.assertAlmostEqual(held.idle_a, 0.4 / 13.2, delta=0.002)
        assert held.flat_s is not None and got.flat_s is not None
        leak = CELL.self_discharge_per_month / 30.0
        self.assertAlmostEqual(got.flat_s / 86400.0, 1.0 / leak, places=6)
        self.assertAlmostEqual(held.flat_s / 86400.0, 1.0 / (leak + 24.0 * held.idle_a / 10.0), places=6)

    def test_a_bank_that_falls_asleep_loses_nothing_but_is_woken(self) -> None:
        port = {"output_v": 12.0, "efficiency": 0.9, "output_min_current_a": 0.1, "output_off_delay_s": 30}
        got = evenings(outing(supply(regulated_output=port)).supplies[0], outing(supply()).conditions, 2.0)
        self.assertEqual((got.sleeps, got.idle_a), (True, 0.0))

    def test_no_evening_and_no_end_of_them(self) -> None:
        made = outing(supply(watts=40.0))
        self.assertEqual(evenings(made.supplies[0], made.conditions, 9.0).taken_off, 0)
        tiny = outing(supply(watts=0.001)).supplies[0]
        leakless = evenings(tiny, made.conditions, 0.01)
        self.assertEqual(leakless.taken_off, MOST_EVENINGS)
        wall = outing(supply(chemistry="mains-adapter", cells_in_series=1)).supplies[0]
        with self.assertRaisesRegex(ValueError, "does not run empty"):
            evenings(wall, made.conditions, 1.0)


class WhichVolts(SimpleTestCase):
    def test_what_is_lost_in_boards_decides(self) -> None:
        tree = supply()
        tree["branches"] = [
            device("mount", 10.0),
            device("hub", 5.0, 5.0, (4.7, 5.3)),
            device("lamp", 1.0) | {"count": 2},
        ]
        got = rails(outing(tree, hours=10.0))
        self.assertEqual([one.words.split(",")[0] for one in got], [
            "straight from block", "12.0 V held by one board for all", "5.00 V held by one board for all",
        ])  # fmt: skip
        pack, twelve, five = got
        self.assertEqual((pack.straight, pack.boards), (("mount", "lamp"), ("hub",)))
        self.assertEqual((five.straight, five.boards), (("hub",), ("mount", "lamp")))
        self.assertAlmostEqual(pack.devices_wh, 10 * (10 + 5 + 2))
        own = 50.0 / BOARD_EFFICIENCY - 50.0 + 10 * BOARD_IDLE_W
        self.assertAlmostEqual(pack.lost_wh, own)
        shared = (170.0 + own) / BOARD_EFFICIENCY + 10 * BOARD_IDLE_W - 170.0
        self.assertAlmostEqual(twelve.lost_wh, shared)

    def test_a_port_gives_its_volts_at_its_own_cost(self) -> None:
        port = {"output_v": 5.0, "efficiency": 0.8}
        tree = supply(regulated_output=port) | {"branches": [device("hub", 5.0, 5.0, (4.7, 5.3))]}
        [one] = rails(outing(tree, hours=2.0))
        self.assertAlmostEqual(one.lost_wh, 10.0 / 0.8 - 10.0)
        self.assertIn("the port of block", one.words)
        table = tree | {
            "source": tree["source"] | {"regulated_output": port | {"efficiency": [[0.1, 0.5], [1, 0.8], [2, 0.7]]}}
        }
        self.assertAlmostEqual(rails(outing(table, hours=2.0))[0].lost_wh, 2.5)

    def test_what_is_missing_is_said(self) -> None:
        with self.assertRaisesRegex(ValueError, "for how many hours"):
            rails(outing(supply(), hours=None))
        with self.assertRaisesRegex(ValueError, "no device"):
            rails(outing({"source": PACK}))
        tree = supply()
        del tree["branches"][0]["device"]["supply"]["nominal_v"]
        with self.assertRaisesRegex(ValueError, "rated volts"):
            rails(outing(tree))
