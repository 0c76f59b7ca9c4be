"""Two ways of computing one thing, held against each other; and second terms of rules."""

from __future__ import annotations

from math import inf
from typing import Any
from unittest.mock import patch

import msgspec
import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from hermotrope_core.circuit import arrays, discharge
from hermotrope_core.circuit.asleep import off_after
from hermotrope_core.circuit.discharge import Run, run
from hermotrope_core.circuit.netlist import netlist
from hermotrope_core.circuit.point import section_amps
from hermotrope_core.circuit.power_span import PowerSpan
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.circuit.steady import descend
from hermotrope_core.circuit.thresholds import overload_emf, threshold
from hermotrope_core.hours import job
from hermotrope_core.hours.night import through_the_night
from hermotrope_core.hours.swap import swap_plan
from hermotrope_core.judge.cures import can_be_set
from hermotrope_core.judge.findings import Finding, check
from hermotrope_core.judge.overdrive import overdrive
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.kinds.stage import Fed
from hermotrope_core.kinds.stages import Linear, Stage
from hermotrope_core.plan.case import Case
from hermotrope_core.prove import gates
from hermotrope_core.prove.judge import written
from hermotrope_core.prove.standin import StandIn
from tests.support import PASSING, case, golden

FIGURES = ("runtime_s", "final_soc", "energy_from_source_wh", "energy_to_device_wh", "charge_ah")
MOUNT, LAMP = "hide-mount-on-tool-pack", "path-lights-through-resistor"


def followed(made: Case) -> Run:
    """The run, piece by piece even where it could go down the table in one walk."""
    with patch.object(discharge, "_steady", lambda *_: None):
        return run(made)


def found(made: Case, code: str) -> list[Finding]:
    return [one for one in check(Situation(made)) if one.code == code]


class Steady(SimpleTestCase):
    def held(self, made: Case) -> None:
        quick, slow = run(made), followed(made)
        self.assertEqual((quick.end_cause, quick.end_mode), (slow.end_cause, slow.end_mode))
        for name in FIGURES:
            self.assertAlmostEqual(getattr(quick, name) / max(getattr(slow, name), 1e-12), 1.0, delta=1e-9, msg=name)

    def test_one_walk_down_the_table_is_the_run_piece_by_piece(self) -> None:
        steady = 0
        for folder in ("cases", "judgements"):
            for name, _, _ in golden(folder):
                made = case(folder, name)
                with self.subTest(name), patch.object(discharge, "descend", wraps=descend) as walk:
                    quick = run(made)
                    steady += walk.called
                    self.assertEqual(quick.end_cause, followed(made).end_cause)
                    self.assertAlmostEqual(quick.runtime_s, followed(made).runtime_s, delta=1e-6)
        self.assertGreater(steady, 10)

    def test_with_drops_loads_reserves_and_starts_of_every_sort(self) -> None:
        one = {"duty.repeat": [{"mode": "slew", "seconds": 60}]}
        diode: dict[str, Any] = {"stage": "diode", "forward_v": 0.6, "count": 2}
        loads = (
            {"device.modes.1": {"name": "slew", "kind": "resistance", "resistance_ohm": 6.0}},
            {"device.modes.1": {"name": "slew", "kind": "power", "power_w": 30.0}},
            {"device.modes.1": {"name": "slew", "kind": "current", "current_a": 2.0}},
        )
        ends: tuple[dict[str, Any], ...] = ({}, {"source.reserve_soc": 0.3}, {"source.initial_soc": 0.62})
        wide = {"min_v": 9.0, "nominal_v": 12.0, "max_v": 25.0}
        for load in loads:
            for end in ends:
                for direct in ({}, {"path.2": diode, "device.supply": wide}):
                    with self.subTest(load=load, end=end, direct=bool(direct)):
                        self.held(case("cases", MOUNT, **one, **load, **end, **direct, **{"source.peukert": 1.0}))


