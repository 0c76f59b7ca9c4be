"""The pieces under a fork: the junction's volts, its fold, what each branch draws, the series over the charge."""

from __future__ import annotations

import json
import math
from typing import Any

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad

from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.point import draw_of, mode_demand, point
from hermotrope_core.circuit.series import Span, Spans
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.duty import Duty, Segment
from hermotrope_core.plan.outing_document import branch_case, read_outing
from hermotrope_core.several.clock import Clock, changes
from hermotrope_core.several.junction import asked, drawn, fold, junction_volts
from hermotrope_core.several.line import shared, with_line
from hermotrope_core.several.load import everything
from hermotrope_core.several.pull import Pull, pulls
from hermotrope_core.several.setting import Setting
from hermotrope_core.several.trunk import trunk_circuit
from tests.core.test_several import BANK, BLOCK, branch, outing
from tests.core.test_shared_line import FUSED, USB
from tests.support import put

parts = st.lists(
    st.tuples(
        st.sampled_from(["power", "current", "resistance"]), st.floats(0.1, 1.0), st.floats(0.0, 1.0),
        st.floats(0.0, 0.5), st.integers(1, 4),
    ),
    min_size=1,
    max_size=5,
)  # fmt: skip


def pull(kind: str, share: float, ohm: float = 0.0, drop: float = 0.0, count: int = 1) -> Pull:
    value = {"power": 8.0 * share, "current": 0.7 * share, "resistance": 15.0 / share}[kind]
    return Pull(
        kind=kind, value=value, ohm=ohm, drop=drop, wire_drop=drop, shunt_a=0.0, device_w=None, count=count,
        stop_v=-math.inf, cause="device minimum", passes_v=-math.inf, share=1.0, between=None, most_v=math.inf,
    )  # fmt: skip


class Junction(SimpleTestCase):
    @settings(max_examples=150, deadline=None)
    @given(parts, st.floats(0.0, 2.0))
    def test_the_highest_root_of_all(self, drawn_parts: list[tuple[str, float, float, float, int]], ohm: float) -> None:
        """On a fine grid from above: where what is drawn first meets what arrives; none there, none here."""
        made = [pull(*one) for one in drawn_parts]
        arrives = 12.0
        found = junction_volts(arrives, ohm, made)
        grid = np.linspace(arrives, 0.05, 4000)
        first = None
        for volts in grid:
            amps = drawn(made, float(volts))
            if amps is None:
                break
            if volts + ohm * amps[0] <= arrives:
                first = float(volts)
                break
        if found is None:
            self.assertIsNone(first)
            return
        volts, amps_there = found
        self.assertAlmostEqual(volts + ohm * amps_there, arrives, delta=1e-9)
        if first is not None:
            self.assertAlmostEqual(volts, first, delta=12.0 / 3000)

    @settings(max_examples=60, deadline=None)
    @given(parts, st.floats(0.05, 2.0), st.floats(0.0, 0.5))
    def test_the_fold_parts_what_runs_from_what_collapses(
        self, drawn_parts: list[tuple[str, float, float, float, int]], ohm: float, drop: float
    ) -> None:
        made = [pull(*one) for one in drawn_parts]
        least = fold(ohm, drop, made)
        if least == -math.inf:
            self.assertFalse(any(one.kind == "power" for one in made))
            return
        self.assertIsNotNone(junction_volts(least * 1.0001 - drop, ohm, made))
        self.assertIsNone(junction_volts(least * 0.9999 - drop, ohm, made))

    def test_by_hand(self) -> None:
        """8 W behind 1 Ω at 6 V: V = (6 + 2) / 2 = 4; a second one has no root; 4 R P = V² is the fold."""
        one = pull("power", 1.0)
        found = junction_volts(6.0, 1.0, [one])
        assert found is not None
        self.assertAlmostEqual(found[0], 4.0, places=12)
        self.assertAlmostEqual(found[1], 2.0, places=12)
        self.assertIsNone(junction_volts(6.0, 1.0, [one, one]))
        self.assertAlmostEqual(fold(1.0, 0.3, [one]), math.sqrt(32.0) + 0.3, places=9)
        self.assertAlmostEqual(asked(4.0, 1.0, 0.3, [one]), 6.3, places=12)
        self.assertEqual(asked(2.0, 1.0, 0.0, [one]), -math.inf)
        self.assertEqual(junction_volts(6.0, 0.0, [one, one]), (6.0, 16.0 / 6.0))
        self.assertEqual(junction_volts(6.0, 1.0, []), (6.0, 0.0))

    def test_counts_and_drops(self) -> None:
        three, each = pull("resistance", 1.0, 1.0, 0.5, 3), pull("resistance", 1.0, 1.0, 0.5)
        self.assertEqual(drawn([three], 8.5), drawn([each, each, each], 8.5))
        self.assertEqual(drawn([each], 8.5), (0.5, 1.0 / 16.0))
        self.assertEqual(drawn([each], 0.4), (0.0, 0.0))
        self.assertIsNone(drawn([pull("power", 1.0, 1.0)], 5.0))
        self.assertEqual(pull("power", 1.0, 1.0, 0.5).dark_v, 0.5 + 2.0 * math.sqrt(8.0))

    def test_a_pull_is_its_branch(self) -> None:
        """Amperes and watts of every kind against the operating point of the branch alone, volt by volt."""
        lead = {"stage": "lead", "length_m": 5, "area_mm2": 0.5}
        board = {"stage": "converter", "topology": "buck-boost", "output_v": 9, "efficiency": 0.8, "quiescent_w": 0.2}
        for kind, value in (("power", 6.0), ("current", 0.5), ("resistance", 20.0)):
            for path in ([lead], [board], [lead, board, lead]):
                made = (
                    outing(put(branch(kind, value), "device.supply.min_v", 2.0) | {"path": path})
                    .supplies[0]
                    .branches[0]
                )
                case = branch_case(made)
                [mode] = case.duty_modes()
                draw = draw_of(circuit_of(case), mode_demand(mode), len(case.path))
                [law] = pulls(draw, mode, 1)
                for volts in (8.0, 11.0, 14.0):
                    at, found = point(draw, volts), law.amps(volts)
                    assert found is not None
                    with self.subTest(kind, path=len(path), volts=volts):
                        self.assertAlmostEqual(found[0], at.source_a, places=12)
                        self.assertAlmostEqual(law.watts(volts, found[0]), at.inlet_v * at.inlet_a, places=9)
                        more, less = law.amps(volts + 1e-5), law.amps(volts - 1e-5)
                        assert more and less
                        self.assertAlmostEqual(found[1], (more[0] - less[0]) / 2e-5, places=6)


