"""Match: what is refused at once is refused for good, and what is ranked is ranked for a reason."""

from __future__ import annotations

import json
import random
from functools import cache
from math import inf
from typing import Any, get_args
from unittest import mock

import msgspec
from django.test import SimpleTestCase

from hermotrope_cli.matching import answer
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.situation import LOW_SOC, Situation
from hermotrope_core.judge.findings import check, verdict_of
from hermotrope_core.kinds.stages import Diode, Fuse, KeepAlive, Lead, Resistor
from hermotrope_core.match import search as search_module
from hermotrope_core.match.build import held_way
from hermotrope_core.match.groups import groups
from hermotrope_core.match.judge import judge
from hermotrope_core.match.rank import WISHES
from hermotrope_core.match.readout import match_tree
from hermotrope_core.match.request import Request, read_request
from hermotrope_core.match.search import Limits, Matched, search
from hermotrope_core.match.shelf import Pack, Shelf
from hermotrope_core.parts.wire import PARTS, safe_amps
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.document import CaseError, case_from
from hermotrope_core.values.known import Known, number
from tests.shelves import request
from tests.support import golden

STEADY = {"modes": [{"name": "on", "kind": "power", "power_w": 24}]}
DEVICES: list[dict[str, Any]] = [
    STEADY,
    {"modes": [{"name": "on", "kind": "current", "current_a": 0.4, "peak_a": 3, "peak_s": 0.05}]},
    {
        "modes": [
            {"name": "on", "kind": "resistance", "resistance_ohm": 30},
            {"name": "off", "kind": "power", "power_w": 0.1},
        ],
        "supply": {"min_v": 3.3, "nominal_v": 5, "max_v": 5.5, "absolute_max_v": 7},
        "traits": ["receiver"],
    },
    {
        "modes": [{"name": "on", "kind": "power", "power_w": 60}],
        "supply": {"min_v": 20, "nominal_v": 24, "max_v": 28},
    },
]


@cache
def searched(device: str, seed: int) -> tuple[Request, Matched]:
    asked = request(24, 14, seed, **json.loads(device))
    return asked, search(asked)


def small(device: dict[str, Any], seed: int) -> tuple[Request, Matched]:
    """A search that several tests look at."""
    return searched(json.dumps(device), seed)


def source(**more: Any) -> dict[str, Any]:
    made = {
        "name": "pack", "chemistry": "li-ion", "cells_in_series": 3, "capacity_ah": 3, "resistance_ohm": 0.1,
        "cutoff_v": 9, "low_voltage_cut_off": True, "outlet": {"kind": "leads", "polarity": "marked", "measured": True},
    }  # fmt: skip
    return made | more


def asked_for(sources: list[Any], stages: list[Any], device: dict[str, Any], **more: Any) -> str:
    base = {
        "name": "thing", "supply": {"min_v": 8, "nominal_v": 9, "max_v": 10}, "ends": "clean", "low_warning": True,
        "modes": [{"name": "on", "kind": "current", "current_a": 0.1}],
        "inlet": {"kind": "terminals", "polarity": "marked", "measured": True},
    }  # fmt: skip
    made = base | device
    duty = {"repeat": [{"mode": mode["name"], "seconds": 60} for mode in made["modes"]]}
    shelf = {"sources": sources, "stages": stages}
    return json.dumps({"format": "hermotrope-case/1", "device": made, "duty": duty, "shelf": shelf, **more})


