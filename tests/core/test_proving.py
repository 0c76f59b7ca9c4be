"""Gates: their windows, what readings mean, what is locked, and every fault of the stand-in caught in time."""

from __future__ import annotations

from math import inf
from unittest import TestCase

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check
from hermotrope_core.plan.case import Case, planned
from hermotrope_core.prove import (
    FAULTS,
    Ask,
    Gate,
    Reading,
    StandIn,
    Told,
    Waiver,
    applicable,
    gates,
    judge,
    progress,
    read_reading,
    refusal_of,
    told_by,
)
from hermotrope_core.prove.gates import basis_of
from hermotrope_core.prove.progress import Progress, proved
from hermotrope_core.values.quantity import QuantityError
from tests.support import case, golden, ready

GATE_OF = {
    "reversed-leads": "polarity",
    "set-point-high": "set-point",
    "weak-pack": "dummy-load",
    "sleepy-bank": "dummy-load",
    "missing-fuse-link": "continuity",
}


def rehearsed(of: Case, fault: str | None) -> tuple[tuple[Progress, ...], list[str]]:
    """Read every ask of every gate on the stand-in until one fails; the states, and what was read in order."""
    situation, bench = Situation(of), StandIn(of, fault)  # type: ignore[arg-type]
    readings: list[Reading] = []
    taken: dict[str, float] = {}
    while True:
        rows = progress(gates(situation, taken), readings, ())
        row = next((one for one in rows if one.state == "open"), None)
        if row is None:
            return rows, [one.ask for one in readings]
        for one in row.asks:
            value = bench.read(one.ask)
            taken[one.ask.key] = value
            readings.append(Reading(one.ask.key, value, f"{len(readings):05d}", "stand-in", row.gate.basis))


def mount(**changes: object) -> Case:
    return planned(ready("hide-mount-on-tool-pack", **changes))


def of(made: tuple[Gate, ...], key: str) -> Ask:
    return next(ask for gate in made for ask in gate.asks if ask.key == key)


