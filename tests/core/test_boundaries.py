"""Rules at their very edge: what counts as still inside, and by how much a figure is off where it is not."""

from __future__ import annotations

import re
from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.circuit.many import runs
from hermotrope_core.circuit.netlist import netlist
from hermotrope_core.circuit.pack import flat_volts
from hermotrope_core.circuit.simulate import Simulation
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cautions import cautions
from hermotrope_core.judge.choose import NoChoice, choose
from hermotrope_core.judge.cures import (
    BOARDS,
    converter_change,
    converter_for,
    keep_alive_change,
    set_point,
    wire_amps_behind,
)
from hermotrope_core.judge.findings import check
from hermotrope_core.judge.findings.fuses import fuse_to_the_pack
from hermotrope_core.kinds.stage import Wanted
from hermotrope_core.kinds.stages import KINDS
from hermotrope_core.know.shelved import part_of
from hermotrope_core.parts.craft import AIR_CARE_WH, AWAKE, HOT_CARE_K, HOT_REFUSE_K, NEAR_SHARE, OVER
from hermotrope_core.parts.wire import FUSE_MARGIN
from hermotrope_core.plan.case import MOST_STAGES
from hermotrope_core.plan.source import Source
from hermotrope_core.prove import Ask, StandIn
from hermotrope_core.prove.gate import Setup, Spot
from hermotrope_core.prove.gates import gates
from hermotrope_core.prove.learn import told_by
from hermotrope_core.prove.progress import progress, refusal_of
from hermotrope_core.prove.standin import CAPACITY, RESISTANCE, truth
from hermotrope_core.values.known import number
from tests.support import case, tree

SWITCH = {"stage": "switch"}
FUSE = {"stage": "fuse", "rating_a": 5, "rating_v": 60}

TYPICAL = {
    "fuse": {"stage": "fuse", "rating_a": 5.0},
    "switch": {"stage": "switch"},
    "cut-off": {"stage": "cut-off", "trips_v": 10.0},
    "converter": {
        "stage": "converter",
        "topology": "buck-boost",
        "output_v": 12.0,
        "efficiency": 0.85,
        "quiescent_w": 0.1,
    },
    "linear": {"stage": "linear", "output_v": 12.0, "dropout_v": 2.0, "quiescent_a": 0.005},
    "diode": {"stage": "diode", "forward_v": 0.7},
    "resistor": {"stage": "resistor", "resistance_ohm": 1.0, "rating_w": 5.0},
    "lead": {"stage": "lead", "length_m": 1.0, "area_mm2": 0.75},
    "keep-alive": {"stage": "keep-alive", "current_a": 0.084},
    "voltmeter": {"stage": "voltmeter", "current_a": {"value": 0.015}, "warns_v": 10.6},
    "changeover": {"stage": "changeover", "other_v": 12.0},
}


def mount(**changes: Any) -> Situation:
    return Situation(case("cases", "hide-mount-on-tool-pack", **changes))


def codes(situation: Situation) -> set[str]:
    return {finding.code for finding in check(situation)}