class Soundness(SimpleTestCase):
    def test_what_one_number_refuses_the_full_judgement_refuses_for_it(self) -> None:
        seen = set()
        for seed, device in enumerate(DEVICES):
            _, matched = small(device, seed)
            for refused in random.Random(seed).sample(matched.refused, min(150, len(matched.refused))):
                way = matched.way_of(refused)
                if way is None or refused.reason.code not in get_args(Code):
                    continue
                seen.add(refused.reason.code)
                with self.subTest(refused.strategy, reason=refused.reason):
                    situation = Situation(way.case(matched.case))
                    found = check(situation)
                    self.assertEqual(verdict_of(found), "refused")
                    if situation.at(situation.heaviest, LOW_SOC).complete:  # else the collapse is all that is told
                        self.assertIn(refused.reason.code, {f.code for f in found if f.level == "refuse"})
        self.assertGreaterEqual(len(seen), 5)

    def test_what_fits_is_what_check_and_solve_say(self) -> None:
        fitting = 0
        for seed, device in enumerate(DEVICES):
            asked, matched = small(device, seed)
            for judged in matched.fitting[:40]:
                fitting += 1
                case = judged.way.case(asked.case)
                self.assertNotEqual(verdict_of(check(Situation(case))), "refused")
                self.assertEqual(judged.runtime_s, run(case).runtime_s)
        self.assertGreater(fitting, 60)

    def test_a_spare_is_better_in_no_term(self) -> None:
        compared = 0
        for seed, device in enumerate(DEVICES):
            _, matched = small(device, seed)
            for spare in matched.spares[:60]:
                assert matched.target is not None
                ways = [held_way(matched.target, matched.kit, spare.facts, c) for c in (spare.chain, spare.better)]
                mine, better = (judge(matched.case, way) for way in ways)
                compared += 1
                self.assertLessEqual(mine.runtime_s, better.runtime_s + 1e-6)
                for name in ("price", "mass_g", "minutes", "undo"):
                    self.assertGreaterEqual(getattr(mine.effort, name), getattr(better.effort, name))
                if better.apart == "refused":
                    self.assertEqual(mine.apart, "refused")
                self.assertGreaterEqual(mine.cares, better.cares)
                if better.apart != "refused":  # whoever looks for it finds it among the ways that fit
                    self.assertIn(better.way.path, [judged.way.path for judged in matched.fitting])
        self.assertGreater(compared, 40)

    def test_designed_parts_bring_no_finding_they_should_have_prevented(self) -> None:
        prevented = {"no-fuse", "fuse-over-wire", "fuse-under-load", "wire-hot", "wire-drop", "polarity-reversed"}
        for seed, device in enumerate(DEVICES):
            _, matched = small(device, seed)
            for judged in matched.fitting:
                codes = {f.code for f in judged.findings}
                self.assertFalse(codes & prevented, judged.way)
                lead = next((s for s in judged.way.path if isinstance(s, Lead)), None)
                fuse = next((s for s in judged.way.path if isinstance(s, Fuse)), None)
                if judged.way.strategy == "direct" and lead and fuse:
                    self.assertLessEqual(number(fuse.rating_a), safe_amps(number(lead.area_mm2)))


class Ranking(SimpleTestCase):
    def test_each_wish_puts_its_best_first(self) -> None:
        _, matched = small(STEADY, 3)
        best = {
            "longest": lambda j: -j.runtime_s,
            "lightest": lambda j: j.effort.mass_g,
            "cheapest": lambda j: j.effort.price,
            "least-work": lambda j: j.effort.minutes,
            "reversible": lambda j: j.effort.undo,
        }
        for wish in WISHES:
            ranked = matched.ranked({wish: 1.0})
            key = best[wish]
            self.assertEqual(key(ranked[0].judged), min(key(r.judged) for r in ranked), wish)
            self.assertEqual([t.weight for t in ranked[0].terms], [float(w == wish) for w in WISHES])

    def test_a_mix_counts_as_it_is_weighted(self) -> None:
        _, matched = small(STEADY, 3)
        ranked = matched.ranked({"longest": 3.0, "lightest": 1.0})
        for one in ranked:
            shares = {t.wish: t.share for t in one.terms}
            self.assertAlmostEqual(one.score**4, shares["longest"] ** 3 * shares["lightest"], places=9)
        self.assertEqual([r.score for r in ranked], sorted((r.score for r in ranked), reverse=True))

    def test_the_order_of_the_shelf_does_not_matter(self) -> None:
        asked = request(16, 10, 5, **STEADY)
        turned = read_request(json.dumps(_turned(asked)))
        first, second = search(asked).ranked(), search(turned).ranked()
        names = [
            [(r.judged.way.pack.source.name, r.judged.way.strategy, round(r.score, 9)) for r in x]
            for x in (first, second)
        ]
        self.assertEqual(names[0], names[1])

    def test_ties_go_to_fewer_stages(self) -> None:
        board = {"stage": "converter", "topology": "buck", "output_v": 9, "efficiency": 0.9, "headroom_v": 0.5}
        packs = [source(name="b", low_voltage_cut_off=False), source(name="b")]
        matched = search(read_request(asked_for(packs, [board], {}, wish="longest")))
        ranked = [r for r in matched.ranked({"longest": 1.0}) if r.judged.way.strategy == "buck"]
        self.assertEqual(ranked[0].score, ranked[1].score)
        self.assertEqual([len(r.judged.way.parts) for r in ranked], [3, 4])


