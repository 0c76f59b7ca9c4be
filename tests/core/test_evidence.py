"""What is known of a device: worked out whatever the order, contradictions told, lives turned into draws exactly."""

from __future__ import annotations

import itertools

import msgspec
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp

from hermotrope_core.know.evidence import Worked, line_of, worked_out
from hermotrope_core.know.life import watts_of
from hermotrope_core.know.refit import refitted
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import FORMAT, Case
from hermotrope_core.plan.device import Device, Mode, Supply
from hermotrope_core.plan.document import CaseError, case_from, tree_of
from hermotrope_core.plan.evidence import (
    Evidence,
    Lasted,
    MeterRead,
    Printed,
    RanInCar,
    RanOnAdapter,
    RanOnCells,
    Tried,
)
from hermotrope_core.plan.spread import known_by
from hermotrope_core.values.known import Known, maybe, number

CELLS = RanOnCells(chemistry="alkaline", cells_in_series=4)
ADAPTER = RanOnAdapter(nominal_v=7.5, current_a=0.8)
LIFE = Lasted(mode="on", lasted_s=42 * 3600.0, chemistry="alkaline", cells_in_series=4, cell_size="C")
READ = MeterRead(mode="on", at_v=6.0, current_a=0.14)


def limits(*evidence: Evidence) -> tuple[float | None, ...]:
    supply = worked_out(evidence).supply
    return tuple(maybe(v) for v in (supply.min_v, supply.nominal_v, supply.max_v, supply.absolute_max_v))


def told(worked: Worked) -> str:
    return " ".join(worked.told)


class Windows(SimpleTestCase):
    def test_each_kind_alone(self) -> None:
        for piece, wanted in (
            (CELLS, (3.2, 6.0, 6.48, None)),
            (ADAPTER, (7.125, 7.5, 7.875, None)),
            (RanOnAdapter(nominal_v=12, regulated=False, unloaded_v=17.0), (10.2, 12, 17.0, None)),
            (RanInCar(), (11.5, 12, 12.8, None)),
            (RanInCar(engine_running=True), (11.5, 12, 14.4, None)),
            (Printed(min_v=9, nominal_v=12, max_v=15, absolute_max_v=16), (9, 12, 15, 16)),
            (READ, (6, None, 6, None)),
            (LIFE, (3.2, 6.0, 6.48, None)),
            (Tried(at_v=9.6), (9.6, None, 9.6, None)),
            (Tried(at_v=9.6, went="too-few"), (9.6, None, None, None)),
            (Tried(at_v=18, went="too-many"), (None, None, None, 18)),
        ):
            with self.subTest(line_of(piece).words):
                self.assertEqual(limits(piece), wanted)

    def test_what_it_survived_adds_up_and_what_is_printed_stands(self) -> None:
        self.assertEqual(limits(CELLS, ADAPTER)[2], 7.875)
        printed = Printed(max_v=7.0)
        worked = worked_out((CELLS, ADAPTER, printed))
        self.assertEqual(maybe(worked.supply.max_v), 7.0)
        self.assertIn("It has run on 7.88 V", told(worked))
        sheet = Printed(by="datasheet", max_v=9.0)
        self.assertEqual(limits(printed, sheet)[2], 9.0)
        self.assertEqual(limits(Printed(max_v=8.0), printed)[2], 7.0)
        self.assertEqual(told(worked_out((CELLS, Printed(max_v=6.4)))), "")

    def test_too_many_volts_bound_what_it_survived(self) -> None:
        worked = worked_out((CELLS, ADAPTER, Tried(at_v=7.0, went="too-many")))
        self.assertEqual((maybe(worked.supply.max_v), maybe(worked.supply.absolute_max_v)), (6.48, 7.0))
        self.assertIn("one of them is not so", told(worked))
        self.assertEqual(limits(Printed(absolute_max_v=16), Tried(at_v=15.5, went="too-many"))[3], 15.5)

    def test_the_least_is_what_was_tried_before_what_was_inferred(self) -> None:
        stops = Tried(at_v=4.1, went="too-few")
        self.assertEqual(limits(CELLS, stops)[0], 4.1)
        self.assertEqual(limits(CELLS, Tried(at_v=2.9, went="too-few"))[0], 3.2)
        self.assertEqual(limits(CELLS, stops, Tried(at_v=4.4))[0], 4.4)
        self.assertEqual(limits(CELLS, stops, Tried(at_v=5.8))[0], 4.1)
        below = worked_out((ADAPTER, Tried(at_v=5.0)))
        self.assertEqual((number(below.supply.min_v or 0), known_by(below.supply.min_v)), (5.0, "measured"))
        self.assertIn("It worked at 5.00 V, below the 7.12 V", told(below))
        both = worked_out((ADAPTER, Tried(at_v=5.0), Tried(at_v=5.5, went="too-few")))
        self.assertEqual(maybe(both.supply.min_v), 5.5)
        self.assertIn("try it again", told(both))
        self.assertEqual(known_by(worked_out((READ,)).supply.min_v), "guess")

    def test_what_cannot_both_be_is_told_and_left_open(self) -> None:
        worked = worked_out((Printed(min_v=9), RanOnCells(chemistry="nimh", cells_in_series=4)))
        self.assertEqual((maybe(worked.supply.min_v), worked.supply.max_v), (9, None))
        self.assertIn("one of them is not of this device", told(worked))
        self.assertIn("Rated volts: 12.0 V by its label, 6.00 V by 4", told(worked_out((CELLS, Printed(nominal_v=12)))))

    def test_the_order_makes_no_difference_and_a_doubted_piece_counts_for_nothing(self) -> None:
        pieces = (CELLS, ADAPTER, LIFE, READ, Tried(at_v=4.1, went="too-few"), RanInCar())
        first = worked_out(pieces)
        for order in itertools.islice(itertools.permutations(pieces), 0, 720, 37):
            made = worked_out(order)
            self.assertEqual(
                (made.supply, made.modes, sorted(made.told)), (first.supply, first.modes, sorted(first.told))
            )
        for i, piece in enumerate(pieces):
            without = worked_out(pieces[:i] + pieces[i + 1 :])
            doubted = worked_out((*pieces[:i], msgspec.structs.replace(piece, doubted=True), *pieces[i + 1 :]))
            self.assertEqual(
                (doubted.supply, doubted.modes, doubted.told), (without.supply, without.modes, without.told)
            )
            self.assertEqual([line.counts for line in doubted.lines], [k != i for k in range(len(pieces))])


