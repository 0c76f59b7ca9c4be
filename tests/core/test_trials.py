"""Many runs together: the range of the next one is as wide as it says, narrows with runs, and odd ones are told."""

from __future__ import annotations

import numpy as np
from django.test import SimpleTestCase, tag
from msgspec.structs import replace
from scipy import stats

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.estimate import Z95, estimate
from hermotrope_core.fit.trials import SCATTER, TAILS, Learned, Pooled, Trial, _foretold, as_run, pooled, taken
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from
from hermotrope_core.plan.spread import MEASURED_SPREAD, inputs, spread_of
from hermotrope_core.values.known import Known, number
from tests.lanes import SLOW
from tests.support import golden


def plan(name: str = "reference-1") -> Case:
    return next(case_from(tree) for one, tree, _ in golden("cases") if one == name)


def truth(made: Case, dice: np.random.Generator) -> dict[str, float]:
    """What the inputs really are, as surely as the plan says."""
    return {one.place: float(np.exp(dice.normal() * np.log1p(one.spread) / Z95)) for one in inputs(made)}


def really(made: Case, by: dict[str, float]) -> float:
    """Seconds that it runs on a day without scatter."""
    for place, factor in by.items():
        found = next((one for one in inputs(made) if one.place == place), None)
        made = found.scaled(factor) if found else made
    return run(made).runtime_s


def days(seconds: float, count: int, dice: np.random.Generator) -> list[float]:
    return [seconds * float(np.exp(dice.normal() * SCATTER / Z95)) for _ in range(count)]


def told(made: Case, trials: list[Trial]) -> Pooled:
    found = pooled(made, trials)
    assert found
    return found


class Weights(SimpleTestCase):
    def test_how_likely_draws_make_a_run_is_student_s(self) -> None:
        made = plan()
        ahead, sigma = np.log(np.array([900.0, 3600.0, 4000.0, 90_000.0])), np.array([0.02, 0.05, 0.1, 0.3])
        for ended in (True, False):
            said = _foretold([Trial(made, 3700.0, ended)], [ahead], sigma)
            off = (np.log(3700.0) - ahead) / sigma
            theirs = stats.t.logpdf(off, TAILS) - np.log(sigma) if ended else stats.t.logsf(off, TAILS)
            np.testing.assert_allclose(said, theirs, rtol=1e-9)


@tag("slow")
class NextRun(SimpleTestCase):
    def test_the_next_run_lies_in_the_range_nine_times_of_ten(self) -> None:
        """Made-up packs and loads, ten runs each at two temperatures: the eleventh against the range."""
        made, dice = plan(), np.random.default_rng(18)
        inside, widths, count = 0, [], 400 if SLOW else 70
        cold = as_run(made, 5.0, "")
        before = estimate(made, worth=False)
        assert before
        for _ in range(count):
            real = truth(made, dice)
            warm_s, cold_s = really(made, real), really(cold, real)
            trials = [Trial(made, one) for one in days(warm_s, 6, dice)]
            trials += [Trial(cold, one) for one in days(cold_s, 4, dice)]
            found = told(made, trials)
            inside += found.p5 <= days(warm_s, 1, dice)[0] <= found.p95
            widths.append(np.log(found.p95 / found.p5))
        self.assertAlmostEqual(inside / count, 0.9, delta=0.04 if SLOW else 0.08)
        self.assertLess(float(np.median(widths)), 0.5 * np.log(before.p95 / before.p5))

    def test_more_runs_a_narrower_range(self) -> None:
        made = plan()
        middle = run(made).runtime_s
        widths = [told(made, [Trial(made, middle * 0.97)] * n) for n in (1, 3, 10)]
        narrower = [np.log(one.p95 / one.p5) for one in widths]
        self.assertLess(narrower[1], 0.8 * narrower[0])
        self.assertLess(narrower[2], 0.6 * narrower[0])

    def test_order_changes_nothing(self) -> None:
        made, trials = plan(), [Trial(plan(), seconds) for seconds in (9e3, 9.5e3, 9.2e3)]
        self.assertAlmostEqual(told(made, trials).p50, told(made, trials[::-1]).p50, delta=1e-6)

    def test_none_without_runs(self) -> None:
        self.assertIsNone(pooled(plan(), []))

    def test_a_run_in_the_cold_speaks_of_the_warm_one(self) -> None:
        """It ran as long in the cold as was planned for the warmth: the warm run will be longer than planned."""
        made = plan()
        cold = as_run(made, -10.0, "")
        self.assertLess(run(cold).runtime_s, run(made).runtime_s)
        long = told(made, [Trial(cold, run(cold).runtime_s * 1.1)] * 4).p50
        self.assertGreater(long, run(made).runtime_s * 1.05)

    def test_one_that_was_stopped_only_says_that_it_runs_longer(self) -> None:
        made = plan()
        middle = run(made).runtime_s
        free, early = (
            told(made, [Trial(made, middle * 1e-3, ended=False)]),
            told(made, [Trial(made, middle, ended=False)]),
        )
        self.assertAlmostEqual(free.p50 / middle, 1.0, delta=0.02)
        self.assertGreater(early.p50, free.p50 * 1.02)
        self.assertEqual(free.odd, ())


