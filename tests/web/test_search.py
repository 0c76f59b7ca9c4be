"""Words that are looked for, in capitals or not, in letters of any tongue."""

from __future__ import annotations

from datetime import date

from django.test import TestCase

from hermotrope.bench import actions
from hermotrope.logbook import entries
from hermotrope.shelf.models import Item
from tests.support import case


class Letters(TestCase):
    def test_capitals_are_alike_everywhere(self) -> None:
        Item.objects.create(key="lamp", kind="source", name="Überlauf-Akku", part={})
        actions.create(case("judgements", "all-well", title="Лампа у шлюза"), "Started")
        typed = {"on": "2026-06-01", "kind": "charged", "text": "Écluse: PLEIN À RAS", "pack": "A"}
        found, errors = entries.read(typed, date(2026, 6, 20))
        assert not errors, errors
        entries.add(found, "", None)
        for address, field, words, name in (
            ("/shelf/", "q", ("überlauf", "ÜBERLAUF", "über akku"), "Überlauf-Akku"),
            ("/outings/choices/packs/", "find", ("überlauf", "ÜBERLAUF-AKKU"), "Überlauf-Akku"),
            ("/", "q", ("лампа", "ЛАМПА", "Лампа шлюз"), "Лампа у шлюза"),
            ("/outings/choices/conversions/", "find", ("лампа", "ШЛЮЗ лампа"), "Лампа у шлюза"),
            ("/logbook/", "q", ("écluse", "ÉCLUSE", "plein à"), "Écluse: PLEIN À RAS"),
        ):
            for word in words:
                with self.subTest(address, word=word):
                    self.assertContains(self.client.get(address, {field: word}), name)
            self.assertNotContains(self.client.get(address, {field: "ünder"}), name)