class Settings(SimpleTestCase):
    def setting(self, *branches: dict[str, Any], **more: Any) -> Setting:
        made = outing(*branches, **more).supplies[0]
        read = outing(*branches, **more)
        endless = CHEMISTRIES[made.source.chemistry].endless
        return Setting(trunk_circuit(made, read.conditions), everything(made), endless)

    def test_a_limit_is_where_its_volts_are(self) -> None:
        """At the charge of a branch's limit the junction stands at its least volts; at the source's, the cells do."""
        lamp = put(branch("power", 12.0), "device.supply.min_v", 11.9)
        made = self.setting(lamp, branch("current", 1.0), trunk=FUSED)
        stop = next(one for one in made.limits if one.turn == "stop" and one.branch == 0)
        flow = made.flow(made.trunk.emf(stop.soc))
        assert flow is not None
        self.assertAlmostEqual(flow.junction_v, 11.9, places=8)
        end = next(one for one in made.limits if one.turn == "source")
        emf = made.trunk.emf(end.soc)
        flow = made.flow(emf)
        assert flow is not None
        ohm = made.trunk.stretches[0].elements[0].resistance_ohm
        self.assertAlmostEqual(emf - ohm * flow.source_a, 10.0, places=9)
        self.assertEqual(end.cause, "pack cut-off")
        self.assertEqual([one.soc for one in made.limits], sorted((one.soc for one in made.limits), reverse=True))

    def test_a_port_holds_the_volts_at_any_charge(self) -> None:
        made = self.setting(branch("current", 0.5, device=USB), branch("current", 0.7, device=USB), source=BANK)
        full, low = made.flow(made.trunk.emf(1.0)), made.flow(made.trunk.emf(0.1))
        assert full and low
        self.assertEqual((full.junction_v, low.junction_v), (5.1, 5.1))
        self.assertAlmostEqual(made.port_a, 1.2)
        self.assertGreater(low.source_a, full.source_a)
        self.assertEqual(self.setting(branch("current", 2.5, device=USB), source=BANK).dead, "converter overload")

    def test_too_many_volts_are_seen(self) -> None:
        board = {"stage": "converter", "topology": "buck", "output_v": 5, "efficiency": 0.9, "input_max_v": 13}
        made = self.setting(branch("power", 2.0, path=[board]), branch("power", 2.0))
        self.assertEqual(made.overfed(14.0), [0])
        self.assertEqual(made.overfed(12.5), [])


