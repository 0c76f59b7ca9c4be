"""What is computed in two ways agrees over cases drawn from a seed, and nothing that a document may hold stops it."""

from __future__ import annotations

from django.test import SimpleTestCase

from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.circuit.many import runs
from hermotrope_core.circuit.simulate import Simulation
from hermotrope_core.kinds.effects import CAUSES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.outing import forked
from hermotrope_core.several.follow import follow
from hermotrope_core.values.known import number
from tests.drawn import drawn_cases
from tests.lanes import SLOW
from tests.outputs import changed, of_drawn_cases, of_drawn_searches
from tests.support import TESTS

STEPS, MOST_STEPS = 200, 3000
SHORT_S = 0.1
CASES = drawn_cases(1500 if SLOW else 300)


def stepped(case: Case, lasts: float, step_s: float) -> tuple[Simulation, float]:
    """A run in small steps of time, up to a little after it should have ended, with the Wh into the device."""
    simulation = Simulation(case)
    joules = 0.0
    while (one := simulation.sample()) is not None and simulation.seconds < 1.1 * lasts:
        joules += one.inlet_v * one.inlet_a * simulation.shares[one.mode] * step_s
        simulation.step(step_s)
    return simulation, joules / 3600.0


class Drawn(SimpleTestCase):
    maxDiff = None

    def test_all_that_is_computed_of_them_is_as_it_was(self) -> None:
        self.assertEqual(changed(dict(of_drawn_cases()), TESTS / "core" / "drawn.txt"), [])

    def test_all_ways_that_are_found_are_as_they_were(self) -> None:
        self.assertEqual(changed(dict(of_drawn_searches()), TESTS / "core" / "searched.txt"), [])


class Twins(SimpleTestCase):
    def test_closed_forms_draws_and_marks_agree(self) -> None:
        ran = 0
        for seed, case in CASES:
            with self.subTest(seed):
                try:
                    one, marked = run(case), run(case, marks=True)
                except NeverEnds:
                    self.assertRaises(NeverEnds, runs, case, {}, 2)
                    continue
                many = runs(case, {}, 2)
                ran += one.runtime_s > 0.0
                self.assertEqual(many.runtime_s[0], many.runtime_s[1])
                turn = case.duty.seconds if len(case.duty.repeat) > 1 else 0.0  # what is nearly empty ends one sooner
                self.assertLessEqual(abs(many.runtime_s[0] - one.runtime_s), 6e-3 * one.runtime_s + turn)
                self.assertAlmostEqual(marked.runtime_s, one.runtime_s, delta=3e-4 * one.runtime_s)
                for made in ("energy_to_device_wh", "energy_from_source_wh", "charge_ah"):
                    a, b = getattr(one, made), getattr(marked, made)
                    self.assertAlmostEqual(a, b, delta=1e-3 * a)
                self.assertEqual(marked.end_cause, one.end_cause)
                limits = (0.0, case.source and case.source.reserve_soc)  # two causes at once, if it ends there
                if one.runtime_s and len(case.duty_modes()) == 1 and one.final_soc not in limits:
                    self.assertEqual(CAUSES[many.cause[0]], one.end_cause)
        self.assertGreater(ran, len(CASES) // 2)

    def test_small_steps_of_time_agree(self) -> None:
        for seed, case in CASES:
            with self.subTest(seed):
                try:
                    one = run(case)
                except NeverEnds:
                    continue
                step_s = min(one.runtime_s / STEPS, *(number(part.seconds) for part in case.duty.repeat))
                if not one.runtime_s:
                    simulation = Simulation(case)
                    if simulation.sample() is not None:  # it starts just where its pack grows weaker
                        simulation.step(SHORT_S)
                    self.assertIsNone(simulation.sample())
                elif one.runtime_s < MOST_STEPS * step_s:
                    ended, watt_hours = stepped(case, one.runtime_s, step_s)
                    self.assertIsNotNone(ended.cause)
                    self.assertLessEqual(abs(ended.seconds - one.runtime_s), 0.02 * one.runtime_s + step_s)
                    if len(case.duty.repeat) == 1:
                        wanted = one.energy_to_device_wh
                        self.assertAlmostEqual(watt_hours, wanted, delta=0.04 * wanted + 1e-9)

    def test_a_junction_before_the_only_device_changes_nothing(self) -> None:
        """Where nothing is pulsed: a pulsed draw counts by its mean at a junction."""
        tried = 0
        for seed, case in CASES[:: 1 if SLOW else 6]:
            if any(mode.share < 1.0 for mode in case.duty_modes()) or _keeps_awake(case):
                continue
            with self.subTest(seed):
                try:
                    one = run(case)
                except NeverEnds:
                    continue
                if not one.runtime_s:
                    continue
                turn = case.duty.seconds if len(case.duty.repeat) > 1 else 0.0
                for at in {0, len(case.path) // 2, len(case.path)}:
                    tried += 1
                    made = forked(case, at)
                    ended = follow(made.supplies[0], made.conditions, None)
                    self.assertLessEqual(abs(ended.runtime_s - one.runtime_s), 1e-2 * one.runtime_s + turn, at)
        self.assertGreater(tried, 15)


def _keeps_awake(case: Case) -> bool:
    return any(stage.KEEPS_AWAKE for stage in case.path)
