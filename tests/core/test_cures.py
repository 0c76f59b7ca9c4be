"""A cure that one press applies must cure, and must not bring another refusal."""

from __future__ import annotations

import jsonpatch
from django.test import SimpleTestCase

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check, verdict_of
from hermotrope_core.parts.wire import PARTS, fuse_opens_s, fuse_rating, safe_amps
from hermotrope_core.plan.document import case_from, tree_of
from hermotrope_core.values.liking import awg_mm2
from tests.support import golden


class Cures(SimpleTestCase):
    def test_each_applicable_cure_removes_its_finding(self) -> None:
        applied = 0
        for name, tree, _ in golden("judgements") + golden("cases"):
            before = check(Situation(case_from(tree)))
            for finding in before:
                if not finding.change:
                    continue
                applied += 1
                with self.subTest(name, code=finding.code):
                    cured = case_from(jsonpatch.apply_patch(tree_of(case_from(tree)), list(finding.change)))
                    after = check(Situation(cured))
                    self.assertNotEqual(cured, case_from(tree))
                    same = {f.level for f in after if f.code == finding.code and f.stage >= finding.stage}
                    self.assertNotIn(finding.level, same)
                    new = {f.code for f in after if f.level == "refuse"} - {f.code for f in before}
                    self.assertFalse(new)
        self.assertGreater(applied, 20)

    def test_one_press_makes_the_far_over_case_fit(self) -> None:
        tree = next(t for n, t, _ in golden("judgements") if n == "direct-far-over")
        tree["path"] = []
        finding = next(f for f in check(Situation(case_from(tree))) if f.code == "over-max")
        self.assertEqual([op["value"]["stage"] for op in finding.change], ["converter", "fuse"])
        cured = case_from(jsonpatch.apply_patch(tree, list(finding.change)))
        self.assertNotEqual(verdict_of(check(Situation(cured))), "refused")

    def test_a_fuse_is_never_above_the_wire(self) -> None:
        for area, _ in PARTS.wire_safe_current_a_by_area_mm2:
            for amps in (0.02, 0.3, 1.0, 2.2, 4.0, 9.0, 30.0):
                rating = fuse_rating(amps, ((3 * amps, 0.02),), safe_amps(area))
                if rating is not None:
                    self.assertLessEqual(rating, safe_amps(area))
                    self.assertGreaterEqual(rating, 1.25 * amps)

    def test_wire_figures(self) -> None:
        self.assertAlmostEqual(awg_mm2(20), 0.5176, places=4)
        self.assertAlmostEqual(awg_mm2(10), 5.261, places=3)
        self.assertEqual(safe_amps(0.025), 0.25)
        self.assertEqual(safe_amps(99), 50)
        self.assertIsNone(fuse_opens_s(1.34))
        self.assertEqual(fuse_opens_s(2), 0.15)
        self.assertEqual(fuse_opens_s(20), 0.02)
