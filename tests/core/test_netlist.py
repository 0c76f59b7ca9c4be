"""The netlist, run by ngspice, ends when we say: two programs, one model."""

from __future__ import annotations

import re
import shutil
import subprocess
import tempfile
from pathlib import Path
from unittest import skipUnless

from django.test import SimpleTestCase

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.netlist import netlist
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.document import case_from
from tests.support import PASSING, case, golden

NGSPICE = shutil.which("ngspice")
CLOSE = 0.005
FIVE = {"min_v": 4, "nominal_v": 5, "max_v": 6}


def simulated(made: Case) -> float:
    """Seconds that ngspice's ``.meas`` prints. Its exit code is 0 on errors too, so its text is read."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "case.cir"
        file.write_text(netlist(made))
        done = subprocess.run([NGSPICE or "ngspice", "-b", str(file)], capture_output=True, text=True, check=False)
    text = done.stdout + done.stderr
    for bad in ("Error", "error", "aborted", "failed", "Timestep too small"):
        if bad in text:
            raise AssertionError(f"ngspice says: {text[-800:]}")
    found = re.search(r"^runtime_s\s*=\s*(\S+)", text, re.MULTILINE)
    if found is None:
        raise AssertionError(f"no runtime_s in: {text[-800:]}")
    return float(found[1])


@skipUnless(NGSPICE, "needs ngspice")
class AgainstNgspice(SimpleTestCase):
    def test_every_public_case_within_half_a_per_cent(self) -> None:
        """None is left out: the one with an efficiency table is carried as a table too, and none has an inverter."""
        for name, tree, _ in golden("cases"):
            made = case_from(tree)
            with self.subTest(name):
                ours = run(made).runtime_s
                self.assertAlmostEqual(simulated(made), ours, delta=max(CLOSE * ours, 0.01))

    def test_ends_of_other_kinds(self) -> None:
        sleepy = {"output_v": 5, "efficiency": 0.9, "output_min_current_a": 3.0, "output_off_delay_s": 40}
        port = {"output_v": 5, "efficiency": 0.9, "output_min_current_a": 1.0, "output_off_delay_s": 40}
        for change, cause in (
            ({"path.0.input_min_v": 18.0}, "converter input too low"),
            ({"path.0.output_current_max_a": 0.9}, "converter overload"),
            ({"source.reserve_soc": 0.4}, "reserve"),
            ({"device.supply.min_v": 11.99, "path.0.output_v": 11.9}, "device minimum"),
            ({"source.regulated_output": sleepy, "path": [], "device.supply": FIVE}, "auto-off"),
            ({"path": [{"stage": "linear", "output_v": 12, "dropout_v": 5.5}]}, "dropout"),
            ({"path": [{"stage": "cut-off", "trips_v": 17.5}], "device.supply.max_v": 25}, "pack cut-off"),
            ({"source.regulated_output": port | {"output_min_current_a": 0.2}, "path": [{"stage": "keep-alive",
              "current_a": 0.3}], "device.supply": FIVE}, "pack cut-off"),
        ):  # fmt: skip
            made = case("cases", "reference-1", **change)
            ours = run(made)
            with self.subTest(cause):
                self.assertEqual(ours.end_cause, cause)
                self.assertAlmostEqual(simulated(made), ours.runtime_s, delta=max(CLOSE * ours.runtime_s, 0.01))

    def test_a_board_that_passes_its_falling_input_on(self) -> None:
        for change in ({}, {"device.supply.min_v": 10.5}):
            made = case("cases", "hide-mount-on-tool-pack", **(PASSING | change))
            ours = run(made).runtime_s
            self.assertAlmostEqual(simulated(made), ours, delta=CLOSE * ours)


class Text(SimpleTestCase):
    def test_a_name_cannot_become_a_command(self) -> None:
        made = case("cases", "reference-1", title="x\n.control\nshell rm\n.endc")
        self.assertNotIn("\n.control", netlist(made))
        self.assertEqual(len([line for line in netlist(made).splitlines() if line.startswith(".")]), 4)