def _turned(asked: Request) -> dict[str, Any]:
    case = asked.case
    return {
        "format": case.format,
        "device": msgspec.to_builtins(case.device),
        "duty": msgspec.to_builtins(case.duty),
        "shelf": {
            "sources": [msgspec.to_builtins(p.source) for p in reversed(asked.shelf.packs)],
            "stages": [msgspec.to_builtins(p.stage) for p in reversed(asked.shelf.parts)],
        },
    }


class Strategies(SimpleTestCase):
    def of(self, text: str, limits: Limits | None = None) -> dict[str, Any]:
        """The best way of each strategy that fits."""
        found: dict[str, Any] = {}
        for ranked in search(read_request(text), limits).ranked():
            found.setdefault(ranked.judged.way.strategy, ranked.judged)
        return found

    def test_a_dropper_is_designed_for_a_steady_load_and_refused_for_one_that_varies(self) -> None:
        lamp = {
            "modes": [{"name": "on", "kind": "current", "current_a": 0.1}],
            "supply": {"min_v": 7, "nominal_v": 9, "max_v": 10},
        }
        found = self.of(asked_for([source()], [], lamp))
        dropper = next(s for s in found["series resistor"].way.path if isinstance(s, Resistor))
        ohm, watts = number(dropper.resistance_ohm), number(dropper.rating_w or 0)
        values = {d * 10**p for d in PARTS.resistor_e12 for p in range(-1, 4)}
        self.assertTrue(any(abs(ohm - v) < 1e-9 or abs(2 * ohm - v) < 1e-9 for v in values), ohm)
        self.assertGreaterEqual(watts, 2 * 0.1**2 * ohm)
        self.assertLessEqual(12.6 - 0.1 * ohm, 10.0)
        lamp["modes"].append({"name": "bright", "kind": "current", "current_a": 0.3})
        text = asked_for([source()], [], lamp)
        self.assertNotIn("series resistor", self.of(text))
        varying = [r for r in search(read_request(text)).refused if r.reason.code == "varying-load"]
        self.assertEqual([round(r.reason.have, 3) for r in varying], [0.3])

    def test_a_dropper_and_diodes_are_offered_where_the_source_holds_its_volts(self) -> None:
        wall = source(
            chemistry="mains-adapter", cells_in_series=1, capacity_ah=1, cutoff_v=0, resistance_ohm=0, full_v=9,
            ocv=[[0, 9], [1, 9]], regulated_output={"output_v": 9, "efficiency": 0.99},
        )  # fmt: skip
        lamp = {"supply": {"min_v": 6.5, "nominal_v": 7.5, "max_v": 8}}
        found = self.of(asked_for([wall], [{"stage": "diode", "forward_v": 0.7}], lamp))
        self.assertLessEqual({"series resistor", "series diodes"}, set(found))

    def test_a_mains_device_stands_behind_an_inverter_and_nothing_else(self) -> None:
        inverter = {"stage": "converter", "topology": "inverter", "output_v": 230, "efficiency": 0.85, "quiescent_w": 4,
                    "input_min_v": 9, "input_max_v": 15, "thermal_k_per_w": 1.5}  # fmt: skip
        lamp = {
            "inlet": {"kind": "mains"},
            "supply": {"min_v": 207, "nominal_v": 230, "max_v": 253},
            "modes": [{"name": "on", "kind": "power", "power_w": 20}],
        }
        found = search(read_request(asked_for([source()], [inverter], lamp)))
        ways = [j.way for j in found.fitting]
        self.assertEqual({w.strategy for w in ways}, {"inverter"})
        self.assertEqual([s.topology for s in ways[0].path if hasattr(s, "topology")], ["inverter"])

    def test_a_receiver_hears_a_switching_part_and_the_order_knows_it(self) -> None:
        board = {"stage": "converter", "topology": "buck", "output_v": 9, "efficiency": 0.95, "headroom_v": 0.2}
        regulator = {"stage": "linear", "output_v": 9, "dropout_v": 0.2}
        worth = []
        for traits in ([], ["receiver"]):
            ranked = search(read_request(asked_for([source()], [board, regulator], {"traits": traits}))).ranked()
            scores = {one.judged.way.strategy: one.score for one in reversed(ranked)}
            worth.append(scores["buck"] / scores["linear regulator"])
        self.assertLess(worth[1], 0.76 * worth[0])

    def test_a_pack_far_beyond_what_was_asked_comes_after_one_that_is_enough(self) -> None:
        lamp = {"supply": {"min_v": 8, "nominal_v": 12, "max_v": 14}}
        packs = [source(name="small", capacity_ah=2, mass_g=200), source(name="huge", capacity_ah=40, mass_g=4000)]
        text = asked_for(packs, [], lamp)
        for hours, first in ((0.0, "huge"), (8.0, "small")):
            found = search(read_request(text), Limits(hours=hours))
            self.assertEqual(found.ranked()[0].judged.way.pack.source.name, first, hours)

    def test_as_many_diodes_as_it_takes(self) -> None:
        found = self.of(
            asked_for(
                [source()],
                [{"stage": "diode", "forward_v": 0.7}],
                {"supply": {"min_v": 6, "nominal_v": 9, "max_v": 10.5}},
            )
        )
        diode = next(s for s in found["series diodes"].way.path if isinstance(s, Diode))
        self.assertEqual(diode.count, 3)  # 12.6 - 3 x 0.7 = 10.5

    def test_a_bank_is_kept_awake_at_a_cost(self) -> None:
        port = {
            "output_v": 5,
            "efficiency": 0.9,
            "output_current_max_a": 2,
            "output_min_current_a": 0.06,
            "output_off_delay_s": 30,
        }
        bank = source(cells_in_series=1, cutoff_v=3, capacity_ah=10, regulated_output=port)
        small_load = {
            "supply": {"min_v": 4.5, "nominal_v": 5, "max_v": 5.5},
            "modes": [{"name": "on", "kind": "current", "current_a": 0.02}],
        }
        judged = self.of(asked_for([bank], [], small_load))["direct"]
        load = next(s for s in judged.way.path if isinstance(s, KeepAlive))
        self.assertTrue(judged.way.kept_awake)
        self.assertAlmostEqual(number(load.current_a), 1.2 * 0.06 - 0.02, places=3)
        assert judged.asleep_s is not None
        self.assertAlmostEqual(judged.asleep_s / judged.runtime_s, 0.072 / 0.02, delta=0.02)

    def test_a_negotiated_port_gets_a_trigger_and_a_second_stage_where_it_needs_one(self) -> None:
        profiles = [{"output_v": v, "output_current_max_a": 3} for v in (5, 9, 20)]
        port = {"output_v": 5, "efficiency": 0.9, "output_current_max_a": 3}
        bank = source(
            cells_in_series=1,
            cutoff_v=3,
            regulated_output=port,
            ports=[{"name": "C", "kind": "usb-c", "profiles": profiles}],
        )
        buck = {"stage": "converter", "topology": "buck", "output_v": 12, "efficiency": 0.9, "headroom_v": 1}
        found = self.of(asked_for([bank], [buck], {}))
        self.assertEqual(found["trigger board"].way.pack.port, "C at 9 V")
        at_12 = self.of(asked_for([bank], [buck], {"supply": {"min_v": 11, "nominal_v": 12, "max_v": 13}}))
        two = at_12["two stages"].way
        self.assertEqual([getattr(s, "topology", None) for s in two.path[:2]], ["trigger", "buck"])
        self.assertEqual([number(s.output_v) for s in two.path[:2]], [20, 12])

    def test_an_inverter_stands_beside_the_direct_way_with_its_losses(self) -> None:
        inverter = {"stage": "converter", "topology": "inverter", "output_v": 230, "efficiency": 0.85, "quiescent_w": 4,
                    "input_min_v": 9, "input_max_v": 15, "thermal_k_per_w": 1.5}  # fmt: skip
        found = self.of(asked_for([source()], [inverter], {"supply": {"min_v": 8, "nominal_v": 12, "max_v": 14}}))
        self.assertLess(found["inverter"].runtime_s, 0.5 * found["direct"].runtime_s)
        self.assertIn("mains", {f.code for f in found["inverter"].findings})

    def test_a_wall_adapter_lasts_for_ever_and_needs_a_swapping_lead_for_the_other_centre(self) -> None:
        wall = source(
            chemistry="mains-adapter", cells_in_series=1, capacity_ah=1, cutoff_v=0, resistance_ohm=0, full_v=9,
            ocv=[[0, 9], [1, 9]], regulated_output={"output_v": 9, "efficiency": 0.99},
            outlet={"kind": "barrel", "polarity": "centre-positive"},
        )  # fmt: skip
        inlet = {"kind": "barrel", "polarity": "centre-negative", "measured": True}
        judged = self.of(asked_for([wall], [], {"inlet": inlet}))["wall adapter"]
        self.assertEqual(judged.runtime_s, inf)
        self.assertEqual([s.swaps_polarity for s in judged.way.path if isinstance(s, Lead)], [True])

    def test_a_receiver_gets_a_linear_regulator_behind_a_board(self) -> None:
        board = {"stage": "converter", "topology": "buck-boost", "output_v": 12, "efficiency": 0.9}
        found = self.of(asked_for([source()], [board], {"traits": ["receiver", "electronics"]}))
        self.assertEqual([type(s).__name__ for s in found["two stages"].way.path[1:3]], ["Converter", "Linear"])

    def test_what_is_asked_of_a_way_beyond_its_verdict(self) -> None:
        board = {"stage": "converter", "topology": "buck", "output_v": 9, "efficiency": 0.9, "headroom_v": 0.2}
        text = asked_for([source()], [board], {"supply": {"min_v": 8, "nominal_v": 9, "max_v": 14}})
        self.assertEqual(set(self.of(text, Limits(no_soldering=True))), {"direct"})
        self.assertEqual(self.of(text, Limits(hours=1000)), {})