class Turns(SimpleTestCase):
    """A constant power gone through in one step is what its moments say."""

    def held(self, made: Case) -> int:
        with patch.object(PowerSpan, "through", autospec=True, side_effect=PowerSpan.through) as steps:
            quick = run(made)
        with patch.object(PowerSpan, "fits", return_value=False):
            slow = run(made)
        self.assertEqual((quick.end_cause, quick.end_mode), (slow.end_cause, slow.end_mode))
        for name in FIGURES:
            one, other = getattr(quick, name), getattr(slow, name)
            self.assertAlmostEqual(one, other, delta=1e-11 * max(1.0, other), msg=name)
        return int(steps.call_count)

    def test_of_every_case(self) -> None:
        steps = 0
        for folder in ("cases", "judgements"):
            for name, _, _ in golden(folder):
                with self.subTest(name):
                    steps += self.held(case(folder, name))
        self.assertGreater(steps, 50)

    def test_down_to_a_collapse_and_through_turns_of_every_length(self) -> None:
        for seconds in (1e-3, 40.0, 3000.0, 50_000.0):
            for end in ({"source.cutoff_v": 1.0}, {"source.reserve_soc": 0.3}, {"source.resistance_ohm": 1.4}):
                for more in ({}, {"path.2": {"stage": "diode", "forward_v": 0.6, "count": 2}}):
                    turns = [{"mode": "slew", "seconds": seconds}, {"mode": "hold", "seconds": 2 * seconds}]
                    with self.subTest(seconds=seconds, end=end, more=bool(more)):
                        made = case("cases", MOUNT, **end, **more, **{"duty.repeat": turns, "source.peukert": 1.0})
                        self.assertGreater(self.held(made), 2)


KINDS = st.sampled_from(("power", "current", "resistance"))


class Arrays(SimpleTestCase):
    """The arithmetic over arrays of draws is that of one draw."""

    @settings(deadline=None, max_examples=200)
    @given(st.floats(0.5, 60.0), st.floats(-3.0, 30.0), st.floats(0.0, 5.0), KINDS, st.floats(0.01, 80.0))
    def test_amperes_of_a_stretch(self, volts: float, drop: float, ohm: float, kind: Any, value: float) -> None:
        own = drop if kind == "resistance" else 0.0
        amps, fails = arrays.section_amps(volts, own, np.array([ohm]), kind, np.array([value]))
        one = section_amps(volts, ohm, Demand(kind, value, own))
        self.assertEqual(bool(fails[0]), one is None)
        if one is not None:
            self.assertAlmostEqual(float(amps[0]), one, delta=1e-9 * max(1.0, one))

    @settings(deadline=None, max_examples=200)
    @given(st.floats(0.0, 3.0), st.floats(0.0, 2.0), KINDS, st.floats(0.01, 80.0), st.floats(0.05, 20.0))
    def test_overload(self, ohm: float, drop: float, kind: Any, value: float, most_a: float) -> None:
        many = arrays.overload_emf(np.array([ohm]), drop, kind, np.array([value]), most_a)
        one = overload_emf(ohm, drop, Demand(kind, value), most_a)
        self.assertTrue(float(many[0]) == one or abs(float(many[0]) - one) < 1e-9)

    def test_a_threshold_behind_a_collapse_is_none(self) -> None:
        self.assertEqual(threshold(1.0, (1.0, 0.0), (0.0, 0.0), Demand("power", 20.0)), -inf)
        self.assertAlmostEqual(threshold(10.0, (1.0, 0.5), (0.0, 0.0), Demand("power", 20.0)), 12.5)


class Sleep(SimpleTestCase):
    def test_a_bank_counts_the_light_load_without_a_break(self) -> None:
        turns = [(0, 20.0), (1, 20.0)]
        self.assertEqual(off_after([False, True], turns, 20.0, once=False), inf)
        self.assertEqual(off_after([False, True], turns, 19.0, once=False), 39.0)
        self.assertEqual(off_after([True, False], turns, 19.0, once=False), 19.0)
        self.assertEqual(off_after([True, True], turns, 30.0, once=True), 30.0)
        self.assertEqual(off_after([True, True], turns, 40.0, once=True), inf)
        self.assertEqual(off_after([True, True], turns, 400.0, once=False), 400.0)
        self.assertEqual(
            off_after([True, False, True], [(0, 15.0), (1, 5.0), (2, 15.0)], 29.0, once=False), 64.0 - 15.0
        )


