"""The commands as they are run: JSON out, one line for what is wrong, no Django."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from pathlib import Path

from django.test import SimpleTestCase

from hermotrope_core.plan.document import write_case
from tests.support import ROOT, case


def command(*arguments: str, stdin: str = "") -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, "-m", "hermotrope_cli", *arguments],
        input=stdin, capture_output=True, text=True, env={"PYTHONPATH": str(ROOT / "src")}, check=False,
    )  # fmt: skip


class Commands(SimpleTestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.file = Path(folder.name) / "case.json"
        self.file.write_text(write_case(case("cases", "hide-mount-on-tool-pack")))

    def test_answers(self) -> None:
        solved = json.loads(command("solve", str(self.file)).stdout)
        self.assertEqual(solved["end_cause"], "pack cut-off")
        self.assertEqual(json.loads(command("solve", "-", stdin=self.file.read_text()).stdout), solved)
        at = json.loads(command("point", str(self.file), "--soc", "0.6", "--mode", "slew").stdout)
        self.assertEqual(
            [s["station"] for s in at["stations"]], ["source", "fuse", "lead", "converter", "lead", "device"]
        )
        self.assertTrue(at["runs"])
        peak = json.loads(command("point", str(self.file), "--soc", "0.6", "--mode", "slew, peak").stdout)
        self.assertEqual(peak["stations"][-1]["amps_in"], 6)
        judged = json.loads(command("check", str(self.file)).stdout)
        self.assertEqual(judged["verdict"], "refused")
        self.assertLessEqual({"code", "level", "message", "have", "limit", "unit", "cure"}, set(judged["findings"][0]))
        self.assertIn("$defs", json.loads(command("schema").stdout))

    def test_a_night_of_several(self) -> None:
        made = json.loads((ROOT / "tests" / "outings" / "weak-one-first.json").read_text())
        expect = made.pop("expect")["supplies"][0]
        done = command("outing", "-", stdin=json.dumps(made))
        self.assertEqual(done.returncode, 0, done.stderr)
        [got] = json.loads(done.stdout)["supplies"]
        self.assertEqual((got["name"], got["end_cause"], set(got)), (expect["name"], expect["end_cause"], set(expect)))
        self.assertEqual([set(one) for one in got["branches"]], [set(one) for one in expect["branches"]])
        refused = command("outing", "-", stdin=json.dumps(made | {"hours": 0}))
        self.assertEqual((refused.returncode, refused.stderr.split(":")[0]), (2, "hours"))
        quiet = made["supplies"][0]["branches"][1] | {"duty": {"repeat": [{"mode": "on", "seconds": 60}]}}
        quiet["device"]["modes"][0]["power_w"] = 0
        never = command(
            "outing", "-", stdin=json.dumps(made | {"supplies": [made["supplies"][0] | {"branches": [quiet]}]})
        )
        self.assertEqual((never.returncode, never.stdout), (2, ""))
        self.assertIn("never ends", never.stderr)

    def test_refusals_are_one_line(self) -> None:
        bad = self.file.with_name("bad.json")
        bad.write_text(self.file.read_text().replace('"capacity_ah": 4.0', '"capacity_ah": -4.0'))
        broken = self.file.with_name("broken.json")
        broken.write_text(self.file.read_text()[:-20])
        huge = self.file.with_name("huge.json")
        huge.write_bytes(b"[" + b"1," * 25_000_000 + b"1]")
        draft = self.file.with_name("draft.json")
        draft.write_text('{"format": "hermotrope-case/1", "title": "t", "device": {"name": "d"}}')
        for arguments, says in (
            (("solve", str(bad)), "source.capacity_ah: must be above 0 Ah"),
            (("solve", str(broken)), "case: not a JSON document"),
            (("check", str(huge)), "case: more than 2 MB"),
            (("check", str(draft)), "device.supply.min_v: missing"),
            (("solve", "nowhere.json"), "case: cannot read nowhere.json"),
            (("solve", str(bad.parent)), "case: cannot read"),
            (("point", str(self.file), "--soc", "2", "--mode", "slew"), "--soc: must be a number from 0 to 1"),
            (("point", str(self.file), "--soc", "nan", "--mode", "slew"), "--soc: must be"),
            (("point", str(self.file), "--soc", "0.5", "--mode", "fly"), "--mode: 'fly' is no mode"),
            (("point", str(self.file)), "command: the following arguments are required"),
            (("frobnicate",), "command: argument command"),
        ):
            with self.subTest(arguments[0], says=says):
                done = command(*arguments)
                self.assertEqual(done.returncode, 2)
                self.assertEqual(done.stdout, "")
                self.assertTrue(done.stderr.startswith(says), done.stderr)
                self.assertEqual(done.stderr.count("\n"), 1)

    def test_django_and_pint_stay_out(self) -> None:
        heavy = "{'django', 'pint', 'numpy', 'networkx', 'scipy'}"
        program = f"import sys, hermotrope_cli.__main__; print(sorted({{*sys.modules}} & {heavy}))"
        done = subprocess.run(
            [sys.executable, "-c", program],
            capture_output=True,
            text=True,
            env={"PYTHONPATH": str(ROOT / "src")},
            check=True,
        )
        self.assertEqual(done.stdout.strip(), "[]")
