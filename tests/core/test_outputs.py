"""Nothing that the core computes of the golden documents changes unless it was meant to."""

from __future__ import annotations

from django.test import SimpleTestCase

from tests.outputs import changed, estimates, of_the_core
from tests.support import TESTS


class Outputs(SimpleTestCase):
    maxDiff = None

    def test_all_that_is_computed_is_as_it_was(self) -> None:
        self.assertEqual(changed(dict([*of_the_core(), *estimates()]), TESTS / "core" / "outputs.txt"), [])
