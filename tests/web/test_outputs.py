"""No page and no file of the demonstration changes unless it was meant to."""

from __future__ import annotations

from django.core.management import call_command
from django.test import TestCase

from tests.outputs import changed
from tests.support import TESTS
from tests.web.pages import pages


class Outputs(TestCase):
    maxDiff = None

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)
        call_command("load_demo", verbosity=0)
        call_command("load_outing", verbosity=0)

    def test_every_page_and_file_is_as_it_was(self) -> None:
        self.assertEqual(changed(dict(pages(self.client)), TESTS / "web" / "outputs.txt"), [])
