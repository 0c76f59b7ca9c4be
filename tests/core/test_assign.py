"""Who feeds whom, and what a pack must be: against every assignment tried by hand, and against the run itself."""

from __future__ import annotations

import itertools
import json
from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.outing import Outing
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.several.assign import CannotPropose, propose
from hermotrope_core.several.follow import follow
from hermotrope_core.several.needs import lasts, needs
from tests.core.test_several import BANK, BLOCK, branch
from tests.core.test_shared_line import FUSED, USB
from tests.support import put


def outing(*supplies: tuple[dict[str, Any], list[dict[str, Any]]], hours: float | None = 8.0) -> Outing:
    made: dict[str, Any] = {
        "format": "hermotrope-outing/1", "title": "t",
        "supplies": [
            {"name": f"pack {i}", "source": source, "trunk": FUSED, "branches": branches}
            for i, (source, branches) in enumerate(supplies)
        ],
    }  # fmt: skip
    if hours is not None:
        made["hours"] = hours
    for supply in made["supplies"]:
        if not supply["branches"]:
            supply["branches"] = [branch("power", 0.0)]
    return read_outing(json.dumps(made))


def named(name: str, kind: str, value: float, **more: Any) -> dict[str, Any]:
    return put(branch(kind, value, **more), "device.name", name)


def hung(made: Outing) -> list[list[str]]:
    return [[one.device.name for one in supply.branches] for supply in made.supplies]


def fits(made: Outing, chosen: tuple[int, ...]) -> bool:
    """Whether an assignment lasts: every pack with its devices followed to the end."""
    devices = [one for supply in made.supplies for one in supply.branches]
    for p, supply in enumerate(made.supplies):
        branches = tuple(one for one, at in zip(devices, chosen, strict=True) if at == p)
        if branches and not lasts(msgspec.structs.replace(supply, branches=branches), made.conditions, 8.0):
            return False
    return True


