"""No page and no file of the demonstration changes unless it was meant to."""

from __future__ import annotations

from django.test import Client

from tests.outputs import changed
from tests.support import TESTS
from tests.web.demo import DemoTest
from tests.web.pages import pages


class Outputs(DemoTest):
    maxDiff = None

    @classmethod
    def setUpTestData(cls) -> None:
        super().setUpTestData()
        cls.pages = dict(pages(Client()))

    def test_every_page_and_file_is_as_it_was(self) -> None:
        self.assertEqual(changed(self.pages, TESTS / "web" / "outputs.txt"), [])

    def test_no_page_shows_how_the_program_keeps_things(self) -> None:
        for name, text in self.pages.items():
            if name.endswith(".json") or "{" in text[:2]:
                continue
            self.assertNotRegex(text, r"\b[A-Z][A-Za-z]+\(\w+=|&lt;\w+\.\w+ object|\bNone\b(?! of|\.|:)", name)
