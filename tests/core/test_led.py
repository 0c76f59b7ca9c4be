"""Light-emitting diodes with series resistors: run, point, draws and netlist against other methods."""

from __future__ import annotations

from itertools import pairwise
from typing import Any
from unittest import skipUnless
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from scipy.integrate import solve_ivp

from hermotrope_core.circuit import discharge
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.estimate import estimate
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.know.measure import helpers_for, summed
from hermotrope_core.plan.case import FORMAT, Case, questions
from hermotrope_core.plan.device import Mode, rated_watts
from hermotrope_core.plan.document import CaseError, case_from
from hermotrope_core.prove.gates import gates
from hermotrope_core.prove.learn import told_by
from tests.core.test_netlist import NGSPICE, simulated

STRIP = {"name": "lit", "kind": "led", "current_a": 0.8, "at_v": 12, "fade_v": 8.4}
LEAD = {"stage": "lead", "length_m": 3, "area_mm2": 0.5}
DIODE = {"stage": "diode", "forward_v": 0.4, "count": 1}
BOARD = {"stage": "converter", "topology": "buck-boost", "output_v": 12, "efficiency": 0.9, "quiescent_w": 0.1}
PATHS: tuple[list[dict[str, Any]], ...] = ([], [LEAD], [DIODE, LEAD], [BOARD, LEAD], [BOARD, DIODE, LEAD])
PLAIN = (0, 1, 2)


def strip(path: list[dict[str, Any]], *, least: float = 10, **source: Any) -> Case:
    block = {"name": "block", "chemistry": "lead-acid", "cells_in_series": 6, "capacity_ah": 7, "resistance_ohm": 0.05}
    device = {"name": "strip", "supply": {"min_v": least, "nominal_v": 12, "max_v": 15}, "modes": [STRIP]}
    return case_from(
        {
            "format": FORMAT,
            "title": "Jetty strip",
            "device": device,
            "source": {**block, "cutoff_v": 10.5, **source},
            "path": path,
            "duty": {"repeat": [{"mode": "lit", "seconds": 3600}]},
        }
    )


def integrated(made: Case) -> tuple[float, float]:
    """Seconds and watt-hours into the device, by stepping a differential equation of one's own."""
    situation = Situation(made)
    table, circuit = situation.circuit.emf_by_soc, situation.circuit
    drop = sum(0.4 for stage in made.path if stage.kind == "diode")
    wire = sum(2 * 3 * 1.724e-8 / 0.5e-6 for stage in made.path if stage.kind == "lead")

    def emf(soc: float) -> float:
        for (x0, v0), (x1, v1) in pairwise(table):
            if soc <= x1:
                return v0 + (v1 - v0) * (soc - x0) / (x1 - x0)
        return table[-1][1]

    def amps(soc: float) -> float:
        return (emf(soc) - drop - 8.4) / (0.05 + wire + (12 - 8.4) / 0.8)

    def slope(_: float, y: Any) -> list[float]:
        now = amps(max(0.0, y[0]))
        fast = max(1.0, now / circuit.rated_a) ** (circuit.peukert - 1)
        inlet = emf(max(0.0, y[0])) - drop - now * (0.05 + wire)
        return [-now * fast / (3600 * circuit.charge_ah), inlet * now / 3600]

    def ends(_: float, y: Any) -> float:
        now = amps(y[0])
        return min(emf(y[0]) - now * 0.05 - 10.5, emf(y[0]) - drop - now * (0.05 + wire) - 10)

    ends.terminal = True  # type: ignore[attr-defined]  # as the integrator asks
    found = solve_ivp(slope, (0, 4e5), [1.0, 0.0], events=ends, rtol=1e-10, atol=1e-12, max_step=200)
    return float(found.t_events[0][0]), float(found.y_events[0][0][1])


