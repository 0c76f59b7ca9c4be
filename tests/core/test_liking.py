"""Figures as somebody likes them: what is written reads back as it was, and nothing is understood in two ways."""

from __future__ import annotations

import re
from collections.abc import Iterator
from datetime import date, time
from pathlib import Path
from typing import Any
from unittest import TestCase

import msgspec

from hermotrope_core.values.clock import as_clock, clock_text, clock_time
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import figure, fixed, heft, reach, stated
from hermotrope_core.values.liking import Liking, awg_mm2, day_text, gauge_of, liking, money, time_text
from hermotrope_core.values.quantity import QuantityError, parse, parse_field, show

OTHERWISE = Liking(length="ft", wire="AWG", mass="oz", warmth="°F", money="$", day="month-first", clock="12")
COMMA = Liking(decimal="comma", money="€", day="day-first")
TESTS = Path(__file__).parent.parent


def values(tree: Any) -> Iterator[tuple[str, float]]:
    """Every quantity of a document with the name of its field."""
    if isinstance(tree, dict):
        for name, value in tree.items():
            plain = value.get("value") if isinstance(value, dict) else value
            if name in FIELDS and isinstance(plain, int | float) and not isinstance(plain, bool):
                yield name, float(plain)
            yield from values(value)
    elif isinstance(tree, list):
        for one in tree:
            yield from values(one)


class Written(TestCase):
    def test_every_quantity_of_every_case_reads_back_as_it_was(self) -> None:
        paths = [path for folder in ("cases", "judgements", "outings") for path in (TESTS / folder).rglob("*.json")]
        found = {pair for path in paths for pair in values(msgspec.json.decode(path.read_bytes()))}
        self.assertGreater(len(found), 200)
        for wish in (OTHERWISE, COMMA, Liking(wire="AWG", decimal="comma")):
            with liking(wish):
                for name, value in sorted(found):
                    unit = FIELDS[name].unit
                    text = show(value, unit)
                    self.assertEqual(f"{parse(text, unit):.9g}", f"{value:.9g}", (name, text, wish))

    def test_feet_gauges_ounces_and_fahrenheit(self) -> None:
        with liking(OTHERWISE):
            told = [
                figure(1.2, "m"), stated(0.1, "m"), figure(0.823, "mm²"), stated(0.75, "mm²"), figure(67.43, "mm²"),
                figure(265.0, "g"), heft(1250.0), figure(40.0, "°C", 2), figure(30.0, "K", 2), fixed(-40.0, 0, "°C"),
                reach(0.1, 0.5, "m"), reach(0.5, 0.823, "mm²"), figure(12.6, "V"), stated(5.5, "mm"),
            ]  # fmt: skip
        self.assertEqual(told, [
            "3.94 ft", "3.937 in", "18 AWG", "0.75 mm² (at least 18 AWG)", "2/0 AWG",
            "9.35 oz", "2.76 lb", "104 °F", "54 °F", "−40 °F",
            "3.94 in to 1.64 ft", "0.500 mm² (at least 20 AWG) to 18 AWG", "12.6 V", "5.5 mm",
        ])  # fmt: skip

    def test_wire_by_gauge_is_never_thinner_than_what_was_judged(self) -> None:
        with liking(OTHERWISE):
            for area in (0.14, 0.25, 0.34, 0.5, 0.75, 1.0, 1.5, 2.5, 4.0, 6.0, 10.0, 16.0, 25.0, 35.0, 70.0):
                told = stated(area, "mm²")
                gauge = re.search(r"([\d/]+) AWG", told)
                assert gauge is not None
                self.assertGreaterEqual(parse(gauge[0], "mm²"), 0.985 * area, told)
                self.assertLess(parse(gauge[0], "mm²"), 1.3 * area, told)

    def test_a_decimal_comma(self) -> None:
        with liking(COMMA):
            self.assertEqual(
                [
                    figure(0.0282, "A"),
                    stated(7.5, "A"),
                    reach(15.0, 21.0, "V"),
                    fixed(12.345, 2, "V"),
                    show(1.125, "V"),
                ],
                ["28,2 mA", "7,5 A", "15,0–21,0 V", "12,35 V", "1,125 V"],
            )
            self.assertEqual(money(1234.5), "1234,50 €")

    def test_dates_clock_and_money(self) -> None:
        day = date(2026, 6, 3)
        self.assertEqual(money(18.5), "18.50")
        with liking(OTHERWISE):
            self.assertEqual((day_text(day), day_text(day, year=False), money(18.5)), ("06/03/2026", "06/03", "$18.50"))
            told = [time_text(time(h, 5)) for h in (0, 9, 12, 23)]
            self.assertEqual(told, ["12:05 am", "9:05 am", "12:05 pm", "11:05 pm"])
            self.assertEqual((clock_time("20:30", 5 * 3600.0), clock_text("20:30")), ("1:30 am", "8:30 pm"))
        with liking(COMMA):
            self.assertEqual((day_text(day), day_text(day, year=False)), ("03.06.2026", "03.06."))
        with liking(Liking(day="iso")):
            self.assertEqual(day_text(day, year=False), "2026-06-03")

    def test_a_sign_of_money_is_short_and_a_sign(self) -> None:
        for wrong in ("EUROS", "1", "a b", "<b>", '"'):
            with self.assertRaises(ValueError, msg=wrong):
                Liking(money=wrong)


