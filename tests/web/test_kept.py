"""What was read once is not read again: bounded, and never what a row no longer says."""

from __future__ import annotations

import json
from importlib import import_module
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest import mock

from django.apps import apps
from django.db import connection, models
from django.test import SimpleTestCase, TestCase

from hermotrope.bench import actions, fields
from hermotrope.bench.fields import Unreadable
from hermotrope.bench.models import Conversion
from hermotrope.kept import Kept
from hermotrope.settings import SHORTEST_KEY, secret_key
from hermotrope.shelf import parts
from hermotrope_core.plan.document import CaseError, case_from
from tests.support import tree


class Reading(TestCase):
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
        kept: Kept[int, str] = Kept(3)
        for n in range(20):
            self.assertEqual(kept.put(n, str(n)), str(n))
            self.assertEqual((kept.get(n), len(kept)), (str(n), n % 3 + 1))

    def test_a_case_of_a_long_text_is_not_kept(self) -> None:
        made = actions.create(case_from(tree("cases", "reference-1")), "Started")
        with mock.patch.object(fields, "LONGEST_KEPT", 100), mock.patch.object(fields, "_kept", Kept(3)) as kept:
            self.assertEqual(Conversion.objects.get(pk=made.pk).case, made.case)
            self.assertEqual(len(kept), 0)


class Words(TestCase):
    """What the Bench is searched for is kept apart from the cases: none is read for it."""

    def test_it_is_found_by_title_device_pack_and_verdict_whatever_the_letters(self) -> None:
        made = actions.create(case_from(tree("cases", "reference-1", title="Über dem Steg")), "Started")
        source = made.case.source
        assert source is not None
        for words in ("über", "ÜBER STEG", made.case.device.name, source.name.upper(), made.headline[:20]):
            self.assertContains(self.client.get("/", {"q": words}), made.get_absolute_url())
        for words in ("über wasser", "_ber%steg", "\\"):
            self.assertNotContains(self.client.get("/", {"q": words}), made.get_absolute_url())

    def test_what_was_kept_before_gets_the_same_words(self) -> None:
        made = actions.create(case_from(tree("cases", "reference-1")), "Started")
        bare = actions.create(case_from(tree("cases", "reference-1", title="Bare", source=None, path=[])), "Started")
        before = set(Conversion.objects.values_list("pk", "words"))
        bad = actions.create(made.case, "Started")
        with connection.cursor() as cursor:
            cursor.execute('UPDATE bench_conversion SET "case" = %s WHERE id = %s', ['{"format": "none"}', bad.pk])
        Conversion.objects.update(words="")
        import_module("hermotrope.bench.migrations.0008_words").written(apps, None)
        after = dict(Conversion.objects.values_list("pk", "words"))
        self.assertIn(made.title.casefold(), after.pop(bad.pk))
        self.assertEqual((set(after), set(after.items())), ({made.pk, bare.pk}, before))


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
