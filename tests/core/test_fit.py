"""Fitting a run: figures recovered from simulated logs, and what cannot be told said so."""

from __future__ import annotations

from random import Random
from unittest import TestCase

import numpy as np
from django.test import tag

from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.simulate import Simulation, samples
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.fit import compare, fit, fitted, shares_of_runtime
from hermotrope_core.fit.result import Z90, Found
from hermotrope_core.fit.runlog import MOST_TOLD, Column, RunLog, clean
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case, planned
from hermotrope_core.plan.document import case_from
from hermotrope_core.values.known import number
from tests.lanes import SLOW
from tests.support import case, golden, tree

ALL: tuple[Column, ...] = ("pack_v", "pack_a", "inlet_v", "inlet_a")
NOISE = 0.01
FIVE_HOURS = 5 * 3600.0
FITS = 50 if SLOW else 10


def logged(
    real: Case, columns: tuple[Column, ...] = ALL, seed: int = 1, every: float = 1.0, most: float = FIVE_HOURS
) -> RunLog:
    """A log of a run with 1 % noise on every reading."""
    rows = np.array([(s.seconds, s.pack_v, s.pack_a, s.inlet_v, s.inlet_a) for s in samples(real, every, most)])
    noise = 1.0 + NOISE * np.random.default_rng(seed).standard_normal(rows[:, 1:].shape)
    table = dict(zip(ALL, (rows[:, 1:] * noise).T, strict=True))
    return clean(rows[:, 0], {name: table[name] for name in columns})


def conversion(random: Random) -> tuple[Case, Case, dict[str, float]]:
    """A plan for about five hours, what it really is, and the factors between the two."""
    converter = random.random() < 0.6
    made = tree("cases", "hide-mount-on-tool-pack" if converter else "sampling-boat-direct")
    source = made["source"]
    cells = random.choice([3, 4, 5]) if not converter else 5
    capacity = random.uniform(2.0, 8.0)
    source |= {
        "capacity_ah": capacity,
        "resistance_ohm": random.uniform(0.1, 0.3),
        "cells_in_series": cells,
        "cutoff_v": 3.0 * cells,
    }
    for name in ("full_v", "state_of_health", "initial_soc", "reserve_soc", "max_current_a", "chemistry"):
        source.pop(name, None)
    source["chemistry"] = random.choice(["li-ion", "lifepo4"]) if not converter else "li-ion"
    if source["chemistry"] == "lifepo4":
        source["cutoff_v"] = 2.5 * cells
    watts = capacity * 3.5 * cells / 4.6
    light, heavy = random.uniform(0.4, 0.7) * watts, random.uniform(1.6, 2.4) * watts
    made["device"]["modes"] = [
        {"name": "a", "kind": "power", "power_w": light},
        {"name": "b", "kind": "power", "power_w": heavy},
    ]
    made["device"]["supply"] = {"min_v": 2.0, "max_v": 60}
    made["duty"] = {"repeat": [{"mode": "a", "seconds": 420}, {"mode": "b", "seconds": 180}]}
    if converter:
        made["path"][2] |= {
            "efficiency": {"value": random.uniform(0.85, 0.95), "known_by": "measured"},
            "output_current_max_a": 60,
        }
    factors = {
        key: random.uniform(low, high)
        for key, low, high in (("ah", 0.75, 1.1), ("ohm", 0.6, 1.8), ("a", 0.85, 1.15), ("b", 0.9, 1.15))
    }
    real = {
        **made,
        "source": {
            **source,
            "capacity_ah": capacity * factors["ah"],
            "resistance_ohm": source["resistance_ohm"] * factors["ohm"],
        },
    }
    real["device"] = {
        **made["device"],
        "modes": [{**mode, "power_w": mode["power_w"] * factors[mode["name"]]} for mode in made["device"]["modes"]],
    }
    return case_from(made), case_from(real), factors