class SetPoints(SimpleTestCase):
    def test_it_is_raised_by_what_is_lost_behind_it(self) -> None:
        plain = mount()
        lost = 12.0 - plain.at(plain.heaviest, 1.0).inlet_v
        raised = round(12.0 + lost, 2)
        self.assertGreater(raised, 12.1)
        self.assertEqual(set_point(plain, 12.0, 12.0), raised)
        self.assertEqual(set_point(plain, 11.0, 12.0), 12.0)

    def test_not_above_what_the_device_stands_with_no_current(self) -> None:
        raised = set_point(mount(), 12.0, 12.0)
        assert raised is not None
        for most, wanted in ((raised + 1e-6, raised), (raised - 0.01, None)):
            with self.subTest(most):
                self.assertEqual(set_point(mount(**{"device.supply.max_v": most}), 12.0, 12.0), wanted)

    def test_close_under_the_most_is_told_from_the_edge_on(self) -> None:
        adjustable = {"path.2.adjusts_from_v": 5.0, "path.2.adjusts_to_v": 20.0, "path.3.length_m": 0.01}
        for most, told in (
            (12.0 / (1 - NEAR_SHARE) - 1e-9, True),
            (12.0 / (1 - NEAR_SHARE) + 1e-3, False),
            (12.0, True),
        ):
            with self.subTest(most):
                found = codes(
                    mount(**adjustable, **{"device.supply.max_v": most, "device.supply.absolute_max_v": 16.0})
                )
                self.assertEqual("set-point-near-limit" in found, told)

    def test_a_board_that_ends_where_the_device_begins_is_set_there(self) -> None:
        for low, cured in ((11.0, True), (11.01, False)):
            with self.subTest(low):
                limited = {"path.2.adjusts_from_v": 5.0, "path.2.adjusts_to_v": 11.0, "device.supply.min_v": low}
                found = next(one for one in check(mount(**limited)) if one.code == "set-point-outside")
                self.assertEqual(found.cure == "set it to 11.0 V, which the device takes", cured)


class Boards(SimpleTestCase):
    def test_a_full_pack_at_a_boards_very_most_is_taken(self) -> None:
        plain = converter_for(mount(path=[]))
        assert plain is not None
        chosen = [one for one in BOARDS if one.input_max_v == plain.input_max_v and one.topology == plain.topology]
        most = max(one.input_max_v for one in BOARDS if one.topology == "buck")
        self.assertTrue(chosen)
        self.assertIsNotNone(converter_for(mount(**{"path": [], "source.full_v": most})))
        self.assertIsNone(converter_for(mount(**{"path": [], "source.full_v": most + 0.01})))

    def test_the_longest_path_that_still_takes_a_converter_and_its_fuse(self) -> None:
        for length, fits in ((MOST_STAGES - 2, True), (MOST_STAGES - 1, False)):
            with self.subTest(length):
                self.assertEqual(bool(converter_change(mount(path=[SWITCH] * length))), fits)


class Fuses(SimpleTestCase):
    def test_one_of_the_wires_own_rating_moves_as_it_is(self) -> None:
        lead = {"stage": "lead", "length_m": 0.6, "area_mm2": 1.5}
        wire = wire_amps_behind(mount(path=[lead, FUSE]).case, 0)
        for rating, changed in ((wire, ["move"]), (wire + 0.5, ["move", "replace"])):
            with self.subTest(rating):
                found = fuse_to_the_pack(mount(path=[lead, {**FUSE, "rating_a": rating}]), 1)
                self.assertEqual([step["op"] for step in found], changed)


class Loads(SimpleTestCase):
    def test_what_a_mode_that_cannot_run_would_take(self) -> None:
        """At the rated volts: amperes times volts, volts squared over ohms, and watts as they are."""
        for mode, watts in (
            ({"kind": "current", "current_a": 3000.0}, 36000.0),
            ({"kind": "power", "power_w": 9000.0}, 9000.0),
        ):
            with self.subTest(mode):
                modes = [{"name": "on", **mode}]
                duty = [{"mode": "on", "seconds": 60}]
                here = mount(**{"device.modes": modes, "duty.repeat": duty, "path": []})
                self.assertFalse(here.at(here.heaviest, 1.0).complete)
                self.assertEqual(here.inlet_watts(here.heaviest), watts)

    def test_a_device_that_draws_nothing_has_no_dummy(self) -> None:
        for watts, made in ((0.0, False), (0.5, True)):
            with self.subTest(watts):
                modes = [{"name": "on", "kind": "power", "power_w": watts}]
                here = mount(**{"device.modes": modes, "duty.repeat": [{"mode": "on", "seconds": 60}]})
                self.assertEqual(any(gate.key == "dummy-load" for gate in gates(here, {})), made)

    def test_peukerts_exponent_of_two_is_no_special_case(self) -> None:
        for name in ("hide-mount-on-tool-pack", "moth-lamp-on-lead-acid"):
            two, near = (
                run(case("cases", name, **{"source.peukert": p, "source.rated_hours": 20})).runtime_s
                for p in (2.0, 2.0 - 1e-6)
            )
            self.assertAlmostEqual(two / near, 1.0, delta=2e-5)

    def test_what_a_board_takes_between_a_controllers_pulses_stands_in_the_netlist(self) -> None:
        modes = [{"name": "warm", "kind": "resistance", "resistance_ohm": 8, "on_share": 0.4}]
        thick = {"path.0.resistance_ohm": 0.5, "path.1.area_mm2": 0.1, "path.2.quiescent_w": 0.5}
        here = case("cases", "hide-mount-on-tool-pack", **thick, **{
            "device.modes": modes, "duty.repeat": [{"mode": "warm", "seconds": 60}],
        })  # fmt: skip
        ohms = Situation(here).circuit.stretches[0].resistance_ohm
        self.assertIn(f"-{4 * ohms * 0.5:.6g}"[:6], netlist(here))


