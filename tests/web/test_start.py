"""Starting a bench as a person does: its own folder, the next free port, the demonstration."""

from __future__ import annotations

import gzip
import os
import platform
import re
import socket
import subprocess
import sys
import tempfile
import urllib.request
from pathlib import Path
from unittest import mock

from django.test import SimpleTestCase

from hermotrope import __main__ as start
from tests.support import ROOT


class Start(SimpleTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_the_demonstration_comes_up_on_the_next_free_port(self) -> None:
        taken = socket.socket()
        self.addCleanup(taken.close)
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        port = taken.getsockname()[1]
        command = [sys.executable, "-m", "hermotrope", "demo", "--data", str(self.folder / "d"), "--no-browser"]
        settings = {"PYTHONPATH": str(ROOT / "src"), "DJANGO_SETTINGS_MODULE": "hermotrope.settings"}
        with subprocess.Popen(
            [*command, "--port", str(port)], stdout=subprocess.PIPE, text=True, env={**os.environ, **settings}
        ) as server:
            try:
                assert server.stdout
                said = ""
                for line in server.stdout:
                    said += line
                    if found := re.search(r"http://127\.0\.0\.1:(\d+)/", line):
                        break
                else:
                    self.fail(said)
                self.assertIn(f"Port {port} is taken", said)
                self.assertNotEqual(int(found[1]), port)
                page = urllib.request.urlopen(found[0], timeout=20).read().decode()
                self.assertIn("Bat detector", page)
                self.assertIn("Refused", page)
                self.collected(found[0], page)
                letters = urllib.request.Request(f"{found[0]}?q=a", headers={"Content-Type": "a/b; charset=rot13"})
                with self.assertRaisesRegex(urllib.error.HTTPError, "415"):
                    urllib.request.urlopen(letters, timeout=20)
                kept = [self.folder / "d", *(self.folder / "d").rglob("*")]
                self.assertGreater(len(kept), 2)
                self.assertEqual([one.name for one in kept if one.stat().st_mode & 0o077], [])
            finally:
                server.terminate()
        self.assertTrue((self.folder / "d" / "bench.sqlite3").exists())
        self.assertEqual((self.folder / "d" / "secret-key").stat().st_mode & 0o077, 0)

    def collected(self, address: str, page: str) -> None:
        """Styles and scripts come as one file each, named by content, packed and kept, with what every file says."""
        for kind, marks in (
            ("css", (":root{", ".night .own", ".way-heads")),
            ("js", ("plotting", "night-scrub", "#fold")),
        ):
            names = re.findall(rf'(?:src|href)="/(static/hermotrope/[^"]+\.{kind})"', page)
            self.assertRegex(names[0], rf"^static/hermotrope/all\.[0-9a-f]{{12}}\.{kind}$")
            self.assertEqual(len(names), 1)
            asked = urllib.request.Request(address + names[0], headers={"Accept-Encoding": "gzip"})
            with urllib.request.urlopen(asked, timeout=20) as answer:
                self.assertEqual(answer.headers["Content-Encoding"], "gzip")
                self.assertIn("immutable", answer.headers["Cache-Control"])
                said = gzip.decompress(answer.read()).decode()
            for mark in marks:
                self.assertIn(mark, said.replace(" {", "{"))

    def test_the_demonstration_keeps_its_own_folder(self) -> None:
        with mock.patch.dict(os.environ, {"XDG_DATA_HOME": str(self.folder)}):
            os.environ.pop("HERMOTROPE_DATA", None)
            self.assertEqual(start.data_folder("run", None), self.folder / "hermotrope")
            os.environ.pop("HERMOTROPE_DATA", None)
            self.assertEqual(start.data_folder("demo", None), self.folder / "hermotrope" / "demo")

    def test_a_fresh_start_puts_the_old_bench_aside(self) -> None:
        (self.folder / "bench.sqlite3").write_text("kept")
        start.clear(self.folder)
        self.assertEqual((self.folder / "bench.sqlite3.old").read_text(), "kept")
        self.assertFalse((self.folder / "bench.sqlite3").exists())

    def test_unknown_commands_and_bad_ports_are_told(self) -> None:
        shell = subprocess.run([ROOT / "hermotrope", "frobnicate"], capture_output=True, text=True, check=False)
        self.assertEqual(shell.returncode, 1)
        self.assertIn("unknown command: frobnicate", shell.stderr)
        with self.assertRaises(SystemExit), mock.patch("sys.stderr"):
            start.serve("run", ["--port", "99999"])


class Light(SimpleTestCase):
    """What a few pages need takes a hundred megabytes: it is read in when asked for; what is free is given back."""

    def test_large_pieces_go_back_to_the_system(self) -> None:
        take = (
            "from pathlib import Path\nfrom hermotrope.memory import give_back\n{}\n"
            "held = lambda: int(Path('/proc/self/statm').read_text().split()[1]) * 4096 / 1e6\n"
            "before, small = held(), []\nbytearray(31_000_000)\n"
            "for _ in range(20): large = bytearray(4_000_000), small.append(bytearray(60_000)), bytearray(4_000_000)\n"
            "del large\nprint(held() - before)"
        )
        stays = {}
        for words in ("give_back()", "pass"):
            run = [sys.executable, "-c", take.format(words)]
            given = {**os.environ, "PYTHONPATH": str(ROOT / "src")}
            stays[words] = float(subprocess.run(run, capture_output=True, text=True, check=True, env=given).stdout)
        self.assertLess(stays["give_back()"], 4.0)
        if platform.libc_ver()[0] == "glibc":
            self.assertGreater(stays["pass"], 2 * stays["give_back()"])

    def test_a_start_leaves_the_heavy_libraries_for_later(self) -> None:
        look = "import sys, hermotrope.wsgi, django.urls; django.urls.get_resolver().url_patterns; print(*sys.modules)"
        with tempfile.TemporaryDirectory() as folder:
            given = {
                "PYTHONPATH": str(ROOT / "src"),
                "DJANGO_SETTINGS_MODULE": "hermotrope.settings",
                "HERMOTROPE_DATA": folder,
            }
            words = [sys.executable, "-c", look]
            loaded = subprocess.run(words, capture_output=True, text=True, check=True, env={**os.environ, **given})
        heavy = {"scipy.optimize", "scipy.stats", "scipy.ndimage", "trimesh", "ezdxf"}
        self.assertEqual(heavy & set(loaded.stdout.split()), set())
        self.assertIn("scipy", loaded.stdout.split())
