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
