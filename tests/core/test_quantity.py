"""Quantities as people type them, and nonsense refused with an example."""

from __future__ import annotations

import math
from contextlib import suppress

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.quantity import QuantityError, parse, show
from hermotrope_core.values.units import UNITS

READ = [
    ("2500 mAh", "Ah", 2.5), ("2.5Ah", "Ah", 2.5), ("26,800 mAh", "Ah", 26.8), ("2,5 Ah", "Ah", 2.5),
    ("7V4", "V", 7.4), ("12", "V", 12.0), ("12v", "V", 12.0), ("1.2e1 V", "V", 12.0), ("1/4 W", "W", 0.25),
    ("0.3 kW", "W", 300.0), ("500ma", "A", 0.5), ("28 mA", "A", 0.028), ("900 µA", "A", 0.0009),
    ("125 mΩ", "Ω", 0.125), ("125mohm", "Ω", 0.125), ("4R7", "Ω", 4.7), ("2k", "Ω", 2000.0),
    ("20 AWG", "mm²", 0.5176), ("AWG 18", "mm²", 0.823), ("0.5 mm²", "mm²", 0.5), ("0.75mm2", "mm²", 0.75),
    ("60 cm", "m", 0.6), ("90 min", "s", 5400.0), ("4h30", "s", 16200.0), ("1 h 30 min", "s", 5400.0),
    ("20 ms", "s", 0.02), ("3 days", "s", 259200.0), ("90 min", "h", 1.5), ("92 %", "%", 0.92), ("92", "%", 0.92),
    ("0.92", "%", 0.92), ("-5", "°C", -5.0), ("−5 °C", "°C", -5.0), ("41 F", "°C", 5.0), ("30 K/W", "K/W", 30.0),
    ("5", "", 5.0),
]  # fmt: skip
REFUSED = [
    ("", "V"), ("   ", "A"), ("banana", "A"), ("12 V", "A"), ("5 bananas", "V"), ("nan", "A"), ("inf", "W"),
    ("1e999", "A"), ("1/0 W", "W"), ("1 2 3", "V"), ("12 V 5", "V"), ("--3", "V"), ("90 AWG", "mm²"),
    ("²", "V"), ("1²", "V"),
    ("9" * 61, "V"), ("5 km", "Ah"), ("'; drop table", "V"), ("__import__('os')", "V"),
    ("4 parsecs ** 99999999", "m"), ("3 %", "V"), ("5 A", ""),
]  # fmt: skip

SUMS = [
    ("12*60 mA", "A", 0.72), ("48+60 W", "W", 108.0), ("48 W + 60", "W", 108.0), ("27.4 Wh / 8 h", "W", 3.425),
    ("1 lb 11.5 oz", "g", 779.61), ("2 h 15 min", "s", 8100.0), ("47||100", "Ω", 31.973), ("4k7 || 10k", "Ω", 3197.28),
    ("3 x 1.5 V", "V", 4.5), ("3×1,5 V", "V", 4.5), ("15 - 0.7 V", "V", 14.3), ("(2+3)*1.2 V", "V", 6.0),
    ("(2+3) V", "V", 5.0), ("0.3 A * 12 V", "W", 3.6), ("12 V / 8 ohm", "A", 1.5), ("1/4 W + 1 W", "W", 1.25),
    ("8 / 2 / 2 W", "W", 2.0), ("2 + 3 * 4 V", "V", 14.0), ("10 - 2 - 3 V", "V", 5.0), ("7V4 + 1", "V", 8.4),
    ("2500 mAh * 2", "Ah", 5.0), ("2 ft 3 in", "m", 0.6858), ("2*20 AWG", "mm²", None), ("5 V / 5 V", "A", None),
    ("9-15 V", "V", None), ("9 - 15 V", "V", None), ("9 – 15 V", "V", None), ("9..15 V", "V", None),
    ("9 to 15 V", "V", None), ("5 V / 0", "V", None), ("12 V + 3 A", "V", None), ("12 V 1 A", "V", None),
    ("5 ft 3", "m", None), ("(1 + 2 V", "V", None), ("1 + 2) V", "V", None), ("2 * * 3 V", "V", None),
    ("9**9**9 V", "V", None), ("((((((((((1 + 1 V))))))))))", "V", None), ("20 + 5", "°C", None), ("50+20", "%", None),
    ("4 + parsecs ** 99999999", "m", None), ("1 + __import__", "V", None),
]  # fmt: skip
"""Sums as typed; None where they are refused."""


class Sums(SimpleTestCase):
    def test_each(self) -> None:
        for text, unit, value in SUMS:
            with self.subTest(text, unit=unit):
                if value is None:
                    self.assertRaises(QuantityError, parse, text, unit)
                else:
                    self.assertAlmostEqual(parse(text, unit), value, delta=1e-4 * value)

    def test_a_range_is_told_as_one(self) -> None:
        for text in ("9-15 V", "9 – 15 V", "9 - 15 V", "9 to 15 V"):
            self.assertRaisesRegex(QuantityError, "is that a range", parse, text, "V")

    @given(st.text("0123456789+-*/()|x. VAWΩmhk", max_size=30), st.sampled_from(["V", "W", "Ω", "s"]))
    def test_nonsense_is_refused_and_never_breaks(self, text: str, unit: str) -> None:
        with suppress(QuantityError):
            self.assertTrue(math.isfinite(parse(text, unit)))


class Quantities(SimpleTestCase):
    def test_read(self) -> None:
        for text, unit, value in READ:
            with self.subTest(text, unit=unit):
                self.assertAlmostEqual(parse(text, unit), value, delta=1e-4 * abs(value))

    def test_refused_with_an_example(self) -> None:
        for text, unit in REFUSED:
            with self.subTest(text, unit=unit), self.assertRaises(QuantityError) as caught:
                parse(text, unit)
            self.assertNotIn("\n", str(caught.exception))

    def test_every_unit_of_the_document_has_an_example_that_reads(self) -> None:
        for field in FIELDS.values():
            parse(UNITS[field.unit].example.split(" or ")[0].split(",")[0], field.unit)

    @given(st.floats(1e-6, 1e6), st.sampled_from(sorted(UNITS)))
    def test_what_is_shown_reads_back(self, value: float, unit: str) -> None:
        if unit == "%":
            value = min(value, 1.0)
        self.assertAlmostEqual(parse(show(value, unit), unit), value, delta=1e-8 * value + 1e-9)
