"""A voltmeter or alarm at the pack: its own draw in every computation alike, what it tells, where it belongs."""

from __future__ import annotations

import json
from itertools import product
from typing import Any
from unittest import skipUnless

import numpy as np
from django.test import SimpleTestCase
from scipy.integrate import solve_ivp

from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.circuit.many import runs
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.simulate import Simulation
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.standing import days_to_flat
from hermotrope_core.hours.warning import alarms
from hermotrope_core.judge.cures import alarm_change, with_stages
from hermotrope_core.judge.findings import check
from hermotrope_core.judge.placement import problem
from hermotrope_core.kinds.stages import Voltmeter
from hermotrope_core.plan.document import case_from
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.prove import gates
from hermotrope_core.several.follow import follow
from tests.core.test_netlist import NGSPICE, simulated
from tests.core.test_on_share import BOARD, FIGURES, LEAD, PACK, tree
from tests.support import case

METER = {"stage": "voltmeter", "current_a": 0.08}
FUSE = {"stage": "fuse", "rating_a": 5, "resistance_ohm": 0.05}


def stepped(made: dict[str, Any], meter_a: float, share: float) -> tuple[float, float]:
    """Seconds and watt-hours from the terminals of a direct strap, by an integrator: the meter behind the fuse."""
    circuit = circuit_of(case_from(made | {"path": [one for one in made["path"] if one != METER]}))
    ohms = [one.resistance_ohm for one in circuit.stretches[0].elements]
    field = next(name for name, _ in FIGURES.values() if name in made["device"]["modes"][0])
    value = made["device"]["modes"][0][field]
    line, before = sum(ohms), sum(ohms[:2])

    def amps(soc: float) -> float:
        volts = circuit.emf(soc) - before * meter_a
        if field == "current_a":
            return float(value)
        if field == "resistance_ohm":
            return float(volts / (line + value))
        return float((volts - np.sqrt(volts**2 - 4 * line * value)) / (2 * line))

    def fast(drawn: float) -> float:
        return drawn * max(1.0, drawn / circuit.rated_a) ** (circuit.peukert - 1.0)

    def change(_t: float, state: Any) -> list[float]:
        soc = float(state[0])
        on, off = amps(soc) + meter_a, meter_a
        watts = share * on * (circuit.emf(soc) - on * ohms[0]) + (1 - share) * off * (circuit.emf(soc) - off * ohms[0])
        return [-(share * fast(on) + (1 - share) * fast(off)) / (3600 * circuit.charge_ah), watts / 3600]

    def stops(_t: float, state: Any) -> float:
        soc = float(state[0])
        inlet = circuit.emf(soc) - before * meter_a - amps(soc) * line
        at_pack = circuit.emf(soc) - (amps(soc) + meter_a) * ohms[0]
        return min(inlet - circuit.device_min_v, at_pack - circuit.cutoff_v, soc)

    stops.terminal = True  # type: ignore[attr-defined]
    got = solve_ivp(change, (0, 1e7), [1.0, 0.0], events=stops, rtol=1e-9, atol=1e-11, max_step=600, method="DOP853")
    return float(got.t[-1]), float(got.y[1, -1])


class Drain(SimpleTestCase):
    def test_an_integrator_agrees(self) -> None:
        for kind, share in product(FIGURES, (None, 0.4)):
            with self.subTest(kind, share=share):
                made = tree(kind, share, FUSE, METER, LEAD)
                seconds, watt_hours = stepped(made, 0.08, share or 1.0)
                got = run(case_from(made))
                self.assertAlmostEqual(got.runtime_s, seconds, delta=2e-6 * seconds)
                self.assertAlmostEqual(got.energy_from_source_wh, watt_hours, delta=2e-6 * watt_hours)
                many = runs(case_from(made), {}, 2).runtime_s
                self.assertAlmostEqual(many[0], seconds, delta=3e-4 * seconds)

    def test_before_a_board_and_among_pulses(self) -> None:
        """Many short turns are leapt over; stepping through them says the same."""
        made = case_from(tree("power", 0.4, FUSE, METER, LEAD, BOARD, off_s=7.0, on_s=20.0))
        simulation = Simulation(made)
        while simulation.sample() is not None:
            simulation.step(30.0)
        self.assertAlmostEqual(run(made).runtime_s, simulation.seconds, delta=45)

    def test_in_the_trunk_or_the_branch_of_an_outing(self) -> None:
        made = tree("resistance", None, FUSE, METER, LEAD)
        chain = run(case_from(made))
        for at in range(4):
            branch = {"device": made["device"], "duty": made["duty"], "path": made["path"][at:]}
            whole = {
                "format": "hermotrope-outing/1", "title": "t",
                "supplies": [{"source": PACK, "trunk": made["path"][:at], "branches": [branch]}],
            }  # fmt: skip
            read = read_outing(json.dumps(whole))
            got = follow(read.supplies[0], read.conditions)
            with self.subTest(at=at):
                self.assertAlmostEqual(got.runtime_s, chain.runtime_s, delta=1e-9 * chain.runtime_s)
                wanted = chain.energy_from_source_wh
                self.assertAlmostEqual(got.energy_from_source_wh, wanted, delta=1e-8 * wanted)

    def test_alone_it_still_drains(self) -> None:
        made = tree("power", None, METER)
        made["device"]["modes"][0]["power_w"] = 0
        self.assertAlmostEqual(run(case_from(made)).runtime_s, 6 / 0.08 * 3600, delta=20)
        self.assertRaises(NeverEnds, run, case_from(made | {"path": []}))
        amps, days = days_to_flat(case_from(made))
        self.assertEqual(amps, 0.08)
        self.assertAlmostEqual(days or 0.0, 6 / 0.08 / 24)

    @skipUnless(NGSPICE, "ngspice is not installed")
    def test_ngspice_agrees(self) -> None:
        for share in (None, 0.4):
            with self.subTest(share=share):
                made = case_from(tree("resistance", share, FUSE, METER, LEAD))
                seconds = run(made).runtime_s
                self.assertAlmostEqual(simulated(made), seconds, delta=5e-3 * seconds)


