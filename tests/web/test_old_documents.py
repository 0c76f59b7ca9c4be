"""Documents that earlier versions wrote must always open: one of each kind and version lies in tests/old."""

from __future__ import annotations

import json
from typing import Any
from unittest.mock import patch

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import TestCase

from hermotrope.bench.models import Conversion
from hermotrope.formats.shelf_file import read
from hermotrope_core.circuit.discharge import run
from hermotrope_core.plan import upgrade
from hermotrope_core.plan.document import CaseError, case_from, read_case
from hermotrope_core.plan.upgrade import CASE, Format
from hermotrope_core.tell.record import read_record
from tests.support import TESTS

OLD = TESTS / "old"


class OldDocuments(TestCase):
    def test_every_case_opens_and_runs_as_long_as_it_did(self) -> None:
        files = sorted(OLD.glob("case-*.json"))
        self.assertGreaterEqual(len(files), 2)
        for file in files:
            with self.subTest(file.name):
                lasted = float(file.stem.rpartition("-")[2].removesuffix("s"))
                self.assertAlmostEqual(run(read_case(file.read_bytes())).runtime_s, lasted, delta=1.0)
                self.client.post("/import/", {"file": SimpleUploadedFile(file.name, file.read_bytes())})
        self.assertEqual(Conversion.objects.count(), len(files))
        for made in Conversion.objects.all():
            self.assertEqual(self.client.get(f"/c/{made.pk}/").status_code, 200)

    def test_every_record_and_shelf_opens(self) -> None:
        records, shelves = sorted(OLD.glob("record-*.json")), sorted(OLD.glob("shelf-*.json"))
        self.assertTrue(records and shelves)
        for file in records:
            record = read_record(file.read_bytes())
            self.assertTrue(record.readings and record.logs and record.proved)
        for file in shelves:
            self.assertTrue(read(file.read_bytes()))


def _renamed(tree: dict[str, Any]) -> dict[str, Any]:
    """A step as a later version may need one: a field that was called otherwise."""
    return {name if name != "heading" else "title": value for name, value in tree.items()}


class Upgrades(TestCase):
    def test_a_step_brings_an_earlier_document_to_the_present(self) -> None:
        later = Format("hermotrope-case", "case", (_renamed,))
        tree = json.loads(next(OLD.glob("case-*.json")).read_text())
        tree["heading"] = tree.pop("title")
        with patch("hermotrope_core.plan.document.CASE", later):
            self.assertEqual(case_from(tree).title, tree["heading"])
            self.assertEqual(case_from(tree).format, "hermotrope-case/2")
            tree["format"] = "hermotrope-case/2"
            with self.assertRaisesRegex(CaseError, "heading"):
                case_from(tree)
            tree["format"] = "hermotrope-case/3"
            with self.assertRaisesRegex(CaseError, "'hermotrope-case/3' is newer than 'hermotrope-case/2'"):
                case_from(tree)

    def test_what_is_no_such_document_is_told(self) -> None:
        for stated, words in (
            (None, "missing; a case says"),
            ("hermotrope-record/1", "must be"),
            ("hermotrope-case/0", "must be"),
            ("hermotrope-case/01", "must be"),
            (1, "must be"),
        ):
            with self.subTest(stated), self.assertRaisesRegex(upgrade.WrongFormat, words):
                CASE.upgraded({"format": stated})
