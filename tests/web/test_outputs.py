"""Nothing that is put out changes unless it was meant to."""

from __future__ import annotations

import os
import re
from pathlib import Path

from django.core.management import call_command
from django.test import TestCase

from tests.outputs import DIGESTS, commands, digest, pages


class Outputs(TestCase):
    maxDiff = None

    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)
        call_command("load_demo", verbosity=0)

    def test_all_of_it_is_as_it_was(self) -> None:
        made = dict([*commands(), *pages(self.client)])
        folder = os.environ.get("HERMOTROPE_WRITE_OUTPUTS")
        if folder:
            Path(folder).mkdir(parents=True, exist_ok=True)
            for name, text in made.items():
                (Path(folder) / re.sub(r"\W+", "-", name)).write_text(text)
            DIGESTS.write_text("".join(f"{digest(text)} {name}\n" for name, text in made.items()))
        kept = dict(reversed(line.split(" ", 1)) for line in DIGESTS.read_text().splitlines())
        self.assertEqual([name for name, text in made.items() if kept.get(name) != digest(text)], [])
        self.assertEqual(sorted(set(kept) - set(made)), [])
