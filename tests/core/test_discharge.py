"""Runs against independent integration, and the ways in which they end."""

from __future__ import annotations

from typing import Any
from unittest import mock

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from hermotrope_core.circuit import discharge
from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.point import draw_of, mode_demand, point
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from
from tests.support import PASSING, case, put, tree


def stepped(made: Case, seconds: float) -> tuple[float, str]:
    """Follow a case in small fixed steps (Heun): an independent, slow check of `run`."""
    circuit, device = circuit_of(made), len(made.path)
    draws = {m.name: draw_of(circuit, mode_demand(m), device) for m in made.duty_modes()}
    soc, time = circuit.start_soc, 0.0

    def speed(name: str, soc: float) -> tuple[float, str]:
        now = point(draws[name], circuit.emf(soc))
        if now.breaches:
            return 0.0, now.breaches[0].cause
        amps = now.source_a
        return amps / (3600 * circuit.charge_ah) * max(1.0, amps / circuit.rated_a) ** (circuit.peukert - 1), ""

    while True:
        for segment in made.duty.repeat:
            left = float(segment.seconds)  # type: ignore[arg-type]
            while left > 1e-9:
                h = min(seconds, left)
                first, cause = speed(segment.mode, soc)
                if cause or soc <= circuit.reserve_soc:
                    return time, cause or "reserve"
                second, cause = speed(segment.mode, soc - h * first)
                soc -= h * (first + (second or first)) / 2
                time, left = time + h, left - h


class AgainstSteps(SimpleTestCase):
    def test_cases_of_every_kind(self) -> None:
        for name, step in (
            ("sampling-boat-direct", 1.0),
            ("hide-mount-on-tool-pack", 1.0),
            ("moth-lamp-on-lead-acid", 1.0),
            ("bat-detector-on-six-aaa", 10.0),
        ):
            with self.subTest(name):
                made = case("cases", name)
                time, cause = stepped(made, step)
                got = run(made)
                self.assertAlmostEqual(got.runtime_s, time, delta=3 * step + 1e-4 * time)
                self.assertEqual(got.end_cause, cause)

    def test_a_board_that_passes_its_falling_input_on(self) -> None:
        """On it goes below its headroom, to the first of the limits that are then in the way."""
        stops = run(case("cases", "hide-mount-on-tool-pack", **(PASSING | {"path.2.in_dropout": "stops"})))
        self.assertEqual(stops.end_cause, "converter input too low")
        for change, cause in (
            ({}, "pack cut-off"),
            ({"device.supply.min_v": 10.5}, "device minimum"),
            ({"path.2.input_min_v": 16.0}, "converter input too low"),
            ({"path.2.output_current_max_a": 3.6}, "converter overload"),
        ):
            with self.subTest(cause):
                made = case("cases", "hide-mount-on-tool-pack", **(PASSING | change))
                time, why = stepped(made, 1.0)
                got = run(made)
                self.assertEqual((got.end_cause, why), (cause, cause))
                self.assertAlmostEqual(got.runtime_s, time, delta=3 + 1e-4 * time)
                self.assertGreater(got.runtime_s, stops.runtime_s)

    def test_a_board_on_a_port_passes_on_from_the_start(self) -> None:
        """5 V less its headroom reach the device, whatever is left in the bank."""
        bank = {"output_v": 5.0, "efficiency": 0.9}
        board = {"stage": "converter", "topology": "buck", "output_v": 5.0, "efficiency": 0.9, "headroom_v": 0.4}
        change = {"source.regulated_output": bank, "device.supply": {"min_v": 4.4, "nominal_v": 5, "max_v": 6}}
        one = case("cases", "reference-1", **change, path=[board | {"in_dropout": "passes"}])
        draw = draw_of(circuit_of(one), mode_demand(one.device.modes[0]), 1)
        self.assertAlmostEqual(point(draw, 20.0).inlet_v, 4.6)
        self.assertEqual(run(one).end_cause, "pack cut-off")
        self.assertEqual(run(case("cases", "reference-1", **change, path=[board])).runtime_s, 0.0)

    def test_peukert_above_the_rated_current(self) -> None:
        made = case("cases", "reference-2", **{"source.peukert": 1.2, "source.rated_hours": 20})
        time, cause = stepped(made, 0.5)
        got = run(made)
        self.assertAlmostEqual(got.runtime_s, time, delta=1.5)
        self.assertEqual(got.end_cause, cause)
        self.assertLess(got.charge_ah, 4.0 * (1 - got.final_soc))


class Leaps(SimpleTestCase):
    """Many cycles at once must say what the same cycles say one by one."""

    def test_equal_to_single_cycles(self) -> None:
        for name, seconds in (("sampling-boat-direct", (1.0, 0.2)), ("hide-mount-on-tool-pack", (3.0, 1.0))):
            made = tree("cases", name)
            for segment, lasts in zip(made["duty"]["repeat"], seconds, strict=True):
                segment["seconds"] = lasts
            leaping = run(case_from(made))
            with mock.patch.object(discharge, "LEAP_CYCLES", 10**9):
                single = run(case_from(made))
            with self.subTest(name):
                self.assertAlmostEqual(leaping.runtime_s, single.runtime_s, delta=1e-4)
                self.assertEqual(leaping.end_cause, single.end_cause)
                self.assertAlmostEqual(leaping.energy_to_device_wh / single.energy_to_device_wh, 1, delta=1e-5)
                self.assertAlmostEqual(leaping.charge_ah / single.charge_ah, 1, delta=1e-5)

    def test_a_pulse_a_minute_for_a_year_is_quick(self) -> None:
        made = tree("cases", "sampling-boat-direct", **{"device.modes.1.current_a": 0.0001, "source.capacity_ah": 50})
        made["duty"]["repeat"] = [{"mode": "cruise", "seconds": 0.02}, {"mode": "drift", "seconds": 59.98}]
        with mock.patch.object(discharge._Run, "_segment", autospec=True, side_effect=discharge._Run._segment) as steps:
            got = run(case_from(made))
        self.assertGreater(got.runtime_s, 1e7)
        self.assertLess(steps.call_count, 5000)


