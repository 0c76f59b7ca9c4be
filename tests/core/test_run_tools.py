"""Beside the run: simple sums, the output, swaps, hand-over, the field's warnings, old against new, long runs."""

from __future__ import annotations

import math
from itertools import pairwise
from math import inf
from unittest import mock

import msgspec
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from hermotrope.drawings.ribbon import sums_of
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.estimate import estimate
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.duty_sums import duty_sums
from hermotrope_core.hours.economy import Side, payback, side_of
from hermotrope_core.hours.job import charge_at, middle_wish, output_over_run
from hermotrope_core.hours.long_run import MONTH_S, leaking_runtime
from hermotrope_core.hours.night import ahead, through_the_night, turned
from hermotrope_core.hours.ran import judged_run, taken
from hermotrope_core.hours.sums import simple_sums
from hermotrope_core.hours.swap import cautious_lasts, handover, recharge_seconds, swap_plan
from hermotrope_core.hours.warning import field_warnings
from hermotrope_core.plan.document import CaseError
from hermotrope_core.values import clock
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import number
from tests.support import case

MOUNT, LAMP, BANK = "hide-mount-on-tool-pack", "moth-lamp-on-lead-acid", "warden-receiver-on-bank"


def situation(name: str, **changes: object) -> Situation:
    return Situation(case("cases", name, **changes))


class SimpleSums(SimpleTestCase):
    def test_each_sum_is_what_its_formula_says(self) -> None:
        now = situation(MOUNT)
        assert now.run is not None
        watts = (6 * 480 + 40 * 120) / 600
        ah, v = number(now.source.capacity_ah), number(now.source.stated_at_v or 18.0)
        by_name = {one.name: one for one in simple_sums(now)}
        self.assertAlmostEqual(by_name["Wh / W"].seconds, 3600 * ah * v / watts, places=3)
        self.assertAlmostEqual(by_name["Wh × 0.8 / W"].seconds, 0.8 * by_name["Wh / W"].seconds, places=3)
        self.assertNotIn("label mAh at the port", by_name)
        for one in by_name.values():
            self.assertAlmostEqual(one.off, one.seconds / now.run.runtime_s - 1, places=6)

    def test_a_bank_has_its_label_misread_at_the_port(self) -> None:
        found = {one.name: one for one in simple_sums(situation(BANK))}["label mAh at the port"]
        self.assertGreater(found.off, 0.2)
        self.assertIn("counted at the cell", found.because)

    def test_nothing_is_said_of_a_device_that_does_not_run(self) -> None:
        self.assertEqual(simple_sums(situation(MOUNT, **{"source.reserve_soc": 1.0})), ())


segments = st.lists(st.tuples(st.sampled_from(["hold", "slew"]), st.floats(1.0, 40_000.0)), min_size=1, max_size=6)


class DutySums(SimpleTestCase):
    @given(segments, st.sampled_from([0.0, 0.3, 0.9]), st.booleans())
    @settings(max_examples=60, deadline=None)
    def test_sums_are_the_dutys_wherever_the_run_ends(
        self, made: list[tuple[str, float]], reserve: float, once: bool
    ) -> None:
        repeat = [{"mode": mode, "seconds": seconds} for mode, seconds in made]
        now = situation(MOUNT, **{"duty.repeat": repeat, "duty.once": once, "source.reserve_soc": reserve})
        watts = {"hold": 6.0, "slew": 40.0}
        joules = math.fsum(watts[mode] * seconds for mode, seconds in made)
        total = math.fsum(seconds for _, seconds in made)
        got = duty_sums(now)
        assert got is not None
        self.assertAlmostEqual(got.inlet_wh * 3600.0, joules, delta=1e-9 * joules)
        self.assertAlmostEqual(got.mean_w, joules / total, delta=1e-9 * joules / total)
        self.assertAlmostEqual(got.inlet_ah * 12.0, got.inlet_wh, delta=1e-9 * joules)
        shown = dict(sums_of(now))
        self.assertEqual(shown["takes at the inlet"].split(", ")[0], figure(joules / 3600.0, "Wh"))
        assert got.pack_wh is not None and got.lost_wh is not None
        self.assertGreater(got.lost_wh, 0.0)
        if now.run is not None and now.run.runtime_s > 20 * total:  # a long run's mean is that of its duty
            mean = now.run.energy_to_device_wh * 3600.0 / now.run.runtime_s
            self.assertAlmostEqual(mean, got.mean_w, delta=0.06 * got.mean_w)

    def test_amperes_are_summed_as_typed(self) -> None:
        modes = [{"name": "on", "kind": "current", "current_a": 0.02}]
        duty = {"device.modes": modes, "duty.repeat": [{"mode": "on", "seconds": 3600}]}
        got = duty_sums(situation(LAMP, **duty))
        assert got is not None
        self.assertAlmostEqual(got.inlet_ah, 0.02)
        by_name = {one.name: one for one in simple_sums(situation(LAMP, **duty))}
        self.assertIn("/ 20.0 mA", by_name["Ah / A"].formula)


