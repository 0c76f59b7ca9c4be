"""The range of a runtime follows how its inputs are known."""

from __future__ import annotations

import math
import random

from django.test import SimpleTestCase

from hermotrope_core.discharge import run
from hermotrope_core.estimate import inputs, runtime_range
from tests.support import case


class Ranges(SimpleTestCase):
    def test_what_varies(self) -> None:
        places = [one.place for one in inputs(case("cases", "hide-mount-on-tool-pack"))]
        self.assertEqual(
            places,
            ["source.capacity_ah", "source.resistance_ohm", "device.modes[0].power_w", "device.modes[1].power_w",
             "path[1].length_m", "path[2].efficiency", "path[2].quiescent_w", "path[3].length_m"],
        )  # fmt: skip

    def test_knowing_better_narrows_it(self) -> None:
        typical = runtime_range(case("cases", "reference-1"))
        measured = runtime_range(
            case("cases", "reference-1", **{"source.capacity_ah": {"value": 4.0, "known_by": "measured"}})
        )
        assert typical and measured
        self.assertLess(measured.p95 - measured.p5, typical.p95 - typical.p5)
        self.assertEqual(measured.p50, typical.p50)
        self.assertEqual(measured.shares[0].place, "device.modes[0].power_w")

    def test_close_to_draws(self) -> None:
        """The delta method against 400 draws from the stated log-normals: ends within 6 %."""
        made = case("cases", "sampling-boat-direct")
        seeded = random.Random(7)
        times = []
        for _ in range(400):
            drawn = made
            for i in range(len(inputs(made))):
                one = inputs(drawn)[i]
                drawn = one.scaled(math.exp(seeded.gauss(0, 1) * math.log(1 + one.spread) / 1.6449))
            times.append(run(drawn).runtime_s)
        times.sort()
        got = runtime_range(made)
        assert got
        self.assertAlmostEqual(got.p5 / times[20], 1, delta=0.06)
        self.assertAlmostEqual(got.p95 / times[380], 1, delta=0.06)

    def test_no_range_where_it_does_not_start(self) -> None:
        self.assertIsNone(runtime_range(case("cases", "printer-on-coin-cells")))