class SecondTerms(SimpleTestCase):
    def test_the_least_of_port_profile_and_all_ports_together_limits_a_bank(self) -> None:
        profiles = [
            {"output_v": 5.0, "output_current_max_a": 0.4},
            {"output_v": 9.0, "output_current_max_a": 0.1},
        ]
        port = {"name": "A", "kind": "usb-a", "profiles": profiles}
        bank = {"source.ports": [port], "source.outlet": {"kind": "usb-a", "polarity": "marked"}}
        over = found(case("cases", "warden-receiver-on-bank", **bank), "source-overload")
        self.assertEqual([one.limit for one in over], [0.4])
        other = {**bank, "source.outlet": {"kind": "usb-c", "polarity": "marked"}}
        self.assertEqual(found(case("cases", "warden-receiver-on-bank", **other), "source-overload"), [])
        together = {**bank, "source.ports_power_max_w": 1.5}
        over = found(case("cases", "warden-receiver-on-bank", **together), "source-overload")
        self.assertEqual([one.limit for one in over], [0.3])

    def test_alternating_current_into_a_direct_inlet_is_refused_without_any_converter(self) -> None:
        feed = {
            "path": [{"stage": "lead", "length_m": 1, "area_mm2": 1}],
            "source.outlet": {"kind": "barrel", "polarity": "unknown", "alternating": True},
            "device.inlet": {"kind": "barrel", "polarity": "centre-positive", "measured": True},
        }
        self.assertEqual([one.level for one in found(case("cases", MOUNT, **feed), "ac-inlet")], ["refuse"])
        feed["source.outlet"] = {"kind": "barrel", "polarity": "centre-positive"}
        self.assertEqual(found(case("cases", MOUNT, **feed), "ac-inlet"), [])

    def test_what_stays_unused_is_counted_from_the_reserve(self) -> None:
        name = "three-cell-pack-stops-early"
        (without,) = found(case("judgements", name), "early-stop")
        (kept,) = found(case("judgements", name, **{"source.reserve_soc": 0.05}), "early-stop")
        assert without.have is not None and kept.have is not None
        self.assertAlmostEqual(without.have - kept.have, 0.05, delta=1e-6)

    def test_a_run_that_never_starts_does_not_give_up_as_well(self) -> None:
        made = case("judgements", "all-well", **{"path.2.input_min_v": 20.95, "source.initial_soc": 0.5})
        self.assertEqual(run(made).runtime_s, 0.0)
        self.assertEqual([one.level for one in check(Situation(made)) if one.code == "converter-input-low"], [])

    def test_diodes_before_a_converter_do_not_come_up_at_rest(self) -> None:
        diode = {"stage": "diode", "forward_v": 0.7, "count": 3}
        close = {"device.supply.max_v": 12.5, "device.traits": ["electronics"]}
        made = case("cases", MOUNT, **close)
        before = msgspec.structs.replace(made, path=(made.path[0], msgspec.convert(diode, Stage), *made.path[1:]))
        higher = {"path.2.output_v": 14.0}
        set_for_them = case("cases", MOUNT, **close, **higher)
        behind = msgspec.structs.replace(set_for_them, path=(*set_for_them.path, msgspec.convert(diode, Stage)))
        self.assertEqual([one.have for one in found(behind, "diode-at-rest")], [14.0])
        self.assertEqual(found(before, "diode-at-rest"), [])

    def test_only_a_diode_behind_the_last_converter_takes_a_motor_from_it(self) -> None:
        made = case("cases", MOUNT, **{"device.traits": ["motor"]})
        diode = msgspec.convert({"stage": "diode", "forward_v": 0.4}, Stage)
        for at, codes in ((1, 1), (2, 1), (3, 0), (4, 0)):
            with self.subTest(at):
                path = (*made.path[:at], diode, *made.path[at:])
                self.assertEqual(len(found(msgspec.structs.replace(made, path=path), "back-feed-motor")), codes)

    def test_a_set_point_near_the_limit_is_told_of_the_first_part_too(self) -> None:
        made = case("cases", MOUNT, **{"path.2.output_v": 14.95})
        first = msgspec.structs.replace(made, path=made.path[2:])
        self.assertEqual([one.stage for one in found(made, "set-point-near-limit")], [2])
        self.assertEqual([one.stage for one in found(first, "set-point-near-limit")], [0])

    def test_a_peak_that_never_runs_is_told_in_watts(self) -> None:
        weak = {"source.resistance_ohm": 3.0}
        amps = found(
            case("cases", MOUNT, **weak, **{"device.modes.1.peak_a": 9.0, "device.modes.1.peak_w": None}), "peak-drop"
        )
        watts = found(
            case("cases", MOUNT, **weak, **{"device.modes.1.peak_w": 110.0, "device.modes.1.peak_a": None}), "peak-drop"
        )
        self.assertEqual([(one.have, one.unit) for one in amps], [(108.0, "W")])
        self.assertEqual([(one.have, one.unit) for one in watts], [(110.0, "W")])

    def test_an_overvoltage_shortens_a_winding_by_a_half_for_each_ten_kelvin(self) -> None:
        self.assertAlmostEqual(overdrive(13.2, 12.0).life, 2.0 ** (-40.0 * 0.21 / 10.0))
        self.assertEqual(overdrive(12.0, 12.0).life, 1.0)

    def test_the_most_watts_are_those_of_the_converter_as_long_as_it_holds(self) -> None:
        low = {
            "path.2.output_v": 5.0,
            "path.2.headroom_v": 0.5,
            "device.supply.min_v": 3.0,
            "device.supply.nominal_v": 5.0,
        }
        most = [
            Situation(case("cases", MOUNT, **low, **{"path.2.in_dropout": does})).most_watts(0.8)
            for does in ("passes", "stops")
        ]
        self.assertAlmostEqual(*most)
        falls = Situation(case("cases", MOUNT, **PASSING))
        later = falls.circuit.falls_to
        assert later is not None
        (stretch,) = later.stretches
        volts = later.emf(0.2) - stretch.drop_v
        self.assertAlmostEqual(falls.most_watts(0.2), volts**2 / 4.0 / stretch.resistance_ohm)