class Refusals(SimpleTestCase):
    def test_groups_hold_everything_refused_and_their_cures_cure(self) -> None:
        cured = 0
        for seed, device in enumerate(DEVICES):
            _, matched = small(device, seed)
            found = groups(matched)
            self.assertEqual(sum(g.count for g in found), len(matched.refused) + len(matched.dropped))
            self.assertEqual([g.count for g in found], sorted((g.count for g in found), reverse=True))
            for group in found:
                self.assertNotIn("{", group.words)
                if group.cure is not None:
                    cured += 1
                    self.assertNotEqual(verdict_of(check(Situation(group.cure.case))), "refused", group.cure.words)
        self.assertGreater(cured, 8)

    def test_a_cure_answers_what_refused_it(self) -> None:
        """A board for too little current is not told another voltage."""
        board = {"stage": "converter", "topology": "buck", "output_v": 9, "efficiency": 0.9, "headroom_v": 0.5,
                 "output_current_max_a": 0.05, "adjusts_from_v": 1.2, "adjusts_to_v": 11}  # fmt: skip
        matched = search(read_request(asked_for([source()], [board], {})))
        for group in groups(matched):
            if group.code == "over-current" and group.cure is not None:
                self.assertNotRegex(group.cure.words, r"^set .* V")

    def test_what_stands_at_the_device_does_not_hide_the_ways(self) -> None:
        inlet = {"kind": "terminals", "polarity": "marked", "measured": False}
        matched = search(
            read_request(
                asked_for([source()], [], {"inlet": inlet, "supply": {"min_v": 8, "nominal_v": 12, "max_v": 14}})
            )
        )
        self.assertEqual(
            [(j.verdict, j.apart) for j in matched.fitting if j.way.strategy == "direct"], [("refused", "fits")]
        )

    def test_bad_requests_name_the_field(self) -> None:
        good = json.loads(asked_for([source()], [], {}))
        for change, place in (
            ({"wish": "fastest"}, "wish"),
            ({"shelf": {"sources": [source(chemistry="moon")], "stages": []}}, "shelf.sources[0].chemistry"),
            ({"shelf": {"sources": [], "stages": [{"stage": "fuse", "rating_a": -1}]}}, "shelf.stages[0]"),
            ({"duty": {"repeat": [{"mode": "fly", "seconds": 1}]}}, "duty.repeat[0].mode"),
            ({"source": {}}, "source"),
            ({"format": "hermotrope-case/9"}, "format"),
        ):
            with self.subTest(place), self.assertRaises(CaseError) as caught:
                read_request(json.dumps(good | change))
            self.assertTrue(str(caught.exception).startswith(place), str(caught.exception))

    def test_a_shelf_with_nothing_on_it_answers(self) -> None:
        self.assertEqual(answer(asked_for([], [], {}).encode())["tried"], 0)