class Told(SimpleTestCase):
    def codes(self, *path: dict[str, Any]) -> set[str]:
        return {one.code for one in check(Situation(case_from(tree("power", None, *path))))}

    def test_who_warns(self) -> None:
        self.assertIn("no-warning", self.codes(FUSE, LEAD))
        self.assertNotIn("no-warning", self.codes(FUSE, METER, LEAD))
        self.assertIn("no-warning", self.codes(FUSE, BOARD, METER), "behind a board it does not see the pack")

    def test_storage_wants_an_alarm_not_a_voltmeter(self) -> None:
        for stage, told in ((METER, True), (METER | {"warns_v": 12.0}, False)):
            made = tree("power", None, FUSE, stage)
            made["device"] |= {"traits": ["writes-storage"], "ends": "abrupt"}
            found = {one.code for one in check(Situation(case_from(made)))}
            self.assertEqual("abrupt-stop" in found, told)

    def test_before_a_switch_it_drains_a_pack_that_lies(self) -> None:
        switch = {"stage": "switch"}
        self.assertIn("standing-drain", self.codes(METER, switch))
        self.assertNotIn("standing-drain", self.codes(switch, METER))

    def test_what_is_put_in_warns_in_time(self) -> None:
        for name in ("hide-mount-on-tool-pack", "sampling-boat-direct", "moth-lamp-on-lead-acid"):
            with self.subTest(name):
                before = Situation(case("cases", name))
                after = Situation(with_stages(before.case, alarm_change(before)))
                self.assertEqual({f.code for f in check(after)} & {"alarm-volts", "no-warning"}, set())
                at = next(i for i, one in enumerate(after.case.path) if isinstance(one, Voltmeter))
                self.assertGreater(at, 0, "its thin wires stand before the fuse")

    def test_where_it_belongs(self) -> None:
        made = case("cases", "hide-mount-on-tool-pack")
        one = Voltmeter(current_a=0.01, warns_v=17.0)
        self.assertIsNone(problem(made, one, 1))
        self.assertRegex(problem(made, one, 4) or "", "holds its volts")
        self.assertRegex(problem(made, Voltmeter(current_a=0.01, warns_v=21.0), 1) or "", "above the full pack")


class Sounds(SimpleTestCase):
    def test_so_long_before_the_end(self) -> None:
        """What is said is where the run, followed with the alarm as a cut-off in its place, would stop."""
        made = tree("resistance", None, FUSE, METER | {"warns_v": 12.6}, LEAD)
        situation = Situation(case_from(made))
        (one,) = alarms(situation, run(situation.case, marks=True))
        cut = made | {"path": [FUSE, METER, {"stage": "cut-off", "trips_v": 12.6}, LEAD]}
        ends = run(case_from(made)).runtime_s
        self.assertAlmostEqual(one.light_s, ends - run(case_from(cut)).runtime_s, delta=1e-3 * ends)
        self.assertEqual(one.light_s, one.heavy_s)

    def test_sooner_in_the_heavier_mode_and_not_behind_what_holds(self) -> None:
        before = Situation(case("cases", "hide-mount-on-tool-pack"))
        after = with_stages(before.case, alarm_change(before))
        (one,) = alarms(Situation(after), run(after, marks=True))
        self.assertGreater(one.heavy_s, one.light_s)
        self.assertGreater(one.light_s, 0.05 * run(after).runtime_s)
        held = case_from(tree("power", None, FUSE, BOARD, METER | {"warns_v": 12.6}))
        self.assertEqual(alarms(Situation(held), run(held, marks=True)), ())

    def test_never_and_from_the_start(self) -> None:
        for volts, share in ((5.0, 0.0), (15.0, 1.0)):
            made = case_from(tree("power", None, FUSE, METER | {"warns_v": volts}))
            followed = run(made, marks=True)
            (one,) = alarms(Situation(made), followed)
            self.assertEqual(one.light_s, share * followed.runtime_s)


class Proved(SimpleTestCase):
    def test_its_setting_and_its_ohms(self) -> None:
        made = Situation(case_from(tree("power", None, FUSE, METER | {"warns_v": 12.0}, LEAD)))
        asks = {ask.key: ask for gate in gates(made, {}, None) for ask in gate.asks}
        self.assertEqual(
            (asks["alarm.1"].expected, asks["alarm.1"].what), (12.0, "Volts at which the alarm (part 2) warns")
        )
        across = [ask.low for key, ask in asks.items() if key.startswith("continuity.across")]
        self.assertTrue(across)
        for low in across:
            self.assertLessEqual(low, made.full_emf / 0.08, "it would be called a short")
