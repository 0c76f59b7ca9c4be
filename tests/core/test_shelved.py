"""A label becomes a part of the shelf: cells, outlets, an adapter, a board's ranges; each figure by how it is known."""

from __future__ import annotations

from typing import Any

import msgspec
from django.test import SimpleTestCase

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import check
from hermotrope_core.kinds.converter import Converter
from hermotrope_core.know.bank import fed_from
from hermotrope_core.know.label import LabelError
from hermotrope_core.know.printed import read_print
from hermotrope_core.know.shelved import held, marked, part_of
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.spread import known_by
from hermotrope_core.prove.gates import gates
from hermotrope_core.prove.judge import judge
from hermotrope_core.values.known import maybe, number
from tests.labels import LABELS
from tests.support import case

BOARDS: list[tuple[str, tuple[Any, ...]]] = [
    # topology, output, takes in from and up to, set from and up to, amperes
    ("DC-DC 4.5-28V in, 0.8-20V out, 3A max", ("buck", 12, 4.5, 28, 0.8, 20, 3)),
    ("step-down module 3.2-40V to 1.25-35V 3A", ("buck", 12, 3.2, 40, 1.25, 35, 3)),
    ("Input 8-36V Output 12V 5A converter", ("buck", 12, 8, 36, None, None, 5)),
    ("Step-up 10-32V to 12-35V 6A", ("boost", 12, 10, 32, 12, 35, 6)),
    ("boost board 3.7V to 5V 1A", ("boost", 5, None, None, None, None, 1)),
    ("converter 3-6V in, 12V 0.5A out", ("boost", 12, 3, 6, None, None, 0.5)),
    ("buck-boost 5-30V in 1.25-30V out 4A module", ("buck-boost", 12, 5, 30, 1.25, 30, 4)),
    ("buck 6-32V in 0.8-9V out 2A", ("buck", 9, 6, 32, 0.8, 9, 2)),
    ("150W inverter 20V", ("inverter", 230, None, None, None, None, 0.652174)),
    ("PD trigger board 9V", ("trigger", 9, None, None, None, None, None)),
    ("PD trigger 5/9/12/15/20V", ("trigger", 12, None, None, 5, 20, None)),
]
BANKS: list[tuple[str, list[tuple[str, str, list[tuple[float, float | None]]]], float | None]] = [
    ("10000mAh power bank, USB 5V 2.1A", [("USB", "usb-a", [(5, 2.1)])], None),
    ("10000mAh power bank", [("USB", "usb-a", [(5, None)])], None),
    (
        "26800mAh PD 45W USB-C 5V3A 9V3A 15V3A 20V2.25A USB-A 5V2.4A",
        [("USB-C", "usb-c", [(5, 3), (9, 3), (15, 3), (20, 2.25)]), ("USB-A", "usb-a", [(5, 2.4)])],
        None,
    ),
    (
        "Power station 256Wh LiFePO4 USB 5V 2.4A 12V 10A DC USB-C PD 20V 3A 300W",
        [("USB-C", "usb-c", [(5, 3), (20, 3)]), ("USB-A", "usb-a", [(5, 2.4)]), ("12 V socket", "barrel", [(12, 10)])],
        300,
    ),
    (
        "20000mAh USB-C PD 5V 3A 9V 2A 12V 1.5A",
        [("USB-C", "usb-c", [(5, 3), (9, 2), (12, 1.5)])],
        None,
    ),
]


UNREGULATED = [
    # label, unloaded, ohms, known by
    ("12V 1A unregulated adapter", 16.8, 4.8, "typical"),
    ("Unregulated wall adapter output 9V 500mA, 13.4V unloaded", 13.4, 8.8, "measured"),
    ("not regulated 6V 300mA wall adapter, idle 8.2V", 8.2, 7.3333, "measured"),
    ("adapter 12 V 2 A non-stabilised, 24V with nothing connected", 24.0, 6.0, "measured"),
]


