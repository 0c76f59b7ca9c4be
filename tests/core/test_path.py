"""The path: gauge and fuse chosen together, chains of leads, places, heat, standing drain, cautions."""

from __future__ import annotations

import random
from typing import Any
from unittest import mock

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.heat import part_heats
from hermotrope_core.hours.standing import days_to_flat, switch_places
from hermotrope_core.judge.cautions import CATALOGUE, cautions, stops
from hermotrope_core.judge.choose import AREAS, NoChoice, choose, fuse_margins, lead_margins
from hermotrope_core.judge.findings import check
from hermotrope_core.judge.placement import problem, spots
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.kinds.stages import Converter, Fuse, KeepAlive, Lead
from hermotrope_core.know import adapters
from hermotrope_core.know.adapters import chains
from hermotrope_core.know.joints import gaps, lead_to_make
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from
from hermotrope_core.values.known import number
from tests.support import case, tree

PREVENTED = {"no-fuse", "fuse-over-wire", "fuse-under-load", "wire-drop", "wire-hot"}


def random_lead(rng: random.Random) -> dict[str, Any]:
    return {"stage": "lead", "length_m": round(10 ** rng.uniform(-1.3, 1.0), 3), "area_mm2": rng.choice((0.05, 0.5, 6))}


def random_case(rng: random.Random) -> Case:
    """A pack, a device and a path with leads of any length, at random."""
    cells = rng.choice((1, 2, 3, 4, 5, 7, 10))
    volts = 3.6 * cells
    kind = rng.choice(("power", "current", "resistance"))
    amps = 10 ** rng.uniform(-2, 1.2)
    draw = {
        "power": {"power_w": amps * volts},
        "current": {"current_a": amps},
        "resistance": {"resistance_ohm": volts / amps},
    }
    mode: dict[str, Any] = {"name": "on", "kind": kind, **draw[kind]}
    if rng.random() < 0.4:
        mode |= {"peak_a": amps * rng.uniform(1.1, 5), "peak_s": rng.choice((0.01, 0.05, 0.3, 2.0))}
    path: list[dict[str, Any]] = [random_lead(rng)] if rng.random() < 0.5 else []
    if rng.random() < 0.5:
        path.insert(0, {"stage": "fuse", "rating_a": rng.choice((0.1, 3, 40))})
    if rng.random() < 0.5:
        path.append(
            {"stage": "converter", "topology": "buck-boost", "output_v": rng.choice((5, 12, 24)), "efficiency": 0.9}
        )
        path.append(random_lead(rng))
    made = tree("judgements", "all-well")
    made["device"] |= {"supply": {"min_v": 0.1, "nominal_v": 12, "max_v": 100}, "modes": [mode]}
    made["source"] |= {
        "cells_in_series": cells, "capacity_ah": rng.uniform(1, 20), "resistance_ohm": cells * rng.uniform(0.005, 0.05),
        "cutoff_v": 3.0 * cells, "max_current_a": 200,
    }  # fmt: skip
    made |= {"path": path, "duty": {"repeat": [{"mode": "on", "seconds": 60}]}}
    return case_from(made)


class Choosing(SimpleTestCase):
    def test_a_choice_never_brings_what_it_should_prevent(self) -> None:
        rng, chosen, refused = random.Random(5), 0, 0
        for i in range(2000):
            made = random_case(rng)
            try:
                now = choose(made)
            except NoChoice as no:
                refused += 1
                self.assertTrue(str(no))
                continue
            situation = Situation(now)
            self.assertTrue(situation.at(situation.heaviest, 0.5).complete)
            chosen += 1
            found = {f.code for f in check(situation)} & PREVENTED
            self.assertFalse(found, f"{i}: {found} {msgspec.to_builtins(now.path)}")
            for margin in fuse_margins(situation):
                self.assertGreaterEqual(margin.rating_a, 1.25 * margin.load_a)
                self.assertLessEqual(margin.rating_a, margin.wire_a)
            for lead in lead_margins(situation):
                self.assertLessEqual(lead.amps, lead.safe_a)
                self.assertLessEqual(lead.share, 0.03)
        self.assertGreater(chosen, 1000)
        self.assertGreater(refused, 20)

    def test_it_takes_no_more_copper_than_it_must(self) -> None:
        """One size thinner breaks a rule."""
        made = choose(case("judgements", "long-thin-lead"))
        at = next(i for i, s in enumerate(made.path) if isinstance(s, Lead) and number(s.length_m) > 1)
        area = number(made.path[at].area_mm2)  # type: ignore[union-attr]
        thinner = max(a for a in AREAS if a < area)
        path = list(made.path)
        path[at] = msgspec.structs.replace(path[at], area_mm2=thinner)
        worse = check(Situation(msgspec.structs.replace(made, path=tuple(path))))
        self.assertTrue({f.code for f in worse} & PREVENTED)

    def test_a_missing_fuse_is_put_at_the_pack_and_a_bank_gets_none(self) -> None:
        self.assertIsInstance(choose(case("judgements", "no-fuse-strong-pack")).path[0], Fuse)
        self.assertFalse([s for s in choose(case("judgements", "bank-well-loaded")).path if isinstance(s, Fuse)])