class Draws(SimpleTestCase):
    def test_the_best_known_draw_and_what_contradicts_it(self) -> None:
        (mode,) = worked_out((ADAPTER,)).modes
        self.assertEqual((mode.draw, mode.stands_for), (mode.power_w, "maximum"))
        self.assertEqual((number(mode.draw or 0), known_by(mode.draw)), (6.0, "guess"))
        worked = worked_out((ADAPTER, LIFE, READ))
        (mode,) = worked.modes
        self.assertEqual((number(mode.draw or 0), known_by(mode.draw), mode.stands_for), (0.84, "measured", None))
        self.assertEqual(told(worked_out((CELLS, LIFE, READ))), "")
        longer = msgspec.structs.replace(LIFE, lasted_s=90 * 3600.0)
        self.assertRegex(told(worked_out((longer, READ))), r"on: 0\.840 W \(.*\), but 0\.4\d* W \(.*lasted 90 h")
        self.assertIn("more than the 6.00 W of", told(worked_out((ADAPTER, MeterRead(mode="on", at_v=7.5, power_w=7)))))
        watts = worked_out((Printed(nominal_v=12, current_a=0.5),)).modes[0].draw
        self.assertEqual((number(watts or 0), known_by(watts)), (6.0, "label"))
        self.assertEqual(
            [m.name for m in worked_out((READ, msgspec.structs.replace(READ, mode="lit"))).modes], ["lit", "on"]
        )

    @given(st.floats(2.0, 400.0), st.sampled_from(("alkaline", "nimh", "li-ion")), st.integers(1, 8))
    @settings(max_examples=15, deadline=None)
    def test_a_life_is_the_run_turned_round_as_an_integrator_of_another_kind_finds(
        self, hours: float, chemistry: str, count: int
    ) -> None:
        life = Lasted(mode="on", lasted_s=hours * 3600, chemistry=chemistry, cells_in_series=count, capacity_ah=5.0)
        watts, data = watts_of(life).value, CHEMISTRIES[chemistry]
        ohms, charge = count * data.ohm_ah / 5.0, 5.0 * 3600

        def amps(soc: float) -> float:
            table = data.ocv_by_soc
            for (x0, v0), (x1, v1) in itertools.pairwise(table):
                if soc <= x1:
                    emf = count * (v0 + (v1 - v0) * (soc - x0) / (x1 - x0))
                    break
            else:
                emf = count * table[-1][1]
            return (emf - (emf * emf - 4 * ohms * watts) ** 0.5) / (2 * ohms)

        def slope(_: float, y: list[float]) -> list[float]:
            rated = 5.0 / data.rated_hours
            drawn = amps(max(0.0, y[0]))
            return [-drawn / charge * max(1.0, drawn / rated) ** (data.peukert - 1)]

        def flat(_: float, y: list[float]) -> float:
            emf_at = amps(max(0.0, y[0]))
            return min(y[0], watts / emf_at - count * data.cutoff_v)

        flat.terminal = True  # type: ignore[attr-defined]  # as the integrator asks
        found = solve_ivp(
            slope, (0, 3 * life.lasted_s), [1.0], events=flat, rtol=1e-8, atol=1e-10, max_step=life.lasted_s / 300
        )
        self.assertAlmostEqual(float(found.t_events[0][0]) / life.lasted_s, 1.0, delta=1e-3)

    def test_a_life_knows_its_doubt_and_where_the_device_stops(self) -> None:
        whole, stops = watts_of(LIFE), watts_of(LIFE, 4.4)
        self.assertEqual((whole.known_by, whole.spread), ("typical", 0.3))
        self.assertLess(stops.value, whole.value)
        self.assertEqual(watts_of(msgspec.structs.replace(LIFE, capacity_ah=7.5)).known_by, "label")
        twice = watts_of(msgspec.structs.replace(LIFE, cells_in_parallel=2))
        self.assertAlmostEqual(twice.value / whole.value, 2.0, delta=0.02)

    def test_a_life_that_tells_nothing_says_what_is_missing(self) -> None:
        other = msgspec.structs.replace(LIFE, cell_size=None)
        for piece, says in (
            (other, "how many ampere-hours"),
            (msgspec.structs.replace(LIFE, chemistry="nimh"), "how many ampere-hours"),
            (msgspec.structs.replace(LIFE, lasted_s=1e9, cells_in_series=1, cell_size="LR44"), "does not last so long"),
        ):
            with self.subTest(says):
                worked = worked_out((piece,))
                self.assertIn(says, worked.lines[0].problem)
                self.assertEqual(worked.modes, ())