class OneProgramme(SimpleTestCase):
    def test_it_stops_when_it_is_over_and_says_what_is_left(self) -> None:
        now = situation(MOUNT, **{"duty.once": True})
        assert now.run is not None
        self.assertEqual((now.run.runtime_s, now.run.end_cause), (600.0, "programme over"))
        self.assertGreater(now.run.final_soc, 0.95)
        range_ = estimate(now.case, 500, worth=False)
        assert range_ is not None
        self.assertEqual((range_.p5, range_.p95), (600.0, 600.0))
        self.assertEqual(range_.causes, {"programme over": 1.0})

    def test_a_nap_is_no_longer_than_the_programme(self) -> None:
        bank = "warden-receiver-on-bank"
        port = {
            "source.regulated_output.output_min_current_a": 5.0,
            "source.regulated_output.output_off_delay_s": 900.0,
        }
        for seconds, cause in ((800.0, "programme over"), (1000.0, "auto-off")):
            made = case("cases", bank)
            repeat = [{"mode": made.device.modes[0].name, "seconds": seconds}]
            now = situation(bank, **port, **{"duty.repeat": repeat, "duty.once": True})
            assert now.run is not None
            self.assertEqual(now.run.end_cause, cause)


class TimedRuns(SimpleTestCase):
    def test_a_run_is_held_against_its_range_and_can_be_taken(self) -> None:
        now = situation(LAMP)
        found = estimate(now.case, 500, worth=False)
        assert found is not None
        self.assertEqual(judged_run(now, found, found.p50).word, "as predicted")
        longer = judged_run(now, found, 1.2 * found.p95)
        self.assertEqual(longer.word, "longer")
        self.assertIn("predicted", longer.says)
        seconds = 1.2 * found.p95
        more = taken(now.case, longer, seconds, "capacity")
        self.assertAlmostEqual(
            number(more.source.capacity_ah) / number(now.source.capacity_ah), seconds / found.p50, places=3
        )  # type: ignore[union-attr]
        self.assertIsNone(judged_run(now, found, 50 * found.p95).capacity_ah)
        with self.assertRaises(ValueError):
            taken(now.case, judged_run(now, found, found.p50), found.p50, "draw")


class SwapsByTheClock(SimpleTestCase):
    def test_each_pack_meets_what_the_duty_asks_of_it_then(self) -> None:
        """Eight hours of hold, eight of slew: a pack put in during the slew lasts a fraction of the first."""
        repeat = [{"mode": "hold", "seconds": 28_800}, {"mode": "slew", "seconds": 28_800}]
        now = situation(MOUNT, **{"duty.repeat": repeat})
        lasts = cautious_lasts(now, 1.0)
        assert now.run is not None
        self.assertAlmostEqual(lasts(0.0), 0.9 * now.run.runtime_s)
        self.assertAlmostEqual(lasts(57_600.0), lasts(0.0), places=6)
        self.assertLess(lasts(30_000.0), 0.4 * lasts(0.0))
        plan = swap_plan(57_600.0, lasts, 9, inf, hot=True)
        self.assertEqual(len(plan.lasts_s), plan.needed)
        self.assertLess(min(plan.lasts_s), 0.5 * max(plan.lasts_s))
        self.assertAlmostEqual(plan.swaps[0].at_s, lasts(0.0))