class Steps(SimpleTestCase):
    def test_a_step_twice_as_long_is_four_times_as_wrong(self) -> None:
        """The simulated pack takes midpoint steps: second order, where a wrong half step would be of first."""
        plan = case(
            "cases",
            "sampling-boat-direct",
            **{"duty.repeat": [{"mode": "cruise", "seconds": 600}], "source.ocv": [[0, 1.5], [1, 4.2]]},
        )
        wanted = run(plan).runtime_s
        off = []
        for steps in (16, 32):
            simulation = Simulation(plan)
            for _ in range(steps):
                simulation.step(0.8 * wanted / steps)
            off.append(simulation.soc)
        fine = Simulation(plan)
        for _ in range(4096):
            fine.step(0.8 * wanted / 4096)
        coarse, finer = (abs(soc - fine.soc) for soc in off)
        self.assertAlmostEqual(coarse / finer, 4.0, delta=0.3)
        self.assertLess(coarse, 2e-3)


class ByAir(SimpleTestCase):
    def test_leave_is_asked_above_the_limit_and_not_at_it(self) -> None:
        for wh, told in ((AIR_CARE_WH, False), (AIR_CARE_WH + 0.01, True)):
            with self.subTest(wh):
                pack = {"source.capacity_ah": wh / 18.0, "source.stated_at_v": 18.0}
                found = cautions(case("cases", "hide-mount-on-tool-pack", **pack))
                self.assertEqual(any(one.key == "air" for one in found), told)


class Typical(SimpleTestCase):
    def test_what_a_new_stage_is_made_of(self) -> None:
        """Every figure that a stage begins with, before anybody says otherwise."""
        made = {one.__struct_config__.tag: one.typical(Wanted(12.0, 10.0)) for one in KINDS}
        self.assertEqual({kind: msgspec.to_builtins(one) for kind, one in made.items()}, TYPICAL)


class Chosen(SimpleTestCase):
    def test_a_board_behind_a_fuse_that_cannot_be_set_is_replaced(self) -> None:
        low = mount(**{"path.2.output_v": 6.0, "path.2.adjusts_from_v": 5.0, "path.2.adjusts_to_v": 7.0})
        (change,) = converter_change(low)
        self.assertEqual((change["op"], change["path"]), ("replace", "/path/2"))
        self.assertEqual(change["value"]["output_v"], 12.0)

    def test_one_behind_another_is_left_alone(self) -> None:
        board = {"stage": "converter", "topology": "buck", "output_v": 15, "efficiency": 0.9, "quiescent_w": 0.1}
        second = board | {"output_v": 6, "adjusts_from_v": 5, "adjusts_to_v": 7}
        self.assertEqual(converter_change(mount(path=[board, second])), ())


class Packs(SimpleTestCase):
    def test_where_a_source_counts_as_flat(self) -> None:
        for label, volts in (
            ("5S2P 18V 4Ah", None), ("26800mAh", None), ("12V 1A adapter", None), ("12V 1A unregulated adapter", 12.0),
        ):  # fmt: skip
            part = part_of(label).part
            assert isinstance(part, Source)
            with self.subTest(label):
                self.assertEqual(flat_volts(part), number(part.cutoff_v) if volts is None else volts)