class Command(SimpleTestCase):
    def test_every_option_can_be_put_into_a_case_and_judged_the_same(self) -> None:
        board = {"stage": "converter", "topology": "buck", "output_v": 5, "efficiency": 0.9, "input_max_v": 24}
        packs = [source(), source(name="six", cells_in_series=6, cutoff_v=18)]
        asked = json.loads(asked_for(packs, [board | {"headroom_v": 1, "output_current_max_a": 2}], {}))
        printed = answer(json.dumps(asked).encode())
        self.assertEqual(printed["tried"], len(printed["options"]))
        refused = [option["verdict"] == "refused" for option in printed["options"]]
        self.assertEqual(refused, sorted(refused))
        for option in printed["options"]:
            tree = {k: asked[k] for k in ("format", "device", "duty")} | {"title": "x"}
            if option["path"] or option["strategy"] == "direct":
                case = case_from(tree | {"source": option["source"], "path": option["path"]})
                self.assertEqual(verdict_of(check(Situation(case))), option["verdict"])

    def test_the_golden_devices_find_their_own_way_again(self) -> None:
        """Each public case's own pack fits its device through some way, where the case itself is not refused."""
        for name, tree, _ in golden("cases"):
            made = {k: tree[k] for k in ("format", "device", "duty")}
            stages = [s for s in tree.get("path", []) if s["stage"] in ("converter", "linear", "diode")]
            made |= {"shelf": {"sources": [tree["source"]], "stages": stages}, "conditions": tree.get("conditions", {})}
            with self.subTest(name):
                self.assertGreater(search(read_request(json.dumps(made))).tried, 0)

    def test_what_is_alike_but_for_its_name_is_tried_once(self) -> None:
        asked = request(6, 4)
        packs = [msgspec.structs.replace(pack, have=False) for pack in asked.shelf.packs]
        own = msgspec.structs.replace(packs[2].source, name="mine", price=Known(value=99.0))
        cheap = msgspec.structs.replace(asked.shelf.parts[0], name="cheaper", price=0.5)
        shelf = Shelf((*packs, Pack(own, have=True)), (*asked.shelf.parts, cheap)).once()
        self.assertEqual(shelf.alike, 2)
        self.assertEqual([pack.source.name for pack in shelf.packs][:3], ["mine", "pack 0", "pack 1"])
        self.assertNotIn("pack 2", [pack.source.name for pack in shelf.packs])
        self.assertEqual([part.name for part in shelf.parts].index("cheaper"), 0)
        self.assertEqual(asked.shelf.once(), Shelf(asked.shelf.packs, asked.shelf.parts, 0))

    def test_a_search_ends_before_nobody_can_read_what_it_finds(self) -> None:
        asked = request(24, 14)
        for bound in ("MOST_TRIED", "MOST_JUDGED"):
            with mock.patch.object(search_module, bound, 20):
                found = search(asked)
            self.assertFalse(found.complete)
            self.assertLess(found.packs, 24)
            self.assertEqual(found.of_packs, 24)
            self.assertGreaterEqual(found.tried, 20)
            told = match_tree(found, None)
            self.assertEqual((told["packs"], told["of_packs"]), (found.packs, 24))
        self.assertNotIn("packs", match_tree(search(request(2, 2)), None))

    def test_next_to_nothing_is_judged_like_nothing(self) -> None:
        for kind, field in (("power", "power_w"), ("current", "current_a")):
            for little in (5e-324, 1e-300, 1e-160, 1e-99, 1e-60):
                with self.subTest(kind, little=little):
                    found = search(request(8, 8, modes=[{"name": "on", "kind": kind, field: little}]))
                    groups(found)
                    self.assertGreater(len(found.ranked()), 0)
