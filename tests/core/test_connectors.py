"""Barrels that look alike."""

from __future__ import annotations

from django.test import SimpleTestCase

from hermotrope.drawings.barrel import UNITS_PER_MM, end_view
from hermotrope_core.kinds.inlets import Connector
from hermotrope_core.know.connectors import barrel_advice, is_usual, look_alikes


class Barrels(SimpleTestCase):
    def test_the_two_that_everyone_mistakes(self) -> None:
        self.assertIn((5.5, 2.5), look_alikes(5.5, 2.1))
        self.assertIn((5.5, 2.1), look_alikes(5.5, 2.5))
        self.assertIn("loose on its 2.1 mm pin", " ".join(barrel_advice(5.5, 2.1)))
        self.assertIn("will not go on its 2.5 mm pin", " ".join(barrel_advice(5.5, 2.5)))

    def test_what_is_alone_is_left_alone(self) -> None:
        self.assertEqual(barrel_advice(6.5, 4.4), ())
        self.assertNotIn((5.5, 2.1), look_alikes(5.5, 2.1))

    def test_an_unusual_size_is_questioned(self) -> None:
        self.assertFalse(is_usual(5.0, 3.3))
        self.assertIn("no usual size", barrel_advice(5.0, 3.3)[0])
        self.assertTrue(is_usual(5.53, 2.07))

    def test_the_end_view_is_to_scale_and_signed(self) -> None:
        view = end_view(Connector(kind="barrel", outer_mm=5.5, inner_mm=2.1, polarity="centre-negative", measured=True))
        assert view
        self.assertAlmostEqual(view.outer_r / view.inner_r, 5.5 / 2.1, places=1)
        self.assertEqual((view.outer_r, view.centre, view.sleeve), (5.5 * UNITS_PER_MM / 2, "−", "+"))
        self.assertTrue(view.sure)
        unknown = end_view(Connector(kind="barrel", outer_mm=5.5, inner_mm=2.1))
        assert unknown
        self.assertEqual((unknown.centre, unknown.sure), ("?", False))
        self.assertIsNone(end_view(Connector(kind="usb-c")))
        self.assertIsNone(end_view(Connector(kind="barrel")))
