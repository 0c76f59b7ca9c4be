"""No page and no file of the demonstration changes unless it was meant to."""

from __future__ import annotations

from tests.outputs import changed
from tests.support import TESTS
from tests.web.demo import DemoTest
from tests.web.pages import pages


class Outputs(DemoTest):
    maxDiff = None

    def test_every_page_and_file_is_as_it_was(self) -> None:
        self.assertEqual(changed(dict(pages(self.client)), TESTS / "web" / "outputs.txt"), [])

    def test_no_page_shows_how_the_program_keeps_things(self) -> None:
        for name, text in pages(self.client):
            if name.endswith(".json") or "{" in text[:2]:
                continue
            self.assertNotRegex(text, r"\b[A-Z][A-Za-z]+\(\w+=|&lt;\w+\.\w+ object|\bNone\b(?! of|\.|:)", name)
