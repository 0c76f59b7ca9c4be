"""Everything in one file: written, damaged, refused, brought back; upgrades that fail; one server for a folder."""

from __future__ import annotations

import json
import os
import re
import sqlite3
import subprocess
import sys
import tempfile
import urllib.error
import urllib.request
import zipfile
from collections.abc import Iterator
from contextlib import closing, contextmanager, suppress
from pathlib import Path
from unittest import mock

from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import SimpleTestCase, tag

from hermotrope import backups
from hermotrope.backups import DATABASE, MANIFEST, BackupError
from hermotrope.folder import InUse, lock, tell
from tests.support import ROOT

KNOWN = {("bench", "0001_initial")}
HELLO = "2cf24dba5fb0a30e26e83b2ac5b9e29e1b161e5c1fa7425e73043362938b9824"
"""SHA-256 of "hello"."""


class Folder(SimpleTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)
        self.database, self.file = self.folder / "bench" / DATABASE, self.folder / "kept.zip"

    def bench(self, *rows: str, migrations: tuple[str, ...] = ("0001_initial",)) -> None:
        """A bench of one table, with so many migrations."""
        self.database.parent.mkdir(exist_ok=True)
        with closing(sqlite3.connect(self.database)) as there:
            there.execute("PRAGMA journal_mode=WAL")
            there.execute("CREATE TABLE IF NOT EXISTS django_migrations (app TEXT, name TEXT)")
            there.execute("CREATE TABLE IF NOT EXISTS things (name TEXT)")
            there.execute("DELETE FROM things")
            there.execute("DELETE FROM django_migrations")
            there.executemany("INSERT INTO things VALUES (?)", [(row,) for row in rows])
            there.executemany("INSERT INTO django_migrations VALUES ('bench', ?)", [(name,) for name in migrations])
            there.commit()

    def things(self) -> list[str]:
        with closing(sqlite3.connect(self.database)) as there:
            return [row[0] for row in there.execute("SELECT name FROM things ORDER BY name")]