class Recovery(TestCase):
    @tag("slow")
    def test_random_conversions(self) -> None:
        """1 % noise, 1 Hz, 5 h: Wh within 2 %, resistance within 10 %, load within 2 %."""
        told = {"capacity": 0, "resistance": 0, "load": 0}
        for seed in range(FITS):
            plan, real, factors = conversion(Random(seed))
            columns: tuple[Column, ...] = ALL if seed % 2 else ("pack_v", "pack_a")
            found = fit(plan, logged(real, columns, seed))
            with self.subTest(seed=seed):
                self.assertEqual(found.problems, ())
                for one in found.found:
                    if one.now is None or one.what not in told:
                        continue
                    told[one.what] += 1
                    true = {"capacity": factors["ah"], "resistance": factors["ohm"]}.get(one.what) or factors[
                        "a" if "[0]" in one.place else "b"
                    ]
                    off = abs(one.now / one.was / true - 1.0)
                    self.assertLess(off, 0.10 if one.what == "resistance" else 0.02, one)
        self.assertEqual(told, {"capacity": FITS, "resistance": FITS, "load": 2 * FITS})

    def test_the_simulation_agrees_with_the_closed_forms(self) -> None:
        for name, _, expected in golden("cases"):
            if expected["runtime_s"] == 0:
                continue
            with self.subTest(name=name):
                every = max(1.0, expected["runtime_s"] / 5000)
                simulation = Simulation(planned(case("cases", name)))
                while simulation.sample() is not None:
                    simulation.step(every)
                self.assertLess(
                    abs(simulation.seconds - expected["runtime_s"]), 0.003 * expected["runtime_s"] + 2 * every
                )
                self.assertEqual(simulation.cause, expected["end_cause"])


class SurfaceCharge(TestCase):
    """A pack fresh off the charger starts above its settled volts; that is neither capacity nor resistance."""

    def log(self, plan: Case, real: Case, fades_s: float) -> RunLog:
        every = max(1.0, run(plan).runtime_s / 15_000)
        log = logged(real, every=every, most=1e7)
        situation = Situation(plan)
        volts = situation.full_emf - situation.circuit.emf(1.0)
        return clean(
            log.seconds,
            {**log.columns, "pack_v": log.columns["pack_v"] + volts * np.exp(-log.seconds / fades_s)},
        )

    def test_it_is_set_aside_and_said(self) -> None:
        for name in ("moth-lamp-on-lead-acid", "gauge-panel-boosted"):
            plan = planned(case("cases", name))
            assert plan.source is not None
            real = planned(case("cases", name, **{"source.capacity_ah": 0.9 * number(plan.source.capacity_ah)}))
            for fades_s in (120.0, 900.0):
                with self.subTest(name=name, fades_s=fades_s):
                    found = fit(plan, self.log(plan, real, fades_s))
                    capacity = found.of("capacity")
                    assert capacity is not None and capacity.now is not None
                    self.assertLess(abs(capacity.now / capacity.was / 0.9 - 1.0), 0.02)
                    self.assertEqual(found.problems, ())
                    self.assertIn("surface charge", " ".join(found.aside))

    def test_none_is_seen_where_there_is_none(self) -> None:
        plan = planned(case("cases", "gauge-panel-boosted"))
        self.assertEqual(fit(plan, logged(plan, every=30.0, most=1e7)).aside, ())


