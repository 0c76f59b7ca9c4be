"""The examples in the docstrings are true."""

from __future__ import annotations

import doctest
import importlib
import pkgutil

from django.test import SimpleTestCase

import hermotrope.drawings
import hermotrope_core


class Examples(SimpleTestCase):
    def test_every_example_says_what_happens(self) -> None:
        tried = 0
        for package in (hermotrope_core, hermotrope.drawings):
            for found in pkgutil.walk_packages(package.__path__, f"{package.__name__}."):
                with self.subTest(found.name):
                    told = doctest.testmod(importlib.import_module(found.name))
                    self.assertEqual(told.failed, 0)
                    tried += told.attempted
        self.assertGreater(tried, 15)