class Diodes(SimpleTestCase):
    def test_runs_agree_with_an_integrator_of_another_kind(self) -> None:
        for at in PLAIN:
            for peukert in (1.0, 1.15):
                made = strip(PATHS[at], peukert=peukert)
                with self.subTest(path=at, peukert=peukert):
                    ours, (seconds, into) = run(made), integrated(made)
                    self.assertAlmostEqual(ours.runtime_s / seconds, 1.0, delta=1e-6)
                    self.assertAlmostEqual(ours.energy_to_device_wh / into, 1.0, delta=1e-6)

    def test_one_walk_down_the_table_is_the_run_piece_by_piece(self) -> None:
        for path in PATHS:
            made = strip(path)
            with patch.object(discharge, "_steady", lambda *_: None):
                slow = run(made)
            self.assertAlmostEqual(run(made).energy_to_device_wh / slow.energy_to_device_wh, 1.0, delta=1e-9)

    def test_draws_of_no_spread_are_the_run(self) -> None:
        for path in PATHS:
            made = strip(path)
            with (
                self.subTest(len(path)),
                patch("hermotrope_core.circuit.estimate.normals", lambda c, n, *_: np.zeros((c, n))),
            ):
                found = estimate(made, 8, worth=False)
                assert found is not None
                self.assertAlmostEqual(found.p50 / run(made).runtime_s, 1.0, delta=1e-4)

    def test_more_amperes_are_a_shorter_run_in_the_draws_too(self) -> None:
        made = strip([])
        found = estimate(made)
        assert found is not None
        worth = {one.place: one.range_shrinks_by for one in found.measure_next}
        self.assertGreater(worth["device.modes[0].current_a"], 0.2)
        self.assertLess(found.p5, 0.8 * found.p50)

    @skipUnless(NGSPICE, "needs ngspice")
    def test_the_netlist_ends_when_we_say(self) -> None:
        for path in PATHS:
            made = strip(path)
            with self.subTest(len(path)):
                self.assertAlmostEqual(simulated(made) / run(made).runtime_s, 1.0, delta=1e-3)

    def test_the_point_follows_the_volts_and_is_dark_at_the_diodes_own(self) -> None:
        situation = Situation(strip([BOARD]))
        mode = situation.modes[0]
        self.assertAlmostEqual(situation.at(mode, 1.0).inlet_a, 0.8)
        self.assertAlmostEqual(situation.inlet_watts(mode), 9.6)
        weak = Situation(strip([{**BOARD, "output_v": 10.2}]))
        self.assertAlmostEqual(weak.at(weak.modes[0], 1.0).inlet_a, 0.4)
        dark = Situation(strip([{**BOARD, "output_v": 8.4}], least=8))
        self.assertFalse(dark.at(dark.modes[0], 1.0).complete)
        self.assertEqual([rated_watts(mode, v) for v in (8.4, 5.0)], [0.0, 0.0])
        self.assertAlmostEqual(rated_watts(mode, 12.0), 9.6)

    def test_a_reading_at_other_volts_is_brought_to_those_that_are_stated(self) -> None:
        made = strip([])
        found = summed("draw", [{"volts": 11.1, "amps": 0.6}], made, "/device/modes/0/current_a")
        self.assertAlmostEqual(found.value, 0.8)
        with self.assertRaisesRegex(ValueError, "dark"):
            summed("draw", [{"volts": 8.0, "amps": 0.6}], made, "/device/modes/0/current_a")
        self.assertEqual(helpers_for(made, "/device/modes/0/current_a"), ("draw",))
        situation = Situation(made)
        ask = next(a for g in gates(situation, {}) for a in g.asks if g.key == "device" and a.setup.mode == "lit")
        told = told_by(situation, ask, 1.2 * (ask.expected or 0.0))
        assert told is not None
        self.assertEqual(told.field, "current_a")
        self.assertAlmostEqual(told.value, 0.96, delta=0.02)

    def test_what_is_open_is_asked_and_what_cannot_be_is_refused(self) -> None:
        tree = {"format": FORMAT, "title": "t", "device": {"name": "x", "modes": [{"name": "lit", "kind": "led"}]}}
        asks = " ".join(one.ask for one in questions(case_from(tree)))
        self.assertIn("At how many volts is “lit” dark?", asks)
        self.assertIn("At how many volts does “lit” draw that?", asks)
        for mode, says in (
            ({**STRIP, "fade_v": 12}, "at_v: must be above fade_v"),
            ({**STRIP, "kind": "current"}, "at_v: does not belong"),
            ({**STRIP, "power_w": 3}, "power_w: does not belong"),
        ):
            with self.subTest(says), self.assertRaisesRegex(CaseError, says):
                case_from({**tree, "device": {"name": "x", "modes": [mode]}})
        line = Mode(**STRIP).line  # type: ignore[arg-type]
        assert line is not None
        self.assertAlmostEqual(line[0], 4.5)
