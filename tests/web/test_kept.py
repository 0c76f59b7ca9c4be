"""What was read once is not read again: bounded, and never what a row no longer says."""

from __future__ import annotations

import json
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.apps import apps
from django.db import connection, models
from django.test import SimpleTestCase, TestCase

from hermotrope.bench import actions, fields
from hermotrope.bench.fields import Unreadable
from hermotrope.bench.models import Conversion
from hermotrope.settings import SHORTEST_KEY, secret_key
from hermotrope.shelf import parts
from hermotrope_core.plan.document import CaseError, case_from
from tests.support import tree


class Kept(TestCase):
    def test_a_case_is_read_once_as_long_as_its_row_says_the_same(self) -> None:
        made = actions.create(case_from(tree("cases", "reference-1")), "Started")
        self.assertIs(Conversion.objects.get(pk=made.pk).case, Conversion.objects.get(pk=made.pk).case)
        with connection.cursor() as cursor:
            changed = tree("cases", "reference-1", title="Another")
            cursor.execute('UPDATE bench_conversion SET "case" = %s', [json.dumps(changed)])
            self.assertEqual(Conversion.objects.get(pk=made.pk).case.title, "Another")
            cursor.execute('UPDATE bench_conversion SET "case" = %s', ['{"format": "none"}'])
        self.assertIsInstance(Conversion.objects.get(pk=made.pk).case, Unreadable)

    def test_a_part_is_told_from_another_of_the_same_look(self) -> None:
        fuse = {"stage": "fuse", "rating_a": 3}
        self.assertIs(parts.stored_part("fuse", fuse), parts.stored_part("fuse", dict(fuse)))
        self.assertNotEqual(parts.stored_part("fuse", fuse | {"rating_a": 4}), parts.stored_part("fuse", fuse))
        for rating in (float("nan"), float("inf"), "3", None, True):
            with self.assertRaises(CaseError):
                parts.stored_part("fuse", fuse | {"rating_a": rating})
        with self.assertRaises(CaseError):
            parts.stored_part("lead", fuse)

    def test_only_so_much_is_kept(self) -> None:
        with mock.patch.object(parts, "MOST_KEPT", 3), mock.patch.object(parts, "_kept", {}):
            for rating in range(1, 20):
                parts.stored_part("fuse", {"stage": "fuse", "rating_a": rating})
                self.assertLessEqual(len(parts._kept), 3)
        case = case_from(tree("cases", "reference-1"))
        with mock.patch.object(fields, "MOST_KEPT", 3), mock.patch.object(fields, "_kept", {}):
            for n in range(20):
                fields._keep(str(n), case)
                fields._keep("x" * (fields.LONGEST_KEPT + 1), case)
                self.assertLessEqual(len(fields._kept), 3)
                self.assertLessEqual(max(map(len, fields._kept)), fields.LONGEST_KEPT)


class Columns(TestCase):
    def test_what_is_heavy_stands_last_in_its_table(self) -> None:
        """Whatever stands behind a log of megabytes is read through all of it."""
        heavy = 0
        for model in apps.get_models():
            binary = {one.column for one in model._meta.concrete_fields if isinstance(one, models.BinaryField)}
            with connection.cursor() as cursor:
                cursor.execute(f"PRAGMA table_info({model._meta.db_table})")
                columns = [row[1] for row in cursor.fetchall()]
            self.assertEqual(set(columns[len(columns) - len(binary) :]), binary, model._meta.db_table)
            heavy += len(binary)
        self.assertGreater(heavy, 4)


class Key(SimpleTestCase):
    def test_a_key_that_was_cut_short_is_none(self) -> None:
        with TemporaryDirectory() as name:
            folder = Path(name)
            first = secret_key(folder)
            self.assertGreaterEqual(len(first), SHORTEST_KEY)
            self.assertEqual(secret_key(folder), first)
            for rest in ("", "\n", first[:20]):
                (folder / "secret-key").write_text(rest)
                made = secret_key(folder)
                self.assertGreaterEqual(len(made), SHORTEST_KEY)
                self.assertEqual((folder / "secret-key").read_text(), made)
            self.assertEqual(
                [(one.name, one.stat().st_mode & 0o777) for one in folder.iterdir()], [("secret-key", 0o600)]
            )