class HalfARun(TestCase):
    """No cell follows its table exactly: what that does to the capacity depends on where the run stops."""

    def found(self, name: str, share: float, seed: int) -> tuple[Found, float]:
        """The capacity that a run stopped at a share of its length tells, and how far it is off."""
        plan = planned(case("cases", name))
        assert plan.source is not None
        random = np.random.default_rng(seed)
        socs, volts = np.array(CHEMISTRIES[plan.source.chemistry].ocv_by_soc).T
        volts = np.maximum.accumulate(volts + np.interp(socs, np.linspace(0, 1, 4), random.normal(0, 0.006, 4)))
        factor = random.uniform(0.7, 1.1)
        own = {"source.ocv": [*zip(socs.tolist(), volts.tolist(), strict=True)]}
        real = planned(case("cases", name, **own, **{"source.capacity_ah": factor * number(plan.source.capacity_ah)}))
        lasts = run(real).runtime_s
        found = fit(plan, logged(real, ("pack_v", "pack_a"), seed, lasts / 4000, share * lasts)).of("capacity")
        assert found is not None
        return found, abs((found.now or 0.0) / found.was / factor - 1.0)

    def test_the_whole_run_tells_the_capacity_and_half_of_it_where_the_table_is_steep(self) -> None:
        for name, share in (
            ("hide-mount-on-tool-pack", 0.5),
            ("hide-mount-on-tool-pack", 1),
            ("gauge-panel-boosted", 1),
        ):
            inside = 0
            for seed in range(6):
                found, off = self.found(name, share, seed)
                self.assertTrue(found.told, (name, share, found))
                inside += off <= max(Z90 * found.sigma, 0.03)
            self.assertGreaterEqual(inside, 5, (name, share))

    def test_half_a_run_on_a_flat_table_does_not(self) -> None:
        for name in ("gauge-panel-boosted", "moth-lamp-on-lead-acid"):
            for seed in range(3):
                self.assertIn("let it run further", self.found(name, 0.5, seed)[0].says)

    def test_what_the_plan_knows_better_is_left_to_it(self) -> None:
        known = {"source.resistance_ohm": {"value": 0.025, "known_by": "measured"}}
        plan = planned(case("cases", "moth-lamp-on-lead-acid", **known))
        found = fit(plan, logged(plan)).of("resistance")
        assert found is not None
        self.assertIn("better than the plan", found.says)


class CannotTell(TestCase):
    def setUp(self) -> None:
        self.plan = planned(case("cases", "hide-mount-on-tool-pack"))

    def said(self, columns: tuple[Column, ...], plan: Case | None = None) -> dict[str, str]:
        found = fit(plan or self.plan, logged(plan or self.plan, columns, every=10.0))
        return {one.place: one.says for one in found.found if not one.told}

    def test_load_and_losses_trade_off_through_a_converter(self) -> None:
        said = self.said(("pack_v", "pack_a"))
        self.assertIn("losses trade off", said["device.modes[0].power_w"])
        self.assertIn("path[2].efficiency", said)
        self.assertNotIn("source.capacity_ah", said)

    def test_capacity_and_efficiency_trade_off_behind_a_converter(self) -> None:
        said = self.said(("inlet_v", "inlet_a"))
        self.assertIn("trade off", said["source.capacity_ah"])
        self.assertIn("trade off", said["source.resistance_ohm"])
        self.assertNotIn("device.modes[0].power_w", said)

    def test_capacity_and_load_trade_off_without_amperes(self) -> None:
        said = self.said(("pack_v",))
        self.assertIn("capacity and load trade off", said["source.capacity_ah"])

    def test_a_banks_cells_are_out_of_reach(self) -> None:
        said = self.said(("pack_v", "pack_a"), planned(case("cases", "warden-receiver-on-bank")))
        self.assertIn("out of reach", said["source.capacity_ah"])

    def test_a_bank_is_logged_at_its_port(self) -> None:
        bank = planned(case("cases", "warden-receiver-on-bank"))
        log = logged(bank, ("pack_v", "pack_a"), every=60.0, most=1e6)
        self.assertAlmostEqual(float(np.mean(log.columns["pack_v"])), 5.0, delta=0.02)
        load = fit(bank, log).of("load")
        self.assertTrue(load is not None and load.told)
        self.assertEqual([one.parts_s for one in compare(bank, log)[1]], [None, None])

    def test_a_port_before_a_converter_tells_nothing(self) -> None:
        with self.assertRaisesRegex(ValueError, "log the plug"):
            self.said(("pack_v", "pack_a"), planned(case("cases", "tag-reader-two-converters")))

    def test_a_resistance_that_never_shows_is_not_told(self) -> None:
        tiny = planned(case("cases", "moth-lamp-on-lead-acid", **{"source.resistance_ohm": 0.002}))
        self.assertIn("source.resistance_ohm", self.said(ALL, tiny))

    def test_modes_that_draw_the_same_are_not_told_apart(self) -> None:
        same = planned(case("cases", "hide-mount-on-tool-pack", **{"device.modes.0.power_w": 36}))
        self.assertIn("cannot tell apart", self.said(ALL, same)["device.modes[0].power_w"])

    def test_too_little_is_refused(self) -> None:
        short = clean(np.arange(5.0), {"pack_v": np.full(5, 20.0)})
        with self.assertRaises(ValueError):
            fit(self.plan, short)