class Edges(SimpleTestCase):
    def test_exactly_what_a_board_gives_is_no_overload(self) -> None:
        changes = {
            "path.2.output_current_max_a": 1.25, "device.modes": [{"name": "on", "kind": "current", "current_a": 1.25}],
            "duty.repeat": [{"mode": "on", "seconds": 60}],
        }  # fmt: skip
        made = mount(**changes)
        self.assertNotIn("converter-overload", codes(made))
        ended = run(made.case)
        self.assertEqual(ended.end_cause, "pack cut-off")
        many = runs(made.case, {}, 2)
        self.assertAlmostEqual(many.runtime_s[0], ended.runtime_s, delta=1e-3 * ended.runtime_s)
        self.assertEqual(list(many.causes()), ["pack cut-off"])

    def test_a_board_at_the_very_heat_that_is_refused_is_cared_for(self) -> None:
        made = mount()
        heat = max(look.at.at_stage(2).heat_w for look in made.looks)
        for per_w, level in ((HOT_REFUSE_K / heat * (1 - 1e-9), "care"), (HOT_REFUSE_K / heat * (1 + 1e-6), "refuse")):
            found = [one for one in check(mount(**{"path.2.thermal_k_per_w": per_w})) if one.code == "hot-part"]
            self.assertEqual([one.level for one in found], [level])
            self.assertEqual(found[0].limit, HOT_CARE_K if level == "care" else HOT_REFUSE_K)

    def test_a_duty_that_draws_nothing_never_ends(self) -> None:
        modes = [{"name": one, "kind": "power", "power_w": 0} for one in ("a", "b")]
        turns = [{"mode": one, "seconds": 60} for one in ("a", "b")]
        idle = case("cases", "sampling-boat-direct", **{"device.modes": modes, "duty.repeat": turns})
        self.assertRaises(NeverEnds, run, idle)
        self.assertRaises(NeverEnds, runs, idle, {}, 2)

    def test_a_bay_counts_only_where_the_cells_lie_in_it(self) -> None:
        bay = {"size": "AA", "slots": ["up"], "leads": ["1-", "1+"]}
        for kind, told in (("cell-bay", True), ("leads", False)):
            outlet = {"kind": kind, "polarity": "marked"}
            self.assertEqual("look-alike-cells" in codes(mount(**{"device.bay": bay, "source.outlet": outlet})), told)


class Windows(SimpleTestCase):
    def test_a_dropper_reads_more_than_the_device_stands_until_it_is_loaded(self) -> None:
        path = [{"stage": "switch"}, {"stage": "resistor", "resistance_ohm": 2, "rating_w": 20}]
        asks = {ask.key: ask for gate in gates(mount(path=path), {}) for ask in gate.asks}
        plug = next(ask for key, ask in asks.items() if key.startswith("polarity.") and ask.unit == "V")
        self.assertGreater(plug.high, 20.0)

    def test_ripple_and_what_is_seen_are_shown_as_expected(self) -> None:
        made = mount()
        bench = StandIn(made.case, None)
        for gate in gates(made, {}):
            for ask in gate.asks:
                if ask.meter in ("ripple", "seen"):
                    self.assertEqual(bench.read(ask), ask.expected or 0.0)
                    self.assertTrue(ask.low <= bench.read(ask) <= ask.high, ask.key)

    def test_without_a_range_a_run_down_lasts_seven_tenths_to_fourteen_tenths_of_the_plan(self) -> None:
        made = mount()
        assert made.run is not None
        ask = next(ask for gate in gates(made, {}, None) for ask in gate.asks if gate.key == "run-down")
        self.assertAlmostEqual(ask.low, 0.7 * made.run.runtime_s)
        self.assertAlmostEqual(ask.high, 1.4 * made.run.runtime_s)

    def test_the_stand_in_shows_what_stands_at_each_gap(self) -> None:
        """Before the board the pack, less a diode; behind it what it holds, less the diode behind."""
        diode = {"stage": "diode", "forward_v": 0.5}
        board = {"stage": "converter", "topology": "buck", "output_v": 12, "efficiency": 0.9, "quiescent_w": 0.1}
        made = mount(path=[SWITCH, diode, board, diode, {"stage": "lead", "length_m": 1, "area_mm2": 1}])
        bench = StandIn(made.case)
        full = made.full_emf
        for gap, volts in ((0, full), (1, full), (2, full - 0.5), (3, 12.0), (4, 11.5), (5, 11.5)):
            ask = Ask("x", "x", "V", "volts", 0, 99, Setup(), "", Spot(gap, "+", ""), Spot(gap, "-", ""))
            with self.subTest(gap=gap):
                self.assertAlmostEqual(bench.read(ask), volts)


