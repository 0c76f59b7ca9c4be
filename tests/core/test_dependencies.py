"""What is shipped and installed beside our own code: locked, permitted, said why, with its licence's text."""

from __future__ import annotations

import re
import tomllib
from importlib.metadata import metadata

from django.test import SimpleTestCase

from tests.support import ROOT

STATIC = ROOT / "src" / "hermotrope" / "static" / "hermotrope"
SHIPPED = (STATIC / "vendor", STATIC / "fonts", ROOT / "tests" / "browser" / "vendor")
PERMITTED = re.compile(r"\b(MIT|BSD|0BSD|Apache|PSF|Python Software Foundation|Zope|ZPL|Zlib|CC0)\b")
"""Licences under which what is shared keeps its own terms and nothing of ours has to change."""


def locked(kind: str) -> dict[str, str]:
    """What a lock file installs, by name: its version and its hashes."""
    text = (ROOT / "requirements" / f"{kind}.txt").read_text()
    lines = re.sub(r"\\\n", " ", text).splitlines()
    return {line.split("==")[0].strip(): line for line in lines if line.strip() and not line.startswith("#")}


class Dependencies(SimpleTestCase):
    def test_everything_is_locked_by_version_and_hash(self) -> None:
        for kind in ("run", "test", "uv"):
            found = locked(kind)
            self.assertTrue(found)
            for name, line in found.items():
                with self.subTest(f"{kind} {name}"):
                    self.assertRegex(line, r"^[\w.-]+==[\w.+!-]+ .*--hash=sha256:[0-9a-f]{64}\b")

    def test_every_licence_permits_what_we_do(self) -> None:
        for name in locked("run"):
            about = metadata(name)
            told = [about.get("License-Expression") or "", (about.get("License") or "")[:80]]
            told += [one for one in about.get_all("Classifier") or [] if one.startswith("License")]
            with self.subTest(name):
                self.assertRegex(" ".join(told), PERMITTED)

    def test_each_is_said_why_and_locked(self) -> None:
        project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
        said = (ROOT / "docs" / "dependencies.md").read_text().lower()
        for kind, wanted in (("run", project["dependencies"]), ("test", project["optional-dependencies"]["test"])):
            for one in wanted:
                name = re.match(r"[\w.-]+", one)
                assert name is not None
                with self.subTest(name[0]):
                    self.assertIn(name[0].lower(), said)
                    self.assertIn(name[0].lower(), {found.lower() for found in locked(kind)})

    def test_what_is_shipped_has_its_licence_beside_it(self) -> None:
        for folder in SHIPPED:
            texts = {path.stem.lower(): path.read_text() for path in folder.glob("*.LICENSE")}
            for path in folder.iterdir():
                if path.suffix == ".LICENSE":
                    continue
                with self.subTest(str(path.relative_to(ROOT))):
                    its = next((text for stem, text in texts.items() if path.name.lower().startswith(stem)), "")
                    self.assertGreater(len(its), 300)