class Windows(TestCase):
    def setUp(self) -> None:
        self.case = mount()
        self.made = gates(Situation(self.case), {})

    def test_gates_come_in_the_order_in_which_nothing_is_risked(self) -> None:
        keys = [gate.key for gate in self.made]
        self.assertEqual(keys[:6], ["open-voltage", "continuity", "set-point", "polarity", "dummy-load", "device"])
        first_power = keys.index("device")
        self.assertFalse(any(gate.energises for gate in self.made[:first_power]))
        self.assertTrue(all(gate.must_pass for gate in self.made if gate.key in ("set-point", "polarity")))

    def test_what_readings_of_the_open_pack_mean(self) -> None:
        ask = of(self.made, "open-voltage.volts")
        self.assertTrue(20.4 < ask.low < 20.8 and 21.0 < ask.high < 21.3, (ask.low, ask.high))
        for value, level, word in (
            (21.0, "pass", ""),
            (20.6, "pass", ""),
            (18.3, "note", "not full"),
            (-20.9, "stop", "swapped"),
            (0.02, "fail", "nothing"),
            (14.0, "fail", "cut-off"),
            (25.2, "stop", "not the pack"),
        ):
            with self.subTest(value=value):
                found = judge(ask, value)
                self.assertEqual(found.level, level)
                self.assertIn(word, found.says)

    def test_a_set_point_too_high_is_turned_down_before_anything_is_connected(self) -> None:
        ask = of(self.made, "set-point.2")
        found = judge(ask, 12.9)
        self.assertEqual(found.level, "fail")
        self.assertIn("turn it down before anything is connected", found.says)
        self.assertEqual(judge(ask, 11.5).level, "fail")
        self.assertEqual(judge(ask, 12.05).level, "pass")
        self.assertEqual(judge(ask, -12.0).level, "stop")

    def test_a_set_point_never_may_exceed_what_the_device_stands(self) -> None:
        tight = gates(Situation(mount(**{"device.supply.max_v": 12.05, "device.supply.absolute_max_v": 16})), {})
        self.assertLessEqual(of(tight, "set-point.2").high, 12.05 * 1.005 + 1e-9)

    def test_later_windows_follow_good_readings_and_not_failed_ones(self) -> None:
        good = gates(Situation(self.case), {"set-point.2": 12.15})
        self.assertAlmostEqual(of(good, "polarity.plug").expected or 0.0, 12.15)
        failed = gates(Situation(self.case), {"set-point.2": 12.9, "open-voltage.volts": -21.0})
        self.assertAlmostEqual(of(failed, "polarity.plug").expected or 0.0, 12.0)

    def test_ohms(self) -> None:
        ask = of(self.made, "continuity.plus-0")
        self.assertEqual(judge(ask, 0.2).level, "pass")
        self.assertEqual(judge(ask, inf).level, "fail")
        self.assertEqual(judge(ask, 4.0).level, "fail")
        across = of(self.made, "continuity.across-0")
        self.assertEqual(judge(across, inf).level, "pass")
        self.assertEqual(judge(across, 0.3).level, "stop")

    def test_a_bank_is_asked_whether_it_stays_awake(self) -> None:
        made = gates(Situation(planned(ready("warden-receiver-on-bank"))), {})
        ask = of(made, "dummy-load.awake")
        self.assertGreater(ask.setup.wait_s, 30.0)
        self.assertEqual(judge(ask, 0.0).level, "fail")

    def test_a_nap_that_the_duty_allows_is_not_asked_for_longer(self) -> None:
        short = case("judgements", "bank-naps-are-short")
        ask = of(gates(Situation(planned(short)), {}), "dummy-load.awake")
        self.assertLess(ask.setup.wait_s, 30.0)

    def test_amperes_read_the_other_way_round_count_but_a_flood_stops(self) -> None:
        ask = of(self.made, "device.mode-0")
        self.assertEqual(judge(ask, ask.expected or 0.0).level, "pass")
        self.assertEqual(judge(ask, -(ask.expected or 0.0)).level, "note")
        for value in (20.0, -20.0):
            self.assertEqual(judge(ask, value).level, "stop")
        self.assertEqual(judge(ask, 0.0).level, "fail")

    def test_a_few_milliamperes_that_do_not_flow_are_noticed(self) -> None:
        made = planned(ready("hide-mount-on-tool-pack", **{"device.modes.0.power_w": 0.06}))
        ask = of(gates(Situation(made), {}), "device.mode-0")
        self.assertEqual(judge(ask, 0.0).level, "fail")
        self.assertEqual(judge(ask, ask.expected or 0.0).level, "pass")

    def test_no_window_reaches_beyond_what_the_converter_gives(self) -> None:
        tight = planned(ready("hide-mount-on-tool-pack", **{"path.2.output_current_max_a": 3.6}))
        ask = of(gates(Situation(tight), {}), "device.mode-1")
        self.assertAlmostEqual(ask.high, 3.6)
        self.assertEqual(judge(ask, 3.7).level, "stop")

    def test_warm_parts_stop_where_the_finding_refuses(self) -> None:
        ask = of(self.made, "warm-parts.2")
        self.assertLessEqual(ask.high, 20.0 + 70.0)
        for value, level in ((45.0, "pass"), (75.0, "note"), (95.0, "stop")):
            self.assertEqual(judge(ask, value).level, level)

    def test_a_run_that_keeps_a_reserve_is_stopped_by_hand(self) -> None:
        lamp = Situation(planned(ready("moth-lamp-on-lead-acid")))
        assert lamp.run is not None
        self.assertEqual(lamp.run.end_cause, "reserve")
        self.assertIn("stop it where the pack reads 12.0", gates(lamp, {})[-1].connect[0])
        self.assertIn("ends by itself", gates(Situation(mount()), {})[-1].connect[0])

    def test_a_warning_is_seen_at_the_pack_where_a_converter_holds_the_plug(self) -> None:
        warns = planned(ready("hide-mount-on-tool-pack", **{"device.low_warning": True}))
        ask = of(gates(Situation(warns), {}), "alarm.device")
        self.assertEqual((ask.meter, ask.red.gap if ask.red else None), ("seen", 0))
        self.assertEqual(judge(ask, 14.0).level, "fail")

    def test_typed_readings(self) -> None:
        volts, ohms = of(self.made, "open-voltage.volts"), of(self.made, "continuity.plus-0")
        self.assertEqual(read_reading("20,95", volts), 20.95)
        self.assertEqual(read_reading("-12.1 V", volts), -12.1)
        self.assertEqual(read_reading("OL", ohms), inf)
        for text in ("OL", "", "twenty", "3 A", "1e300"):
            with self.subTest(text=text), self.assertRaises(QuantityError):
                read_reading(text, volts)