class Alike(SimpleTestCase):
    def test_a_bank_falls_asleep_at_the_same_moment_in_both_ways_of_following_it(self) -> None:
        """Awake for a while first: what counts is how long it was loaded too lightly."""
        for first, then in ((300.0, 4000.0), (20.0, 31.0)):
            made = case(
                "judgements", "bank-naps-too-long",
                **{"duty.repeat.0.seconds": first, "duty.repeat.1.seconds": then},
            )  # fmt: skip
            ended = run(made)
            simulation = Simulation(made)
            while simulation.sample() is not None:
                simulation.step(0.5)
            with self.subTest(first=first):
                self.assertEqual((ended.end_cause, simulation.cause), ("auto-off", "auto-off"))
                self.assertAlmostEqual(simulation.seconds, ended.runtime_s, delta=1.0)

    def test_under_the_rated_current_nothing_is_lost_to_it(self) -> None:
        for amps in (0.1, 0.24, 0.26, 0.3, 0.36, 2.0):
            modes = [{"name": "on", "kind": "current", "current_a": amps}]
            turns = [{"mode": "on", "seconds": 60}]
            made = case("cases", "moth-lamp-on-lead-acid", **{"device.modes": modes, "duty.repeat": turns})
            with self.subTest(amps):
                ended = run(made).runtime_s
                self.assertAlmostEqual(runs(made, {}, 2).runtime_s[0], ended, delta=1e-3 * ended)

    def test_between_a_controllers_pulls_the_board_draws_for_the_rest_of_the_time(self) -> None:
        """The idle board weighs as much as the load, so that its share of the time is seen."""
        for share in (0.2, 0.7):
            modes = [{"name": "warm", "kind": "power", "power_w": 4.0, "on_share": share}]
            turns = [{"mode": "warm", "seconds": 600}]
            made = case(
                "cases", "hide-mount-on-tool-pack",
                **{"device.modes": modes, "duty.repeat": turns, "path.2.quiescent_w": 3.0},
            )  # fmt: skip
            ended = run(made).runtime_s
            with self.subTest(share):
                self.assertAlmostEqual(runs(made, {}, 2).runtime_s[0], ended, delta=2e-3 * ended)


class Sounding(SimpleTestCase):
    def test_an_alarm_that_sounds_in_one_mode_before_the_end_is_no_silent_one(self) -> None:
        made = mount()
        assert made.run is not None
        low, high = sorted(made.volts_into(1, mode, made.run.final_soc) or 0.0 for mode in made.modes)
        self.assertGreater(high - low, 0.1)
        for warns, told in ((low - 0.01, True), (low + 0.01, False), (high - 0.01, False)):
            alarm = {"stage": "voltmeter", "current_a": 0.0, "warns_v": warns}
            path = [mount_path()[0], alarm, *mount_path()[1:]]
            with self.subTest(warns):
                self.assertEqual("alarm-volts" in codes(mount(path=path)), told)


def mount_path() -> list[dict[str, Any]]:
    path: list[dict[str, Any]] = tree("cases", "hide-mount-on-tool-pack")["path"]
    return path


