"""Help: every field and every panel has its line, and none is left over."""

from __future__ import annotations

from unittest import TestCase

from hermotrope_core.tell.help import FIELDS_HELP, PANELS_HELP, figures_told
from hermotrope_core.values.fields import FIELDS


class Help(TestCase):
    def test_every_field_is_told_where_it_is_found(self) -> None:
        self.assertEqual(set(FIELDS_HELP), set(FIELDS))
        for name, line in FIELDS_HELP.items():
            self.assertLessEqual(len(line), 130, name)
            self.assertRegex(line, r"^[A-Z0-9].*\.$", name)
            self.assertNotEqual(line.rstrip("."), FIELDS[name].help, name)
        told = figures_told()
        self.assertEqual(len(told), len(FIELDS))
        self.assertEqual(told, sorted(told, key=lambda one: one[0].lower()))

    def test_every_panel_says_what_it_tells(self) -> None:
        for key, (title, line) in PANELS_HELP.items():
            self.assertTrue(title and line.endswith("."), key)
            self.assertLessEqual(len(line), 300, key)
