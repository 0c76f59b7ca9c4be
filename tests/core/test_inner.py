"""A device's own battery in a night: first or last, the cold, filling it again, and who then counts as stopped."""

from __future__ import annotations

from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.several.follow import follow
from hermotrope_core.several.inner import FILLS, carried, cold_counted, fed
from hermotrope_core.several.needs import lasts
from hermotrope_core.several.remarks import remarks, who_stops

WARM = Conditions(temperature_c=20.0)
PACK = {
    "name": "block", "chemistry": "lifepo4", "cells_in_series": 4, "capacity_ah": 6.0, "resistance_ohm": 0.03,
    "cutoff_v": 10.0,
}  # fmt: skip


def supply(battery: dict[str, Any], *, first: bool = False, duty: Any = None, pack: Any = None) -> Supply:
    """A recorder of 10 W and 2 W by turns of an hour, with a battery of its own."""
    tree = {
        "source": PACK | (pack or {}),
        "branches": [
            {
                "device": {
                    "name": "recorder",
                    "supply": {"min_v": 9, "nominal_v": 12, "max_v": 15},
                    "modes": [
                        {"name": "busy", "kind": "power", "power_w": 10},
                        {"name": "idle", "kind": "power", "power_w": 2},
                    ],
                    "internal_battery": battery,
                },
                "duty": duty or {"repeat": [{"mode": "busy", "seconds": 3600}, {"mode": "idle", "seconds": 3600}]},
                "own_battery": "first" if first else "last",
            }
        ],
    }
    return msgspec.convert(tree, Supply)