class DoingItsJob(SimpleTestCase):
    TABLE = [[10, 100], [12, 400], [14, 500]]

    def test_time_above_a_wish_falls_as_the_wish_rises(self) -> None:
        now = situation(LAMP, **{"device.output_by_v": self.TABLE, "device.output_unit": "lm"})
        above = []
        for wish in (1, 300, 380, 420, 501):
            found = output_over_run(now, wish)
            assert found is not None and now.run is not None
            above.append(found.on_s)
            self.assertLessEqual(found.on_s, found.of_s * (1 + 1e-9))
            self.assertLessEqual(found.until_s, now.run.runtime_s * (1 + 1e-9))
        self.assertTrue(all(a >= b for a, b in pairwise(above)))
        self.assertGreater(above[0], above[3])
        self.assertEqual(above[-1], 0.0)
        self.assertGreater(found.first, found.last)

    def test_the_usual_wish_is_nine_tenths_of_the_rated_output(self) -> None:
        made = {"device.output_by_v": self.TABLE, "device.supply.nominal_v": 12}
        self.assertAlmostEqual(middle_wish(situation(LAMP, **made)) or 0, 360)
        self.assertIsNone(middle_wish(situation(LAMP)))
        self.assertIsNone(output_over_run(situation(LAMP), 5.0))

    def test_charge_at_a_moment_lies_on_the_run(self) -> None:
        followed = run(case("cases", MOUNT), marks=True)
        self.assertAlmostEqual(charge_at(followed, 0.0), 1.0)
        self.assertAlmostEqual(charge_at(followed, 9e9), followed.final_soc)
        middle = charge_at(followed, followed.runtime_s / 2)
        self.assertTrue(0.4 < middle < 0.6)


class Swaps(SimpleTestCase):
    def test_a_job_is_covered_without_a_pack_running_over_its_margin(self) -> None:
        for job, runs, own in ((36e3, 1e4, 9), (36e3, 1e4, 2), (8999, 1e4, 1), (9001, 1e4, 1), (86400, 777, 3)):
            each = 0.9 * runs
            plan = swap_plan(job, lambda _, each=each: each, own, 3600.0, hot=False)
            times = [0.0, *(swap.at_s for swap in plan.swaps), job]
            self.assertTrue(all(0 < b - a <= each + 1e-6 for a, b in pairwise(times)), (job, own))
            self.assertEqual(len(plan.swaps), plan.needed - 1)

    def test_a_pack_is_ready_only_when_it_had_time_to_charge(self) -> None:
        quick, slow = (swap_plan(36e3, lambda _: 9e3, 2, recharge, hot=True) for recharge in (8999.0, 9001.0))
        self.assertEqual([s.ready for s in quick.swaps], [True] * 3)
        self.assertEqual([s.ready for s in slow.swaps], [True, False, False])
        self.assertEqual([(s.out, s.into) for s in quick.swaps], [(1, 2), (2, 1), (1, 2)])
        never = swap_plan(36e3, lambda _: 9e3, 2, inf, hot=True)
        self.assertEqual([s.ready for s in never.swaps], [True, False, False])

    def test_what_cannot_be_planned_is_refused(self) -> None:
        for job, runs in ((0.0, 1e4), (36e3, 0.0)):
            with self.assertRaises(ValueError):
                swap_plan(job, lambda _, runs=runs: runs, 2, 60.0, hot=False)

    def test_recharging_takes_energy_over_power_but_not_less_than_the_pack_allows(self) -> None:
        free = situation(MOUNT)
        assert free.run is not None
        self.assertAlmostEqual(
            recharge_seconds(free, 60.0), 3600 * free.run.energy_from_source_wh / (60.0 * 0.95 * 0.95)
        )
        slow = situation(MOUNT, **{"source.recharge_h": 5})
        self.assertAlmostEqual(recharge_seconds(slow, 600.0), 5 * 3600 * (1 - slow.run.final_soc))  # type: ignore[union-attr]
        self.assertEqual(recharge_seconds(slow, None), 5 * 3600)
        self.assertEqual(recharge_seconds(slow, None, 5.0), 5 * 3600)
        self.assertEqual(recharge_seconds(slow, None, 4.0), (5 + 20) * 3600)
        self.assertEqual(recharge_seconds(slow, None, 2.0), (5 + 2 * 22) * 3600)
        self.assertEqual(recharge_seconds(situation("bat-detector-on-six-aaa"), 60.0), inf)


