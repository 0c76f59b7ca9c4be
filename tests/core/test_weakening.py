"""A pack whose resistance grows as it empties: in every computation alike, by other means too."""

from __future__ import annotations

import json
from itertools import pairwise, product
from typing import Any
from unittest import skipUnless

import numpy as np
from django.test import SimpleTestCase
from scipy.integrate import solve_ivp

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.estimate import estimate
from hermotrope_core.circuit.many import runs
from hermotrope_core.circuit.path import WIDEST_BAND, bands, circuit_of
from hermotrope_core.circuit.simulate import Simulation
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.fit import fit
from hermotrope_core.know.shelved import part_of
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import CaseError, case_from
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.plan.source import Source
from hermotrope_core.several.follow import follow
from hermotrope_core.several.load import Load, everything
from hermotrope_core.several.ranges import night_range
from tests.core.test_fit import logged
from tests.core.test_netlist import NGSPICE, simulated
from tests.core.test_on_share import FIGURES
from tests.support import PASSING, case

GROWS = [[0, 4], [0.1, 2.6], [0.2, 2.0], [0.4, 1.5], [0.6, 1.25], [0.8, 1.1], [1, 1]]
CELLS = {
    "name": "eight AA", "chemistry": "alkaline", "cells_in_series": 8, "capacity_ah": 2.5, "resistance_ohm": 1.2,
    "cutoff_v": 6.4,
}  # fmt: skip
LEAD = {"stage": "lead", "length_m": 1.0, "area_mm2": 0.5}
BOARD = {"stage": "converter", "topology": "buck", "output_v": 5.0, "efficiency": 0.9, "quiescent_w": 0.05}
FIVE = {"min_v": 4.5, "nominal_v": 5, "max_v": 5.5}
TWELVE = {"min_v": 7.0, "nominal_v": 12, "max_v": 14}
SIZES = {"power": 2.0, "current": 0.25, "resistance": 40.0}


def tree(kind: str, *path: dict[str, Any], grows: Any = GROWS, rest_s: float = 0.0) -> dict[str, Any]:
    field = FIGURES[kind][0]
    modes: list[dict[str, Any]] = [{"name": "on", "kind": kind, field: SIZES[kind]}]
    repeat = [{"mode": "on", "seconds": 600.0}]
    if rest_s:
        modes.append({"name": "rest", "kind": "power", "power_w": 0.02})
        repeat.append({"mode": "rest", "seconds": rest_s})
    return {
        "format": "hermotrope-case/1", "title": "radio", "path": list(path), "duty": {"repeat": repeat},
        "source": CELLS | ({} if grows is None else {"resistance_by_soc": grows}),
        "device": {"name": "radio", "supply": FIVE if BOARD in path else TWELVE, "modes": modes},
    }  # fmt: skip


def integrated(made: Case, factor: Any) -> float:
    """Seconds of the mode "on" by an integrator, with a factor of the pack's resistance over its charge."""
    circuit = circuit_of(made)
    fresh = circuit.stretches[0].elements[0].resistance_ohm / bands(made.source)[-1][1]
    rest = circuit.stretches[0].resistance_ohm - circuit.stretches[0].elements[0].resistance_ohm
    mode = made.device.modes[0]
    watts = (5.0 * SIZES["power"] / 5.0 / 0.9 + 0.05) if circuit.holders else None

    def amps(soc: float) -> float:
        volts, ohm = circuit.emf(soc), fresh * factor(soc) + rest
        if watts is not None or mode.kind == "power":
            asked = SIZES["power"] if watts is None else watts
            inside = volts**2 - 4 * ohm * asked
            return float((volts - np.sqrt(max(inside, 0.0))) / (2 * ohm))
        return SIZES["current"] if mode.kind == "current" else float(volts / (ohm + SIZES["resistance"]))

    def change(_t: float, state: Any) -> list[float]:
        drawn = amps(float(state[0]))
        fast = max(1.0, drawn / circuit.rated_a) ** (circuit.peukert - 1.0)
        return [-drawn * fast / (3600 * circuit.charge_ah)]

    def stops(_t: float, state: Any) -> float:
        soc = float(state[0])
        drawn, own = amps(soc), fresh * factor(soc)
        least = 5.0 + (made.path[-1].headroom if circuit.holders else 0.0)  # type: ignore[union-attr]
        ends = circuit.emf(soc) - drawn * (own + rest) - (least if circuit.holders else circuit.device_min_v)
        return min(ends, circuit.emf(soc) - drawn * own - circuit.cutoff_v, soc)

    stops.terminal = True  # type: ignore[attr-defined]
    options: dict[str, Any] = {"rtol": 1e-10, "atol": 1e-12, "method": "DOP853", "max_step": 60.0}
    return float(solve_ivp(change, (0, 1e7), [1.0], events=stops, **options).t[-1])


def stepped(made: Case) -> Any:
    """The factor in the bands that we take."""
    steps = bands(made.source)
    return lambda soc: next(factor for low, factor in reversed(steps) if soc >= low)


