"""What keeps the code readable, held by counting: sizes, who names a kind of stage, constants written once."""

from __future__ import annotations

import ast
import re
from collections import defaultdict
from pathlib import Path

from django.test import SimpleTestCase

from hermotrope_core.kinds.stages import KINDS
from hermotrope_core.parts import craft, thermal, wire
from tests.support import ROOT

SRC = ROOT / "src"
MODULES = [path for path in sorted(SRC.rglob("*.py")) if "migrations" not in path.parts]
MOST_LINES, MOST_OF_A_FUNCTION, MOST_NAMING, MOST_COLUMNS = 400, 60, 8, 120
LONG_SHARE = 0.07
KNOWN_CONSTANTS = (r"1\.72\d*e-8", r"\b1\.005\b", r"\b0\.995\b", r"\* ?1\.25\b|\b1\.25 ?\*", r"== ?30\.0|else 30\.0")
"""Resistivity of copper, the tolerance in volts, the fuse's margin, the wait of a bank: each has its name."""


def tree_of(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


class Sizes(SimpleTestCase):
    def test_no_module_and_no_function_is_too_long(self) -> None:
        for path in MODULES:
            with self.subTest(str(path.relative_to(SRC))):
                self.assertLessEqual(len(path.read_text().splitlines()), MOST_LINES)
                for node in ast.walk(tree_of(path)):
                    if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                        self.assertLessEqual((node.end_lineno or 0) - node.lineno + 1, MOST_OF_A_FUNCTION, node.name)

    def test_templates_styles_and_scripts_can_be_read(self) -> None:
        own = [path for path in SRC.rglob("hermotrope/**/*") if "vendor" not in path.parts]
        for suffix, share in ((".html", LONG_SHARE), (".css", 0.01), (".js", 0.01)):
            lines = [line for path in own if path.suffix == suffix for line in path.read_text().splitlines()]
            self.assertGreater(len(lines), 500)
            long = [line for line in lines if len(line) > MOST_COLUMNS]
            self.assertLessEqual(len(long) / len(lines), share, suffix)

    def test_the_core_has_rooms_and_nothing_beside_them(self) -> None:
        core = SRC / "hermotrope_core"
        rooms = [path for path in core.iterdir() if (path / "__init__.py").exists()]
        self.assertTrue(6 <= len(rooms) <= 16)
        self.assertEqual([path.name for path in core.glob("*.py")], ["__init__.py"])


class Kinds(SimpleTestCase):
    def test_few_files_name_a_kind(self) -> None:
        names = {kind.__name__ for kind in KINDS}
        found: dict[str, set[str]] = defaultdict(set)
        for path in MODULES:
            for node in ast.walk(tree_of(path)):
                if isinstance(node, ast.Name) and node.id in names:
                    found[node.id].add(str(path.relative_to(SRC)))
        for name in sorted(names):
            with self.subTest(name):
                self.assertTrue(2 <= len(found[name]) <= MOST_NAMING, sorted(found[name]))


class Constants(SimpleTestCase):
    def test_a_limit_of_the_craft_has_one_name_and_one_place(self) -> None:
        owners = {
            name: module.__name__
            for module in (craft, thermal, wire)
            for name in vars(module)
            if name.isupper() and isinstance(getattr(module, name), float)
        }
        self.assertGreater(len(owners), 30)
        for path in MODULES:
            dotted = ".".join(path.relative_to(SRC).with_suffix("").parts)
            for node in tree_of(path).body:
                targets = node.targets if isinstance(node, ast.Assign) else []
                names = {part.id for target in targets for part in ast.walk(target) if isinstance(part, ast.Name)}
                for name in names & set(owners):
                    self.assertEqual(dotted, owners[name], name)

    def test_the_known_ones_are_not_typed_again(self) -> None:
        for pattern in KNOWN_CONSTANTS:
            places = [path for path in MODULES if re.search(pattern, path.read_text())]
            with self.subTest(pattern):
                self.assertLessEqual(len(places), 1, places)
