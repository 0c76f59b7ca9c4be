"""What is printed on supplies and boards, read off a list of labels; what stays unread is said."""

from __future__ import annotations

import json
import subprocess
import sys

from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st

from hermotrope_core.know.label import LabelError
from hermotrope_core.know.printed import print_tree, read_print
from tests.labels import LABELS
from tests.support import ROOT


class Labels(SimpleTestCase):
    def test_every_label_of_the_list(self) -> None:
        for text, kind, chemistry, series, wh, outlets in LABELS:
            with self.subTest(text):
                read = read_print(text)
                self.assertEqual(read.kind, kind)
                if chemistry is not ...:
                    self.assertEqual(read.chemistry, chemistry)
                if series is not ...:
                    self.assertEqual(read.cells_in_series, series)
                if wh is None:
                    self.assertIsNone(read.wh)
                elif wh is not ...:
                    self.assertAlmostEqual((read.wh or 0.0) / wh, 1.0, delta=0.005)
                self.assertEqual([(one.volts, one.amps) for one in read.outlets], outlets)

    def test_what_is_not_understood_is_said(self) -> None:
        self.assertEqual(read_print("14.4V 3Ah NiMH frobnicate").not_understood, ("frobnicate",))
        self.assertEqual(read_print("10000mAh power bank, USB 5V 2.1A").not_understood, ())

    def test_a_round_voltage_without_a_chemistry_has_several_readings(self) -> None:
        tree = print_tree(read_print("12V 5Ah"))
        found = [(one["chemistry"], one["cells_in_series"]) for one in tree["readings"]]
        self.assertEqual(found[0], (tree["chemistry"], tree["cells_in_series"]))
        self.assertLessEqual({("li-ion", 3), ("lifepo4", 4), ("lead-acid", 6)}, set(found))
        for text in ("12V 5Ah lead", "12V 3S 5Ah", "18V 5Ah", "12V 2A"):
            with self.subTest(text):
                self.assertNotIn("readings", print_tree(read_print(text)))

    def test_an_input_is_no_outlet(self) -> None:
        read = read_print("10000mAh Input: 5V 2A Output: 5V 2.4A")
        self.assertEqual([(one.volts, one.amps) for one in read.outlets], [(5.0, 2.4)])

    def test_what_says_nothing_is_refused(self) -> None:
        for text in ("", "hello", "an adapter", "x" * 200, "12V", "9V lithium battery", "7.4V 2200"):
            with self.subTest(text), self.assertRaises(LabelError):
                read_print(text)
        for text, says in (
            ("LTO 2.4V 10Ah", "LTO is a chemistry that is not known"),
            ("solar charge controller 12V/24V 10A", "a charge controller gives nothing"),
            ("cigarette lighter plug 12V 10A fuse", "gives nothing by itself"),
            ("12V 5A motor", "a motor gives nothing"),
        ):
            with self.subTest(text), self.assertRaisesRegex(LabelError, says):
                read_print(text)

    def test_what_is_easily_taken_for_something_else_is_doubted(self) -> None:
        for text, says in (
            ("AA 3.7V 800mAh", "in the shape of a 1.5 V cell"),
            ("AA lithium 1.5V 3000mAh USB rechargeable", "calls itself rechargeable"),
            ("25.2V 6Ah", "count the cells"),
            ("7.2V 3000mAh", "packs of other cells"),
            ("9V NiMH 200mAh", "six, seven or eight"),
            ("AC-AC adaptor out 9V~ 500mA", "alternating current"),
        ):
            with self.subTest(text):
                self.assertIn(says, " ".join(read_print(text).doubts))
        self.assertEqual(read_print("18V 5.0Ah").doubts, ())

    def test_a_mass_that_cannot_hold_the_claim_is_told(self) -> None:
        for text, told in (
            ("50000mAh power bank 300 g", True),
            ("20000mAh 74Wh bank 350g", False),
            ("18V 5.0Ah 0.62 kg", False),
            ("12V 7Ah lead acid 2.1 kg", False),
            ("12V 20Ah lead acid 2.1 kg", True),
            ("12.8V 20Ah LiFePO4 2.6 kg", False),
            ("18650 9900mAh 45g", True),
            ("9900mAh bank 2 oz", True),
            ("9900mAh bank 1 lb", False),
        ):
            with self.subTest(text):
                self.assertEqual("more than its mass allows" in " ".join(read_print(text).doubts), told)

    def test_a_refusal_shows_what_was_typed(self) -> None:
        for text in ("2x 9V lump", "LR99 x 2"):
            with self.subTest(text), self.assertRaisesRegex(LabelError, f" in '{text}'"):
                read_print(text)

    @settings(deadline=None, max_examples=300)
    @given(st.text(alphabet="0123456789 .,xVAWhmSPLiFeO-/:", max_size=40))
    def test_any_text_is_read_or_refused(self, text: str) -> None:
        try:
            read = read_print(text)
        except LabelError:
            return
        self.assertTrue(read.wh is None or read.wh > 0.0)

    def test_the_command(self) -> None:
        def asked(text: str) -> subprocess.CompletedProcess[str]:
            command = [sys.executable, "-m", "hermotrope_cli", "label", text]
            return subprocess.run(command, cwd=ROOT / "src", capture_output=True, text=True, check=False)

        told = json.loads(asked("20000mAh 74Wh 5V 3A").stdout)
        self.assertEqual((told["kind"], told["outlets"]), ("bank", [{"volts": 5.0, "amps": 3.0}]))
        refused = asked("hello")
        self.assertEqual((refused.returncode, refused.stdout), (2, ""))
        self.assertRegex(refused.stderr, r"^label: .+\n$")
