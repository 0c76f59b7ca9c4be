"""Quantities as people type them, and nonsense refused with an example."""

from __future__ import annotations

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
    ("9" * 60, "V"), ("5 km", "Ah"), ("'; drop table", "V"), ("__import__('os')", "V"),
    ("4 parsecs ** 99999999", "m"), ("3 %", "V"), ("5 A", ""),
]  # fmt: skip


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
