"""A device converted once more: what ran before says what it draws."""

from __future__ import annotations

from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.know.again import converted_again, ran_before
from hermotrope_core.know.evidence import line_of, worked_out
from hermotrope_core.know.life import watts_before
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from, tree_of
from hermotrope_core.plan.evidence import RanBefore
from hermotrope_core.values.known import number
from tests.support import case, golden

ONE = {"duty.repeat": [{"mode": "slew", "seconds": 60}]}


def mount(**changes: Any) -> Case:
    return case("cases", "hide-mount-on-tool-pack", **(ONE | changes))


def piece(of: Case, seconds: float | None) -> RanBefore:
    found = ran_before(of, seconds)
    assert found is not None
    return found


class Before(SimpleTestCase):
    def test_the_run_turned_round_gives_the_watts_it_was_made_with(self) -> None:
        """Through every golden path that takes a power in one mode, its inlet's least volts among what ends it."""
        tried = 0
        for name, tree, expected in golden("cases"):
            if expected["runtime_s"] == 0 or tree["duty"].get("once"):
                continue
            device = tree["device"] | {"modes": [{"name": "on", "kind": "power", "power_w": 2.0}]}
            one = case_from(tree | {"device": device, "duty": {"repeat": [{"mode": "on", "seconds": 3600}]}})
            ended = run(one)
            if ended.end_cause in ("auto-off", "programme over") or ended.runtime_s == 0:
                continue
            with self.subTest(name):
                tried += 1
                least = None if one.device.supply.min_v is None else number(one.device.supply.min_v)
                self.assertAlmostEqual(number(watts_before(piece(one, ended.runtime_s), least)), 2.0, delta=2e-3)
        self.assertGreater(tried, 6)

    def test_its_doubt_is_that_of_the_pack(self) -> None:
        for spread in (0.05, 0.2):
            made = mount(**{"source.capacity_ah": {"value": 4.0, "known_by": "measured", "spread": spread}})
            found = watts_before(piece(made, 3600.0))
            assert found.spread is not None
            self.assertAlmostEqual(found.spread, spread, delta=0.3 * spread)
            self.assertEqual(found.known_by, "measured")

    def test_volts_that_stood_at_its_inlet_were_survived(self) -> None:
        supply = worked_out([piece(mount(), 3600.0)]).supply
        self.assertEqual(number(supply.max_v or 0.0), 12.0)
        direct = mount(path=[])
        worked = worked_out([piece(direct, 3600.0)])
        self.assertEqual(number(worked.supply.max_v or 0.0), Situation(direct).full_emf)
        self.assertIn("ran 60 min (slew) on", line_of(piece(direct, 3600.0)).words)

    def test_what_tells_nothing_of_one_draw(self) -> None:
        self.assertIsNone(ran_before(mount(), None))
        self.assertIsNone(ran_before(case("cases", "hide-mount-on-tool-pack"), 3600.0), "several modes")
        self.assertIsNone(ran_before(mount(**{"duty.once": True}), 3600.0))
        self.assertIsNone(ran_before(mount(source=None), 3600.0))

    def test_it_is_kept_in_the_document(self) -> None:
        again = converted_again(mount(), "Again", piece(mount(), 9000.0))
        self.assertEqual(case_from(tree_of(again)), again)


class Again(SimpleTestCase):
    def test_a_draw_that_was_guessed_follows_from_what_ran(self) -> None:
        old = mount(**{"source.capacity_ah": {"value": 4.0, "known_by": "label"}})
        ran = run(old).runtime_s / 1.5
        again = converted_again(old, "Again", piece(old, ran))
        now = next(mode for mode in again.device.modes if mode.name == "slew")
        self.assertGreater(number(now.draw or 0.0), 55.0)
        self.assertEqual((again.source, again.path, again.title), (None, (), "Again"))
        self.assertEqual(again.device.inlet, old.device.inlet)
        refed = msgspec.structs.replace(again, source=old.source, path=old.path)
        self.assertAlmostEqual(run(refed).runtime_s, ran, delta=0.01 * ran)

    def test_a_measured_one_stays(self) -> None:
        measured = {"name": "slew", "kind": "power", "power_w": {"value": 40, "known_by": "measured"}}
        old = mount(**{"device.modes": [measured], "source.capacity_ah": {"value": 4.0, "known_by": "label"}})
        again = converted_again(old, "Again", piece(old, 6000.0))
        self.assertEqual(again.device.modes, old.device.modes)
        self.assertEqual(len(again.device.evidence), 1)

    def test_a_run_that_cannot_be_is_left_out(self) -> None:
        again = converted_again(mount(), "Again", piece(mount(), 1e9))
        self.assertEqual(again.device, mount().device)

    def test_without_a_run_the_device_goes_along(self) -> None:
        again = converted_again(mount(), "Again", None)
        self.assertEqual((again.device, again.duty, again.source), (mount().device, mount().duty, None))
