"""Styles are served as one, so a name belongs to one file: a class of one view never reaches another by chance."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator

from django.test import SimpleTestCase

from tests.support import TESTS

STYLES = TESTS.parent / "src" / "hermotrope" / "static" / "hermotrope"


def plain(text: str) -> str:
    """Styles without comments and without what holds only on some screens or on paper."""
    text = re.sub(r"/\*.*?\*/", "", text, flags=re.DOTALL)
    return re.sub(r"^@.*?^}", "", text, flags=re.DOTALL | re.MULTILINE)


def names(text: str) -> Iterator[str]:
    """Every class that is styled for itself, wherever it stands."""
    yield from re.findall(r"^\.([\w-]+) \{", plain(text), flags=re.MULTILINE)


class Styles(SimpleTestCase):
    def test_a_class_is_styled_for_itself_in_one_file(self) -> None:
        found: dict[str, set[str]] = defaultdict(set)
        for file in sorted(STYLES.glob("*.css")):
            for name in names(file.read_text()):
                found[name].add(file.name)
        self.assertGreater(len(found), 200)
        self.assertEqual({name: sorted(files) for name, files in found.items() if len(files) > 1}, {})

    def test_two_files_would_be_noticed(self) -> None:
        self.assertEqual(
            list(names(".key {\n  width: 1px;\n}\n@media print {\n  .key {\n  }\n}\n.a .b {\n}\n")), ["key"]
        )
