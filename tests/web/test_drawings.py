"""Geometry: what is drawn stands where its value says, and nothing overlaps or is cut off."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from django.test import SimpleTestCase

from hermotrope.bench.feed import Feed
from hermotrope.drawings import numbers, probes
from hermotrope.drawings.chart import run_chart
from hermotrope.drawings.line import SAMPLES, feed_line, inlet_shape, scrub_payload
from hermotrope.drawings.log_chart import thinned
from hermotrope.drawings.probes import probe_drawing
from hermotrope.drawings.scale import BOTTOM, TOP, supply_scale
from hermotrope.drawings.strip import small_line
from hermotrope.drawings.window import window_gauge
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.plan.case import Case, planned
from hermotrope_core.plan.document import case_from
from hermotrope_core.prove import gates
from hermotrope_core.values.figures import figure, reach, stated
from tests.support import case, golden, put, tree


def drawn(made: Case) -> tuple[Feed, object]:
    feed = Feed(made)
    demand = dict(feed.demands)[feed.situation.heaviest.name]  # type: ignore[union-attr]
    return feed, feed_line(made, feed.point(demand, 1.0), 1.0, feed.findings)


class FeedLine(SimpleTestCase):
    def test_stations_stand_in_order_without_touching(self) -> None:
        for name, made, _ in golden("cases") + golden("judgements"):
            _, line = drawn(case_from(made))
            with self.subTest(name):
                edges = [x for s in line.stations for x in (s.left, s.right)]  # type: ignore[attr-defined]
                self.assertEqual(edges, sorted(edges))
                self.assertLessEqual(edges[-1], line.width)  # type: ignore[attr-defined]

    def test_forty_stages_make_it_wider(self) -> None:
        made = tree("cases", "reference-1")
        made["path"] = [{"stage": "switch"}] * 40
        _, line = drawn(case_from(made))
        self.assertGreater(line.width, 4000)  # type: ignore[attr-defined]
        self.assertTrue(all(gap.room for gap in line.gaps))  # type: ignore[attr-defined]

    def test_a_refusal_breaks_the_copper_where_it_fails(self) -> None:
        _, line = drawn(case("judgements", "pack-above-converter"))
        self.assertEqual([gap.broken for gap in line.gaps], [False, False, True, False, False])  # type: ignore[attr-defined]
        self.assertEqual([gap.pale for gap in line.gaps], [False, False, False, True, True])  # type: ignore[attr-defined]
        _, fine = drawn(case("judgements", "all-well"))
        self.assertFalse(any(gap.broken or gap.pale for gap in fine.gaps))  # type: ignore[attr-defined]

    def test_what_is_open_is_dashed(self) -> None:
        made = case_from(tree("cases", "reference-1", source=None))
        feed = Feed(made)
        line = feed_line(made, None, 1.0, (), [q.place for q in feed.questions])
        self.assertTrue(line.stations[0].open)
        self.assertTrue(all(gap.dashed for gap in line.gaps))
        self.assertIn("not chosen yet", line.words)

    def test_the_inlet_shows_its_sign_and_its_doubt(self) -> None:
        shape = inlet_shape(Connector(kind="barrel", outer_mm=5.5, inner_mm=2.1, polarity="centre-negative"), 0)
        self.assertEqual((shape["sign"], shape["words"], shape["sure"]), ("−", "5.5×2.1", False))
        self.assertEqual(inlet_shape(None, 0)["shape"], "unknown")
        self.assertTrue(inlet_shape(Connector(kind="usb-c", polarity="marked", measured=True), 0)["sure"])

    def test_the_scrubber_gets_every_mode_with_its_peak_and_its_end(self) -> None:
        made = case("cases", "hide-mount-on-tool-pack")
        feed = Feed(made)
        assert feed.situation
        sent = scrub_payload(feed.situation, feed.demands)
        self.assertEqual(list(sent["modes"]), ["hold", "slew", "slew, peak"])
        self.assertEqual((len(sent["socs"]), sent["socs"][0], sent["socs"][-1]), (SAMPLES, 1.0, 0.0))
        slew = sent["modes"]["slew"]
        self.assertEqual(len(slew["stations"][0]), 6)
        self.assertIsNone(slew["stops"][0])
        self.assertEqual(slew["stops"][-1], ["pack cut-off", 0])
        there = feed.situation.at(feed.situation.modes[1], 0.6)
        self.assertAlmostEqual(slew["stations"][16][0][1], there.stations[0].volts_out, 3)

    def test_short_figures(self) -> None:
        self.assertEqual([numbers.volts(v) for v in (18.236, 230.0)], ["18.24 V", "230.0 V"])
        told = [figure(watts, "W", 2) for watts in (0.16, 0.24, 3.37, 0.012, 1234.0)]
        self.assertEqual(told, ["0.16 W", "0.24 W", "3.4 W", "12 mW", "1200 W"])
        self.assertEqual([stated(v, "V") for v in (12.0, 7.25, 1e6)], ["12 V", "7.25 V", "1000000 V"])
        self.assertEqual([reach(15.0, 21.0, "V"), reach(11.998, 12.001, "V")], ["15.0–21.0 V", "12.0 V"])


class SupplyScale(SimpleTestCase):
    def test_everything_is_inside_and_upside_up(self) -> None:
        for name, made, _ in golden("cases") + golden("judgements"):
            feed = Feed(case_from(made))
            scale = supply_scale(feed.case, feed.situation)
            assert scale
            with self.subTest(name):
                self.assertTrue(all(TOP - 1 <= y <= BOTTOM + 1 for y, _ in scale.ticks))
                self.assertTrue(3 <= len(scale.ticks) <= 16)
                self.assertTrue(all(zone.height >= 0 and zone.y >= TOP - 1 for zone in scale.zones))
                right = [label.y for label in scale.labels if label.anchor == "start"]
                self.assertTrue(all(b - a >= 14.9 for a, b in pairwise(right)))
                ys = [y for y, _ in scale.ticks]
                self.assertEqual(ys, sorted(ys, reverse=True))

    def test_a_pack_above_the_window_is_marked(self) -> None:
        feed = Feed(case("judgements", "direct-far-over"))
        scale = supply_scale(feed.case, feed.situation)
        assert scale and scale.inlet
        self.assertTrue(scale.inlet_over)
        self.assertIn("21.0 full", [label.text for label in scale.labels])
        top_of_window = next(zone.y for zone in scale.zones if zone.kind == "fits")
        self.assertLess(scale.inlet[0], top_of_window)

    def test_half_entered(self) -> None:
        blank = {"format": "hermotrope-case/1", "title": "t", "device": {"name": "d", "supply": {}}}
        self.assertIsNone(supply_scale(case_from(blank), None))
        scale = supply_scale(case_from(put(blank, "device.supply.min_v", 9)), None)
        assert scale
        self.assertEqual([zone.kind for zone in scale.zones], ["care"])


class SmallLineAndChart(SimpleTestCase):
    def test_the_small_line_breaks_before_the_station_that_fails(self) -> None:
        feed = Feed(case("judgements", "pack-above-converter"))
        strip = small_line(feed.case, feed.findings, unsure=False)
        xs = [mark.x for mark in strip.marks]
        assert strip.broken
        self.assertTrue(xs[1] < strip.broken < xs[2])

    def test_chart_series_are_whole_and_ascend(self) -> None:
        for name in ("reference-1", "reference-3", "sampling-boat-direct", "warden-receiver-on-bank"):
            feed = Feed(case("cases", name))
            assert feed.situation and feed.run
            chart = run_chart(feed.situation, feed.run, feed.range)
            with self.subTest(name):
                self.assertEqual(len({len(column) for column in chart["series"]}), 1)
                times = chart["series"][0]
                self.assertEqual(times, sorted(times))
                self.assertAlmostEqual(times[-1], feed.run.runtime_s, delta=0.01)
                charges = chart["series"][4]
                self.assertEqual(charges, sorted(charges, reverse=True))

    def test_a_chart_of_very_many_cycles_stays_small(self) -> None:
        made = put(tree("cases", "sampling-boat-direct"), "duty.repeat.0.seconds", 0.02)
        feed = Feed(case_from(put(made, "duty.repeat.1.seconds", 1)))
        assert feed.situation and feed.run
        chart = run_chart(feed.situation, feed.run, feed.range)
        self.assertLess(len(chart["series"][0]), 3100)


class ProvingDrawings(SimpleTestCase):
    def test_probes_lie_in_the_frame_and_on_their_conductors(self) -> None:
        for name, made, _ in golden("cases"):
            of = planned(case_from(made))
            for ask in (one for gate in gates(Situation(of), {}) for one in gate.asks):
                drawing = probe_drawing(of, ask)
                if drawing is None:
                    self.assertIn(ask.meter, ("clock", "mains"))
                    continue
                with self.subTest(name=name, ask=ask.key):
                    self.assertTrue(all(0 < p.x < probes.WIDTH and 0 < p.y < probes.HEIGHT for p in drawing.probes))
                    xs = [part.x for part in drawing.parts]
                    self.assertEqual(xs, sorted(xs))
                    self.assertEqual(drawing.device == "load", ask.setup.load_a is not None)

    def test_a_dead_pack_is_pale_and_the_open_pack_alone_is_live(self) -> None:
        of = planned(case("cases", "hide-mount-on-tool-pack"))
        asks = {ask.key: ask for gate in gates(Situation(of), {}) for ask in gate.asks}
        alone = probe_drawing(of, asks["open-voltage.volts"])
        ohms = probe_drawing(of, asks["continuity.plus-0"])
        assert alone is not None and ohms is not None
        self.assertEqual((alone.pack, alone.device, all(part.pale for part in alone.parts)), ("on", "off", True))
        self.assertEqual((ohms.pack, ohms.device, any(part.pale for part in ohms.parts)), ("off", "off", False))

    def test_a_reading_stands_in_its_window_or_beyond_its_end(self) -> None:
        of = planned(case("cases", "hide-mount-on-tool-pack"))
        asks = {ask.key: ask for gate in gates(Situation(of), {}) for ask in gate.asks}
        ask = asks["set-point.2"]
        inside, over, under = (window_gauge(ask, value) for value in (12.0, 15.0, -12.0))
        assert inside.reading is not None
        self.assertTrue(inside.left < inside.reading < inside.right)
        self.assertEqual((inside.off, over.off, under.off), ("", ">", "<"))
        self.assertEqual(window_gauge(asks["continuity.across-0"], float("inf")).high, "")

    def test_thinning_keeps_the_extremes_and_the_ends(self) -> None:
        seconds = np.arange(100_000.0)
        volts = np.full(100_000, 20.0)
        volts[[31_234, 77_777]] = 25.0, 3.0
        kept = thinned(seconds, volts)
        self.assertLess(len(kept), 1700)
        self.assertTrue({0, 31_234, 77_777, 99_999} <= set(kept.tolist()))
