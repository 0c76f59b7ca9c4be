"""Voltmeters, alarms and docks from what is printed on them."""

from __future__ import annotations

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check
from hermotrope_core.kinds.voltmeter import USUAL_A, Voltmeter
from hermotrope_core.know.dock_print import USUAL_M, USUAL_MM2, dock_of
from hermotrope_core.know.line_print import line_facts, line_part, line_word
from hermotrope_core.know.meter_print import meter_of
from hermotrope_core.know.shelved import part_of
from hermotrope_core.values.known import maybe
from tests.labels import LABELS
from tests.support import case

METERS: tuple[tuple[str, float, float | None, float | None, int], ...] = (
    # amperes it draws, volts at which it warns, volts it stands, how much was taken for granted
    ("mini voltmeter 3-30V DC, 12mA", 0.012, None, 30, 0),
    ("Voltmeter 0-100V, 20 mA, 10A volt amp meter", 0.020, None, 100, 1),
    ("digital voltage display 2.5 to 30V red", USUAL_A, None, 30, 1),
    ("LiPo alarm 1S-8S, 3.3V per cell", USUAL_A, None, None, 3),
    ("LiPo alarm 1S-8S, warns at 3.3V/cell, 4mA", 0.004, None, None, 2),
    ("low voltage alarm 12V, beeps at 10.8V, 5mA", 0.005, 10.8, None, 1),
    ("battery monitor 8-30VDC", USUAL_A, None, 30, 1),
)
DOCKS: tuple[tuple[str, float, float, float | None, int], ...] = (
    # metres, mm², amperes of its contacts, how much was taken for granted
    ("dock for 18V tool packs, 14AWG wires 20cm, 20A, 30A fuse", 0.2, 2.08, 20, 2),
    ("tool battery mount 20V, 2.5mm² 0.3m", 0.3, 2.5, None, 1),
    ("battery adapter for 18V pack, 12 AWG", USUAL_M, 3.31, None, 2),
    ("dock", USUAL_M, USUAL_MM2, None, 3),
)
ELSE = (
    "multimeter 600V", "buck converter 5A with voltmeter", "docking station usb-c 5V", "monitor dock hdmi",
    "Dock power supply 12V 2A", "docking station 12V 3A adapter", "Battery adapter with 12V output 2A",
    "DC-DC 5-30V in 1-25V out 3A voltage display", "buck board 5A voltage meter", "power station 500 voltage display",
    "power bank 5000mAh with display", "20V 4Ah pack with dock", "battery charger 12V 5A", "adapter 12V 1A",
)  # fmt: skip


class Prints(SimpleTestCase):
    def test_meters_and_alarms(self) -> None:
        for label, draws, warns, stands, assumed in METERS:
            with self.subTest(label):
                found = meter_of(label)
                assert found is not None
                part = found[0]
                self.assertEqual((part.shunt_a, part.warns_below_v, maybe(part.rating_v)), (draws, warns, stands))
                self.assertEqual(len(found[1]), assumed, found[1])
                self.assertEqual(part_of(label).kind, "stage")

    def test_docks(self) -> None:
        for label, length, area, amps, assumed in DOCKS:
            with self.subTest(label):
                found = dock_of(label)
                assert found is not None
                part = found[0]
                assert part.source_end is not None
                got = maybe(part.length_m), maybe(part.area_mm2), maybe(part.source_end.rating_a)
                self.assertEqual(got, (length, area, amps))
                self.assertEqual(part.source_end.polarity, "unknown", "nobody has measured it")
                self.assertEqual(len(found[1]), assumed, found[1])
                self.assertEqual(part_of(label).kind, "lead")

    def test_nothing_else_is_taken_for_one(self) -> None:
        for label in (*(one for one, *_ in LABELS), *ELSE):
            self.assertIsNone(line_part(label), label)

    def test_words(self) -> None:
        for label, word in ((METERS[0][0], "a voltmeter"), (METERS[5][0], "an alarm"), ("dock", "a dock")):
            found = line_part(label)
            assert found is not None
            self.assertEqual(line_word(found[0]), word)
        part = line_part(METERS[5][0])
        assert part is not None
        self.assertEqual(line_facts(part[0]), [("Draws", "5.0 mA"), ("Warns", "at 10.8 V")])
        lead = line_part(DOCKS[0][0])
        assert lead is not None
        self.assertEqual(line_facts(lead[0]), [("Wires", "0.2 m, 2.08 mm²"), ("Contacts", "20.0 A")])


class Stands(SimpleTestCase):
    def test_more_volts_than_it_stands_burn_it(self) -> None:
        for stands, refused in ((None, False), (30.0, False), (20.8, True), (12.0, True)):
            with self.subTest(stands):
                made = case("cases", "hide-mount-on-tool-pack")
                path = (*made.path[:1], Voltmeter(current_a=0.01, rating_v=stands), *made.path[1:])
                found = check(Situation(msgspec.structs.replace(made, path=path)))
                self.assertEqual(any(one.code == "rating-volts" and one.stage == 1 for one in found), refused)