class AlternatingCurrent(TestCase):
    """Behind an inverter stand mains volts: no probe goes there, and there is no polarity to read."""

    def setUp(self) -> None:
        inverter = {
            "stage": "converter", "topology": "inverter", "output_v": 230, "input_min_v": 10.5, "input_max_v": 16,
            "efficiency": 0.85, "quiescent_w": 4, "output_current_max_a": 1, "thermal_k_per_w": 4,
        }  # fmt: skip
        changes: dict[str, object] = {
            "path": [{"stage": "fuse", "rating_a": 10}, inverter],
            "device.inlet": {"kind": "mains"},
            "device.supply": {"nominal_v": 230, "min_v": 207, "max_v": 253},
            "source.outlet": {"kind": "terminals", "polarity": "marked", "measured": True},
            "source.max_current_a": 40,
        }
        self.situation = Situation(planned(ready("moth-lamp-on-lead-acid", **changes)))

    def test_nothing_behind_it_is_probed(self) -> None:
        made = gates(self.situation, {})
        self.assertNotIn("polarity", [gate.key for gate in made])
        behind = [ask for gate in made for ask in gate.asks if max(ask.setup.cuts, default=0) == 2 or ask.unit == "A"]
        behind = [ask for ask in behind if not ask.key.startswith(("continuity", "dummy-load.pack"))]
        self.assertEqual(
            {ask.key for ask in behind}, {"set-point.1", "dummy-load.plug", "device.mode-0"}, [a.key for a in behind]
        )
        for ask in behind:
            self.assertEqual((ask.meter, ask.red, ask.black), ("mains", None, None), ask.key)
        self.assertTrue(next(gate for gate in made if gate.key == "set-point").must_pass)

    def test_its_plan_is_proved_on_the_stand_in(self) -> None:
        self.assertNotIn("polarity-unknown", [one.code for one in check(self.situation)])
        self.assertNotIn("reversed-leads", applicable(self.situation.case))
        rows, _ = rehearsed(self.situation.case, None)
        self.assertEqual([row.gate.key for row in rows if row.state != "passed"], [])
        self.assertEqual(
            [r.gate.key for r in rehearsed(self.situation.case, "set-point-high")[0] if r.state == "failed"],
            ["set-point"],
        )


class Learning(TestCase):
    """What a reading of amperes says of a mode's draw, in the unit that the plan has it in."""

    def told(self, made: Case, factor: float) -> Told | None:
        situation = Situation(made)
        ask = of(gates(situation, {}), "device.mode-0")
        return told_by(situation, ask, factor * (ask.expected or 0.0))

    def test_watts_amperes_and_ohms(self) -> None:
        for kind, name, value, told in (
            ("power", "power_w", 6.0, 7.2),
            ("current", "current_a", 0.5, 0.6),
            ("resistance", "resistance_ohm", 24.0, 20.0),
        ):
            found = self.told(mount(**{"device.modes.0": {"name": "hold", "kind": kind, name: value}}), 1.2)
            assert found is not None
            self.assertEqual((found.mode, found.field, found.spread), (0, name, 0.03))
            self.assertAlmostEqual(found.value, told, delta=0.01 * told)

    def test_watts_are_less_sure_where_the_volts_may_hold_surface_charge(self) -> None:
        found = self.told(planned(ready("moth-lamp-on-lead-acid")), 1.1)
        assert found is not None
        self.assertAlmostEqual(found.spread, 0.03 + 13.8 / (6 * 2.117) - 1.0, places=3)

    def test_what_is_measured_already_is_told_anew_only_where_it_differs(self) -> None:
        known = mount(**{"device.modes.0.power_w": {"value": 6.0, "known_by": "measured"}})
        self.assertIsNone(self.told(known, 1.0))
        self.assertIsNotNone(self.told(known, 1.1))
        nothing = Situation(mount(**{"device.modes.0.power_w": {"value": 0.0, "known_by": "measured"}}))
        self.assertIsNotNone(told_by(nothing, of(gates(nothing, {}), "device.mode-0"), 0.2))