class Series(SimpleTestCase):
    def test_sums_are_integrals(self) -> None:
        """Against `quad`, over parts of a span and over several of them, a square root's end included."""

        def rates(x: float) -> tuple[float, ...]:
            return 1.0 / (0.3 + x * x), math.exp(x), math.sqrt(max(x - 0.1, 0.0))

        made = Spans(0.1, 1.0, rates)
        for high, low in ((1.0, 0.1), (0.77, 0.33), (0.2, 0.1), (0.5, 0.499)):
            for k, got in enumerate(made.sums(high, low)):
                wanted = quad(lambda x, k=k: rates(x)[k], low, high, epsabs=1e-13, epsrel=1e-13)[0]
                self.assertAlmostEqual(got, wanted, delta=2e-8 * max(abs(wanted), 1e-3), msg=f"{k} {high} {low}")
        with self.assertRaises(ValueError):
            made.under(0.05)

    def test_a_span_knows_whether_it_is_smooth(self) -> None:
        self.assertTrue(Span(0.0, 1.0, lambda x: (1.0 + x**3,)).smooth)
        self.assertFalse(Span(-1.0, 1.0, lambda x: (abs(x),)).smooth)
        self.assertAlmostEqual(Span(0.0, 1.0, lambda x: (3.0 * x * x,)).seconds(1.0, 0.5), 0.875, places=12)


class Clocks(SimpleTestCase):
    def duty(self, *turns: tuple[str, float], once: bool = False) -> Duty:
        return Duty(repeat=tuple(Segment(mode=mode, seconds=seconds) for mode, seconds in turns), once=once)

    def test_over_and_over(self) -> None:
        clock = Clock(self.duty(("a", 10.0), ("b", 5.0)))
        seen = []
        for _ in range(5):
            seen.append((clock.mode, clock.next_s))
            clock.turn()
        self.assertEqual(seen, [("a", 10.0), ("b", 15.0), ("a", 25.0), ("b", 30.0), ("a", 40.0)])
        self.assertEqual(Clock(self.duty(("a", 10.0))).next_s, math.inf)

    def test_once(self) -> None:
        clock = Clock(self.duty(("a", 10.0), ("b", 5.0), once=True))
        clock.turn()
        self.assertEqual((clock.mode, clock.next_s, clock.over), ("b", 15.0, False))
        clock.turn()
        self.assertEqual((clock.next_s, clock.over), (math.inf, True))
        self.assertEqual(Clock(self.duty(("a", 10.0), once=True)).next_s, 10.0)

    def test_changes_are_counted(self) -> None:
        made = outing(branch("power", 1.0), branch("power", 1.0, 600.0), branch("power", 1.0, 1800.0)).supplies[0]
        self.assertEqual(changes(made, 36_000.0), 40.0)


class Line(SimpleTestCase):
    def test_fuse_and_lead_in_and_out(self) -> None:
        supply = outing(branch("power", 1.0), trunk=[{"stage": "switch"}]).supplies[0]
        made = with_line(supply, {"rating_a": 5.0, "length_m": 1.5, "area_mm2": 1.0})
        self.assertEqual([stage.kind for stage in made.trunk], ["fuse", "lead", "switch"])
        self.assertEqual(shared(made), {"rating_a": 5.0, "length_m": 1.5, "area_mm2": 1.0})
        bare = with_line(made, {"rating_a": None, "length_m": None, "area_mm2": None})
        self.assertEqual(([stage.kind for stage in bare.trunk], bare), (["switch"], supply))
        for missing in ("length_m", "area_mm2"):
            with self.assertRaisesRegex(ValueError, "its length and its copper"):
                with_line(supply, {"rating_a": None, "length_m": 1.0, "area_mm2": 1.0} | {missing: None})

    def test_read_again_it_is_the_same(self) -> None:
        whole = {
            "format": "hermotrope-outing/1", "title": "t",
            "supplies": [{"source": BLOCK, "trunk": FUSED, "branches": [branch("power", 1.0)]}],
        }  # fmt: skip
        self.assertEqual(shared(read_outing(json.dumps(whole)).supplies[0])["rating_a"], 10.0)
