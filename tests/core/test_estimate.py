"""The range of a runtime follows how its inputs are known; runs over arrays agree with the scalar run."""

from __future__ import annotations

import numpy as np
from django.test import SimpleTestCase

from hermotrope_core.circuit.arrays import charge_at, steep
from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.circuit.estimate import Z95, estimate, factors, normals
from hermotrope_core.circuit.many import runs
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.thresholds import inverse
from hermotrope_core.kinds.effects import CAUSES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from
from hermotrope_core.plan.spread import inputs
from tests.support import PASSING, case, golden
from tests.support import tree as tree_with

FIVE = {"min_v": 4, "nominal_v": 5, "max_v": 6}
BANK = {"output_v": 5, "efficiency": 0.9, "output_min_current_a": 1.0, "output_off_delay_s": 40}


def scaled(made: Case, by: dict[str, float]) -> Case:
    """The case with each input scaled, by place."""
    for place, factor in by.items():
        made = next(one for one in inputs(made) if one.place == place).scaled(factor)
    return made


class Arrays(SimpleTestCase):
    def check(self, made: Case, n: int = 24, close: float = 4e-4) -> set[str]:
        """Every draw against the scalar run of the same values; the causes that came up."""
        found = inputs(made)
        drawn = factors(found, normals(len(found), n, seed=3))
        together = runs(made, drawn, n)
        causes = set()
        for k in range(n):
            alone = run(scaled(made, {place: float(values[k]) for place, values in drawn.items()}))
            self.assertAlmostEqual(together.runtime_s[k], alone.runtime_s, delta=close * max(alone.runtime_s, 1.0))
            if alone.runtime_s > 1.0:
                self.assertEqual(CAUSES[together.cause[k]], alone.end_cause)
            causes.add(alone.end_cause)
        return causes

    def test_every_public_case(self) -> None:
        for name, tree, _ in golden("cases"):
            with self.subTest(name):
                # a draw of many short cycles may end one of them later, where its last turn is a close call
                self.check(case_from(tree), close=5e-3 if name == "gauge-panel-boosted" else 4e-4)

    def test_a_constant_power_is_exact(self) -> None:
        """One mode of watts has a closed form, wherever it begins and whatever ends it."""
        made = case_from(next(tree for name, tree, _ in golden("cases") if name == "reference-1"))
        for change in ({}, {"source.initial_soc": 0.63}, {"source.reserve_soc": 0.37}, {"source.cutoff_v": 0.0},
                       {"source.resistance_ohm": 2.0, "source.cutoff_v": 0.0}, {"source.initial_soc": 0.001},
                       {"device.modes.0.power_w": 0.001}, {"source.resistance_ohm": 0.0}):  # fmt: skip
            with self.subTest(change):
                self.check(case_from(tree_with("cases", "reference-1", **change)), n=60, close=1e-9)
        self.assertTrue(steep(*(np.array(column) for column in zip(*circuit_of(made).emf_by_soc, strict=True))))
        flat = np.array([10.0, 11.0, 11.0, 12.0])
        self.assertFalse(steep(np.array([0.0, 0.3, 0.6, 1.0]), flat))
        volts = np.array([9.0, 10.0, 10.5, 11.0, 11.5, 12.0, 13.0])
        table = tuple(zip((0.0, 0.3, 0.6, 1.0), flat.tolist(), strict=True))
        self.assertEqual(
            charge_at((np.array([0.0, 0.3, 0.6, 1.0]), flat), volts).tolist(),
            [inverse(table, float(one)) for one in volts],
        )

    def test_every_kind_of_end(self) -> None:
        for change, cause in (
            ({"path.0.input_min_v": 18.0}, "converter input too low"),
            ({"path.0.output_current_max_a": 1.0}, "converter overload"),
            ({"path.0.input_max_v": 20.0}, "converter input too high"),
            ({"source.reserve_soc": 0.4}, "reserve"),
            ({"source.cutoff_v": 0.0, "path.0.input_min_v": 0.0}, "empty"),
            ({"device.supply.min_v": 11.99, "path.0.output_v": 11.9}, "device minimum"),
            ({"source.regulated_output": BANK, "path": [], "device.supply": FIVE}, "pack cut-off"),
            ({"source.regulated_output": BANK | {"output_min_current_a": 2.4}, "path": [],
              "device.supply": FIVE}, "auto-off"),
            ({"path": [{"stage": "linear", "output_v": 12, "dropout_v": 5.5, "quiescent_a": 0.01}]}, "dropout"),
            ({"source.resistance_ohm": 9.0, "source.cutoff_v": 1.0}, "collapse"),
        ):  # fmt: skip
            with self.subTest(cause):
                self.assertIn(cause, self.check(case("cases", "reference-1", **change)))

    def test_a_board_that_passes_its_falling_input_on(self) -> None:
        for change in ({}, {"device.supply.min_v": 10.5}, {"path.2.output_current_max_a": 3.6}):
            duty = {"duty.repeat": [{"mode": "slew", "seconds": 60}]}
            self.check(case("cases", "hide-mount-on-tool-pack", **(PASSING | change | duty)))

    def test_very_many_cycles(self) -> None:
        made = case(
            "cases", "warden-receiver-on-bank", **{"duty.repeat.0.seconds": 50.0, "duty.repeat.1.seconds": 10.0}
        )
        self.check(made, n=8, close=2e-3)

    def test_nothing_drawn_never_ends(self) -> None:
        with self.assertRaises(NeverEnds):
            runs(case("cases", "bat-detector-on-six-aaa", **{"device.modes.0.current_a": 0.0}), {}, 3)