class Proposals(SimpleTestCase):
    def test_the_fewest_packs_of_all_that_last(self) -> None:
        """Every assignment of four devices to three packs tried; ours uses as few and lasts."""
        small = BLOCK | {"capacity_ah": 3}
        devices = [named(f"d{i}", "power", watts) for i, watts in enumerate((2.0, 3.0, 4.0, 2.5))]
        made = outing((BLOCK, devices[:2]), (small, devices[2:3]), (BLOCK, devices[3:]))
        tried = [c for c in itertools.product(range(3), repeat=4) if fits(made, c)]
        fewest = min(len(set(c)) for c in tried)
        found = propose(made, "fewest packs")
        self.assertEqual((len(found.used), found.unfed), (fewest, ()))
        for supply in found.outing.supplies:
            if supply.branches:
                run = follow(supply, made.conditions, 8.0)
                self.assertEqual({one.end_cause for one in run.branches}, {"programme over"})

    def test_mass_price_and_work_are_wished_for(self) -> None:
        heavy, light = BLOCK | {"mass_g": 900, "price": 10}, BLOCK | {"mass_g": 400, "price": 60}
        made = outing((heavy, [named("lamp", "power", 2.0)]), (light, [named("hub", "power", 2.0)]))
        self.assertEqual(propose(made, "least mass").used, ("pack 1",))
        self.assertEqual(propose(made, "least mass").mass_g, 400)
        self.assertEqual(propose(made, "least price").used, ("pack 0",))
        work = propose(made, "least work")
        self.assertEqual((work.moves, work.outing), (0, made))
        unknown = outing((heavy, [named("lamp", "power", 2.0)]), (BLOCK, [named("hub", "power", 9.0)]))
        self.assertIsNone(propose(unknown, "least work").price)

    def test_what_is_pinned_stays(self) -> None:
        made = outing((BLOCK, [named("lamp", "power", 2.0)]), (BLOCK, [named("hub", "power", 2.0) | {"pinned": True}]))
        found = propose(made, "fewest packs")
        self.assertEqual([sorted(names) for names in hung(found.outing)], [[], ["hub", "lamp"]])

    def test_limits_that_refuse_are_named(self) -> None:
        usb = named("tablet", "current", 0.8, device=USB)
        hungry = named("strap", "power", 30.0)
        made = outing((BLOCK, [named("lamp", "power", 2.0), hungry]), (BANK, [usb]))
        found = propose(made, "fewest packs")
        self.assertEqual(found.unfed, ("strap",))
        why = {(one.device, one.supply): one.why for one in found.refused}
        self.assertIn("converter of its own", why["tablet", "pack 0"])
        self.assertIn("before the end", why["strap", "pack 0"])
        self.assertIn(("lamp", "pack 1"), why)

    def test_a_sum_that_does_not_add_up_is_judged_and_left(self) -> None:
        """Alone each keeps its volts behind a shared lead; together they do not: found only by following both."""
        far = {"supply": {"min_v": 12.2, "nominal_v": 12.8, "max_v": 15}}
        a, b = named("a", "current", 0.35, device=far), named("b", "current", 0.35, device=far)
        made = outing((BLOCK, [a]), (BLOCK, [b]))
        thin = (*made.supplies[0].trunk, *read_outing(json.dumps({
            "format": "hermotrope-outing/1", "title": "t",
            "supplies": [{"source": BLOCK, "trunk": [{"stage": "resistor", "resistance_ohm": 1.0}], "branches": [a]}],
        })).supplies[0].trunk)  # fmt: skip
        made = msgspec.structs.replace(
            made, supplies=tuple(msgspec.structs.replace(supply, trunk=thin) for supply in made.supplies)
        )
        alone = [fits(made, c) for c in ((0, 0), (1, 1), (0, 1))]
        self.assertEqual(alone, [False, False, True])
        found = propose(made, "fewest packs")
        self.assertEqual((len(found.used), found.unfed), (2, ()))
        self.assertGreater(found.rounds, 1)

    def test_what_is_missing_is_said(self) -> None:
        with self.assertRaisesRegex(CannotPropose, "how many hours"):
            propose(outing((BLOCK, [named("a", "power", 1.0)]), hours=None), "fewest packs")
        many = outing((BLOCK, [named(f"d{i}", "power", 0.1) for i in range(25)]))
        with self.assertRaisesRegex(CannotPropose, "at most 24"):
            propose(many, "fewest packs")


class Needs(SimpleTestCase):
    def test_the_least_that_lasts(self) -> None:
        made = outing((BLOCK, [named("lamp", "power", 4.0), named("hub", "power", 3.0)]))
        [own] = [one for one in needs(made.supplies[0], made.conditions, 8.0) if one.chemistry == "lifepo4"]
        for factor, expect in ((1.0, True), (0.985, False)):
            ohm = 0.06 * 6 / (own.capacity_ah * factor)
            left = 1.0 - CHEMISTRIES["lifepo4"].usable_depth
            source = msgspec.structs.replace(
                made.supplies[0].source, capacity_ah=own.capacity_ah * factor, resistance_ohm=ohm, reserve_soc=left
            )
            self.assertEqual(
                lasts(msgspec.structs.replace(made.supplies[0], source=source), made.conditions, 8.0), expect
            )

    def test_cold_takes_more_and_too_many_volts_none(self) -> None:
        warm = outing((BLOCK, [named("lamp", "power", 4.0)]))
        cold = msgspec.structs.replace(warm, conditions=msgspec.structs.replace(warm.conditions, temperature_c=-10.0))
        first = needs(warm.supplies[0], warm.conditions, 8.0)
        second = needs(cold.supplies[0], cold.conditions, 8.0)
        self.assertGreater(second[0].energy_wh, first[0].energy_wh)
        low = outing(
            (BLOCK, [named("lamp", "power", 4.0, device={"supply": {"min_v": 6, "nominal_v": 9, "max_v": 11}})])
        )
        self.assertEqual(needs(low.supplies[0], low.conditions, 8.0), ())