class Misfits(SimpleTestCase):
    def test_a_linear_regulator_needs_its_dropout_where_the_volts_are_known(self) -> None:
        part = Linear(output_v=9.0, dropout_v=2.0)
        told = [part.misfit(Fed((), False, None, None, high, None)) for high in (None, 11.0, 10.9)]
        self.assertEqual(told[:2], [None, None])
        self.assertIn("it needs 11.0 V and gets 10.9 V", told[2] or "")


class Lines(SimpleTestCase):
    """Sums along a line through points, by hand."""

    def test_until_and_above(self) -> None:
        points = [(0.0, 10.0), (100.0, 10.0), (200.0, 5.0), (300.0, 9.0)]
        self.assertAlmostEqual(job._until(points, 8.0), 140.0)
        self.assertAlmostEqual(job._above(points, 8.0), 140.0 + 25.0)
        self.assertEqual((job._until(points, 11.0), job._above(points, 11.0)), (0.0, 0.0))
        self.assertEqual((job._until(points, 5.0), job._above(points, 5.0)), (300.0, 300.0))

    def test_a_job_of_whole_packs_takes_just_so_many_and_one_ready_in_time_is_ready(self) -> None:
        plan = swap_plan(3e4, lambda _: 1e4, 2, 1e4, hot=True)
        self.assertEqual((plan.needed, [one.at_s for one in plan.swaps]), (3, [1e4, 2e4]))
        self.assertEqual([one.ready for one in plan.swaps], [True, True])
        late = swap_plan(3e4, lambda _: 1e4, 2, 1e4 + 1.0, hot=True)
        self.assertEqual([one.ready for one in late.swaps], [True, False])

    def test_charge_between_two_marks(self) -> None:
        made = run(case("cases", MOUNT), marks=True)
        first, second = made.marks[0], made.marks[1]
        middle = 0.75 * first.seconds + 0.25 * second.seconds
        self.assertAlmostEqual(job.charge_at(made, middle), 0.75 * first.soc + 0.25 * second.soc)
        self.assertEqual(job.charge_at(made, made.runtime_s + 1.0), made.final_soc)


class First(SimpleTestCase):
    def test_a_board_that_passes_its_input_on_does_so_as_the_first_part_too(self) -> None:
        made = case("cases", MOUNT, **PASSING)
        first = msgspec.structs.replace(made, path=made.path[2:])
        stops = msgspec.structs.replace(first.path[0], in_dropout="stops")
        other = msgspec.structs.replace(first, path=(stops, *first.path[1:]))
        self.assertNotEqual(netlist(first), netlist(other))
        self.assertGreater(run(first).runtime_s, run(other).runtime_s)


class Night(SimpleTestCase):
    def test_a_bank_that_falls_asleep_does_so_in_a_night_too(self) -> None:
        flat = [[0, 20], [12, 20]]
        asleep = case("judgements", "bank-naps-too-long", **{"conditions.temperature_by_h": flat})
        through = through_the_night(asleep)
        assert through is not None
        self.assertEqual((through.runtime_s, through.end_cause), (run(asleep).runtime_s, "auto-off"))
        awake = case("cases", MOUNT, **{"conditions.temperature_by_h": flat})
        through = through_the_night(awake)
        assert through is not None
        self.assertAlmostEqual(through.runtime_s / run(awake).runtime_s, 1.0, delta=1e-3)