def barrel(sign: str, gender: str, inner: float = 2.1) -> Connector:
    return Connector(kind="barrel", outer_mm=5.5, inner_mm=inner, polarity=sign, gender=gender, measured=True)  # type: ignore[arg-type]


STRAIGHT = Lead(length_m=0.5, area_mm2=0.75, source_end=barrel("marked", "socket"), device_end=barrel("marked", "plug"))
SWAPPING = msgspec.structs.replace(STRAIGHT, swaps_polarity=True)
WIDE = Lead(
    length_m=0.02, area_mm2=0.75, source_end=barrel("marked", "socket"), device_end=barrel("marked", "plug", 2.5)
)
TAIL = Lead(length_m=0.5, area_mm2=0.75, device_end=barrel("marked", "plug"))


class Chains(SimpleTestCase):
    def names(self, outlet: Connector, inlet: Connector, *leads: tuple[str, Lead]) -> list[list[str]]:
        return [[link.name for link in chain.links] for chain in chains(outlet, inlet, leads)]

    def test_size_gender_and_polarity_must_be_right(self) -> None:
        out, shelf = barrel("centre-positive", "plug"), (("straight", STRAIGHT), ("swapping", SWAPPING), ("wide", WIDE))
        self.assertEqual(self.names(out, barrel("centre-positive", "socket"), *shelf)[0], [])
        self.assertEqual(self.names(out, barrel("centre-negative", "socket"), *shelf)[0], ["swapping"])
        self.assertEqual(self.names(out, barrel("centre-positive", "socket", 2.5), *shelf)[0], ["wide"])
        both = self.names(out, barrel("centre-negative", "socket", 2.5), *shelf)
        self.assertEqual(both[0], ["swapping", "wide"])
        self.assertEqual(self.names(out, barrel("centre-negative", "socket"), ("straight", STRAIGHT)), [])
        self.assertEqual(
            self.names(barrel("centre-positive", "socket"), barrel("centre-positive", "socket"), *shelf), []
        )

    def test_wires_joined_by_hand_take_either_sign(self) -> None:
        wires = Connector(kind="terminals", polarity="marked")
        for sign in ("centre-positive", "centre-negative"):
            self.assertEqual(self.names(wires, barrel(sign, "socket"), ("tail", TAIL)), [["tail"]])

    def test_several_chains_fewest_joints_first_and_none_with_more_than_it_takes(self) -> None:
        shelf = (("short", msgspec.structs.replace(STRAIGHT, length_m=0.1)), ("long", STRAIGHT), ("swapping", SWAPPING))
        found = chains(barrel("centre-positive", "plug"), barrel("centre-negative", "socket"), shelf)
        self.assertEqual([len(c.links) for c in found], sorted(len(c.links) for c in found))
        self.assertEqual(found[0].joints, 2)
        self.assertEqual(len(found), 1)

    def test_thousands_of_leads_are_no_more_work_than_their_kinds(self) -> None:
        """Counted, not timed: what is asked of a lead's ends follows their kinds."""
        many = [(f"lead {i}", msgspec.structs.replace(SWAPPING, length_m=1.0 + i / 1000)) for i in range(2000)]
        with mock.patch("hermotrope_core.know.adapters.behind", wraps=adapters.behind) as asked:
            found = chains(barrel("centre-positive", "plug"), barrel("centre-negative", "socket"), many)
        self.assertLess(asked.call_count, 20)
        self.assertEqual([[link.name for link in one.links] for one in found], [["lead 0"], ["lead 1"], ["lead 2"]])

    def test_the_lead_to_make_says_which_wire_goes_where(self) -> None:
        made = lead_to_make(barrel("centre-positive", "socket"), barrel("centre-negative", "socket"))
        self.assertTrue(made.swaps)
        self.assertEqual(
            [(c.source_contact, c.device_contact) for c in made.conductors],
            [("centre", "sleeve"), ("sleeve", "centre")],
        )
        self.assertEqual((made.source_end.gender, made.device_end.gender), ("plug", "plug"))
        self.assertIn("centres differ", made.remarks[0])
        plain = lead_to_make(Connector(kind="terminals", polarity="unknown"), barrel("centre-positive", "socket"))
        self.assertEqual(plain.conductors[0].source_contact, "not known: measure it first")

    def test_what_leads_must_join(self) -> None:
        made = case("judgements", "all-well")
        self.assertEqual([(g.start, g.stop) for g in gaps(made)], [(0, 1), (3, 4)])
        direct = msgspec.structs.replace(made, path=made.path[3:])
        self.assertEqual([(g.start, g.stop) for g in gaps(direct)], [(0, 1)])