class Last(SimpleTestCase):
    def test_it_takes_over_where_the_feed_ends_and_the_programme_goes_on(self) -> None:
        made = supply({"energy_wh": 13, "takes_over": True})
        run = follow(made, WARM, 40.0)
        one = run.branches[0]
        got = carried(made.branches[0], WARM, 40.0, one.runtime_s, over=False)
        assert got is not None
        # 13 Wh by hand: through the rest of the turn that is on, then turn by turn
        left, now = 13.0 * 3600, one.runtime_s
        while left > 0:
            watts = 10.0 if (now // 3600) % 2 == 0 else 2.0
            lasts_s = min((now // 3600 + 1) * 3600 - now, left / watts)
            left, now = left - watts * lasts_s, now + lasts_s
            if left < 1e-6:
                break
        self.assertAlmostEqual(got.until_s, now, places=3)
        self.assertEqual((got.from_s, got.first, got.energy_wh), (one.runtime_s, False, 13.0))

    def test_a_battery_that_does_not_take_over_changes_nothing(self) -> None:
        made = supply({"energy_wh": 50})
        run = follow(made, WARM, 40.0)
        self.assertIsNone(carried(made.branches[0], WARM, 40.0, run.branches[0].runtime_s, over=False))
        self.assertEqual(who_stops(made, WARM, run, 40.0), (0,))
        self.assertIs(fed(made, WARM, 40.0), made)

    def test_nothing_is_left_to_carry_once_the_programme_is_over(self) -> None:
        self.assertIsNone(
            carried(supply({"energy_wh": 9, "takes_over": True}).branches[0], WARM, 2.0, 7200.0, over=True)
        )

    def test_whom_it_carries_to_the_end_does_not_stop(self) -> None:
        hours = follow(supply({"energy_wh": 5}), WARM, 60.0).runtime_s / 3600 + 1.0
        for wh, stops in ((11.0, ()), (0.5, (0,))):
            made = supply({"energy_wh": wh, "takes_over": True})
            run = follow(made, WARM, hours)
            self.assertEqual(who_stops(made, WARM, run, hours), stops, wh)
            self.assertEqual(lasts(made, WARM, hours), not stops, wh)
            ends = [one for one in remarks(made, WARM, run, hours) if "Its own battery carries" in one.says or one.ends]
            self.assertEqual([(one.level, one.ends) for one in ends], [("care", True) if stops else ("note", False)])

    def test_the_cold_takes_of_it_what_its_chemistry_says(self) -> None:
        cold = Conditions(temperature_c=-10.0)
        for chemistry, known in (("li-ion", True), (None, False)):
            battery = {"energy_wh": 10.0, "takes_over": True} | ({"chemistry": chemistry} if chemistry else {})
            got = carried(supply(battery).branches[0], cold, 20.0, 0.0, over=False)
            assert got is not None
            battery_told = supply(battery).branches[0].device.internal_battery
            assert battery_told is not None
            self.assertEqual(cold_counted(battery_told), known)
            self.assertEqual(got.energy_wh < 9.5, known)
            self.assertEqual(got.energy_wh == 10.0, not known)


class First(SimpleTestCase):
    def test_the_feed_is_asked_only_from_when_it_is_empty(self) -> None:
        """12 Wh last two hours of 10 W and 2 W; from then on it is the plain line, two hours (a whole turn) later."""
        made, plain = supply({"energy_wh": 12, "takes_over": True}, first=True), supply({"energy_wh": 1})
        late, now = follow(made, WARM, 60.0), follow(plain, WARM, 60.0)
        self.assertAlmostEqual(late.branches[0].runtime_s, now.branches[0].runtime_s + 7200.0, places=3)
        self.assertAlmostEqual(late.energy_from_source_wh, now.energy_from_source_wh, places=6)
        got = carried(made.branches[0], WARM, 60.0, late.branches[0].runtime_s, over=False)
        assert got is not None
        self.assertEqual((got.from_s, got.until_s, got.first, got.filled_s), (0.0, 7200.0, True, None))

    def test_filling_it_again_comes_out_of_the_pack(self) -> None:
        told = {"energy_wh": 9, "takes_over": True, "charges_from_feed": True, "charge_w": 5}
        made, unfilled = supply(told, first=True), supply(told | {"charges_from_feed": False}, first=True)
        got, less = follow(made, WARM, 8.0), follow(unfilled, WARM, 8.0)
        self.assertEqual([one.branches[0].end_cause for one in (got, less)], ["programme over"] * 2)
        more = got.branches[0].energy_to_device_wh - less.branches[0].energy_to_device_wh
        self.assertAlmostEqual(more, 9.0 / FILLS, places=6)
        own = carried(made.branches[0], WARM, 8.0, 8 * 3600.0, over=True)
        assert own is not None and own.filled_s is not None
        self.assertAlmostEqual(own.filled_s - own.until_s, 3600.0 * 9.0 / FILLS / 5.0, places=6)

    def test_what_was_put_back_carries_it_once_more(self) -> None:
        """5 Wh last half an hour of 10 W; 2 W then put 0.9 of themselves back until the feed ends."""
        told = {"energy_wh": 5, "takes_over": True, "charges_from_feed": True, "charge_w": 2}
        made = supply(told, first=True, duty={"repeat": [{"mode": "busy", "seconds": 3600}]})
        run = follow(made, WARM, 40.0)
        ended = run.branches[0].runtime_s
        got = carried(made.branches[0], WARM, 40.0, ended, over=False)
        assert got is not None and got.again_until_s is not None
        self.assertEqual(got.until_s, 1800.0)
        back = min(5.0, 2.0 * FILLS * (ended - 1800.0) / 3600.0)
        self.assertAlmostEqual(got.again_until_s - ended, 360.0 * back, places=6)
        self.assertEqual(who_stops(made, WARM, run, (got.again_until_s - 10.0) / 3600.0), ())
        unfilled = supply(told | {"charges_from_feed": False}, first=True)
        late = carried(unfilled.branches[0], WARM, 40.0, ended, over=False)
        assert late is not None
        self.assertEqual(late.again_until_s, ended)

    def test_one_that_lasts_the_night_never_asks_the_feed(self) -> None:
        made = supply({"energy_wh": 500, "takes_over": True}, first=True)
        run = follow(made, WARM, 6.0)
        self.assertEqual((run.energy_from_source_wh, run.branches[0].end_cause), (0.0, "programme over"))

    def test_a_programme_that_runs_once_ends_when_it_did(self) -> None:
        once = {"repeat": [{"mode": "busy", "seconds": 3600}, {"mode": "idle", "seconds": 1800}], "once": True}
        run = follow(supply({"energy_wh": 5, "takes_over": True}, first=True, duty=once), WARM, 6.0)
        self.assertAlmostEqual(run.branches[0].runtime_s, 5400.0, places=6)
        self.assertAlmostEqual(run.branches[0].energy_to_device_wh, 6.0, places=6)

    def test_what_is_missing_is_said(self) -> None:
        with self.assertRaisesRegex(ValueError, "for how many hours"):
            follow(supply({"energy_wh": 5}, first=True), WARM, None)
        made = supply({"energy_wh": 5}, first=True)
        device = msgspec.structs.replace(
            made.branches[0].device, supply=msgspec.structs.replace(made.branches[0].device.supply, nominal_v=None),
            modes=tuple(
                msgspec.structs.replace(mode, kind="current", power_w=None, current_a=1.0)
                for mode in made.branches[0].device.modes
            ),
        )  # fmt: skip
        branch = msgspec.structs.replace(made.branches[0], device=device)
        with self.assertRaisesRegex(ValueError, "rated volts"):
            follow(msgspec.structs.replace(made, branches=(branch,)), WARM, 4.0)
        often = {"repeat": [{"mode": "busy", "seconds": 0.5}, {"mode": "idle", "seconds": 0.5}]}
        with self.assertRaisesRegex(ValueError, "too often"):
            follow(supply({"energy_wh": 1}, first=True, duty=often), WARM, 9.0)