class Bench(SimpleTestCase):
    def test_what_a_meter_shows_is_written_as_it_shows_it(self) -> None:
        told = [written(inf, "Ω"), written(0.3, "Ω"), written(-4.2, "V"), written(61.4, "°C")]
        self.assertEqual(told, ["OL (open)", "0.300 Ω", "−4.20 V", "61 °C"])

    def test_the_stand_in_opens_a_little_above_its_trip(self) -> None:
        made = case("judgements", "cut-off-added")
        ask = next(ask for gate in gates(Situation(made), {}, None) for ask in gate.asks if ask.meter == "trip")
        trips = made.path[2].opens_below_v
        assert trips is not None
        self.assertAlmostEqual(StandIn(made).read(ask) / trips, 1.004, places=9)


class SetPoints(SimpleTestCase):
    def cure(self, board: dict[str, Any], *after: dict[str, Any]) -> tuple[str, Any]:
        path = [{"stage": "converter", "topology": "buck", "efficiency": 0.9, **board}, *after]
        (one,) = found(case("cases", MOUNT, path=path), "set-point-outside")
        return str(one.change[0]["path"]), one.change[0].get("value")

    def test_a_set_point_that_a_board_cannot_have_is_never_cured_by_one_that_hurts_the_device(self) -> None:
        """The mount takes 9.5 to 15 V: 14 V within a board's range are a cure, 24 V and 5 V are none."""
        self.assertEqual(
            self.cure({"output_v": 12, "adjusts_from_v": 14, "adjusts_to_v": 30}), ("/path/0/output_v", 14)
        )
        for low, high, at in ((24, 30, 12), (1.2, 5, 12)):
            place, board = self.cure({"output_v": at, "adjusts_from_v": low, "adjusts_to_v": high})
            self.assertEqual(place, "/path/0")
            self.assertTrue(9.5 <= float(getattr(board, "output_v", None) or board["output_v"]) <= 15)
        last = {"stage": "converter", "topology": "buck-boost", "output_v": 12, "efficiency": 0.9}
        place, _ = self.cure({"output_v": 12, "adjusts_from_v": 14, "adjusts_to_v": 30}, last)
        self.assertEqual(place, "/path/0", "a board before another one is not set to what the device takes")

    def test_which_volts_a_part_can_hold(self) -> None:
        """Fed by a pack of 21 V full: a step-down board stays its headroom below, a step-up board above."""
        for board, volts, can in (
            ({"topology": "buck", "headroom_v": 1}, 20.0, True),
            ({"topology": "buck", "headroom_v": 1}, 20.1, False),
            ({"topology": "buck"}, 20.0, True),
            ({"topology": "buck"}, 20.5, False),
            ({"topology": "boost"}, 21.0, True),
            ({"topology": "boost"}, 20.9, False),
            ({"topology": "buck-boost"}, 20.9, True),
            ({"topology": "buck-boost"}, 30.0, True),
            ({"topology": "trigger"}, 12.0, False),
            ({"topology": "inverter"}, 12.0, False),
            ({"topology": "buck", "adjusts_from_v": 5, "adjusts_to_v": 9}, 5.0, True),
            ({"topology": "buck", "adjusts_from_v": 5, "adjusts_to_v": 9}, 4.9, False),
            ({"topology": "buck", "adjusts_from_v": 5, "adjusts_to_v": 9}, 9.0, True),
            ({"topology": "buck", "adjusts_from_v": 5, "adjusts_to_v": 9}, 9.1, False),
        ):
            made = case("cases", MOUNT, path=[{"stage": "converter", "output_v": 12, "efficiency": 0.9, **board}])
            with self.subTest(board, volts=volts):
                self.assertEqual(can_be_set(Situation(made), 0, volts), can)
        first = {"stage": "converter", "topology": "buck-boost", "output_v": 9, "efficiency": 0.9}
        second = {"stage": "converter", "topology": "boost", "output_v": 12, "efficiency": 0.9}
        both = Situation(case("cases", MOUNT, path=[first, second]))
        self.assertEqual([can_be_set(both, 1, volts) for volts in (8.9, 9.0)], [False, True])
