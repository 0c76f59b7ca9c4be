"""What the core chooses must fit, whatever the pack, the load and the box."""

from __future__ import annotations

import msgspec
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from hermotrope_core.circuit.estimate import estimate
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import BOARDS, converter_change, converter_for, fuse_for, topology_for, with_stages
from hermotrope_core.judge.findings import check
from hermotrope_core.kinds.stages import Converter, Fuse
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.document import case_from
from hermotrope_core.values.known import number
from tests.support import case, tree

PREVENTED = {
    "over-max", "over-absolute-max", "under-min-at-full", "converter-overload", "converter-overload-peak",
    "converter-input-high", "no-fuse", "fuse-over-wire", "fuse-under-load", "hot-part",
}  # fmt: skip


class Choosing(SimpleTestCase):
    def test_topologies(self) -> None:
        for low, high, target, kind in (
            (15, 21, 12, "buck"),
            (9, 12.6, 12, "buck-boost"),
            (10, 14.6, 24, "boost"),
            (5, 5, 5, "boost"),
            (12.9, 20, 12, "buck-boost"),
        ):
            with self.subTest(low=low, high=high, target=target):
                self.assertEqual(topology_for(low, high, target), kind)

    def test_the_boards_make_sense(self) -> None:
        for board in BOARDS:
            with self.subTest(board.name):
                self.assertIn(board.topology, ("buck", "boost", "buck-boost"))
                self.assertLess(board.input_min_v, board.input_max_v)
                self.assertLess(board.output_v[0], board.output_v[1])
                self.assertTrue(0.7 < board.efficiency < 1)

    @given(
        cells=st.integers(1, 10),
        chemistry=st.sampled_from(["li-ion", "lifepo4", "nimh", "lead-acid"]),
        rated=st.sampled_from([3.3, 5.0, 6.0, 9.0, 12.0, 19.0, 24.0]),
        watts=st.floats(0.1, 60),
        peak=st.floats(1, 3),
        closed=st.booleans(),
    )
    @settings(max_examples=300)
    def test_one_press_never_brings_what_it_should_prevent(
        self, cells: int, chemistry: str, rated: float, watts: float, peak: float, closed: bool
    ) -> None:
        cell = CHEMISTRIES[chemistry]
        made = tree("judgements", "direct-far-over", path=[])
        made["device"]["supply"] = {"min_v": 0.85 * rated, "nominal_v": rated, "max_v": 1.1 * rated}
        mode = {"name": "on", "kind": "power", "power_w": watts, "peak_w": peak * watts, "peak_s": 0.1}
        made["device"]["modes"] = [mode]
        made["source"] |= {"chemistry": chemistry, "cells_in_series": cells, "cutoff_v": cells * cell.cutoff_v}
        made["source"] |= {"resistance_ohm": 0.01 * cells, "capacity_ah": 20.0, "max_current_a": 1000}
        made["conditions"] = {"temperature_c": 20, "enclosure": "closed" if closed else "open"}
        bare = case_from(made)
        change = converter_change(Situation(bare))
        if not change:
            return
        built = with_stages(bare, change)
        found = {finding.code for finding in check(Situation(built)) if finding.level != "note"}
        self.assertEqual(found & PREVENTED, set())

    def test_no_board_for_what_none_can_do(self) -> None:
        hungry = case("judgements", "direct-far-over", **{"device.modes.0.power_w": 2000})
        self.assertIsNone(converter_for(Situation(hungry)))
        self.assertEqual(converter_change(Situation(hungry)), ())

    def test_a_converter_already_there_is_set_not_doubled(self) -> None:
        made = case("judgements", "all-well", **{"path.2.output_v": 14.5})
        change = converter_change(Situation(made))
        self.assertEqual(change, ({"op": "replace", "path": "/path/2/output_v", "value": 12.0},))

    def test_a_converter_at_the_rated_volts_is_raised_by_what_is_lost_behind_it(self) -> None:
        lossy = case("judgements", "resistor-before-electronics", **{"path.3.resistance_ohm": 1.0})
        low = next(f for f in check(Situation(lossy)) if f.code == "under-min-at-full")
        self.assertEqual(low.change[0]["op"], "replace")
        self.assertGreater(low.change[0]["value"], 13.5)
        raised = case(
            "judgements",
            "resistor-before-electronics",
            **{"path.3.resistance_ohm": 1.0, "path.2.output_v": low.change[0]["value"]},
        )
        self.assertNotIn("under-min-at-full", {f.code for f in check(Situation(raised))})
        worse = case("judgements", "resistor-before-electronics", **{"path.3.resistance_ohm": 1.6})
        hopeless = next(f for f in check(Situation(worse)) if f.code == "under-min-at-full")
        self.assertEqual(hopeless.change, ())
        self.assertIn("lose less", hopeless.cure or "")

    def test_the_fuse_rides_the_peak(self) -> None:
        fuse = fuse_for(Situation(case("judgements", "start-peak-opens-fuse")))
        assert fuse
        self.assertGreater(number(fuse.rating_a), 2)

    def test_stages_are_put_where_they_belong(self) -> None:
        made = case("judgements", "no-fuse-strong-pack")
        change = next(f.change for f in check(Situation(made)) if f.code == "no-fuse")
        built = with_stages(made, change)
        self.assertIsInstance(built.path[0], Fuse)
        self.assertEqual(sum(isinstance(s, Converter) for s in built.path), 1)

    def test_a_cure_that_would_shorten_the_run_is_not_offered(self) -> None:
        """A converter on a tiny load takes more than it saves."""
        sipping = case("judgements", "three-cell-pack-stops-early", **{"device.modes.0.power_w": 0.01})
        early = next(f for f in check(Situation(sipping)) if f.code == "early-stop")
        self.assertEqual(early.change, ())
        thirsty = case("judgements", "three-cell-pack-stops-early")
        self.assertTrue(next(f for f in check(Situation(thirsty)) if f.code == "early-stop").change)


class Extremes(SimpleTestCase):
    def test_ranges_at_the_edge_of_what_a_field_may_hold(self) -> None:
        for place, value in (
            ("source.capacity_ah", 100_000),
            ("source.state_of_health", 1.0),
            ("source.resistance_ohm", 0),
            ("path.2.efficiency", 0.01),
            ("path.2.quiescent_w", 1000),
            ("path.1.length_m", 10_000),
            ("device.modes.1.power_w", 100_000),
        ):
            made = case("cases", "hide-mount-on-tool-pack", **{place: {"value": value, "known_by": "guess"}})
            with self.subTest(place):
                estimate(made)
                check(Situation(made))

    def test_a_case_is_frozen(self) -> None:
        made = case("cases", "reference-1")
        with self.assertRaises(AttributeError):
            made.title = "other"  # type: ignore[misc]
        self.assertEqual(msgspec.structs.replace(made, title="other").title, "other")
