"""What a device ran on, and readings turned into figures."""

from __future__ import annotations

from django.test import SimpleTestCase

from hermotrope_core.know.intake import from_adapter, from_cells, replaced_note
from hermotrope_core.know.measure import HELPERS, helpers_for, summed
from hermotrope_core.know.polarity import found_polarity, polarity_from
from hermotrope_core.values.known import Known
from tests.support import case


class Originals(SimpleTestCase):
    def test_four_alkaline_cells(self) -> None:
        got = from_cells("alkaline", 4)
        self.assertEqual([v.value for v in (got.full_v, got.nominal_v, got.flat_v)], [6.48, 6.0, 3.2])
        self.assertIn("4 × 1.62 V", got.full_v.note or "")
        self.assertIn("inferred", got.full_v.note or "")

    def test_a_pack_marked_by_its_mean_left_the_charger_higher(self) -> None:
        self.assertEqual(from_cells("li-ion", 3).full_v.value, 12.6)

    def test_adapters(self) -> None:
        loose = from_adapter(12, regulated=False)
        self.assertAlmostEqual(loose.full_v.value, 16.8)
        held = from_adapter(12, regulated=True)
        self.assertAlmostEqual(held.full_v.value, 12.6)
        read = from_adapter(12, regulated=False, unloaded_v=17.9)
        self.assertEqual((read.full_v.value, read.full_v.known_by), (17.9, "measured"))
        for volts, unloaded in ((0, None), (400, None), (12, 5)):
            with self.subTest(volts=volts), self.assertRaises(ValueError):
                from_adapter(volts, regulated=True, unloaded_v=unloaded)
        for chemistry, count in (("alkaline", 0), ("alkaline", 99), ("mud", 4)):
            with self.subTest(chemistry, count=count), self.assertRaises(ValueError):
                from_cells(chemistry, count)

    def test_conflicts_are_kept_in_the_note(self) -> None:
        label = Known(value=9, known_by="label")
        self.assertEqual(replaced_note(label, 8.0, "measured"), "replaces 9.00 V (label)")
        self.assertIn("known better", replaced_note(label, 8.0, "guess") or "")
        self.assertIsNone(replaced_note(label, 9.0, "measured"))
        self.assertIsNone(replaced_note(None, 9.0, "measured"))


