"""The demonstration in the database: parts to start from, its conversions, its outing."""

from __future__ import annotations

from django.core.management import call_command
from django.test import TestCase


class DemoTest(TestCase):
    @classmethod
    def setUpTestData(cls) -> None:
        call_command("load_starter", verbosity=0)
        call_command("load_demo", verbosity=0)
        call_command("load_outing", verbosity=0)
        call_command("load_making", verbosity=0)
