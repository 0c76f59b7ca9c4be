"""Who goes first: the setting of a cut-off that lets all the others last, held against the programme itself."""

from __future__ import annotations

from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.plan.duty import Segment
from hermotrope_core.plan.outing import Outing
from hermotrope_core.several.follow import follow
from hermotrope_core.several.shed import STEP_V, CannotShed, shed, with_cut_off
from tests.core.test_several import BANK, branch, outing

CUT_OFF = {"stage": "cut-off", "trips_v": 11.0}
BLOCK_DRAWN = (branch("power", 12.0), branch("power", 3.0))


def ends(made: Outing, supply: Any, hours: float) -> list[str]:
    return [str(one.end_cause) for one in follow(supply, made.conditions, hours).branches]


class Shedding(SimpleTestCase):
    def test_it_is_the_least_setting_at_which_the_others_last(self) -> None:
        for first, second, hours in ((12.0, 3.0, 7.0), (20.0, 5.0, 5.0), (6.0, 6.0, 8.0)):
            with self.subTest(first, second=second):
                made = outing(branch("power", first), branch("power", second))
                supply = made.supplies[0]
                self.assertNotEqual(ends(made, supply, hours)[1], "programme over")
                found = shed(supply, made.conditions, hours, 0)
                self.assertEqual(ends(made, with_cut_off(supply, 0, found.trips_v), hours)[1], "programme over")
                less = round(found.trips_v - 1.1 * STEP_V, 3)
                self.assertNotEqual(ends(made, with_cut_off(supply, 0, less), hours)[1], "programme over")
                self.assertAlmostEqual(found.trips_v / STEP_V, round(found.trips_v / STEP_V), places=6)

    def test_it_leaves_as_much_as_a_programme_that_ends_then(self) -> None:
        made = outing(*BLOCK_DRAWN)
        supply = made.supplies[0]
        found = shed(supply, made.conditions, 7.0, 0)
        cut = follow(with_cut_off(supply, 0, found.trips_v), made.conditions, 7.0)
        mode = supply.branches[0].device.modes[0].name
        duty = msgspec.structs.replace(supply.branches[0].duty, once=True, repeat=(Segment(mode, found.stops_s),))
        ended = msgspec.structs.replace(supply.branches[0], duty=duty)
        both = msgspec.structs.replace(supply, branches=(ended, supply.branches[1]))
        self.assertAlmostEqual(follow(both, made.conditions, 7.0).final_soc, cut.final_soc, places=6)
        self.assertEqual(cut.branches[0].end_cause, "pack cut-off")
        self.assertAlmostEqual(cut.branches[0].runtime_s, found.stops_s, places=3)
        self.assertEqual(cut.branches[0].why, "its cut-off opens")
        self.assertEqual(follow(supply, made.conditions).branches[0].why, "the pack’s cut-off opens")

    def test_where_it_does_not_help_it_says_why(self) -> None:
        lasting = outing(branch("power", 1.0), branch("power", 1.0))
        hopeless = outing(branch("power", 1.0), branch("power", 30.0))
        own = outing(branch("power", 12.0, path=[CUT_OFF]), branch("power", 3.0))
        held = outing(branch("power", 2.0), branch("power", 2.0), source=BANK)
        for made, hours, says in (
            (lasting, 5.0, "all the others last as it is"),
            (hopeless, 9.0, "not last even without it"),
            (own, 7.0, "a cut-off of its own"),
            (held, 50.0, "held"),
        ):
            with self.subTest(says), self.assertRaisesRegex(CannotShed, says):
                shed(made.supplies[0], made.conditions, hours, 0)
