"""A server that is killed in the middle of writing loses nothing that it answered, and leaves nothing half written."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from pathlib import Path

from django.test import SimpleTestCase, tag

from tests.support import ROOT

ROUNDS = 200


@tag("late")
class Killed(SimpleTestCase):
    def test_nothing_that_was_answered_is_lost(self) -> None:
        with tempfile.TemporaryDirectory() as data:
            run = subprocess.run(
                [sys.executable, "-m", "tests.web.killing", str(Path(data) / "bench"), str(ROUNDS)],
                cwd=ROOT,
                env=os.environ | {"DJANGO_SETTINGS_MODULE": "hermotrope.settings", "PYTHONPATH": f"{ROOT}/src"},
                capture_output=True,
                text=True,
                timeout=1800,
                check=False,  # its words are shown below where it failed
            )
        self.assertEqual(run.returncode, 0, run.stdout + run.stderr)
        self.assertIn(f"{ROUNDS} rounds", run.stdout)