class Backups(Folder):
    def test_there_and_back_and_what_was_there_is_kept(self) -> None:
        self.bench("pan mount", "receiver")
        backups.write(self.database, self.file)
        self.bench("something else")
        kept = backups.restore(self.file, self.database, KNOWN)
        self.assertEqual(self.things(), ["pan mount", "receiver"])
        assert kept is not None
        backups.restore(kept, self.database, KNOWN)
        self.assertEqual(self.things(), ["something else"])

    def test_while_the_bench_is_written_to(self) -> None:
        self.bench("before")
        with closing(sqlite3.connect(self.database)) as open_:
            open_.execute("BEGIN IMMEDIATE")
            open_.execute("INSERT INTO things VALUES ('not yet')")
            backups.write(self.database, self.file)
            open_.rollback()
        backups.restore(self.file, self.database, KNOWN)
        self.assertEqual(self.things(), ["before"])

    def test_into_an_empty_folder(self) -> None:
        self.bench("pan mount")
        backups.write(self.database, self.file)
        for end in ("", "-wal", "-shm"):
            Path(f"{self.database}{end}").unlink(missing_ok=True)
        self.assertIsNone(backups.restore(self.file, self.database, KNOWN))
        self.assertEqual(self.things(), ["pan mount"])

    def test_a_file_that_is_none_changes_nothing(self) -> None:
        self.bench("pan mount")
        backups.write(self.database, self.file)
        whole = self.file.read_bytes()
        with zipfile.ZipFile(self.file) as packed:
            database, manifest = packed.read(DATABASE), json.loads(packed.read(MANIFEST))

        def made(database: bytes, manifest: object, *more: str) -> bytes:
            with zipfile.ZipFile(self.file, "w") as packed:
                packed.writestr(DATABASE, database)
                packed.writestr(MANIFEST, json.dumps(manifest))
                for name in more:
                    packed.writestr(name, "x")
            return self.file.read_bytes()

        cases = {
            "no zip": b"not a zip at all", "empty": b"", "cut": whole[: len(whole) // 2],
            "turned": whole[:200] + bytes([whole[200] ^ 255]) + whole[201:],
            "other format": made(database, {**manifest, "format": "other/1"}),
            "other digest": made(database + b"x", manifest), "no manifest": made(database, []),
            "more": made(database, manifest, "../evil"), "no database": made(b"hello", {**manifest, "sha256": HELLO}),
        }  # fmt: skip
        for name, content in cases.items():
            with self.subTest(name):
                self.file.write_bytes(content)
                with self.assertRaises(BackupError):
                    backups.restore(self.file, self.database, KNOWN)
                self.assertEqual(self.things(), ["pan mount"])
        self.assertEqual(backups.kept_by_itself(self.database), [], "nothing was replaced")

    def test_of_a_newer_program(self) -> None:
        self.bench("pan mount", migrations=("0001_initial", "0099_later"))
        backups.write(self.database, self.file)
        with self.assertRaisesRegex(BackupError, "newer Hermotrope .bench 0099_later"):
            backups.restore(self.file, self.database, KNOWN)
        with self.assertRaisesRegex(BackupError, "kept by a newer Hermotrope"):
            backups.examined(self.database, KNOWN)

    def test_a_damaged_bench_is_told_with_the_way_back_and_comes_back(self) -> None:
        self.bench(*(f"thing {i}" for i in range(5000)))
        kept = backups.by_itself(self.database, "before-upgrade")
        content = bytearray(self.database.read_bytes())
        content[8192:20000] = b"\xff" * (20000 - 8192)
        for damaged in (bytes(content), b"garbage" * 1000, bytes(content[:5000])):
            for end in ("-wal", "-shm"):
                Path(f"{self.database}{end}").unlink(missing_ok=True)
            self.database.write_bytes(damaged)
            with self.assertRaisesRegex(BackupError, f"is damaged.*restore {re.escape(str(kept))}"):
                backups.examined(self.database, KNOWN)
        aside = backups.restore(kept, self.database, KNOWN)
        self.assertEqual(len(self.things()), 5000)
        assert aside is not None
        self.assertTrue(aside.name.endswith(".damaged"))

    def test_an_upgrade_that_fails_leaves_the_old_bench(self) -> None:
        self.bench("pan mount")

        def fails() -> None:
            with closing(sqlite3.connect(self.database)) as there:
                there.execute("DROP TABLE things")
                there.commit()
            raise ValueError("no such column")

        with self.assertRaisesRegex(BackupError, "is as it was .no such column"):
            backups.upgraded(self.database, fails)
        self.assertEqual(self.things(), ["pan mount"])

    def test_the_last_five_are_kept(self) -> None:
        self.bench("pan mount")
        made = [backups.by_itself(self.database, f"why-{i}") for i in range(8)]
        self.assertEqual(backups.kept_by_itself(self.database), made[:2:-1])

    def test_nowhere_to_write(self) -> None:
        with self.assertRaisesRegex(BackupError, "there is no bench"):
            backups.write(self.database, self.file)
        self.bench("pan mount")
        (self.folder / "file").write_text("in the way")
        with self.assertRaisesRegex(BackupError, "was not written"):
            backups.write(self.database, self.folder / "file" / "kept.zip")


class OneServer(Folder):
    def test_a_folder_is_served_once(self) -> None:
        with lock(self.folder) as first:
            tell(first, "http://127.0.0.1:1/")
            with self.assertRaisesRegex(InUse, "in use at http://127.0.0.1:1/"):
                lock(self.folder)
        lock(self.folder).close()


class Pages(Folder):
    """The page of it, over a bench of its own."""

    def setUp(self) -> None:
        super().setUp()
        self.bench("pan mount")
        for name, stand_in in (
            ("_database", lambda: self.database),
            ("known_schema", lambda: KNOWN),
            ("migrated", lambda _: None),
        ):
            patched = mock.patch(f"hermotrope.bench.views.backups.{name}", stand_in)
            patched.start()
            self.addCleanup(patched.stop)

    def test_taken_away_and_brought_back(self) -> None:
        answer = self.client.post("/backup/file/")
        self.assertRegex(answer["Content-Disposition"], r'filename="hermotrope-\d{4}-\d\d-\d\d.zip"')
        whole = b"".join(answer.streaming_content)  # type: ignore[arg-type]
        self.bench("something else")
        for words, why in (({}, "Choose a backup first"), ({"file": whole}, "Tick the box")):
            files = {name: SimpleUploadedFile("kept.zip", content) for name, content in words.items()}
            self.assertContains(self.client.post("/backup/restore/", files), why, status_code=422)
        bad = {"file": SimpleUploadedFile("kept.zip", whole[:-400]), "sure": "yes"}
        self.assertContains(
            self.client.post("/backup/restore/", bad), "kept.zip: that file is no backup", status_code=422
        )
        self.assertEqual(self.things(), ["something else"])
        good = {"file": SimpleUploadedFile("kept.zip", whole), "sure": "yes"}
        self.assertContains(
            self.client.post("/backup/restore/", good), "The bench is that of kept.zip. What was there is kept"
        )
        self.assertEqual(self.things(), ["pan mount"])
        kept = backups.kept_by_itself(self.database)[0].name
        self.assertContains(self.client.get("/backup/"), kept)
        self.assertEqual(self.client.get(f"/backup/{kept}").status_code, 200)
        for name in ("../bench.sqlite3", "none.zip", "..%2fbench.sqlite3"):
            self.assertEqual(self.client.get(f"/backup/{name}").status_code, 404, name)


@tag("late")
class Whole(Folder):
    """A demonstration that is served, backed up, damaged and brought back."""

    def environment(self) -> dict[str, str]:
        kept = {name: value for name, value in os.environ.items() if not name.startswith(("DJANGO", "HERMOTROPE"))}
        return {**kept, "PYTHONPATH": str(ROOT / "src")}

    def start(self, *words: str) -> subprocess.CompletedProcess[str]:
        command = [sys.executable, "-m", "hermotrope", *words, "--data", str(self.folder / "demo")]
        return subprocess.run(command, capture_output=True, text=True, timeout=120, env=self.environment(), check=False)

    @contextmanager
    def served(self) -> Iterator[str]:
        words = [sys.executable, "-m", "hermotrope", "demo", "--no-browser", "--data", str(self.folder / "demo")]
        server = subprocess.Popen(words, stdout=subprocess.PIPE, text=True, env=self.environment())
        assert server.stdout is not None
        try:
            found = next(found for line in server.stdout if (found := re.search(r"at (http://\S+/)", line)))
            yield found[1]
        finally:
            server.terminate()
            server.wait()
            server.stdout.close()

    def exports(self, base: str) -> dict[str, bytes]:
        page = urllib.request.urlopen(base).read().decode()
        keys = sorted(set(re.findall(r"/c/(\d+)/", page)))
        urls = ["shelf/shelf.json", "shelf/shelf.csv"]
        urls += [f"c/{key}/{name}" for key in keys for name in ("case.json", "record.json", "parts.csv", "wiring.svg")]
        found = {}
        for url in urls:
            with suppress(urllib.error.HTTPError):  # nothing is drawn of what has no pack yet
                found[url] = urllib.request.urlopen(base + url).read()
        return found

    def test_backup_damage_restore_gives_the_same_exports(self) -> None:
        with self.served() as base:
            before = self.exports(base)
            self.assertIn("in use", self.start("demo", "--no-browser").stderr)
            self.assertEqual(self.start("backup", str(self.file)).returncode, 0, "beside a running server")
            self.assertIn("in use", self.start("restore", str(self.file)).stderr)
        database = self.folder / "demo" / DATABASE
        database.write_bytes(b"garbage" * 9999)
        told = self.start("demo", "--no-browser")
        self.assertEqual(told.returncode, 1)
        self.assertIn("is damaged", told.stderr)
        self.assertNotIn("Traceback", told.stderr)
        restored = self.start("restore", str(self.file))
        self.assertEqual(restored.returncode, 0, restored.stderr)
        with self.served() as base:
            after = self.exports(base)
        self.assertEqual([url for url in before if after.get(url) != before[url]], [])
