"""Motors with brushes: a steady pull, one that grows with the speed, a shaft held fast; against other methods."""

from __future__ import annotations

from typing import Any
from unittest import skipUnless
from unittest.mock import patch

import numpy as np
from django.test import SimpleTestCase
from scipy.integrate import solve_ivp

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.estimate import estimate
from hermotrope_core.circuit.point import mode_demand, peak_demand
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check
from hermotrope_core.plan.case import Case, questions
from hermotrope_core.plan.device import Mode, peak_watts, rated_watts
from hermotrope_core.plan.document import CaseError, case_from, tree_of
from tests.core.test_led import LEAD, PATHS, strip
from tests.core.test_netlist import NGSPICE, simulated

WINCH: dict[str, Any] = {"name": "lit", "kind": "motor", "current_a": 0.8, "at_v": 12}
BRUSH: dict[str, Any] = {**WINCH, "torque": "with-speed", "no_load_share": 0.25}


def motor(mode: dict[str, Any], path: list[dict[str, Any]]) -> Case:
    tree = tree_of(strip(path))
    tree["device"]["modes"] = [mode]
    return case_from(tree)


class Motors(SimpleTestCase):
    def test_what_it_draws_at_other_volts(self) -> None:
        winch, brush = Mode(**WINCH), Mode(**BRUSH)
        self.assertEqual((mode_demand(winch).kind, mode_demand(winch).value), ("current", 0.8))
        for volts, amps in ((12.0, 0.8), (6.0, 0.5), (15.0, 0.95)):
            self.assertAlmostEqual(rated_watts(brush, volts), volts * amps)
            self.assertAlmostEqual(rated_watts(winch, volts), volts * 0.8)
        typical = Mode(**{**BRUSH, "no_load_share": None})
        self.assertAlmostEqual(rated_watts(typical, 6.0), 6 * 0.8 * 0.6)

    def test_a_run_agrees_with_an_integrator_of_another_kind(self) -> None:
        made = motor(BRUSH, [LEAD])
        situation = Situation(made)
        table, charge = situation.circuit.emf_by_soc, 3600 * situation.circuit.charge_ah
        wire = 2 * 3 * 1.724e-8 / 0.5e-6

        def emf(soc: float) -> float:
            return float(np.interp(soc, [x for x, _ in table], [v for _, v in table]))

        def amps(soc: float) -> float:
            slope = 0.6 / 12
            return (0.2 + slope * emf(soc)) / (1 + slope * (0.05 + wire))

        def falls(_: float, y: Any) -> list[float]:
            now = amps(y[0])
            fast = max(1.0, now / situation.circuit.rated_a) ** (situation.circuit.peukert - 1)
            return [-now / charge * fast]

        def ends(_: float, y: Any) -> float:
            now = amps(y[0])
            return min(emf(y[0]) - now * 0.05 - 10.5, emf(y[0]) - now * (0.05 + wire) - 10)

        ends.terminal = True  # type: ignore[attr-defined]  # as the integrator asks
        found = solve_ivp(falls, (0, 4e5), [1.0], events=ends, rtol=1e-10, atol=1e-12, max_step=200)
        self.assertAlmostEqual(run(made).runtime_s / float(found.t_events[0][0]), 1.0, delta=1e-6)

    @skipUnless(NGSPICE, "needs ngspice")
    def test_the_netlist_ends_when_we_say(self) -> None:
        for mode in (WINCH, BRUSH):
            for path in PATHS[1:4]:
                made = motor(mode, path)
                with self.subTest(mode["kind"], path=len(path)):
                    self.assertAlmostEqual(simulated(made) / run(made).runtime_s, 1.0, delta=1e-3)

    def test_draws_of_no_spread_are_the_run(self) -> None:
        for path in PATHS:
            made = motor(BRUSH, path)
            with patch("hermotrope_core.circuit.estimate.normals", lambda c, n, *_: np.zeros((c, n))):
                found = estimate(made, 8, worth=False)
            assert found is not None
            self.assertAlmostEqual(found.p50 / run(made).runtime_s, 1.0, delta=1e-4)

    def test_held_fast_it_is_its_own_resistance(self) -> None:
        held = {**WINCH, "stall_a": 6}
        demand = peak_demand(Mode(**held))
        assert demand is not None
        self.assertEqual((demand.kind, demand.value), ("resistance", 2.0))
        at = Situation(motor(held, [])).at_demand(demand, 12.0)
        self.assertAlmostEqual(at.inlet_a, 12.0 / 2.05)
        fused = motor(held, [{"stage": "fuse", "rating_a": 1.5}])
        self.assertIn("fuse-under-load", {one.code for one in check(Situation(fused))})
        larger = motor(held, [{"stage": "fuse", "rating_a": 7.5}])
        self.assertNotIn("fuse-under-load", {one.code for one in check(Situation(larger))})
        self.assertEqual(
            [peak_watts(Mode(**{**held, **more}), 6.0) for more in ({}, {"peak_a": 4.0}, {"peak_w": 50})], [18, 24, 50]
        )
        self.assertIsNone(peak_watts(Mode(**WINCH), 6.0))
        stated = peak_demand(Mode(**{**held, "peak_a": 4.0}))
        assert stated is not None
        self.assertEqual((stated.kind, stated.value), ("current", 4.0))

    def test_what_is_open_is_asked_and_what_does_not_belong_is_refused(self) -> None:
        made = motor({"name": "lit", "kind": "motor", "current_a": 1}, [])
        self.assertIn("At how many volts does “lit” draw that?", " ".join(one.ask for one in questions(made)))
        for mode, says in (
            ({**WINCH, "fade_v": 3}, "fade_v: does not belong"),
            ({**WINCH, "kind": "led", "fade_v": 3, "stall_a": 3}, "stall_a: does not belong"),
            ({**WINCH, "no_load_share": 1.5}, "at most 0.95"),
        ):
            with self.subTest(says), self.assertRaisesRegex(CaseError, says):
                motor(mode, [])