class Adapters(SimpleTestCase):
    """One that is not regulated gives its label's volts at its label's amperes alone."""

    def fed(self, label: str, **changes: object) -> Case:
        source = part_of(label).part
        assert isinstance(source, Source)
        return msgspec.structs.replace(case("cases", "hide-mount-on-tool-pack", path=[], **changes), source=source)

    def test_volts_fall_from_unloaded_to_the_label(self) -> None:
        for label, idle, ohms, by in UNREGULATED:
            with self.subTest(label):
                source = part_of(label).part
                assert isinstance(source, Source)
                self.assertIsNone(source.regulated_output)
                self.assertEqual((maybe(source.full_v), number(source.resistance_ohm)), (idle, ohms))
                fall = "label" if by == "measured" else by
                self.assertEqual((known_by(source.full_v), known_by(source.resistance_ohm)), (by, fall))
                rated_v, rated_a = maybe(source.stated_at_v), maybe(source.max_current_a)
                assert rated_v and rated_a
                self.assertAlmostEqual(idle - ohms * rated_a, rated_v, places=3)

    def test_what_is_not_told_is_taken_for_regulated_and_said(self) -> None:
        self.assertIn("about 16.8 V while it is idle", " ".join(part_of("adapter 12V 1A").assumed))
        for sure in ("adapter 12V 1A switching", "regulated adapter 12V 1A", "12V 1A SMPS adapter"):
            self.assertEqual(part_of(sure).assumed, ())

    def test_a_device_that_its_idle_volts_break_is_refused(self) -> None:
        codes = {one.code: one for one in check(Situation(self.fed("12V 1A unregulated adapter")))}
        self.assertEqual(codes["over-absolute-max"].have, 16.8)
        self.assertNotIn("full", codes["collapse"].message)
        held = {one.code for one in check(Situation(self.fed("12V 1A regulated adapter")))}
        self.assertFalse({"over-absolute-max", "over-max"} & held)

    def test_its_first_gate_reads_it_unloaded(self) -> None:
        gate = gates(Situation(self.fed("12V 1A unregulated adapter")), {})[0]
        ask = gate.asks[0]
        self.assertIn("with nothing connected", ask.what)
        self.assertEqual((gate.title, ask.expected), ("The adapter alone", 16.8))
        for volts, level in (
            (-16.8, "stop"), (0.1, "fail"), (10.7, "fail"), (10.9, "note"), (15.9, "note"),
            (16.0, "pass"), (17.6, "pass"), (17.7, "stop"), (24.0, "stop"),
        ):  # fmt: skip
            with self.subTest(volts):
                self.assertEqual(judge(ask, volts).level, level)


class Boards(SimpleTestCase):
    def test_each(self) -> None:
        for label, wanted in BOARDS:
            with self.subTest(label):
                named = part_of(label)
                board = named.part
                assert isinstance(board, Converter)
                self.assertEqual(named.kind, "converter")
                ends = (board.input_min_v, board.input_max_v, board.adjusts_from_v, board.adjusts_to_v)
                found = (board.topology, number(board.output_v), *map(maybe, ends), maybe(board.output_current_max_a))
                self.assertEqual(found, wanted)
                self.assertEqual((known_by(board.output_v), known_by(board.efficiency)), ("label", "typical"))
                self.assertTrue(any("typical" in one for one in named.assumed))

    def test_a_board_that_says_no_direction_is_told_to_step_down(self) -> None:
        self.assertIn("it steps down", " ".join(part_of("DC-DC 4.5-28V in, 0.8-20V out, 3A max").assumed))
        self.assertIn("it steps up", " ".join(part_of("converter 3-6V in, 12V 0.5A out").assumed))

    def test_what_cannot_be_a_part_is_refused_with_what_is_missing(self) -> None:
        for label, says in (
            ("buck module 3A", "which volts does it give"),
            ("AC/AC adapter 12VAC 1A", "alternating current"),
            ("", "type what the label says"),
            ("12V unregulated adapter", "volts and amperes are needed"),
            ("unregulated adapter 12V 1A, 9V unloaded", "does not give 9 V unloaded: measure again"),
            ("unregulated adapter 12V 1A, 24.1V unloaded", "does not give 24.1 V unloaded: measure again"),
        ):
            with self.subTest(label), self.assertRaisesRegex(LabelError, says):
                part_of(label)