class Unexplained(TestCase):
    """A run that the fit cannot explain says so."""

    def setUp(self) -> None:
        self.plan = planned(case("cases", "hide-mount-on-tool-pack"))

    def test_another_chemistry(self) -> None:
        real = tree("cases", "hide-mount-on-tool-pack")
        real["source"] |= {"chemistry": "lifepo4", "cells_in_series": 6}
        found = fit(self.plan, logged(planned(case_from(real)), every=5.0))
        self.assertFalse(found.explained)
        self.assertTrue(found.parting)

    def test_a_run_that_did_not_begin_full(self) -> None:
        real = planned(case("cases", "hide-mount-on-tool-pack", **{"source.initial_soc": 0.6}))
        self.assertFalse(fit(self.plan, logged(real, every=5.0)).explained)

    def test_a_logger_that_hung(self) -> None:
        flat = clean(np.arange(100.0), {"pack_v": np.full(100, 20.0), "pack_a": np.full(100, 1.0)})
        self.assertIn("hung", " ".join(fit(self.plan, flat).problems))

    def test_many_gaps(self) -> None:
        log = logged(self.plan, every=5.0)
        keep = (log.seconds < 4000) | (log.seconds > 9000)
        holed = clean(log.seconds[keep], {name: column[keep] for name, column in log.columns.items()})
        self.assertIn("nothing was logged", " ".join(fit(self.plan, holed).problems))


class Taking(TestCase):
    def test_accepted_figures_are_measured_and_explain_the_runtime(self) -> None:
        plan = planned(
            case("cases", "hide-mount-on-tool-pack", **{"path.2.efficiency": {"value": 0.92, "known_by": "measured"}})
        )
        real = planned(
            case("cases", "hide-mount-on-tool-pack", **{"source.capacity_ah": 3.4, "device.modes.1.power_w": 44})
        )
        log = logged(real, every=2.0)
        found = fit(plan, log)
        places = {one.place for one in found.found if one.told}
        made = fitted(plan, found, places, "fit of a test")
        assert made.source is not None and not isinstance(made.source.capacity_ah, float)
        self.assertEqual(
            (made.source.capacity_ah.known_by, made.source.capacity_ah.note), ("measured", "fit of a test")
        )
        self.assertAlmostEqual(number(made.source.capacity_ah), 3.4, delta=0.07)
        self.assertLess(abs(run(made).runtime_s - run(real).runtime_s), 0.02 * run(real).runtime_s)
        self.assertEqual(shares_of_runtime(plan, found)[0][0].what, "capacity")
        self.assertLess(shares_of_runtime(plan, found)[0][1], 0.0)
        ends, before = compare(plan, log)
        self.assertGreater(ends, log.lasts_s)
        parted = next(one for one in before if one.column == "pack_v")
        self.assertIsNotNone(parted.parts_s)
        after = compare(made, log)[1]
        self.assertTrue(all(one.parts_s is None for one in after), [(one.column, one.parts_s) for one in after])


