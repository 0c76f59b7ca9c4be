"""Labels as they are printed, all invented, nonsense included."""

from __future__ import annotations

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from hermotrope_core.know.label import Decoded, LabelError, decode

# label, kind, chemistry, cells in series, Ah, how many doubts, a word one of them must hold
READ: list[tuple[str, str, str, int, float, int, str]] = [
    ("26800mAh", "bank", "li-ion", 1, 26.8, 0, ""),
    ("26,800 mAh", "bank", "li-ion", 1, 26.8, 0, ""),
    ("10000 mAh 37Wh", "bank", "li-ion", 1, 10, 0, ""),
    ("10000mAh 3.7V 37Wh", "bank", "li-ion", 1, 10, 0, ""),
    ("5000 mAh Li-Po", "bank", "li-ion", 1, 5, 0, ""),
    ("20.000 mAh 3.85V 77Wh", "bank", "li-ion", 1, 0.02, 1, "wrong"),
    ("50000mAh 37Wh", "bank", "li-ion", 1, 10, 1, "wrong"),
    ("100000mAh", "bank", "li-ion", 1, 100, 2, "weigh"),
    ("5V 6500mAh", "bank", "li-ion", 1, 8.78, 1, "5 V"),
    ("74 Wh", "bank", "li-ion", 1, 20, 0, ""),
    ("3.6V 6700mAh", "bank", "li-ion", 1, 6.7, 0, ""),
    ("20V 5.0Ah 90Wh", "pack", "li-ion", 5, 5, 1, "full"),
    ("20 V 2.0Ah", "pack", "li-ion", 5, 2, 1, "18.0 V"),
    ("21V 1500mAh", "pack", "li-ion", 5, 1.5, 1, "full"),
    ("18V 4Ah", "pack", "li-ion", 5, 4, 0, ""),
    ("18 V 4.0 Ah 72 Wh", "pack", "li-ion", 5, 4, 0, ""),
    ("18V 9.0Ah 72Wh", "pack", "li-ion", 5, 9, 2, "do not fit"),
    ("5S2P 18V 5Ah", "pack", "li-ion", 5, 5, 0, ""),
    ("12V 74Wh", "pack", "li-ion", 3, 6.85, 3, "three lithium cells"),
    ("12V 20Ah 74Wh", "pack", "li-ion", 3, 6.85, 4, "counted at one cell"),
    ("12V 2Ah 21.6Wh", "pack", "li-ion", 3, 2, 3, "three lithium cells"),
    ("10.8V 2.0Ah", "pack", "li-ion", 3, 2, 0, ""),
    ("12.6V 3Ah", "pack", "li-ion", 3, 3, 1, "full"),
    ("11.1V 2200mAh LiPo", "pack", "li-ion", 3, 2.2, 0, ""),
    ("3S 2200mAh", "pack", "li-ion", 3, 2.2, 0, ""),
    ("14.4V 1.5Ah", "pack", "li-ion", 4, 1.5, 0, ""),
    ("14.8V 5000mAh 4S", "pack", "li-ion", 4, 5, 0, ""),
    ("16.8V 3Ah", "pack", "li-ion", 4, 3, 1, "full"),
    ("4S 12V 5Ah", "pack", "li-ion", 4, 5, 0, ""),
    ("3S 20V 5Ah", "pack", "li-ion", 3, 5, 2, "outside"),
    ("7.4V 5200mAh", "pack", "li-ion", 2, 5.2, 0, ""),
    ("7V4 2200mAh", "pack", "li-ion", 2, 2.2, 0, ""),
    ("22.2V 6S1P 5000mAh", "pack", "li-ion", 6, 5, 1, "air"),
    ("36V 2.5Ah 90Wh", "pack", "li-ion", 10, 2.5, 0, ""),
    ("40V 2.5Ah 90Wh", "pack", "li-ion", 10, 2.5, 1, "full"),
    ("36V 10Ah 360Wh", "pack", "li-ion", 10, 10, 1, "air"),
    ("48V 13Ah Li-ion", "pack", "li-ion", 13, 13, 1, "air"),
    ("1kWh 48V Li-ion", "pack", "li-ion", 13, 21.4, 1, "air"),
    ("12V 7Ah", "pack", "lead-acid", 6, 7, 1, "chemistry"),
    ("12V 7.2Ah SLA", "pack", "lead-acid", 6, 7.2, 0, ""),
    ("AGM 12 V 18 Ah", "pack", "lead-acid", 6, 18, 0, ""),
    ("6V 4.5Ah", "pack", "lead-acid", 3, 4.5, 1, "chemistry"),
    ("24V 10Ah", "pack", "lead-acid", 12, 10, 1, "chemistry"),
    ("6V 4Ah gel", "pack", "lead-acid", 3, 4, 0, ""),
    ("12.8V 6Ah", "pack", "lifepo4", 4, 6, 0, ""),
    ("12.8V 20Ah LiFePO4 256Wh", "pack", "lifepo4", 4, 20, 1, "air"),
    ("12V 6Ah LFP", "pack", "lifepo4", 4, 6, 0, ""),
    ("6.4V 3Ah", "pack", "lifepo4", 2, 3, 0, ""),
    ("25.6V 2Ah", "pack", "lifepo4", 8, 2, 0, ""),
    ("9.6V 1600mAh", "pack", "nimh", 8, 1.6, 0, ""),
    ("7.2V 3000mAh NiMH", "pack", "nimh", 6, 3, 0, ""),
    ("4.8V 700mAh", "pack", "nimh", 4, 0.7, 0, ""),
    ("12V 1.7Ah NiCd", "pack", "nicd", 10, 1.7, 0, ""),
    ("9V 550mAh", "pack", "alkaline", 6, 0.55, 1, "9 V block"),
    ("9V 175mAh NiMH", "pack", "nimh", 8, 0.175, 0, ""),
    ("6xAA", "cells", "alkaline", 6, 2.5, 1, "look-alikes"),
    ("6 x AAA NiMH 800mAh", "cells", "nimh", 6, 0.8, 0, ""),
    ("4 C", "cells", "alkaline", 4, 7.5, 1, "look-alikes"),
    ("4×D alkaline", "cells", "alkaline", 4, 15, 0, ""),
    ("AA x 8 NiMH 2000 mAh", "cells", "nimh", 8, 2, 0, ""),
    ("4xAA NiMH 9000mAh", "cells", "nimh", 4, 9, 1, "more than"),
    ("18650 9900mAh", "cells", "li-ion", 1, 9.9, 1, "more than"),
    ("4x18650 3.7V 2600mAh", "cells", "li-ion", 1, 10.4, 0, ""),
    ("4x18650 14.4V 2600mAh", "cells", "li-ion", 4, 2.6, 0, ""),
    ("2xCR2032", "cells", "lithium-manganese-dioxide", 2, 0.22, 0, ""),
    ("CR123A", "cells", "lithium-manganese-dioxide", 1, 1.5, 0, ""),
    ("4xAA lithium primary", "cells", "lithium-iron-disulfide", 4, 2.5, 0, ""),
    ("4 x C zinc", "cells", "zinc-carbon", 4, 7.5, 0, ""),
]
NONSENSE = [
    "", "   ", "battery", "12V", "0V 5Ah", "0xAA", "12V 0Ah", "900 Wh", "best pack ever!!!", "V V V", "Ah", "mAh mAh",
    "1" * 400, "٣٤", "<script>", "20 volts", "999999999 Ah 12V", "0S 5Ah",
]  # fmt: skip


