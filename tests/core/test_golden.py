"""The golden cases and judgements: what the whole core must answer."""

from __future__ import annotations

from django.test import SimpleTestCase

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check, verdict_of
from hermotrope_core.plan.document import case_from
from tests.support import golden


class Cases(SimpleTestCase):
    def test_runs(self) -> None:
        cases = golden("cases")
        self.assertGreaterEqual(len(cases), 13)
        for name, tree, expect in cases:
            with self.subTest(name):
                got = run(case_from(tree))
                within = expect.get("tolerance_s", max(1.0, 0.003 * expect["runtime_s"]))
                self.assertAlmostEqual(got.runtime_s, expect["runtime_s"], delta=within)
                self.assertEqual(got.end_cause, expect["end_cause"])
                self.assertAlmostEqual(got.final_soc, expect["final_soc"], delta=1e-4)
                for field in ("energy_from_source_wh", "energy_to_device_wh"):
                    self.assertAlmostEqual(getattr(got, field), expect[field], delta=0.005 * expect[field] + 1e-9)

    def test_references_are_exact(self) -> None:
        for name, tree, expect in golden("cases"):
            if name.startswith("reference"):
                with self.subTest(name):
                    self.assertAlmostEqual(run(case_from(tree)).runtime_s, expect["runtime_s"], delta=5e-6)


class Judgements(SimpleTestCase):
    def test_verdicts(self) -> None:
        judgements = golden("judgements")
        self.assertGreaterEqual(len(judgements), 44)
        for name, tree, expect in judgements:
            with self.subTest(name):
                found = check(Situation(case_from(tree)))
                codes = {finding.code for finding in found}
                self.assertEqual(verdict_of(found), expect["verdict"], codes)
                self.assertLessEqual(set(expect["codes"]), codes)
                self.assertFalse(set(expect["absent"]) & codes)