class Comparing(TestCase):
    def test_short_cycles_in_a_long_log_are_not_mistaken_for_a_departure(self) -> None:
        quick = {"duty.repeat": [{"mode": "hold", "seconds": 6}, {"mode": "slew", "seconds": 4}]}
        real = planned(case("cases", "hide-mount-on-tool-pack", **quick))
        log = logged(real, every=0.7)
        ends, found = compare(real, clean(log.seconds[::50], {k: v[::50] for k, v in log.columns.items()}))
        self.assertLess(abs(ends - run(real).runtime_s), 0.02 * ends)
        self.assertEqual([one.parts_s for one in found], [None] * 4)

    def test_a_stop_before_the_prediction_is_no_departure(self) -> None:
        real = planned(case("cases", "hide-mount-on-tool-pack"))
        ends, found = compare(real, logged(real, every=5.0, most=3600.0))
        self.assertEqual(ends, float("inf"))
        self.assertEqual([one.parts_s for one in found], [None] * 4)


class Cleaning(TestCase):
    def test_a_clock_that_jumps_back_at_every_row_is_told_in_short(self) -> None:
        count = 20_000
        at = np.array([(i % 2) * 1000.0 + i for i in range(count)])
        found = clean(at, {"inlet_v": 12.0 + np.arange(count) % 10 / 10})
        self.assertTrue((np.diff(found.seconds) > 0.0).all())
        self.assertEqual(len(found.remarks), MOST_TOLD + 1)
        self.assertIn(f"{count // 2 - 1 - MOST_TOLD} times more", found.remarks[-1].says)
        steps = np.diff(at)
        self.assertAlmostEqual(
            found.seconds[-1], steps[steps > 0].sum() + (count // 2 - 1) * np.median(steps[steps > 0])
        )

    def test_many_gaps_are_told_in_short_and_counted_in_full(self) -> None:
        at = np.cumsum(np.where(np.arange(3000) % 10 == 9, 60.0, 1.0))
        found = clean(at, {"inlet_v": np.full(3000, 12.0)})
        self.assertEqual(len(found.remarks), MOST_TOLD + 1)
        self.assertAlmostEqual(found.gaps(), 300 * 60.0, delta=60.0)

    def test_gaps_resets_duplicates_and_unreadable_rows_are_told(self) -> None:
        seconds = np.array([0, 1, 2, 3, 3, 4, 30, 31, 32, 0, 1, 2, 3, np.nan, 5.0])
        log = clean(seconds, {"pack_v": np.array([20.0] * 12 + [np.nan, 20.0, 20.0])})
        kinds = [one.kind for one in log.remarks]
        self.assertEqual(sorted(set(kinds)), ["duplicate", "gap", "reset", "unreadable"])
        self.assertTrue((np.diff(log.seconds) > 0).all())
        self.assertAlmostEqual(log.gaps(), 26.0)

    def test_what_follows_the_end_is_left_out(self) -> None:
        log = clean(np.arange(50.0), {"pack_v": np.where(np.arange(50) < 40, 20.0, 0.01)})
        self.assertEqual(len(log), 40)
        self.assertEqual(log.remarks[-1].kind, "ended")

    def test_what_came_before_the_run_is_left_out(self) -> None:
        amps = np.concatenate([np.full(90, 0.001), np.tile([0.05] * 30 + [2.0] * 10, 20), np.full(3000, 0.001)])
        log = clean(np.arange(len(amps)) + 7.0, {"pack_v": np.full(len(amps), 20.0), "pack_a": amps})
        self.assertEqual((len(log), log.seconds[0], log.lasts_s), (800, 0.0, 799.0))
        self.assertEqual([one.kind for one in log.remarks], ["began", "ended"])

    def test_a_light_start_is_part_of_the_run(self) -> None:
        amps = np.concatenate([np.full(600, 0.02), np.full(5000, 2.0)])
        self.assertEqual(clean(np.arange(5600.0), {"pack_a": amps}).remarks, ())

    def test_nothing_usable(self) -> None:
        for seconds in (np.array([1.0]), np.array([np.nan, np.nan]), np.array([5.0, 5.0])):
            with self.assertRaises(ValueError):
                clean(seconds, {"pack_v": np.ones(len(seconds))})