class Places(SimpleTestCase):
    def test_where_a_stage_makes_no_sense(self) -> None:
        made = case("judgements", "all-well")  # fuse, switch, buck to 12 V, lead
        buck = made.path[2]
        self.assertEqual(
            [spot.problem is None for spot in spots(made, Fuse(rating_a=5))], [True, True, False, False, False]
        )
        self.assertIsNone(problem(made, made.path[1], 1))
        self.assertIn("own draw", problem(made, made.path[1], 3) or "")
        self.assertIn("steps down", problem(made, msgspec.structs.replace(buck, output_v=24.0), 0) or "")
        boost = msgspec.structs.replace(buck, topology="boost", output_v=24.0)
        self.assertIsNone(problem(made, boost, 0))
        self.assertIn("steps up", problem(made, msgspec.structs.replace(boost, output_v=9.0), 3) or "")
        self.assertIn(
            "takes in 16 V", problem(made, msgspec.structs.replace(buck, input_min_v=5.0, input_max_v=16.0), 0) or ""
        )
        self.assertIn("falls asleep", problem(made, KeepAlive(current_a=0.1), 0) or "")
        trigger = Converter(topology="trigger", output_v=9.0, efficiency=0.99)
        self.assertIn("negotiated", problem(made, trigger, 0) or "")

    def test_a_switch_before_the_converter_saves_its_draw(self) -> None:
        made = case("judgements", "converter-always-on")
        places = switch_places(made)
        self.assertEqual(places[0].words, "without a switch")
        self.assertAlmostEqual(places[0].days or 0, days_to_flat(made)[1] or 0)
        self.assertIsNone(places[1].days)
        self.assertIsNotNone(places[-1].days)


class Heat(SimpleTestCase):
    def test_a_closed_box_is_warmer_and_the_outing_counts(self) -> None:
        made = case("judgements", "hot-board")
        converter = next(h for h in part_heats(Situation(made)) if h.stage == 2)
        finding = next(f for f in check(Situation(made)) if f.code == "hot-part")
        self.assertAlmostEqual(converter.warmest_open_c - 20.0, finding.have or 0, places=6)
        self.assertGreater(converter.warmest_closed_c, converter.warmest_open_c)
        warm = msgspec.structs.replace(made, conditions=msgspec.structs.replace(made.conditions, temperature_c=35.0))
        warmer = next(h for h in part_heats(Situation(warm)) if h.stage == 2)
        self.assertAlmostEqual(warmer.warmest_open_c - converter.warmest_open_c, 15.0, delta=0.5)
        self.assertEqual(converter.derated_a, 0.7 * number(made.path[2].output_current_max_a or 0))  # type: ignore[union-attr]


class Cautions(SimpleTestCase):
    def test_each_is_reachable_and_says_whom_to_ask(self) -> None:
        base = tree("judgements", "all-well")
        starts: dict[str, dict[str, Any]] = {
            "inverter": {"path": [{"stage": "converter", "topology": "inverter", "output_v": 230, "efficiency": 0.8}]},
            "wall-adapter": {"source": base["source"] | {"chemistry": "mains-adapter"}},
            "primary": {"source": base["source"] | {"chemistry": "alkaline"}},
            "lead-acid": {"source": base["source"] | {"chemistry": "lead-acid"}},
            "air": {"source": base["source"] | {"capacity_ah": 10}},
            "high-dc": {"source": base["source"] | {"cells_in_series": 40, "cutoff_v": 120}},
        }
        for one in CATALOGUE:
            made = base | starts.get(one.key, {})
            if one.key in ("life-safety", "mains-inside", "ridden", "child", "near-water", "motor"):
                made = made | {"device": base["device"] | {"traits": [one.key]}}
            with self.subTest(one.key):
                self.assertIn(one.key, {c.key for c in cautions(case_from(made))})
                self.assertTrue(one.says.endswith("."))
                self.assertTrue(one.ask)

    def test_a_stop_stands_until_somebody_takes_it_over(self) -> None:
        made = case("judgements", "breathing-gear")
        self.assertEqual([c.key for c in stops(made)], ["life-safety"])
        taken = msgspec.structs.replace(made, accepted=("life-safety",))
        self.assertEqual(stops(taken), ())
        self.assertIn("life-safety", {c.key for c in cautions(taken)})

    def test_a_deliberate_choice_says_its_reason_in_the_finding(self) -> None:
        made = tree("judgements", "direct-little-over-accepted")
        made["choices"] = [{"code": "over-max", "reason": "measured 17 V on its own supply", "by": "the warden"}]
        said = next(f for f in check(Situation(case_from(made))) if f.code == "over-max")
        self.assertIn("Chosen deliberately (the warden): measured 17 V on its own supply.", said.message)