class Bands(SimpleTestCase):
    def test_they_cover_the_charge_in_steps_of_the_tables_middle(self) -> None:
        made = case_from(tree("power"))
        found = bands(made.source)
        edges = [low for low, _ in found] + [1.0]
        self.assertEqual(edges[0], 0.0)
        self.assertTrue(all(0.0 < b - a <= WIDEST_BAND + 1e-9 for a, b in pairwise(edges)))
        socs, factors = zip(*GROWS, strict=True)
        for (low, factor), high in zip(found, edges[1:], strict=True):
            self.assertAlmostEqual(factor, float(np.interp(0.5 * (low + high), socs, factors)))
        self.assertEqual(bands(case_from(tree("power", grows=None)).source), [(0.0, 1.0)])

    def test_a_table_that_cannot_be_is_refused(self) -> None:
        for bad in ([[0, 0.0], [1, 1]], [[0.5, 2], [0.4, 1]], [[0, 2], [1.2, 1]], [[-0.1, 2], [1, 1]], []):
            with self.subTest(bad), self.assertRaisesRegex(CaseError, "resistance_by_soc"):
                case_from(tree("power", grows=bad))

    def test_a_crowd_of_rows_and_boards_is_still_followed(self) -> None:
        board = {
            "stage": "converter", "topology": "buck", "efficiency": 0.95, "input_min_v": 2.0,
            "headroom_v": 0.1, "in_dropout": "passes", "quiescent_w": 0.0,
        }  # fmt: skip
        crowd = tree(
            "current",
            *[board | {"output_v": 9 - 0.3 * i} for i in range(12)],
            grows=[[i / 39, 4 - 3 * i / 39] for i in range(40)],
        )
        crowd["device"]["supply"] = {"min_v": 3.0, "nominal_v": 6, "max_v": 14}
        made = case_from(crowd)
        self.assertGreater(run(made).runtime_s, 0.0)
        self.assertGreater(runs(made, {}, 2).runtime_s[0], 0.0)
        with self.assertRaisesRegex(CaseError, "more than 40 rows"):
            case_from(tree("power", grows=[[i / 40, 1] for i in range(41)]))

    def test_the_chemistries_tables_are_such(self) -> None:
        for name, one in CHEMISTRIES.items():
            if one.resistance_factor_by_soc is not None:
                with self.subTest(name):
                    case_from(tree("power", grows=[list(row) for row in one.resistance_factor_by_soc]))
                    self.assertFalse(one.rechargeable)

    def test_a_label_of_such_cells_brings_its_table(self) -> None:
        for label, name in (("6x AA alkaline 2500mAh", "alkaline"), ("5S2P 18V 4Ah", None)):
            part = part_of(label).part
            assert isinstance(part, Source)
            table = CHEMISTRIES[name].resistance_factor_by_soc if name else None
            self.assertEqual(part.resistance_by_soc, table)