class Typed(TestCase):
    def test_a_bare_number_is_taken_as_it_is_written(self) -> None:
        with liking(OTHERWISE):
            self.assertAlmostEqual(parse("4", "m"), 1.2192)
            self.assertAlmostEqual(parse("2 * 2", "m"), 1.2192)
            self.assertEqual(parse("18", "mm²"), parse("18 AWG", "mm²"))
            self.assertAlmostEqual(parse("10", "g"), 283.495)
            self.assertEqual((parse("41", "°C"), parse("-40", "°C")), (5.0, -40.0))
            self.assertEqual((parse("1.2 m", "m"), parse("0.75 mm²", "mm²"), parse("5 °C", "°C")), (1.2, 0.75, 5.0))
            self.assertEqual((parse("12.6", "V"), parse("5.5", "mm")), (12.6, 5.5))
        self.assertEqual((parse("4", "m"), parse("0.75", "mm²"), parse("41", "°C")), (4.0, 0.75, 41.0))

    def test_gauges_beyond_nought_and_none_between(self) -> None:
        self.assertEqual(parse("2/0 AWG", "mm²"), 67.43)
        for gauge in range(-3, 41):
            self.assertAlmostEqual(gauge_of(awg_mm2(gauge)), gauge)
        with liking(OTHERWISE), self.assertRaisesRegex(QuantityError, "no gauge that is sold; for example 18 AWG"):
            parse("0.75", "mm²")

    def test_a_point_before_three_digits_is_asked_about_where_a_comma_is_liked(self) -> None:
        with liking(COMMA):
            read = [parse(text, "Ah") for text in ("2,5", "2.5", "0.500", "1.234,5 mAh", "26.800.000 mAh", "2500 mAh")]
            self.assertEqual(read, [2.5, 2.5, 0.5, 1.2345, 26800.0, 2.5])
            self.assertEqual((parse("7V4", "V"), parse("2 * 1,5 V", "V"), parse("4h30", "s")), (7.4, 3.0, 16200.0))
            for text, choice in (
                ("2.500 mAh", "2500 or 2,5"),
                ("26.800", "26800 or 26,8"),
                ("12.000 V", "12000 or 12,0"),
            ):
                with self.assertRaisesRegex(QuantityError, choice):
                    parse(text, "V" if "V" in text else "Ah")
        self.assertEqual((parse("2.500 Ah", "Ah"), parse("26,800 mAh", "Ah")), (2.5, 26.8))

    def test_what_is_out_of_range_is_told_in_the_same_units(self) -> None:
        with liking(OTHERWISE), self.assertRaisesRegex(QuantityError, "at least -76 °F and at most 212 °F .got 302 °F"):
            parse_field("302", FIELDS["temperature_c"])
        with liking(OTHERWISE), self.assertRaisesRegex(QuantityError, "for example 41 °F"):
            parse("warm", "°C")

    def test_times_of_day(self) -> None:
        read = [as_clock(text) for text in ("20:30", "9:05", "8:30 pm", "12 am", "12:15 p.m.", "8pm")]
        self.assertEqual(read, ["20:30", "09:05", "20:30", "00:00", "12:15", "20:00"])
        for wrong in ("", "25:00", "13 pm", "0 am", "8", "8:75", "noon"):
            with self.assertRaises(ValueError, msg=wrong):
                as_clock(wrong)