class Ends(SimpleTestCase):
    def check(self, made: dict[str, Any], cause: str, runtime: float | None = None) -> discharge.Run:
        got = run(case_from(made))
        self.assertEqual(got.end_cause, cause)
        if runtime is not None:
            self.assertAlmostEqual(got.runtime_s, runtime, delta=1e-6)
        return got

    def test_every_cause_is_reachable(self) -> None:
        base = tree("cases", "reference-1")
        buck = {"path.0.headroom_v": 1.0, "path.0.input_min_v": 16.0, "path.0.input_max_v": 32.0}
        for place, value in buck.items():
            base = put(base, place, value)
        self.check(base, "converter input too low")
        self.check(put(base, "path.0.input_max_v", 20), "converter input too high", 0.0)
        self.check(put(base, "path.0.output_current_max_a", 0.9), "converter overload", 0.0)
        self.check(tree("cases", "reference-1"), "pack cut-off")
        self.check(put(tree("cases", "reference-1"), "source.reserve_soc", 0.3), "reserve")
        self.check(put(tree("cases", "reference-1"), "source.cutoff_v", 0), "empty")
        linear = {"stage": "linear", "output_v": 12, "dropout_v": 4.5, "quiescent_a": 0.01}
        self.check(put(base, "path", [linear]), "dropout")
        self.check(put(base, "path", [{"stage": "cut-off", "trips_v": 17}]), "pack cut-off")
        self.check(
            put(put(base, "path", []), "device.supply", {"min_v": 18, "nominal_v": 19, "max_v": 30}), "device minimum"
        )
        weak = tree("cases", "reference-1", **{"source.resistance_ohm": 5.0, "source.cutoff_v": 0})
        weak = put(weak, "path.0.topology", "buck-boost")
        self.check(weak, "collapse")

    def test_collapse_behind_a_converter_names_itself(self) -> None:
        thin = [*tree("cases", "reference-1")["path"], {"stage": "lead", "length_m": 300, "area_mm2": 0.5}]
        self.check(tree("cases", "reference-1", path=thin), "collapse", 0.0)

    def test_auto_off_waits_its_delay(self) -> None:
        got = self.check(tree("judgements", "bank-switches-itself-off"), "auto-off", 30.0)
        self.assertGreater(got.energy_from_source_wh, 0)
        self.check(tree("judgements", "bank-naps-too-long"), "auto-off", 90.0)
        self.assertNotEqual(run(case("judgements", "bank-naps-are-short")).end_cause, "auto-off")

    def test_a_mode_that_cannot_start_ends_the_run_when_its_turn_comes(self) -> None:
        made = tree("cases", "reference-3", **{"path.0.output_current_max_a": 3})
        got = self.check(made, "converter overload", 480.0)
        self.assertEqual(got.end_mode, "b")

    def test_charge_at_start_and_reserve(self) -> None:
        half = run(case("cases", "reference-1", **{"source.initial_soc": 0.5, "source.reserve_soc": 0.2}))
        whole = run(case("cases", "reference-1", **{"source.reserve_soc": 0.2}))
        first = run(case("cases", "reference-1", **{"source.reserve_soc": 0.5}))
        self.assertAlmostEqual(half.runtime_s + first.runtime_s, whole.runtime_s, places=6)
        self.check(
            tree("cases", "reference-1", **{"source.initial_soc": 0.2, "source.reserve_soc": 0.3}), "reserve", 0.0
        )

    def test_below_its_reserve_it_does_not_even_idle(self) -> None:
        made = tree("cases", "reference-3", **{"source.initial_soc": 0.4, "source.reserve_soc": 0.5})
        self.check(put(made, "path", []), "reserve", 0.0)
        made = put(put(made, "path", []), "device.modes.0.power_w", 0)
        self.check(made, "reserve", 0.0)

    def test_nothing_drawn_never_ends(self) -> None:
        made = tree("cases", "bat-detector-on-six-aaa", **{"device.modes.0.current_a": 0})
        with self.assertRaises(NeverEnds):
            run(case_from(made))


class Properties(SimpleTestCase):
    @given(st.floats(0.5, 50), st.floats(0, 0.6), st.floats(0.5, 40), st.floats(-25, 60))
    @settings(max_examples=150)
    def test_physics_holds(self, watts: float, ohm: float, ah: float, warmth: float) -> None:
        places = {"device.modes.0.power_w": watts, "source.resistance_ohm": ohm, "source.capacity_ah": ah}
        made = tree("cases", "reference-1", **places, **{"conditions.temperature_c": warmth, "source.peukert": 1.1})
        got = run(case_from(made))
        more = run(case_from(put(made, "source.capacity_ah", ah * 1.1)))
        heavier = run(case_from(put(made, "device.modes.0.power_w", watts * 1.1)))
        self.assertGreaterEqual(got.energy_from_source_wh, got.energy_to_device_wh)
        self.assertGreaterEqual(more.runtime_s, got.runtime_s)
        self.assertLessEqual(heavier.runtime_s, got.runtime_s)
        self.assertTrue(0 <= got.final_soc <= 1)
        with_marks = run(case_from(made), marks=True)
        self.assertAlmostEqual(with_marks.runtime_s, got.runtime_s, delta=1e-6 * max(1, got.runtime_s))