class FuseCures(SimpleTestCase):
    def test_one_that_would_let_too_much_through_is_no_cure(self) -> None:
        """Where the load wants more than the lead stands no fuse suits both, and none is offered."""
        for area, cured in ((0.1, False), (1.0, True)):
            lead = {"stage": "lead", "length_m": 0.3, "area_mm2": area}
            made = mount(path=[{"stage": "fuse", "rating_a": 30}, lead, *mount_path()[2:]])
            (one,) = [one for one in check(made) if one.code == "fuse-over-wire"]
            with self.subTest(area):
                self.assertEqual(bool(one.change), cured)


class Behind(SimpleTestCase):
    def test_diodes_behind_a_board_take_what_their_volts_leave(self) -> None:
        """Watts into a string of diodes whose volts a board holds: V (V − V_fade) / r, r = (V_at − V_fade) / I_at."""
        led = {"name": "lit", "kind": "led", "current_a": 0.5, "at_v": 12.0, "fade_v": 9.0}
        board = {"stage": "converter", "topology": "buck", "output_v": 11.0, "efficiency": 0.9, "quiescent_w": 0.0}
        made = mount(path=[board], **{"device.modes": [led], "duty.repeat": [{"mode": "lit", "seconds": 60}]})
        ended = run(made.case)
        watts = 11.0 * (11.0 - 9.0) / ((12.0 - 9.0) / 0.5)
        self.assertAlmostEqual(ended.energy_to_device_wh, watts * ended.runtime_s / 3600.0, places=6)

    def test_a_child_that_rides_is_exactly_that(self) -> None:
        for traits, refused in ((["child", "ridden"], True), (["child"], False), (["ridden"], False)):
            over = mount(
                path=[{"stage": "fuse", "rating_a": 7.5}],
                **{"device.traits": traits, "device.supply.max_v": 20.0, "device.supply.absolute_max_v": 25.0},
            )
            accepted = msgspec.structs.replace(over.case, accepted=("over-max",))
            levels = {one.level for one in check(Situation(accepted)) if one.code == "over-max"}
            with self.subTest(traits):
                self.assertEqual("refuse" in levels, refused, levels)

    def test_pins_are_looked_at_only_where_there_are_any(self) -> None:
        readings = [{"red": 1, "black": 2, "reading_v": 12.0}, {"red": 3, "black": 2, "reading_v": 5.0}]
        for inlet, told in (
            ({"kind": "pins", "pin_count": 3, "readings": readings, "measured": True}, True),
            ({"kind": "barrel", "outer_mm": 5.5, "inner_mm": 2.1, "measured": True}, False),
        ):
            self.assertEqual("second-supply" in codes(mount(**{"device.inlet": inlet})), told)

    def test_a_peak_that_collapses_is_told_in_its_own_watts(self) -> None:
        peaks: tuple[tuple[dict[str, Any], float], ...] = (
            ({"kind": "power", "power_w": 1.0, "peak_w": 400.0}, 400.0),
            ({"kind": "current", "current_a": 0.1, "peak_a": 60.0}, 60.0 * 12.0),
        )
        for mode, watts in peaks:
            made = mount(path=[], **{
                "device.modes": [{"name": "on", "peak_s": 1, **mode}], "duty.repeat": [{"mode": "on", "seconds": 60}],
                "source.resistance_ohm": 0.5,
            })  # fmt: skip
            (one,) = [one for one in check(made) if one.code == "collapse"]
            with self.subTest(mode["kind"]):
                self.assertEqual((one.level, one.have), ("care", watts))

    def test_a_keep_alive_load_lifts_to_the_share_above_what_keeps_awake(self) -> None:
        bank = case("judgements", "bank-switches-itself-off", **{"source.regulated_output.output_min_current_a": 0.1})
        for amps, wanted in ((0.0, AWAKE * 0.1), (0.05, AWAKE * 0.1 - 0.05), (AWAKE * 0.1 - 1e-3, 1e-3)):
            (change,) = keep_alive_change(bank, amps)
            with self.subTest(amps):
                self.assertAlmostEqual(change["value"]["current_a"], wanted, places=3)
        for amps in (AWAKE * 0.1, 1.0):
            self.assertEqual(keep_alive_change(bank, amps), ())

    def test_a_pin_whose_net_has_no_volts_is_not_told(self) -> None:
        """Two pins that were read, and a third that nobody did: one voltage, nothing of a second."""
        inlet = {
            "kind": "pins", "pin_count": 3, "measured": True,
            "readings": [{"red": 1, "black": 2, "reading_v": 12.0}, {"red": 3, "black": 2, "open": True}],
        }  # fmt: skip
        self.assertNotIn("second-supply", codes(mount(**{"device.inlet": inlet})))

    def test_a_run_that_begins_at_its_reserve_is_over(self) -> None:
        made = mount(**{"source.initial_soc": 0.4, "source.reserve_soc": 0.4})
        self.assertEqual((run(made.case).runtime_s, run(made.case).end_cause), (0.0, "reserve"))

    def test_a_measured_figure_is_told_anew_only_where_it_differs(self) -> None:
        """A mode of 6 W at 12 V: two per cent are the meter's own."""
        modes = [{"name": "slew", "kind": "power", "power_w": {"value": 6.0, "known_by": "measured"}}]
        made = mount(**{"device.modes": modes, "duty.repeat": [{"mode": "slew", "seconds": 60}]})
        ask = next(ask for gate in gates(made, {}) for ask in gate.asks if ask.unit == "A" and ask.setup.mode)
        inlet = made.at(made.modes[0], 1.0).inlet_v
        for watts, anew in ((6.0, False), (6.1, False), (6.13, True), (5.9, False), (5.85, True)):
            with self.subTest(watts):
                self.assertEqual(told_by(made, ask, watts / inlet) is not None, anew)

    def test_no_fuse_for_what_a_ready_made_lead_stands_names_the_greatest_current(self) -> None:
        """Nearly empty it draws most: that is the figure to split."""
        lead = {"stage": "lead", "length_m": 0.3, "area_mm2": 0.05, "bought": True}
        made = mount(path=[{"stage": "fuse", "rating_a": 1}, lead, *mount_path()[2:]])
        most = max(look.at.at_stage(0).amps_in for look in made.looks)
        least = min(look.at.at_stage(0).amps_in for look in made.looks)
        self.assertGreater(most, 1.1 * least)
        with self.assertRaisesRegex(NoChoice, "no fuse of the table carries") as told:
            choose(made.case)
        named = re.search(r"carries ([\d.]+) A", str(told.exception))
        assert named is not None
        self.assertGreater(float(named[1]), FUSE_MARGIN * 0.5 * (most + least))

    def test_a_capacitor_does_not_carry_a_peak_on_volts_that_are_low_at_rest(self) -> None:
        """Where the mode itself stands below the least there is nothing to carry over."""
        path = [{"stage": "resistor", "resistance_ohm": 6, "rating_w": 90}]
        modes = [{"name": "on", "kind": "current", "current_a": 1.0, "peak_a": 1.1, "peak_s": 0.01}]
        made = mount(path=path, **{
            "device.modes": modes, "duty.repeat": [{"mode": "on", "seconds": 60}], "device.supply.min_v": 13.0,
            "device.supply.nominal_v": 14, "device.input_capacitance_f": 10.0,
        })  # fmt: skip
        self.assertIn("peak-drop", codes(made))

    def test_the_lead_that_is_too_long_before_the_fuse_is_named(self) -> None:
        near = {"stage": "lead", "length_m": 0.1, "area_mm2": 1.0}
        far = {"stage": "lead", "length_m": 0.8, "area_mm2": 1.0}
        told = check(mount(path=[near, far, *mount_path()]))
        says = next(one.message for one in told if one.code == "no-fuse")
        self.assertIn("behind 0.8 m of lead", says)

    def test_a_programme_that_is_not_lasted_is_held_against_its_hours(self) -> None:
        made = case("cases", "hide-mount-on-tool-pack")
        long = msgspec.structs.replace(made.duty.repeat[0], seconds=90 * 3600.0)
        once = msgspec.structs.replace(made, duty=msgspec.structs.replace(made.duty, once=True, repeat=(long,)))
        situation = Situation(once)
        found = next(one for one in check(situation) if one.code == "does-not-last")
        assert situation.run is not None
        self.assertEqual((found.have, found.limit), (situation.run.runtime_s / 3600.0, 90.0))

    def test_the_stand_in_departs_from_the_plan_by_no_more_than_it_says(self) -> None:
        for name in ("hide-mount-on-tool-pack", "moth-lamp-on-lead-acid", "sampling-boat-direct"):
            made = case("cases", name)
            real = truth(made, None)
            assert made.source is not None and real.source is not None
            for field, most in (("resistance_ohm", RESISTANCE), ("capacity_ah", CAPACITY)):
                share = number(getattr(real.source, field)) / number(getattr(made.source, field)) - 1.0
                self.assertTrue(most / 2 <= abs(share) <= most, (name, field, share))

    def test_a_reading_of_a_locked_gate_says_what_comes_first(self) -> None:
        made = case("judgements", "all-well")
        rows = progress(gates(Situation(made), {}), (), ())
        locked = [row for row in rows if row.state == "locked" and len(row.asks) > 1]
        self.assertTrue(locked)
        for row in locked:
            for one in row.asks:
                self.assertIn(f"not before “{row.locked_by}” has passed", refusal_of(rows, one.ask.key))
        self.assertEqual(refusal_of(rows, rows[0].asks[0].ask.key), "")
        self.assertIn("does not ask", refusal_of(rows, "no.such"))

    def test_a_set_point_is_expected_under_what_the_device_stands(self) -> None:
        """Not above the most by more than what a meter hides, however near the plan sets it."""
        made = mount(**{"path.2.output_v": 14.9, "device.supply.max_v": 15.0})
        ask = next(one for gate in gates(made, {}) for one in gate.asks if gate.key == "set-point")
        self.assertAlmostEqual(ask.high, 15.0 * OVER)

    def test_ohms_that_a_meter_tells_have_a_least_as_well(self) -> None:
        for ohm, told in ((0.3, False), (2.5, True)):
            made = mount(path=[*mount_path()[:2], {"stage": "resistor", "resistance_ohm": ohm, "rating_w": 50}])
            asks = [one for gate in gates(made, {}) for one in gate.asks if one.key.startswith("continuity.plus")]
            self.assertEqual(max(one.low for one in asks) > 0.0, told, ohm)

    def test_a_mode_that_comes_twice_is_one_chain_of_sources_in_the_netlist(self) -> None:
        modes = [{"name": name, "kind": "power", "power_w": watts} for name, watts in (("a", 6.0), ("b", 12.0))]
        turns = [{"mode": name, "seconds": 60} for name in ("a", "b", "a")]
        made = mount(**{"device.modes": modes, "duty.repeat": turns})
        found = re.findall(r"^Vm0_(\d) (\S+) (\S+) ", netlist(made.case), flags=re.MULTILINE)
        self.assertEqual([which for which, _, _ in found], ["0", "1"])
        (_, top, bottom), (_, last, middle) = found
        self.assertEqual((bottom, middle, last), ("0", top, "m0"))

    def test_a_board_right_at_the_pack_passes_its_input_on_as_well(self) -> None:
        """The first stage is no bank's own converter: below its least input it is a resistance in the netlist too."""
        board = {**mount_path()[2], "in_dropout": "passes", "input_min_v": 14.0}
        lead = {"stage": "lead", "length_m": 0.5, "area_mm2": 1.0}
        first = netlist(mount(path=[board, lead]).case)
        stops = netlist(mount(path=[{**board, "in_dropout": "stops"}, lead]).case)
        self.assertNotEqual(first, stops)