class TheField(SimpleTestCase):
    def test_a_meter_shows_less_under_load_and_less_towards_the_end_of_this_run(self) -> None:
        for reserve in (0.0, 0.54):
            now = situation(MOUNT, **{"source.reserve_soc": reserve})
            followed = run(now.case, marks=True)
            rows = field_warnings(now, followed)
            self.assertEqual([one.before_s for one in rows], [0.0, 1800.0, 3600.0])
            for one in rows:
                assert one.light_v is not None and one.heavy_v is not None
                self.assertTrue(one.rest_v > one.light_v > one.heavy_v)
            self.assertTrue(all(a.rest_v < b.rest_v for a, b in pairwise(rows)))
            self.assertAlmostEqual(rows[0].soc, followed.final_soc, places=6)

    def test_the_inner_battery_carries_the_mean_power_of_the_duty(self) -> None:
        self.assertIsNone(handover(situation(MOUNT)))
        inner = {"device.internal_battery": {"energy_wh": 10, "takes_over": True}}
        now = situation(MOUNT, **inner)
        found = handover(now)
        assert found is not None and now.run is not None
        mean = (6 * 480 + 40 * 120) / 600
        self.assertAlmostEqual(found.inner_s, 36000 / mean)
        self.assertAlmostEqual(found.outer_s, now.run.runtime_s)
        cut = handover(situation(MOUNT, **{"device.internal_battery": {"energy_wh": 10, "takes_over": False}}))
        assert cut is not None
        self.assertEqual(cut.inner_s, 0.0)
        self.assertIn("stops", cut.seam)


class OldAgainstNew(SimpleTestCase):
    def test_it_pays_for_itself_where_the_money_is_equal(self) -> None:
        old = Side("cells", 6.0, None, 265.0, None, 0.0, 12.0)
        new = Side("pack", 5.0, 72.0, 680.0, 1.0, 50.0, None, charged=True)
        self.assertIsNone(payback(old, msgspec.structs.replace(new, price=None), 10.0))
        back = payback(old, new, 10.0)
        assert back is not None
        self.assertAlmostEqual(back.hours * 12.0 / 6.0, 50.0)
        self.assertAlmostEqual(back.runs, back.hours / 5.0)
        self.assertAlmostEqual(back.days, 7 * back.hours / 10.0)
        self.assertEqual(payback(old, new, 0.0).days, inf)  # type: ignore[union-attr]

    def test_it_never_pays_where_each_hour_costs_as_much(self) -> None:
        old = Side("cells", 6.0, None, None, None, 0.0, 12.0)
        self.assertIsNone(payback(old, Side("cells", 3.0, None, None, None, 5.0, 6.0), 10.0))
        self.assertIsNone(payback(Side("mains", 6.0, None, None, None, 0.0, None), old, 10.0))
        charged = Side("its own pack", 6.0, None, None, 5.0, 0.0, None, charged=True)
        self.assertIsNone(payback(charged, old, 10.0))

    def test_cells_that_are_thrown_away_cost_with_every_fill(self) -> None:
        thrown = side_of(situation("bat-detector-on-six-aaa", **{"source.price": 6}), "as it is")
        charged = side_of(situation(MOUNT, **{"source.price": 60}), "converted")
        self.assertEqual((thrown.fill_price, thrown.price), (6, 0))
        self.assertEqual((charged.fill_price, charged.price), (None, 60))
        self.assertIsNone(side_of(situation(MOUNT), "unpriced", 15.0).price)
        self.assertAlmostEqual(charged.minutes_per_money or 0, 60 * (charged.hours or 0) / 60)


class LongRuns(SimpleTestCase):
    LOGGER = {"device.modes": [{"name": "lit", "kind": "power", "power_w": 0.02}], "path": []}

    def test_self_discharge_is_told_after_a_week_only(self) -> None:
        self.assertIsNone(leaking_runtime(situation(LAMP)))
        now = situation(LAMP, **self.LOGGER)
        leaking = leaking_runtime(now)
        assert leaking is not None and now.run is not None
        self.assertLess(leaking, now.run.runtime_s)

    def test_it_agrees_with_small_steps(self) -> None:
        now = situation(LAMP, **self.LOGGER)
        leaking, run_ = leaking_runtime(now), now.run
        assert leaking is not None and run_ is not None
        leak, step = now.cell.self_discharge_per_month / MONTH_S, 3600.0
        soc, seconds, mode = now.circuit.start_soc, 0.0, now.modes[0]
        full = now.circuit.charge_ah * 3600.0
        while soc > run_.final_soc:
            soc -= step * (leak + now.at(mode, soc).source_a / full)
            seconds += step
        self.assertAlmostEqual(leaking / seconds, 1.0, delta=3e-3)


