"""The range of a night: each draw is the run, its ends follow the spreads, whatever parts are in the way."""

from __future__ import annotations

import json
from typing import Any
from unittest import mock

from django.test import SimpleTestCase

from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.several import ranges
from hermotrope_core.several.follow import follow
from hermotrope_core.several.ranges import night_range
from tests.core.test_several import BANK, BLOCK, branch, outing
from tests.core.test_shared_line import USB
from tests.support import golden, put

SURE = {"known_by": "measured", "spread": 1e-6}


class Draws(SimpleTestCase):
    def test_without_spread_every_draw_is_the_run(self) -> None:
        """Golden nights, and one each with a port that sleeps, a controller, a board that passes its input on."""
        board = {"stage": "converter", "topology": "buck", "output_v": 12.5, "efficiency": 0.9, "headroom_v": 0.5,
                 "in_dropout": "passes"}  # fmt: skip
        blinks = branch("current", 0.5, 600.0, device=USB)
        made = [
            *(read_outing(json.dumps(tree)) for _, tree, _ in golden("outings")),
            outing(blinks, source=BANK),
            outing(put(branch("resistance", 15.0), "device.modes.0.on_share", 0.4), branch("power", 2.0)),
            outing(branch("power", 5.0, path=[board]), branch("power", 2.0)),
            outing(branch("current", 0.7, device=USB, count=3), source=BANK),
            outing(put(branch("power", 5.0), "duty.once", True), branch("power", 2.0), hours=3.0),
        ]
        for case, one in enumerate(made):
            hours = None if one.hours is None else float(one.hours)  # type: ignore[arg-type]
            for supply in one.supplies:
                run = follow(supply, one.conditions, hours)
                with mock.patch.object(ranges, "factors", return_value={}), self.subTest(case):
                    got = night_range(supply, one.conditions, hours, 3)
                for device, exact in zip(got.branches, run.branches, strict=True):
                    self.assertEqual((case, device.p5, device.p95), (case, device.p50, device.p50))
                    self.assertAlmostEqual(
                        device.p50, exact.runtime_s, delta=0.003 * exact.runtime_s + 1.0, msg=str(case)
                    )

    def test_only_the_capacity_is_unsure(self) -> None:
        """A constant current: the seconds go with the ampere-hours, so 90 % of them lie within 1 + h."""
        sure: Any = put(branch("current", 0.5), "device.modes.0.current_a", {"value": 0.5, **SURE})
        ideal = BLOCK | {"peukert": 1.0, "resistance_ohm": {"value": 0.01, **SURE}}
        pack = ideal | {"capacity_ah": {"value": 6, "known_by": "label"}}
        made = outing(sure, sure, source=pack)
        run = follow(made.supplies[0], made.conditions)
        got = night_range(made.supplies[0], made.conditions, None).branches[0]
        for value, factor in ((got.p5, 1 / 1.2), (got.p50, 1.0), (got.p95, 1.2)):
            self.assertAlmostEqual(value / run.runtime_s / factor, 1.0, delta=4e-3)

    def test_the_share_that_lasts(self) -> None:
        made = outing(
            branch("power", 4.0), branch("power", 3.0), source=BLOCK | {"capacity_ah": {"value": 6, "spread": 0.2}}
        )
        run = follow(made.supplies[0], made.conditions)
        at = run.runtime_s / 3600.0
        for hours, low, high in ((0.5 * at, 0.999, 1.0), (at, 0.3, 0.7), (2.0 * at, 0.0, 0.001)):
            got = night_range(made.supplies[0], made.conditions, hours)
            self.assertTrue(low <= got.branches[0].whole <= high, got.branches[0])
        short = night_range(made.supplies[0], made.conditions, 0.5 * at)
        self.assertLess(short.left[0], short.left[1])
        self.assertAlmostEqual(short.left[1], follow(made.supplies[0], made.conditions, 0.5 * at).final_soc, delta=0.03)