class Labels(SimpleTestCase):
    def test_read(self) -> None:
        self.assertGreaterEqual(len(READ), 60)
        for text, kind, chemistry, series, ah, doubts, word in READ:
            with self.subTest(text):
                got = decode(text)
                self.assertEqual((got.kind, got.chemistry, got.cells_in_series), (kind, chemistry, series))
                self.assertAlmostEqual(got.capacity_ah, ah, delta=0.006 * ah)
                self.assertEqual(len(got.doubts), doubts, got.doubts)
                if word:
                    self.assertIn(word, " ".join(got.doubts))

    def test_nonsense_is_told_with_an_example(self) -> None:
        for text in NONSENSE:
            with self.subTest(text[:20]), self.assertRaises(LabelError):
                decode(text)

    def test_a_guess_is_never_silent(self) -> None:
        for text, *_ in READ:
            got = decode(text)
            stated = any(word in text.lower() for word in ("s ", "s1p", "s2p")) and "li" in text.lower()
            with self.subTest(text):
                self.assertTrue(stated or got.assumed or got.doubts)

    @given(st.text(alphabet="0123456789.,VAhmWSPx+- liNiMHCDAgel", max_size=30))
    def test_anything_is_decoded_or_refused(self, text: str) -> None:
        try:
            got = decode(text)
        except LabelError:
            return
        self.assertIsInstance(got, Decoded)