class Refitting(SimpleTestCase):
    def setUp(self) -> None:
        self.case = Case(format=FORMAT, title="Lantern", device=Device(name="Lantern"))

    def known(self, *evidence: Evidence) -> Case:
        made = refitted(self.case, evidence)
        self.told = " ".join(made.told)
        self.case = case_from(tree_of(made.case))
        return self.case

    def test_window_modes_and_duty_follow_the_evidence_there_and_back(self) -> None:
        self.assertEqual(maybe(self.known(CELLS).device.supply.max_v), 6.48)
        case = self.known(CELLS, ADAPTER)
        self.assertEqual([m.name for m in case.device.modes], [s.mode for s in case.duty.repeat])
        self.assertEqual(case.device.modes[0].stands_for, "maximum")
        lit = msgspec.structs.replace(READ, mode="lit")
        case = self.known(CELLS, ADAPTER, lit)
        self.assertEqual(([m.name for m in case.device.modes], [s.mode for s in case.duty.repeat]), (["lit"], ["lit"]))
        case = self.known(CELLS)
        self.assertEqual((case.device.modes[0].draw, maybe(case.device.supply.max_v)), (None, 6.48))
        self.assertEqual(self.known().device.supply, Supply())

    def test_what_was_typed_stays_unless_the_evidence_knows_better(self) -> None:
        supply = Supply(max_v=Known(value=15, known_by="datasheet"), nominal_v=Known(value=9, known_by="guess"))
        mode = Mode(name="on", kind="power", power_w=3.0)
        self.case = msgspec.structs.replace(self.case, device=Device(name="x", supply=supply, modes=(mode,)))
        case = self.known(
            RanOnCells(chemistry="lead-acid", cells_in_series=6), MeterRead(mode="on", at_v=12, power_w=6)
        )
        self.assertEqual(case.device.supply.max_v, supply.max_v)
        self.assertEqual(maybe(case.device.supply.nominal_v), 12)
        self.assertIn("Rated volts: 12.0 V (typical) replaces 9.00 V (guess).", self.told)
        self.assertIn("Most volts: 15.0 V (datasheet) is kept; the evidence would say", self.told)
        self.assertEqual(case.device.modes[0].draw, 3.0)
        self.assertIn("on: 3.00 W as typed is kept; the evidence would say 6.00 W.", self.told)

    def test_an_inferred_limit_that_does_not_go_with_a_typed_one_is_left_open(self) -> None:
        typed = Device(name="x", supply=Supply(max_v=Known(value=5, known_by="measured")))
        self.case = msgspec.structs.replace(self.case, device=typed)
        case = self.known(RanOnCells(chemistry="lead-acid", cells_in_series=6))
        self.assertEqual((case.device.supply.min_v, maybe(case.device.supply.max_v)), (None, 5))
        self.assertIn("left open", self.told)

    def test_a_document_with_impossible_evidence_is_refused_by_name(self) -> None:
        for piece, says in (
            ({"from": "cells", "chemistry": "mud", "cells_in_series": 4}, "mud"),
            ({"from": "cells", "chemistry": "alkaline", "cells_in_series": 41}, "1 to 40"),
            ({"from": "adapter", "nominal_v": 400}, "at most 120 V"),
            ({"from": "adapter", "nominal_v": 12, "unloaded_v": 5}, "measure again"),
            ({"from": "reading", "mode": "on", "at_v": 12}, "one of them"),
            ({"from": "reading", "mode": "on", "at_v": 12, "current_a": 1, "power_w": 12}, "one of them"),
            ({"from": "tried", "at_v": -3}, "above 0"),
            ({"from": "tried", "at_v": 3, "on": "yesterday"}, "2026-05-17"),
            ({"from": "tried", "at_v": 3, "on": "2026-99-99"}, "2026-05-17"),
            ({"from": "printed"}, "one figure at least"),
            ({"from": "printed", "min_v": 12, "max_v": 9}, "must not fall"),
            ({"from": "hearsay"}, "hearsay"),
        ):
            tree = {"format": FORMAT, "title": "t", "device": {"name": "x", "evidence": [piece]}}
            with self.subTest(says), self.assertRaisesRegex(CaseError, says):
                case_from(tree)
