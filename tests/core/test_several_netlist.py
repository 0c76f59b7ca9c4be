"""The netlist of a fork, run by ngspice: the pack's end and each device's are ours."""

from __future__ import annotations

import json
import re
import subprocess
import tempfile
from pathlib import Path
from unittest import skipUnless

from django.test import SimpleTestCase

from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.several.follow import follow
from hermotrope_core.several.netlist import NotWritten, supply_netlist
from tests.core.test_netlist import NGSPICE
from tests.core.test_several import BANK, branch, outing
from tests.core.test_shared_line import FUSED, USB
from tests.support import golden, put


def simulated(text: str) -> dict[str, float]:
    """What ngspice's ``.meas`` prints, in seconds. Its exit code is 0 on errors too, so its text is read."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "line.cir"
        file.write_text(text)
        done = subprocess.run([NGSPICE or "ngspice", "-b", str(file)], capture_output=True, text=True, check=False)
    said = done.stdout + done.stderr
    for bad in ("aborted", "Timestep too small", "singular"):
        if bad in said:
            raise AssertionError(f"ngspice says: {said[-800:]}")
    return {name: float(value) for name, value in re.findall(r"^(runtime_s|ends_\d+)\s*=\s*(\S+)", said, re.MULTILINE)}


@skipUnless(NGSPICE, "needs ngspice")
class AgainstNgspice(SimpleTestCase):
    def test_golden_nights(self) -> None:
        for name, tree, _ in golden("outings"):
            read = read_outing(json.dumps({key: value for key, value in tree.items() if key != "hours"}))
            for supply in read.supplies:
                run = follow(supply, read.conditions)
                got = simulated(supply_netlist(supply, read.conditions))
                with self.subTest(name):
                    self.assertAlmostEqual(got["runtime_s"] / run.runtime_s, 1.0, delta=5e-3)
                for i, one in enumerate(run.branches):
                    if one.runtime_s < run.runtime_s:
                        self.assertAlmostEqual(got[f"ends_{i}"] / one.runtime_s, 1.0, delta=5e-3)

    def test_diodes_fuses_and_many_alike(self) -> None:
        made = outing(
            branch("power", 6.0, path=[{"stage": "diode", "forward_v": 0.4, "count": 1}]),
            branch("resistance", 30.0, 1800.0, path=[{"stage": "lead", "length_m": 6, "area_mm2": 0.5}], count=3),
            trunk=[*FUSED, {"stage": "diode", "forward_v": 0.3, "count": 1}],
        )
        run = follow(made.supplies[0], made.conditions)
        got = simulated(supply_netlist(made.supplies[0], made.conditions))
        self.assertAlmostEqual(got["runtime_s"] / run.runtime_s, 1.0, delta=5e-3)

    def test_ports_boards_and_switched_heaters(self) -> None:
        """Behind a bank's port, behind a board for all, and where a controller switches one of two devices."""
        weak = BANK | {"regulated_output": BANK["regulated_output"] | {"output_current_max_a": 1.2}}
        board = {"stage": "converter", "topology": "buck", "output_v": 9, "efficiency": 0.85, "quiescent_w": 0.1}
        low = {"supply": {"min_v": 8, "nominal_v": 9, "max_v": 10}}
        idle = branch("current", 0.05, device=USB)
        for name, made in (
            ("port", outing(
                branch("current", 0.5, device=USB), branch("power", 2.0, 900.0, device=USB), source=BANK)),
            ("port overloaded later", outing(
                branch("current", 0.8, device=USB), branch("current", 0.6, 1800.0, device=USB, duty={"repeat": [
                    {"mode": "off", "seconds": 1800}, {"mode": "on", "seconds": 1800}]}), source=weak)),
            ("port asleep", outing(idle, source=BANK)),
            ("board for all", outing(branch("power", 6.0, device=low), branch("resistance", 30.0, 1800.0, device=low),
                                     trunk=[*FUSED, board])),
            ("switched", outing(
                put(branch("resistance", 12.0), "device.modes.0.on_share", 0.3), branch("power", 4.0), trunk=FUSED)),
            ("switched behind a board that idles", outing(put(branch(
                "power", 9.0, device=low, path=[board | {"quiescent_w": 1.5}]), "device.modes.0.on_share", 0.2))),
        ):  # fmt: skip
            run = follow(made.supplies[0], made.conditions)
            got = simulated(supply_netlist(made.supplies[0], made.conditions))
            with self.subTest(name, ends=run.end_cause):
                self.assertAlmostEqual(got["runtime_s"] / run.runtime_s, 1.0, delta=5e-3)


class NotYet(SimpleTestCase):
    def test_what_is_not_written_says_so(self) -> None:
        for made in (outing(put(branch("current", 0.5, device=USB), "device.modes.0.on_share", 0.5), source=BANK),):
            with self.assertRaisesRegex(NotWritten, "not written as a netlist yet"):
                supply_netlist(made.supplies[0], made.conditions)