class Measuring(SimpleTestCase):
    def setUp(self) -> None:
        self.case = case("cases", "hide-mount-on-tool-pack")

    def test_sums(self) -> None:
        table = (
            (
                "resistance",
                "/source/resistance_ohm",
                [{"volts": 20.1, "amps": 0.2}, {"volts": 19.6, "amps": 4.2}],
                0.125,
            ),
            ("draw", "/device/modes/0/power_w", [{"volts": 12.1, "amps": 0.5}], 6.05),
            ("draw", "/device/modes/0/power_w", [{"volts": 12, "amps": 0.5}, {"volts": 12, "amps": 0.6}], 6.6),
            ("draw-behind", "/device/modes/0/power_w", [{"volts": 18.5, "amps": 0.4, "efficiency": 0.85}], 6.29),
            ("standby", "/path/2/quiescent_w", [{"volts": 18, "amps": 0.006}], 0.108),
            ("charge", "/source/capacity_ah", [{"wh": 74}], 74 * 0.95 / 18),
        )
        for key, place, readings, want in table:
            with self.subTest(key):
                self.assertIn(key, helpers_for(self.case, place))
                got = summed(key, readings, self.case, place)
                self.assertAlmostEqual(got.value, want, places=9)
                self.assertTrue(got.formula and got.values and got.expected)
                self.assertEqual(got.doubt, "")

    def test_the_draw_comes_in_the_unit_of_the_mode(self) -> None:
        boat, bat = case("cases", "sampling-boat-direct"), case("cases", "bat-detector-on-six-aaa")
        read = [{"volts": 7.2, "amps": 2.5}]
        self.assertAlmostEqual(summed("draw", read, boat, "/device/modes/0/resistance_ohm").value, 2.88)
        self.assertEqual(summed("draw", read, bat, "/device/modes/0/current_a").value, 2.5)
        behind = [{**read[0], "efficiency": 0.9}]
        self.assertAlmostEqual(summed("draw-behind", behind, bat, "/device/modes/0/current_a").value, 1.8)
        self.assertAlmostEqual(summed("draw-behind", behind, boat, "/device/modes/0/resistance_ohm").value, 3.2)

    def test_a_far_off_reading_is_doubted_not_refused(self) -> None:
        got = summed("draw", [{"volts": 12, "amps": 5}], self.case, "/device/modes/0/power_w")
        self.assertIn("check the meter", got.doubt)

    def test_readings_that_make_no_sense_are_told(self) -> None:
        light, one = {"volts": 20, "amps": 1}, "/device/modes/0/power_w"
        for key, place, readings, says in (
            ("resistance", "/source/resistance_ohm", [light, {"volts": 19, "amps": 1}], "more amperes"),
            ("resistance", "/source/resistance_ohm", [light, {"volts": 21, "amps": 4}], "volts rose"),
            ("resistance", "/source/resistance_ohm", [light, {"volts": 20}], "is missing"),
            ("resistance", "/source/resistance_ohm", [light], "2 rows"),
            ("draw", one, [{"volts": 12, "amps": 0}], "nothing flows"),
            ("draw", one, [{"volts": -12, "amps": 1}], "probes are swapped"),
            ("draw-behind", one, [{"volts": 12, "amps": 1, "efficiency": 1.5}], "efficiency"),
            ("charge", "/source/capacity_ah", [{"wh": 0}], "nothing went in"),
        ):
            with self.subTest(says), self.assertRaisesRegex(ValueError, says):
                summed(key, readings, self.case, place)

    def test_resistance_over_more_rows_is_the_slope(self) -> None:
        rows = [{"volts": 20.0 - 0.1 * amps + off, "amps": amps} for amps, off in ((0.5, 0.01), (2, -0.01), (4, 0.0))]
        got = summed("resistance", rows, self.case, "/source/resistance_ohm")
        self.assertAlmostEqual(got.value, 0.102432, places=6)

    def test_mains_volts_are_never_probed(self) -> None:
        fed = case("cases", "hide-mount-on-tool-pack", **{"device.inlet": {"kind": "mains"}})
        self.assertEqual(helpers_for(fed, "/device/modes/0/power_w"), ("plug-in",))
        got = summed("plug-in", [{"watts": 13.0}, {"watts": 15.0}], fed, "/device/modes/0/power_w")
        self.assertEqual(got.value, 14.0)

    def test_a_polarity_is_found_without_the_supply_only_by_what_bears_it_out(self) -> None:
        for key, shown in (("capacitor", "beep"), ("battery-clip", "0.4 Ω"), ("series-diode", "0.52 V"),
                           ("brushed-motor", "turns forwards")):  # fmt: skip
            self.assertEqual(found_polarity(key, shown).key, key)
        for key, shown in (("capacitor", "OL"), ("capacitor", "40 Ω"), ("series-diode", "beep"), ("guess", "beep"),
                           ("series-diode", "2 V"), ("brushed-motor", "backwards"), ("capacitor", "")):  # fmt: skip
            with self.subTest(key, shown=shown), self.assertRaises(ValueError):
                found_polarity(key, shown)

    def test_only_where_it_belongs(self) -> None:
        self.assertEqual(helpers_for(self.case, "/path/0/quiescent_w"), ())
        self.assertEqual(helpers_for(self.case, "/path/99/quiescent_w"), ())
        self.assertEqual(helpers_for(case("cases", "bat-detector-on-six-aaa"), "/source/capacity_ah"), ())
        self.assertEqual(helpers_for(self.case, "/title"), ())
        self.assertTrue(all(helper.connect and helper.takes for helper in HELPERS.values()))

    def test_polarity(self) -> None:
        self.assertEqual(polarity_from("sleeve", -9), "centre-positive")
        with self.assertRaises(ValueError):
            polarity_from("centre", 0.02)