class Runs(SimpleTestCase):
    def test_a_table_of_ones_changes_nothing(self) -> None:
        for kind, path in product(FIGURES, ((), (LEAD,), (LEAD, BOARD))):
            with self.subTest(kind, path=len(path)):
                plain, ones = (case_from(tree(kind, *path, grows=one)) for one in (None, [[0, 1], [1, 1]]))
                a, b = run(plain), run(ones)
                self.assertEqual(a.end_cause, b.end_cause)
                for name in ("runtime_s", "final_soc", "energy_from_source_wh", "energy_to_device_wh", "charge_ah"):
                    self.assertAlmostEqual(getattr(a, name), getattr(b, name), delta=1e-9 * getattr(a, name) + 1e-12)

    def test_an_integrator_agrees(self) -> None:
        for kind, path in product(FIGURES, ((), (LEAD,))):
            with self.subTest(kind, path=len(path)):
                made = case_from(tree(kind, *path))
                self.assertAlmostEqual(run(made).runtime_s, integrated(made, stepped(made)), delta=0.5)
        board = case_from(tree("power", LEAD, BOARD))
        self.assertAlmostEqual(run(board).runtime_s, integrated(board, stepped(board)), delta=0.5)

    def test_the_steps_are_close_to_the_line(self) -> None:
        socs, factors = zip(*GROWS, strict=True)
        for kind in FIGURES:
            with self.subTest(kind):
                made = case_from(tree(kind, LEAD))
                line = integrated(made, lambda soc: float(np.interp(soc, socs, factors)))
                self.assertAlmostEqual(run(made).runtime_s, line, delta=0.01 * line)
                self.assertLess(line, 0.995 * run(case_from(tree(kind, LEAD, grows=None))).runtime_s)

    def test_draws_and_steps_in_time_agree(self) -> None:
        for kind, rest in product(FIGURES, (0.0, 700.0)):
            with self.subTest(kind, rest=rest):
                made = case_from(tree(kind, LEAD, rest_s=rest))
                ended = run(made)
                many = runs(made, {}, 3)
                self.assertAlmostEqual(many.runtime_s[0], ended.runtime_s, delta=2e-3 * ended.runtime_s)
                self.assertEqual(list(many.causes()), [ended.end_cause])
                simulation = Simulation(made)
                while simulation.sample() is not None:
                    simulation.step(30.0)
                self.assertAlmostEqual(simulation.seconds, ended.runtime_s, delta=61.0)

    def test_with_a_board_that_passes_its_input_on(self) -> None:
        for passes in ({}, {"device.supply.min_v": 10.5}):
            changes = PASSING | passes | {"duty.repeat": [{"mode": "slew", "seconds": 60}]}
            source = {"source.resistance_by_soc": [[0, 6], [0.5, 2], [1, 1]], "source.resistance_ohm": 0.3}
            made = case("cases", "hide-mount-on-tool-pack", **(changes | source))
            ended, many = run(made), runs(made, {}, 2)
            with self.subTest(passes):
                self.assertAlmostEqual(many.runtime_s[0], ended.runtime_s, delta=2e-3 * ended.runtime_s)
                simulation = Simulation(made)
                while simulation.sample() is not None:
                    simulation.step(5.0)
                self.assertAlmostEqual(simulation.seconds, ended.runtime_s, delta=11.0)

    def test_points_see_the_resistance_of_their_charge(self) -> None:
        plain, grown = (Situation(case_from(tree("current", grows=one))) for one in (None, GROWS))
        mode = plain.modes[0]
        for soc in (1.0, 0.55, 0.15):
            factor = stepped(grown.case)(soc)
            a, b = plain.pack_v(mode, soc), grown.pack_v(mode, soc)
            assert a is not None
            assert b is not None
            self.assertAlmostEqual(a - b, 0.25 * 1.2 * (factor - 1.0), places=6)

    def test_the_range_knows_it(self) -> None:
        plain, grown = (estimate(case_from(tree("power", LEAD, grows=one)), draws=2000) for one in (None, GROWS))
        self.assertLess(grown.p50, plain.p50)
        self.assertAlmostEqual(grown.p50 / run(case_from(tree("power", LEAD))).runtime_s, 1.0, delta=0.06)

    @skipUnless(NGSPICE, "ngspice is not installed")
    def test_ngspice_agrees(self) -> None:
        for kind in ("current", "resistance"):
            made = case_from(tree(kind, LEAD))
            seconds = run(made).runtime_s
            self.assertAlmostEqual(simulated(made), seconds, delta=0.01 * seconds)


class Fitted(SimpleTestCase):
    def test_a_log_of_such_a_pack_tells_its_resistance(self) -> None:
        """Planned 1.2 Ω and 2.5 Ah, really 1.8 Ω and 2.2 Ah, both growing alike."""
        made = tree("current", LEAD, rest_s=300.0)
        real = made | {"source": made["source"] | {"resistance_ohm": 1.8, "capacity_ah": 2.2}}
        found = {one.what: one for one in fit(case_from(made), logged(case_from(real), every=10.0, most=1e6)).found}
        for what, was, true, within in (("resistance", 1.2, 1.8, 0.05), ("capacity", 2.5, 2.2, 0.02)):
            with self.subTest(what):
                self.assertEqual(found[what].was, was)
                self.assertAlmostEqual((found[what].now or 0.0) / true, 1.0, delta=within)


class Several(SimpleTestCase):
    def outing(self, made: dict[str, Any], at: int) -> Any:
        branch = {"device": made["device"], "duty": made["duty"], "path": made["path"][at:]}
        supply = {"source": made["source"], "trunk": made["path"][:at], "branches": [branch]}
        return read_outing(json.dumps({"format": "hermotrope-outing/1", "title": "t", "supplies": [supply]}))

    def test_one_branch_is_the_chain(self) -> None:
        for kind, path in product(FIGURES, ((LEAD,), (LEAD, BOARD))):
            made = tree(kind, *path, rest_s=900.0)
            chain = run(case_from(made))
            for at in range(len(path) + 1):
                with self.subTest(kind, path=len(path), at=at):
                    read = self.outing(made, at)
                    got = follow(read.supplies[0], read.conditions)
                    self.assertAlmostEqual(got.runtime_s, chain.runtime_s, delta=1e-8 * chain.runtime_s)
                    wanted = chain.energy_from_source_wh
                    self.assertAlmostEqual(got.energy_from_source_wh, wanted, delta=1e-7 * wanted)

    def test_its_range_and_what_it_carries_know_it(self) -> None:
        made = tree("power", LEAD)
        read = self.outing(made, 1)
        supply = read.supplies[0]
        found = night_range(supply, read.conditions, None, 400)
        lasts = follow(supply, read.conditions).runtime_s
        self.assertAlmostEqual(found.branches[0].p50 / lasts, 1.0, delta=0.1)
        plain = self.outing(tree("power", LEAD, grows=None), 1).supplies[0]
        weak, strong = (Load(one, read.conditions, everything(one)).source_a for one in (supply, plain))
        self.assertGreater(weak, strong)
