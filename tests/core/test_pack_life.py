"""A pack's life: what is left of it, its trend, when it is to be retired."""

from __future__ import annotations

from datetime import date, timedelta

from django.test import SimpleTestCase

from hermotrope_core.know.pack_life import RETIRE, WORN, Measured, life

FIRST = date(2024, 3, 1)


def readings(*shares: float, every_d: int = 180, of: float = 5.0) -> list[Measured]:
    return [Measured(FIRST + timedelta(days=every_d * i), of * share) for i, share in enumerate(shares)]


class Life(SimpleTestCase):
    def test_nothing_measured_says_nothing(self) -> None:
        self.assertIsNone(life([]))
        self.assertIsNone(life([Measured(FIRST)]))

    def test_words_follow_the_share_that_is_left(self) -> None:
        for share, words in ((WORN, "well"), (WORN - 0.001, "worn"), (RETIRE, "worn"), (RETIRE - 0.001, "retire it")):
            found = life([Measured(FIRST, 5.0 * share)], 5.0)
            assert found
            self.assertTrue(found.says.startswith(words), (share, found.says))
            self.assertAlmostEqual(found.share or 0.0, share)

    def test_without_a_rating_the_first_reading_is_the_measure(self) -> None:
        found = life(readings(1.0, 0.7))
        assert found
        self.assertAlmostEqual(found.share or 0.0, 0.7)
        self.assertIsNone(found.a_year)  # two readings are no trend

    def test_the_trend_is_the_line_it_was_made_with_and_one_bad_reading_does_not_turn_it(self) -> None:
        straight = [1.0 - 0.1 * i * 180 / 365 for i in range(6)]
        found = life(readings(*straight), 5.0)
        assert found
        assert found.retire_on
        self.assertAlmostEqual(found.a_year or 0.0, -0.1, places=6)
        self.assertAlmostEqual((found.retire_on - FIRST).days, (1.0 - RETIRE) / 0.1 * 365, delta=1)
        bent = life(readings(*straight[:3], 0.4, *straight[4:]), 5.0)
        assert bent
        self.assertAlmostEqual(bent.a_year or 0.0, -0.1, delta=0.02)

    def test_no_trend_in_too_short_a_time_and_none_that_rises_retires(self) -> None:
        short = life(readings(1.0, 0.9, 0.8, every_d=29), 5.0)
        long = life(readings(1.0, 0.9, 0.8, every_d=30), 5.0)
        rising = life(readings(0.8, 0.9, 1.0), 5.0)
        assert short
        assert long
        assert rising
        self.assertIsNone(short.a_year)
        self.assertIsNotNone(long.a_year)
        self.assertIsNone(rising.retire_on)
        self.assertIsNone((life(readings(1.0, 0.9999, 0.9998), 5.0) or rising).retire_on)

    def test_resistance_that_doubled_is_worn(self) -> None:
        for last, words in ((0.0799, "nothing speaks"), (0.08, "worn: its resistance")):
            found = life([Measured(FIRST, None, 0.04), Measured(FIRST + timedelta(days=1), None, last)])
            assert found
            self.assertTrue(found.says.startswith(words), found.says)