class What(SimpleTestCase):
    def test_an_odd_run_is_told_and_carries_little(self) -> None:
        made = plan()
        middle = run(made).runtime_s
        good = [Trial(made, middle * one) for one in (1.0, 1.01, 0.99, 1.0, 1.02, 0.98)]
        found = told(made, [*good, Trial(made, middle * 0.5)])
        self.assertEqual(found.odd, (6,))
        self.assertAlmostEqual(found.p50 / told(made, good).p50, 1.0, delta=0.02)

    def test_what_the_runs_teach_is_what_was_unsure(self) -> None:
        """Nobody measured the pack: eight short runs are its doing, not that of a draw which was measured."""
        made = plan()
        assert made.source
        capacity = Known(value=number(made.source.capacity_ah), known_by="guess")
        draws = tuple(
            replace(mode, **{mode.OWN[mode.kind]: Known(value=number(mode.draw or 0.0), known_by="measured")})
            for mode in made.device.modes
        )
        source, device = replace(made.source, capacity_ah=capacity), replace(made.device, modes=draws)
        made = replace(made, source=source, device=device)
        best = told(made, [Trial(made, run(made).runtime_s * 0.8)] * 8).learned[0]
        self.assertEqual(best.place, "source.capacity_ah")
        self.assertAlmostEqual(best.middle, 0.8, delta=0.08)
        self.assertLess(best.low, best.middle)
        self.assertLess(best.middle, best.high)
        self.assertGreater(best.narrowed, 0.3)

    def test_runs_that_contradict_the_plan_speak_for_themselves(self) -> None:
        made = plan()
        middle = run(made).runtime_s
        few = pooled(made, [Trial(made, middle * 4.0)] * 2)
        self.assertIsNone(few)
        found = told(made, [Trial(made, middle * one) for one in (4.0, 4.1, 3.9, 4.0, 8.0)])
        self.assertAlmostEqual(found.p50, middle * 4.0, delta=1e-6 * middle)  # the plan's own run, times their middle
        self.assertTrue(found.outside)
        self.assertLess(found.p5, middle * 4.0)
        self.assertGreater(found.p95, middle * 4.0)
        self.assertEqual(found.odd, (4,))

    def test_in_the_cold_they_speak_by_what_the_plan_says_of_the_cold(self) -> None:
        made = plan()
        cold = as_run(made, -10.0, "")
        found = told(made, [Trial(cold, run(cold).runtime_s * 4.0)] * 3)
        self.assertTrue(found.outside)
        self.assertAlmostEqual(found.p50 / run(made).runtime_s, 4.0, places=6)

    def test_what_is_taken_is_the_figure_times_what_they_say_with_its_doubt(self) -> None:
        made = plan()
        assert made.source
        was = number(made.source.capacity_ah)
        done = taken(made, Learned("source.capacity_ah", 0.81, 0.9, 1.0, 0.5), 6)
        assert done.source
        value = done.source.capacity_ah
        assert isinstance(value, Known)
        self.assertAlmostEqual(value.value, 0.9 * was, delta=5e-4 * was)
        self.assertEqual((value.known_by, value.note), ("measured", "from 6 runs"))
        self.assertAlmostEqual(value.spread or 0.0, (1.0 / 0.81) ** 0.5 - 1.0, delta=0.005)
        sure = taken(made, Learned("source.capacity_ah", 0.99, 1.0, 1.01, 0.9), 1)
        assert sure.source
        self.assertEqual(spread_of(sure.source.capacity_ah), MEASURED_SPREAD)

    def test_one_mode_throughout(self) -> None:
        made = plan("hide-mount-on-tool-pack")
        heaviest = as_run(made, None, made.device.modes[-1].name)
        self.assertLess(run(heaviest).runtime_s, run(made).runtime_s)
        self.assertEqual([turn.mode for turn in heaviest.duty.repeat], [made.device.modes[-1].name])
        self.assertEqual(as_run(made, None, ""), made)
        most = replace(made, plan_on="maximum")
        self.assertEqual(as_run(most, None, "").plan_on, "duty")  # what was run is what it does, not what was planned
