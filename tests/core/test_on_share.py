"""A heater with a controller: on for a share of its time, in every computation alike."""

from __future__ import annotations

import itertools
import json
import math
from typing import Any
from unittest import skipUnless

from django.test import SimpleTestCase

from hermotrope_core.circuit.discharge import Run, run
from hermotrope_core.circuit.estimate import estimate
from hermotrope_core.circuit.many import runs
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.duty_sums import duty_sums
from hermotrope_core.judge.findings import check
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.several.follow import follow
from tests.core.test_netlist import NGSPICE, simulated
from tests.support import put

PACK = {
    "name": "12.8 V 6 Ah", "chemistry": "lifepo4", "cells_in_series": 4, "capacity_ah": 6, "resistance_ohm": 0.06,
    "cutoff_v": 10.0, "peukert": 1.05,
}  # fmt: skip
LEAD = {"stage": "lead", "length_m": 2, "area_mm2": 0.75}
DIODE = {"stage": "diode", "forward_v": 0.4}
BOARD = {"stage": "converter", "topology": "buck-boost", "output_v": 12, "efficiency": 0.9, "quiescent_w": 0.1}
FIGURES = {"power": ("power_w", 14.0), "current": ("current_a", 1.1), "resistance": ("resistance_ohm", 11.0)}


def tree(kind: str, share: float | None, *path: dict[str, Any], off_s: float = 0.0, on_s: float = 3600.0) -> Any:
    """A dew strap: switched by its controller for a share of its time, or by the duty."""
    field, value = FIGURES[kind]
    modes: list[dict[str, Any]] = [{"name": "warm", "kind": kind, field: value}]
    if share is not None:
        modes[0]["on_share"] = share
    repeat = [{"mode": "warm", "seconds": on_s}]
    if off_s:
        modes.append({"name": "off", "kind": "power", "power_w": 0})
        repeat.append({"mode": "off", "seconds": off_s})
    return {
        "format": "hermotrope-case/1", "title": "strap", "source": PACK, "path": list(path),
        "device": {"name": "strap", "supply": {"min_v": 9, "nominal_v": 12, "max_v": 14.6}, "modes": modes},
        "duty": {"repeat": repeat},
    }  # fmt: skip


def strap(kind: str, share: float | None, *path: dict[str, Any], **seconds: float) -> Case:
    return case_from(tree(kind, share, *path, **seconds))


class OnShare(SimpleTestCase):
    def figures(self, got: Run) -> tuple[float, ...]:
        return got.runtime_s, got.energy_from_source_wh, got.energy_to_device_wh, got.charge_ah

    def test_is_a_quick_alternation(self) -> None:
        """Against the duty that switches it every few seconds; with a board, whose own draw goes on between."""
        for kind, way in itertools.product(FIGURES, (LEAD, DIODE, BOARD)):
            with self.subTest(kind, way=way["stage"]):
                held = self.figures(run(strap(kind, 0.4, way)))
                slow = self.figures(run(strap(kind, None, way, on_s=4.0, off_s=6.0)))
                for a, b in zip(held, slow, strict=True):
                    self.assertAlmostEqual(a / b, 1.0, delta=3e-4)

    def test_in_a_duty_with_others_and_in_steps(self) -> None:
        made = strap("resistance", 0.3, LEAD, off_s=1800.0)
        quick = strap("resistance", None, LEAD, on_s=3.0, off_s=7.0 + 5.0)
        self.assertAlmostEqual(run(made).runtime_s / run(quick).runtime_s, 1.0, delta=2e-3)
        marked = run(made, marks=True)
        self.assertAlmostEqual(marked.runtime_s, run(made).runtime_s, delta=1e-6 * marked.runtime_s)

    def test_limits_see_what_flows_while_it_is_on(self) -> None:
        whole, part = Situation(strap("current", None, LEAD)), Situation(strap("current", 0.1, LEAD))
        self.assertEqual(
            [f.code for f in check(whole) if f.unit == "A"], [f.code for f in check(part) if f.unit == "A"]
        )
        self.assertEqual(whole.at(whole.modes[0], 0.5).source_a, part.at(part.modes[0], 0.5).source_a)

    def test_sums_and_draws(self) -> None:
        made = strap("power", 0.25, BOARD)
        sums = duty_sums(Situation(made))
        assert sums is not None
        self.assertAlmostEqual(sums.inlet_wh, 14.0 * 0.25)
        drawn = runs(made, {}, 3).runtime_s
        for one in drawn:
            self.assertAlmostEqual(one / run(made).runtime_s, 1.0, delta=1e-6)
        mixed = strap("resistance", 0.3, LEAD, off_s=1800.0)
        self.assertAlmostEqual(runs(mixed, {}, 2).runtime_s[0] / run(mixed).runtime_s, 1.0, delta=1e-4)
        found = estimate(made, 400)
        assert found is not None
        self.assertLess(found.p5, run(made).runtime_s)
        self.assertGreater(found.p95, run(made).runtime_s)

    def test_behind_a_fork(self) -> None:
        """The same as the chain; two straps, one of them always on, lie between their extremes."""
        for way in (LEAD, BOARD):
            with self.subTest(way["stage"]):
                self.forks(way)

    def forks(self, way: dict[str, Any]) -> None:
        made, alone = strap("resistance", 0.35, way), tree("resistance", 0.35, way)
        branch = {part: alone[part] for part in ("device", "path", "duty")}
        whole = {"format": "hermotrope-outing/1", "title": "t", "supplies": [{"source": PACK, "branches": [branch]}]}
        read = read_outing(json.dumps(whole))
        got, chain = follow(read.supplies[0], read.conditions), run(made)
        close = 1e-9 if way is LEAD else 1e-4  # what a board draws between counts at the volts while it is on
        self.assertAlmostEqual(got.runtime_s / chain.runtime_s, 1.0, delta=close)
        self.assertAlmostEqual(got.branches[0].energy_to_device_wh / chain.energy_to_device_wh, 1.0, delta=10 * close)
        two = put(whole, "supplies.0.branches", [branch, put(branch, "device.modes.0.on_share", 1.0)])
        both = follow(read_outing(json.dumps(two)).supplies[0], read.conditions)
        on, part = both.branches[1].energy_to_device_wh, both.branches[0].energy_to_device_wh
        self.assertAlmostEqual(part / on, 0.35, places=6)

    def test_a_bank_may_sleep_between_pulses(self) -> None:
        port = {"output_v": 12, "efficiency": 0.9, "output_min_current_a": 0.1, "output_off_delay_s": 25}
        for share, found in ((0.4, ["care"]), (None, [])):
            made = put(tree("current", share, LEAD), "source.regulated_output", port)
            got = [f.level for f in check(Situation(case_from(made))) if f.code == "auto-off"]
            self.assertEqual(got, found)

    @skipUnless(NGSPICE, "needs ngspice")
    def test_netlist(self) -> None:
        for way in (LEAD, BOARD):
            made = strap("resistance", 0.4, way)
            self.assertAlmostEqual(simulated(made) / run(made).runtime_s, 1.0, delta=1e-3)

    def test_it_must_be_a_share(self) -> None:
        for bad in (0.0, 1.2, -1.0, math.nan):
            with self.subTest(bad), self.assertRaises(ValueError):
                case_from(put(tree("power", 0.5), "device.modes.0.on_share", bad))