class Programme(SimpleTestCase):
    def test_times_of_day(self) -> None:
        for start, hours, told, later in (
            ("20:30", 3.5, "00:00", 0),
            ("20:30", 23.9, "20:24", 0),
            ("20:30", 30, "02:30", 2),
        ):
            self.assertEqual(clock.clock_time(start, 3600 * hours), told)
            self.assertEqual(clock.days_later(start, 3600 * hours), later)
        self.assertEqual(clock.seconds_until("20:30", 600, "20:40"), clock.DAY_S)

    def test_a_start_is_a_time_of_day(self) -> None:
        for text in ("20:30", "00:00", "23:59"):
            self.assertEqual(case("cases", MOUNT, **{"duty.start": text}).duty.start, text)
        for text in ("24:00", "8:30", "20.30", "", "20:60"):
            with self.assertRaises(CaseError) as refused:
                case("cases", MOUNT, **{"duty.start": text})
            self.assertIn("time of day", str(refused.exception))


class Night(SimpleTestCase):
    def through(self, *table: tuple[float, float], **changes: object) -> tuple[float, str]:
        found = through_the_night(case("cases", MOUNT, **{"conditions.temperature_by_h": table, **changes}))
        assert found is not None
        return found.runtime_s, found.end_cause

    def test_an_even_temperature_changes_nothing(self) -> None:
        for warmth in (20.0, 2.0):
            flat = run(case("cases", MOUNT, **{"conditions.temperature_c": warmth}))
            runs, cause = self.through((0, warmth), (9, warmth))
            self.assertAlmostEqual(runs / flat.runtime_s, 1.0, delta=2e-4)
            self.assertEqual(cause, flat.end_cause)

    def test_a_cooling_night_lies_between_its_two_ends(self) -> None:
        warm, cold = (run(case("cases", MOUNT, **{"conditions.temperature_c": t})).runtime_s for t in (20.0, -10.0))
        cooling, _ = self.through((0, 20), (5, -10))
        sooner, _ = self.through((0, 20), (1, -10))
        self.assertTrue(cold < sooner < cooling < warm, (cold, sooner, cooling, warm))

    def test_a_programme_is_over_when_it_is_over_in_the_cold_too(self) -> None:
        """Two hours by the clock stay two hours, whatever the night does, and its first half is not run again."""
        repeat = [{"mode": "hold", "seconds": 5400}, {"mode": "slew", "seconds": 1800}]
        more = {"duty.repeat": repeat, "duty.once": True, "conditions.temperature_by_h": [[0, 20], [5, -5]]}
        found = through_the_night(case("cases", MOUNT, **more))
        assert found is not None
        self.assertEqual((found.runtime_s, found.end_cause), (7200.0, "programme over"))
        self.assertEqual(
            [(s.mode, s.seconds) for s in ahead(case("cases", MOUNT, **more).duty, 6000)], [("slew", 1200)]
        )

    def test_finer_pieces_agree(self) -> None:
        cooling, _ = self.through((0, 20), (5, -10))
        with mock.patch("hermotrope_core.hours.night.PIECE_S", 300.0):
            finer, _ = self.through((0, 20), (5, -10))
        self.assertAlmostEqual(cooling / finer, 1.0, delta=2e-3)

    def test_the_duty_goes_on_where_it_was(self) -> None:
        repeat = case("cases", MOUNT).duty.repeat
        for seconds, lasts in (
            (0, [("hold", 480), ("slew", 120)]),
            (100, [("hold", 380), ("slew", 120), ("hold", 100)]),
            (480, [("slew", 120), ("hold", 480)]),
            (600 * 7 + 500, [("slew", 100), ("hold", 480), ("slew", 20)]),
        ):
            self.assertEqual([(s.mode, s.seconds) for s in turned(repeat, seconds)], lasts)

    def test_a_table_that_makes_no_sense_is_refused(self) -> None:
        for table in ([], [[5, 20], [3, 10]], [[-1, 20]], [[0, 200]], [[0, 20], [100, 10]]):
            with self.assertRaises(CaseError) as refused:
                case("cases", MOUNT, **{"conditions.temperature_by_h": table})
            self.assertIn("temperature_by_h", str(refused.exception))

    def test_without_a_table_there_is_nothing_to_tell(self) -> None:
        self.assertIsNone(through_the_night(case("cases", MOUNT)))