class Ranges(SimpleTestCase):
    def test_what_varies(self) -> None:
        places = [one.place for one in inputs(case("cases", "hide-mount-on-tool-pack"))]
        self.assertEqual(
            places,
            ["source.capacity_ah", "source.resistance_ohm", "device.modes[0].power_w", "device.modes[1].power_w",
             "path[1].length_m", "path[2].efficiency", "path[2].quiescent_w", "path[3].length_m"],
        )  # fmt: skip

    def test_measuring_shrinks_it_as_promised(self) -> None:
        made = case("cases", "reference-2")
        before = estimate(made)
        assert before
        first = before.measure_next[0]
        name, value = first.place.replace("[", ".").replace("]", ""), {"s": 4.0, "d": 60.0}[first.place[0]]
        after = estimate(case("cases", "reference-2", **{name: {"value": value, "known_by": "measured"}}))
        assert after
        shrunk = 1.0 - (after.p95 - after.p5) / (before.p95 - before.p5)
        self.assertAlmostEqual(shrunk, first.range_shrinks_by, delta=0.02)
        self.assertNotIn(first.place, [one.place for one in after.measure_next])

    def test_a_table_widens_the_range_and_is_not_what_to_measure_next(self) -> None:
        """No one reading makes a table known; a single efficiency in its place is offered."""
        table = [[0.1, 0.85], [1.0, 0.9], [4.0, 0.88]]
        for efficiency, offered in ((table, False), (0.89, True)):
            one = case("cases", "hide-mount-on-tool-pack", **{"path.2.efficiency": efficiency})
            found = estimate(one, 2000)
            assert found is not None
            self.assertIn("path[2].efficiency", [each.place for each in inputs(one)])
            self.assertEqual("path[2].efficiency" in [each.place for each in found.measure_next], offered)

    def test_a_median_of_one_input_is_exact(self) -> None:
        """A constant current with only the capacity unsure: t is proportional to it, so the ends are x (1 + h)."""
        sure = {"spread": 1e-9}
        changes = {
            "device.modes.0.current_a": {"value": 0.028, **sure},
            "source.capacity_ah": {"value": 1.1, "known_by": "label"},
            "source.resistance_ohm": {"value": 1e-6, **sure},
        }
        got = estimate(case("cases", "bat-detector-on-six-aaa", **changes))
        assert got
        self.assertAlmostEqual(got.p95 / got.p50, 1.2, delta=0.01)
        self.assertAlmostEqual(got.p50 / got.p5, 1.2, delta=0.01)

    def test_same_again(self) -> None:
        first, second = (estimate(case("cases", "reference-3"), 2000) for _ in range(2))
        self.assertEqual(first, second)

    def test_the_range_holds_the_truth_nine_times_in_ten(self) -> None:
        """2,000 synthetic truths drawn independently from the stated uncertainties."""
        for name in ("reference-1", "tag-reader-two-converters", "reference-3"):
            made = case("cases", name)
            got = estimate(made, 4000, worth=False)
            assert got
            found = inputs(made)
            z = np.random.Generator(np.random.PCG64(99)).standard_normal((len(found), 2000))
            drawn = {one.place: np.exp(z[i] * np.log1p(one.spread) / Z95) for i, one in enumerate(found)}
            truths = runs(made, drawn, 2000).runtime_s
            held = float(np.mean((truths >= got.p5) & (truths <= got.p95)))
            with self.subTest(name):
                self.assertGreater(held, 0.87)
                self.assertLess(held, 0.93)

    def test_no_range_where_it_does_not_start(self) -> None:
        self.assertIsNone(estimate(case("cases", "printer-on-coin-cells")))
