"""A supply's night drawn: bars where something draws, the moment of an end, steps under the limit, ticks."""

from __future__ import annotations

import re
from typing import Any

from django.test import SimpleTestCase

from hermotrope.drawings import packs as packs_drawing
from hermotrope.drawings.night import CHARGE, GAP, HEAD, LEFT, RIBBON, SUM, WIDTH, Night, bands, night, points
from hermotrope_core.hours.rotation import Charge, Packs, Rotation, Span
from hermotrope_core.several.follow import follow
from hermotrope_core.several.inner import Inner
from tests.core.test_several import BANK, BLOCK, branch, outing
from tests.core.test_shared_line import USB


def drawn(*branches: dict[str, Any], hours: float = 10.0, start: str | None = None, **more: Any) -> Night:
    made = outing(*branches, hours=hours, **more)
    run = follow(made.supplies[0], made.conditions, hours, keep=True)
    return night(made.supplies[0], run, 3600.0 * hours, start)


class Drawn(SimpleTestCase):
    def test_an_own_battery_stands_where_it_carries(self) -> None:
        made = outing(branch("power", 2.0), branch("power", 3.0), hours=10.0)
        run = follow(made.supplies[0], made.conditions, 10.0, keep=True)
        last = Inner(from_s=18000.0, until_s=99999.0, energy_wh=5.0, first=False)
        one, other = night(made.supplies[0], run, 36000.0, None, [last, None]).rows
        assert one.own is not None
        self.assertEqual((one.own.x, one.own.width, one.own.y), (LEFT + WIDTH / 2, WIDTH / 2, one.y))
        self.assertEqual(one.own.words, "its own battery carries it for 5 h 00 min")
        self.assertIsNone(other.own)

    def test_the_scrubber_is_given_what_flows(self) -> None:
        """A pack without ohms: every device draws its watts over the volts at the fork, those of the cells."""
        source = BLOCK | {"resistance_ohm": 0.0}
        made = outing(branch("power", 6.0), branch("power", 3.0), hours=2.0, source=source)
        run = follow(made.supplies[0], made.conditions, 2.0, keep=True)
        given = points(made.supplies[0], run, "20:00")
        self.assertEqual((given["at"][0], given["when"][0], given["charge"][0]), (0.0, "20:00", 1.0))
        self.assertEqual(len({len(given[key]) for key in ("at", "when", "charge", "volts", "amps")}), 1)
        for k, volts in enumerate(given["volts"]):
            amps = [one["amps"][k] for one in given["devices"]]
            self.assertAlmostEqual(amps[0], 6.0 / volts, places=4)
            self.assertAlmostEqual(sum(amps), given["amps"][k], places=4)
            self.assertAlmostEqual(given["devices"][0]["spare"][k], volts - 9.5, delta=1e-3)
        self.assertEqual({one["mode"][0] for one in given["devices"]}, {"on"})

    def test_packs_stand_in_their_turn_and_on_their_charger(self) -> None:
        """Ten hours of outing, charged to hour twenty: 700 units of time for 20.4 hours."""
        made = outing(branch("power", 2.0), hours=10.0, start="20:00")
        spans = (Span(1, 0.0, 18000.0, 10.0, 0.5), Span(2, 18000.0, 36000.0, 10.0, 0.5, ready=False))
        packs = Packs((Rotation(0, 1, 2, spans, 0.8),), (Charge(0, 1, "wall", 54000.0, 72000.0),), ((0, 1, 72000.0),))
        drawn_ = packs_drawing.turns(made, packs)
        scale = packs_drawing.WIDTH / (1.02 * 72000.0)
        first, second = drawn_.rows
        self.assertEqual([first.name, second.name], ["block 1", "block 2, not along"])
        self.assertAlmostEqual(first.feeds[0].width, 18000.0 * scale, delta=0.1)
        self.assertAlmostEqual(second.feeds[0].x, packs_drawing.LEFT + 18000.0 * scale, delta=0.1)
        self.assertAlmostEqual(first.fills[0].x, packs_drawing.LEFT + 54000.0 * scale, delta=0.1)
        self.assertEqual((first.fills[0].words, second.fills), ("charged from wall", ()))
        self.assertEqual((first.short_x, second.short_x), ((), (second.feeds[0].x,)))
        self.assertAlmostEqual(drawn_.end_x, packs_drawing.LEFT + 36000.0 * scale, delta=0.1)

    def test_bars_stand_where_something_draws(self) -> None:
        """Half of every hour for two hours: two bars of a quarter each; all the time: one whole bar."""
        made = drawn(branch("power", 2.0, 1800.0), branch("power", 3.0), hours=2.0)
        half, whole = made.rows
        self.assertEqual([(bar.x, bar.width) for bar in half.bars], [(LEFT, WIDTH / 4), (LEFT + WIDTH / 2, WIDTH / 4)])
        self.assertEqual([(bar.x, bar.width) for bar in whole.bars], [(LEFT, WIDTH)])
        for row in made.rows:
            for bar in row.bars:
                self.assertAlmostEqual(bar.y + bar.height, row.y + RIBBON, places=6)

    def test_heavier_stands_higher(self) -> None:
        device = {"modes": [
            {"name": "hold", "kind": "power", "power_w": 2}, {"name": "slew", "kind": "power", "power_w": 20},
        ]}  # fmt: skip
        duty = {"repeat": [{"mode": "hold", "seconds": 1800}, {"mode": "slew", "seconds": 1800}]}
        [row] = drawn(
            branch("power", 1.0) | {"device": branch("power", 1.0)["device"] | device, "duty": duty}, hours=1.0
        ).rows
        hold, slew = row.bars
        self.assertEqual((slew.height, hold.words, slew.words), (RIBBON, "hold, 2.0 W", "slew, 20 W"))
        self.assertLess(hold.height, slew.height)

    def test_an_end_is_marked_with_its_moment_and_reason(self) -> None:
        fussy = branch("power", 20.0, device={"supply": {"min_v": 12.4, "nominal_v": 12.8, "max_v": 15}})
        made = drawn(fussy, branch("power", 1.0), start="20:00", hours=3.5)
        stops, lasts = made.rows
        assert stops.stop_x is not None
        self.assertTrue(LEFT < stops.stop_x < LEFT + WIDTH)
        self.assertRegex(stops.stop_words, r"^2\d:\d\d: the device gets too few volts$")
        self.assertIsNone(lasts.stop_x)
        self.assertLessEqual(max(bar.x + bar.width for bar in stops.bars), stops.stop_x + 0.2)
        self.assertIn("lamp to 23:30", made.words)

    def test_brackets_stand_under_the_ribbons_on_the_same_scale(self) -> None:
        made = bands([("lamp", 1800.0, 5400.0), ("pump", 7200.0, 7200.0), ("mount", 0.0, 99999.0)], 7200.0)
        self.assertEqual([words.split(":")[0] for _, words in made.paths], ["lamp", "mount"])
        for (path, _), (row, low, high) in zip(made.paths, [(0, 0.25, 0.75), (2, 0.0, 1.0)], strict=True):
            xs = [float(x) for x in re.findall(r"[MH](\d+\.\d+)", path)]
            self.assertEqual((min(xs), max(xs)), (LEFT + low * WIDTH, LEFT + high * WIDTH))
            y = float(re.findall(r"M\S+ (\S+?)H", path)[0])
            self.assertEqual(y, HEAD + row * (RIBBON + GAP) + RIBBON + GAP / 2)
        whole = drawn(branch("power", 2.0), branch("power", 3.0), branch("power", 1.0))
        self.assertEqual((made.width, made.height), (whole.width, whole.height))

    def test_words_stay_inside(self) -> None:
        """Of an end late in the night they stand before it, of an early one behind it."""
        early = drawn(branch("power", 60.0), hours=10.0).rows[0]
        late = drawn(branch("power", 9.0), hours=9.0).rows[0]
        self.assertEqual((early.before, late.before), (False, True))

    def test_the_sum_against_the_limit(self) -> None:
        self.assertEqual(drawn(branch("current", 1.5), hours=1.0).most_a, "1.5 A")
        near = drawn(branch("power", 20.0), source=BLOCK | {"max_current_a": 2.0}, hours=1.0)
        assert near.limit_y is not None
        self.assertEqual(near.limit_words, "gives at most 2.0 A")
        self.assertLess(near.limit_y, near.most_y)
        over = drawn(branch("current", 1.8, device=USB), source=BANK, hours=1.0)
        self.assertEqual(over.limit_words, "gives at most 2.0 A")
        far = drawn(branch("power", 2.0), source=BLOCK | {"max_current_a": 20.0}, hours=1.0)
        self.assertEqual((far.limit_y, far.limit_words), (None, "gives at most 20 A"))
        self.assertEqual(drawn(branch("power", 2.0), hours=1.0).limit_words, "")
        levels = [float(y) for y in re.findall(r"[ML][\d.]+ ([\d.]+)", near.sum_path)]
        self.assertTrue(all(near.sum_y <= y <= near.sum_y + SUM for y in levels))

    def test_the_charge_falls_from_full(self) -> None:
        made = drawn(branch("power", 5.0), hours=4.0)
        points = [tuple(map(float, one.split())) for one in made.charge_path[1:].split("L")]
        self.assertEqual(points[0], (LEFT, made.charge_y + 1.0))
        self.assertEqual([y for _, y in points], sorted(y for _, y in points))
        self.assertLessEqual(points[-1][1], made.charge_y + CHARGE)

    def test_ticks(self) -> None:
        by_clock = drawn(branch("power", 1.0), hours=8.0, start="22:00")
        self.assertEqual([words for _, words in by_clock.ticks], ["22:00", "23:00", "00:00", "01:00", "02:00", "03:00",
                                                                  "04:00", "05:00"])  # fmt: skip
        plain = drawn(branch("power", 1.0), hours=2.0)
        self.assertEqual(plain.ticks[0], (LEFT, "0"))
        self.assertEqual(len(plain.ticks), 4)

    def test_thousands_of_changes_run_together(self) -> None:
        """A minute of every two through a day and a half: far fewer bars than changes, none thinner than told."""
        blink = branch("power", 1.0) | {
            "duty": {"repeat": [{"mode": "on", "seconds": 5}, {"mode": "off", "seconds": 5}]},
        }  # fmt: skip
        [row] = drawn(blink, hours=8.0).rows
        self.assertLess(len(row.bars), WIDTH)
        self.assertAlmostEqual(row.bars[-1].x + row.bars[-1].width, LEFT + WIDTH, delta=1.0)

    def test_long_names_are_cut_and_counts_stay(self) -> None:
        made = drawn(branch("power", 0.2, device={"name": "a lamp with a very long name indeed"}, count=12), hours=1.0)
        self.assertRegex(made.rows[0].short, r"…\s×12$")