class Banks(SimpleTestCase):
    def test_outlets_become_ports(self) -> None:
        for label, wanted, total in BANKS:
            with self.subTest(label):
                bank = part_of(label).part
                assert isinstance(bank, Source)
                found = [
                    (p.name, p.kind, [(number(one.output_v), maybe(one.output_current_max_a)) for one in p.profiles])
                    for p in bank.ports
                ]
                self.assertEqual(found, wanted)
                self.assertEqual(maybe(bank.ports_power_max_w), total)
                assert bank.regulated_output is not None and bank.outlet is not None
                self.assertEqual((number(bank.regulated_output.output_v), bank.outlet.measured), (5, True))

    def test_a_socket_of_no_standard_is_to_be_measured(self) -> None:
        station = part_of(BANKS[3][0]).part
        assert isinstance(station, Source)
        outlet = fed_from(station, 2, 0).outlet
        assert outlet is not None
        self.assertEqual((outlet.kind, outlet.polarity, outlet.measured), ("barrel", "unknown", False))

    def test_a_mains_socket_is_left_out(self) -> None:
        named = part_of("Power station 500Wh li-ion 12V 10A 230V 2A USB 5V 2.4A")
        assert isinstance(named.part, Source)
        self.assertEqual([p.name for p in named.part.ports], ["USB", "12 V socket"])
        self.assertIn("mains socket is left out", " ".join(named.assumed))

    def test_a_station_that_tells_watt_hours_alone_holds_them(self) -> None:
        station = part_of(BANKS[3][0]).part
        assert isinstance(station, Source)
        self.assertAlmostEqual(number(station.capacity_ah) * station.cells_in_series * 3.2, 256, delta=0.01)


class Packs(SimpleTestCase):
    def test_a_reading_is_chosen(self) -> None:
        for label, at, wanted in (
            ("holiday 12V 74Wh", 0, ("li-ion", 3, 6.8519)),
            ("holiday 12V 74Wh", 2, ("lifepo4", 4, 5.7812)),
            ("12V 6Ah", 0, ("li-ion", 3, 6)),
            ("12V 6Ah", 2, ("lifepo4", 4, 6)),
            ("20V 5.0Ah 90Wh", 0, ("li-ion", 5, 5)),
            ("6xAA", 0, ("alkaline", 6, 2.5)),
        ):
            with self.subTest(label, at=at):
                pack = part_of(label, at).part
                assert isinstance(pack, Source)
                self.assertEqual((pack.chemistry, pack.cells_in_series, number(pack.capacity_ah)), wanted)
                self.assertIsNone(pack.regulated_output)
        self.assertEqual(part_of("12V 6Ah", 1).assumed, ("read as it was chosen",))
        self.assertRaises(LabelError, part_of, "12V 6Ah", 9)

    def test_the_sums_are_those_of_the_reading_that_was_chosen(self) -> None:
        for label, at, nominal, ah, wh in (
            ("12V 6Ah", 0, 10.8, 6, 64.8),
            ("12V 6Ah", 2, 12.8, 6, 76.8),
            ("holiday 12V 74Wh", 2, 12.8, 5.7812, 74),
            ("18V 5.0Ah", 0, 18, 5, 90),
            ("26800mAh", 0, 3.6, 26.8, 99.16),
        ):
            with self.subTest(label, at=at):
                source = part_of(label, at).part
                assert isinstance(source, Source)
                sums = held(label, read_print(label), source, at)
                self.assertEqual([round(x, 4) for x in (sums.nominal_v, sums.capacity_ah, sums.wh)], [nominal, ah, wh])
        self.assertEqual([round(mah, -2) for _, mah in sums.usable_mah], [17500, 9700, 7300])

    def test_every_pack_of_the_list_is_a_source(self) -> None:
        for text, kind, *_ in LABELS:
            if kind in ("pack", "bank", "cells"):
                with self.subTest(text):
                    made = part_of(text).part
                    assert isinstance(made, Source)
                    self.assertEqual(made.regulated_output is not None, kind == "bank")
                    self.assertGreater(number(made.resistance_ohm), 0)
                    self.assertEqual(known_by(made.capacity_ah), "label")

    def test_an_adapter_holds_its_volts_and_is_endless(self) -> None:
        adapter = part_of("OUTPUT 12V 1.5A wall adapter").part
        assert isinstance(adapter, Source) and adapter.regulated_output is not None
        self.assertEqual(adapter.chemistry, "mains-adapter")
        self.assertEqual(maybe(adapter.regulated_output.output_current_max_a), 1.5)
        self.assertIsNone(adapter.outlet)

    def test_the_text_is_marked_where_it_was_read(self) -> None:
        label = "holiday 12V 74Wh frobnicator"
        pieces = marked(label, read_print(label).not_understood)
        self.assertEqual("".join(piece for piece, _ in pieces), label)
        self.assertEqual([piece for piece, read in pieces if not read], ["holiday", "frobnicator"])