class Locks(TestCase):
    def setUp(self) -> None:
        self.case = mount()
        self.situation = Situation(self.case)
        self.basis = basis_of(self.case)

    def rows(self, readings: dict[str, float], waivers: tuple[Waiver, ...] = ()) -> tuple[Progress, ...]:
        made = [Reading(key, value, f"{i:05d}", "hand", self.basis) for i, (key, value) in enumerate(readings.items())]
        return progress(gates(self.situation, readings), made, waivers)

    def test_a_failed_gate_locks_what_follows(self) -> None:
        rows = self.rows({"open-voltage.volts": -21.0})
        self.assertEqual([row.state for row in rows[:2]], ["failed", "locked"])
        self.assertIn("The pack alone", refusal_of(rows, "set-point.2"))
        self.assertEqual(refusal_of(rows, "open-voltage.volts"), "")
        self.assertTrue(refusal_of(rows, "nonsense"))

    def test_a_waiver_opens_the_next_but_never_those_before_the_device(self) -> None:
        waived = Waiver("open-voltage", "the contacts cannot be reached", "0", "", self.basis)
        self.assertEqual([row.state for row in self.rows({}, (waived,))[:2]], ["waived", "open"])
        rows = self.rows({"open-voltage.volts": 21.0}, tuple(
            Waiver(key, "in a hurry", "0", "", self.basis) for key in ("continuity", "set-point", "polarity")
        ))  # fmt: skip
        self.assertEqual([row.state for row in rows[:4]], ["passed", "waived", "open", "locked"])

    def test_other_hardware_makes_readings_and_waivers_stale(self) -> None:
        waived = Waiver("open-voltage", "no reason", "0", "", "otherparts")
        old = Reading("open-voltage.volts", 21.0, "0", "hand", "otherparts")
        rows = progress(gates(self.situation, {}), (old,), (waived,))
        self.assertEqual(rows[0].state, "open")
        self.assertTrue(rows[0].asks[0].stale)

    def test_what_the_basis_names(self) -> None:
        self.assertEqual(basis_of(mount(**{"source.capacity_ah": 3.0, "device.modes.0.power_w": 9})), self.basis)
        for changed in ({"path.2.output_v": 9}, {"source.cells_in_series": 4}, {"path.0.rating_a": 5}):
            with self.subTest(changed=changed):
                self.assertNotEqual(basis_of(mount(**changed)), self.basis)

    def test_the_reading_that_came_last_counts_whatever_the_clock_said(self) -> None:
        made = [
            Reading("open-voltage.volts", 21.0, "2026-01-02", "hand", self.basis),
            Reading("open-voltage.volts", -13.0, "2026-01-01", "hand", self.basis),
        ]
        self.assertEqual(progress(gates(self.situation, {}), made, ())[0].state, "failed")
        self.assertEqual(progress(gates(self.situation, {}), made[::-1], ())[0].state, "passed")


class Faults(TestCase):
    """Every fault that a case can have is caught by the gate that should catch it, before the device gets power."""

    def test_without_a_fault_everything_passes(self) -> None:
        for name, _, _ in golden("cases"):
            if name == "printer-on-coin-cells":  # never starts at all
                continue
            with self.subTest(name=name):
                made = planned(ready(name))
                rows, _ = rehearsed(made, None)
                failed = [row.gate.key for row in rows if row.state == "failed"]
                too_hot = any(one.code == "hot-part" and one.level == "refuse" for one in check(Situation(made)))
                self.assertEqual(failed, ["warm-parts"] if too_hot else [])
                self.assertTrue(too_hot or proved(rows), [(row.gate.key, row.state) for row in rows])

    def test_what_the_run_starts_with_passes_the_loaded_gate(self) -> None:
        """Volts read open still hold surface charge; under load the pack gives what the run is worked out from."""
        for name, _, _ in golden("cases"):
            made = planned(ready(name))
            situation = Situation(made)
            start = situation.at(situation.heaviest, 1.0)
            if not start.complete:
                continue
            gives = {"dummy-load.plug": start.inlet_v, "dummy-load.pack": start.stations[0].volts_out}
            for opened in (situation.full_emf, situation.circuit.emf(1.0)):
                gate = next(one for one in gates(situation, {"open-voltage.volts": opened}) if one.key == "dummy-load")
                for ask in gate.asks:
                    if ask.key in gives:
                        with self.subTest(name=name, opened=opened, ask=ask.key):
                            self.assertEqual(judge(ask, gives[ask.key]).level, "pass", (gives[ask.key], ask.because))

    def test_surface_charge_that_goes_by_the_next_gate_is_no_fault(self) -> None:
        lamp = Situation(planned(ready("moth-lamp-on-lead-acid")))
        plug = of(gates(lamp, {"open-voltage.volts": lamp.full_emf}), "polarity.plug")
        self.assertEqual(judge(plug, lamp.circuit.emf(1.0)).level, "pass")
        self.assertEqual(judge(plug, 0.9 * lamp.circuit.emf(1.0)).level, "fail")

    def test_each_fault_is_caught_by_its_gate(self) -> None:
        caught = set()
        for name, _, _ in golden("cases"):
            if name == "printer-on-coin-cells":
                continue
            made = planned(ready(name))
            for fault in applicable(made):
                with self.subTest(name=name, fault=fault):
                    rows, read = rehearsed(made, fault)
                    failed = [row.gate.key for row in rows if row.state == "failed"]
                    self.assertEqual(failed, [GATE_OF[fault]])
                    self.assertFalse(any(key.startswith(("device", "warm", "run-down")) for key in read))
                    caught.add(fault)
        self.assertEqual(caught, set(FAULTS))

    def test_a_case_cannot_have_a_fault_of_parts_that_it_has_not(self) -> None:
        with self.assertRaises(ValueError):
            StandIn(mount(), "sleepy-bank")
