"""Several devices on one pack: golden nights, the chain as a tree of one branch, an independent integrator."""

from __future__ import annotations

import json
from typing import Any

import numpy as np
from django.test import SimpleTestCase
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import solve_ivp
from scipy.optimize import brentq

from hermotrope_core.circuit.discharge import NeverEnds, run
from hermotrope_core.hours.night import through_the_night
from hermotrope_core.plan.document import CaseError, case_from
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Outing, chain
from hermotrope_core.plan.outing_document import read_outing
from hermotrope_core.several.follow import SupplyRun, follow, follow_hourly
from hermotrope_core.several.trunk import trunk_circuit
from tests.support import golden, put

LAMP = {"name": "lamp", "supply": {"min_v": 9.5, "nominal_v": 12, "max_v": 15}}
BLOCK = {
    "name": "block", "chemistry": "lifepo4", "cells_in_series": 4, "capacity_ah": 6, "resistance_ohm": 0.06,
    "cutoff_v": 10.0,
}  # fmt: skip
BANK = {
    "name": "bank", "chemistry": "li-ion", "cells_in_series": 1, "capacity_ah": 10, "resistance_ohm": 0.05,
    "cutoff_v": 3.0,
    "regulated_output": {
        "output_v": 5.1, "efficiency": 0.9, "output_current_max_a": 2.0, "output_min_current_a": 0.1,
        "output_off_delay_s": 20,
    },
}  # fmt: skip


def branch(kind: str, value: float, seconds: float = 3600.0, **more: Any) -> dict[str, Any]:
    """A device that draws one figure (power, current or resistance), all the time or so many seconds of every hour."""
    field = {"power": "power_w", "current": "current_a", "resistance": "resistance_ohm"}[kind]
    modes = [{"name": "on", "kind": kind, field: value}, {"name": "off", "kind": "power", "power_w": 0}]
    repeat = [{"mode": "on", "seconds": seconds}]
    if seconds < 3600.0:
        repeat.append({"mode": "off", "seconds": 3600.0 - seconds})
    device = LAMP | {"modes": modes} | more.pop("device", {})
    return {"device": device, "path": [], "duty": {"repeat": repeat}} | more


def outing(*branches: dict[str, Any], source: dict[str, Any] = BLOCK, **more: Any) -> Outing:
    trunk = more.pop("trunk", [])
    supply = {"source": source, "trunk": trunk, "branches": list(branches)}
    return read_outing(json.dumps({"format": "hermotrope-outing/1", "title": "t", "supplies": [supply]} | more))


def night(*branches: dict[str, Any], **more: Any) -> SupplyRun:
    made = outing(*branches, **more)
    return follow(made.supplies[0], made.conditions, made.hours)


class GoldenNights(SimpleTestCase):
    def test_agree(self) -> None:
        for name, made, expect in golden("outings"):
            read = read_outing(json.dumps(made))
            for supply, wanted in zip(read.supplies, expect["supplies"], strict=True):
                got = follow(supply, read.conditions, read.hours)
                with self.subTest(name):
                    self.assertEqual(got.end_cause, wanted["end_cause"])
                    self.close(got.runtime_s, wanted["runtime_s"])
                    self.assertAlmostEqual(got.energy_from_source_wh / wanted["energy_from_source_wh"], 1, delta=5e-3)
                for one, held in zip(got.branches, wanted["branches"], strict=True):
                    with self.subTest(name, device=one.device):
                        self.assertEqual((one.device, one.end_cause), (held["device"], held["end_cause"]))
                        self.close(one.runtime_s, held["runtime_s"])
                        self.assertAlmostEqual(one.energy_to_device_wh / held["energy_to_device_wh"], 1, delta=5e-3)

    def close(self, got: float, wanted: float) -> None:
        self.assertAlmostEqual(got, wanted, delta=max(1.5, 3e-3 * wanted))


class OneBranch(SimpleTestCase):
    def test_is_the_chain(self) -> None:
        """Every golden case, its path as the branch, and again as the trunk; its device's end is the supply's then."""
        for name, made, _ in golden("cases"):
            if made["duty"].get("once"):
                continue
            chain = run(case_from(made))
            held = made["source"].get("regulated_output") is not None
            for trunk in {0, len(made["path"])}:
                if held and trunk == 0 and any(stage["stage"] == "keep-alive" for stage in made["path"]):
                    continue
                parts = {
                    "device": made["device"], "duty": made["duty"], "path": made["path"][trunk:],
                }  # fmt: skip
                whole = {
                    "format": "hermotrope-outing/1", "title": "t", "conditions": made.get("conditions", {}),
                    "supplies": [{"source": made["source"], "trunk": made["path"][:trunk], "branches": [parts]}],
                }  # fmt: skip
                read = read_outing(json.dumps(whole))
                got = follow(read.supplies[0], read.conditions)
                with self.subTest(name, trunk=trunk):
                    self.assertAlmostEqual(got.runtime_s, chain.runtime_s, delta=1e-9 * chain.runtime_s + 1e-9)
                    self.assertEqual(got.branches[0].end_cause, chain.end_cause)
                    self.assertAlmostEqual(got.final_soc, chain.final_soc, delta=1e-9)
                    self.assertAlmostEqual(
                        got.energy_from_source_wh, chain.energy_from_source_wh, delta=1e-8 * chain.energy_from_source_wh
                    )
                    self.assertAlmostEqual(
                        got.branches[0].energy_to_device_wh,
                        chain.energy_to_device_wh,
                        delta=1e-8 * chain.energy_to_device_wh,
                    )


draws = st.tuples(
    st.sampled_from(["power", "current", "resistance"]),
    st.floats(0.3, 1.0),
    st.sampled_from([600.0, 1800.0, 3600.0]),
    st.floats(0.0, 0.4),
)


def drawn_branch(kind: str, share: float, seconds: float, ohm: float) -> dict[str, Any]:
    value = {"power": 10.0 * share, "current": 0.8 * share, "resistance": 12.0 / share}[kind]
    path = [{"stage": "resistor", "resistance_ohm": ohm}] if ohm > 0.0 else []
    return branch(kind, value, seconds, path=path)


class Properties(SimpleTestCase):
    def test_an_independent_integrator_agrees(self) -> None:
        for drawn in (
            [("power", 0.9, 600.0, 0.0), ("current", 0.5, 1800.0, 0.3)],
            [("power", 0.6, 3600.0, 0.4), ("resistance", 0.8, 600.0, 0.2), ("current", 0.3, 1800.0, 0.0)],
            [("resistance", 1.0, 1800.0, 0.1), ("power", 1.0, 1800.0, 0.35), ("power", 0.4, 600.0, 0.0)],
        ):
            with self.subTest(drawn=drawn):
                self.agrees(drawn)

    def agrees(self, drawn: list[tuple[str, float, float, float]]) -> None:
        """`solve_ivp` hour by hour to the end of the pack, the junction by Brent's method; devices that never stop."""
        lasting = {"supply": {"min_v": 1, "nominal_v": 12, "max_v": 15}}
        made = [put(drawn_branch(*one), "device.supply", lasting["supply"]) for one in drawn]
        trunk = [{"stage": "resistor", "resistance_ohm": 0.15}]
        read = outing(*made, trunk=trunk)
        got = follow(read.supplies[0], read.conditions)
        circuit = trunk_circuit(read.supplies[0], read.conditions)
        socs, emfs = np.array(circuit.emf_by_soc).T
        pack_ohm = circuit.stretches[0].elements[0].resistance_ohm

        def amps(soc: float, at: float) -> float:
            emf, ohm = float(np.interp(soc, socs, emfs)), pack_ohm + 0.15
            running = [(kind, share, lead) for kind, share, seconds, lead in drawn if at % 3600.0 < seconds]

            def one(kind: str, share: float, lead: float, volts: float) -> float:
                if kind == "current":
                    return 0.8 * share
                if kind == "resistance":
                    return volts / (12.0 / share + lead)
                return (
                    (volts - (volts * volts - 40.0 * share * lead) ** 0.5) / (2 * lead) if lead else 10 * share / volts
                )

            def misses(volts: float) -> float:
                return (emf - volts) / ohm - sum(one(kind, share, lead, volts) for kind, share, lead in running)

            return (emf - float(brentq(misses, 8.0, emf, xtol=1e-13))) / ohm if running else 0.0

        def ends(at: float, soc: Any) -> float:
            return float(np.interp(soc[0], socs, emfs)) - pack_ohm * amps(soc[0], now + 1e-6) - circuit.cutoff_v

        ends.terminal = True  # type: ignore[attr-defined]
        now, soc = 0.0, np.array([1.0])
        cuts = sorted({600.0, 1800.0, 3600.0} & {seconds for _, _, seconds, _ in drawn} | {3600.0})
        while ends(now, soc) > 0.0:
            hour = now // 3600.0 * 3600.0
            until = hour + next(cut for cut in cuts if hour + cut > now + 1e-6)

            def slope(_: float, y: Any) -> list[float]:
                drawn_a = amps(y[0], now + 1e-6)  # noqa: B023
                fast = max(1.0, drawn_a / circuit.rated_a) ** (circuit.peukert - 1.0)
                return [-drawn_a * fast / (3600.0 * circuit.charge_ah)]

            done = solve_ivp(slope, (now, until), soc, method="LSODA", rtol=1e-9, atol=1e-12, events=ends, max_step=300)
            now, soc = float(done.t[-1]), done.y[:, -1]
            if done.status == 1:
                break
        self.assertAlmostEqual(got.runtime_s, now, delta=1e-4 * now)
        self.assertEqual(got.end_cause, "pack cut-off")

    @settings(max_examples=25, deadline=None)
    @given(st.lists(draws, min_size=2, max_size=5))
    def test_order_and_count_change_nothing(self, drawn: list[tuple[str, float, float, float]]) -> None:
        made = [drawn_branch(*one) for one in drawn]
        one, back = night(*made), night(*made[::-1])
        self.assertAlmostEqual(one.runtime_s, back.runtime_s, delta=1e-9 * one.runtime_s)
        for a, b in zip(one.branches, back.branches[::-1], strict=True):
            self.assertAlmostEqual(a.runtime_s, b.runtime_s, delta=1e-9 * one.runtime_s)
            self.assertEqual(a.end_cause, b.end_cause)
        twice = night(*made, made[0], made[0])
        together = night(made[0] | {"count": 3}, *made[1:])
        self.assertAlmostEqual(twice.runtime_s, together.runtime_s, delta=1e-9 * one.runtime_s)
        self.assertAlmostEqual(
            sum(b.energy_to_device_wh for b in twice.branches),
            sum(b.energy_to_device_wh for b in together.branches),
            delta=1e-9 * one.energy_from_source_wh,
        )

    @settings(max_examples=25, deadline=None)
    @given(st.lists(draws, min_size=1, max_size=5), st.floats(0.5, 1.0), st.floats(0.0, 0.3))
    def test_energy_adds_up(self, drawn: list[tuple[str, float, float, float]], share: float, rest_w: float) -> None:
        """Nothing is lost on copper without ohms, and behind a board just what its efficiency and itself take."""
        bare = [put(drawn_branch(*one), "path", []) for one in drawn]
        got = night(*bare)
        self.assertAlmostEqual(
            got.energy_from_source_wh,
            sum(b.energy_to_device_wh for b in got.branches),
            delta=1e-9 * got.energy_from_source_wh,
        )
        board = {
            "stage": "converter", "topology": "buck-boost", "output_v": 12, "efficiency": share, "quiescent_w": rest_w,
        }  # fmt: skip
        held = night(*(put(one, "path", [board]) for one in bare))
        lost = sum(b.energy_to_device_wh * (1 / share - 1) + rest_w * b.runtime_s / 3600 for b in held.branches)
        self.assertAlmostEqual(
            held.energy_from_source_wh,
            sum(b.energy_to_device_wh for b in held.branches) + lost,
            delta=1e-9 * held.energy_from_source_wh,
        )


class ThroughTheHours(SimpleTestCase):
    def test_one_branch_is_the_chain(self) -> None:
        """Through the same table of temperatures as a conversion goes, to the second and the last of its charge."""
        table = [[0, 15], [4, 0], [9, -12]]
        for lasts in (3600.0, 900.0):
            one = branch("power", 9.0, lasts, path=[{"stage": "lead", "length_m": 3, "area_mm2": 0.75}])
            made = outing(one, conditions={"temperature_c": 20, "temperature_by_h": table})
            got = follow_hourly(made.supplies[0], made.conditions, 72.0)
            chained = through_the_night(chain(made.supplies[0], 0, made.conditions))
            assert chained is not None
            self.assertAlmostEqual(got.runtime_s, chained.runtime_s, delta=1e-4 * chained.runtime_s)
            self.assertAlmostEqual(got.final_soc, chained.final_soc, places=5)
            self.assertEqual(got.end_cause, chained.end_cause)
            self.assertLess(got.runtime_s, follow(made.supplies[0], made.conditions, 72.0).runtime_s)

    def test_a_steady_table_changes_nothing(self) -> None:
        made = outing(branch("power", 9.0, 900.0), branch("current", 0.4), conditions={
            "temperature_c": 3, "temperature_by_h": [[0, 3], [6, 3]]})  # fmt: skip
        hourly, plain = (way(made.supplies[0], made.conditions, None) for way in (follow_hourly, follow))
        self.assertAlmostEqual(hourly.runtime_s, plain.runtime_s, delta=1e-7 * plain.runtime_s)
        for a, b in zip(hourly.branches, plain.branches, strict=True):
            self.assertAlmostEqual(a.energy_to_device_wh, b.energy_to_device_wh, delta=1e-7 * b.energy_to_device_wh)
        with self.assertRaisesRegex(ValueError, "by the hour"):
            follow_hourly(made.supplies[0], Conditions(), None)


class Ends(SimpleTestCase):
    def test_starts_that_coincide_collapse_a_pack_that_carries_each(self) -> None:
        weak = BLOCK | {"resistance_ohm": 0.8, "cutoff_v": 1.0}
        start = branch("power", 34.0, device={"supply": {"min_v": 1, "nominal_v": 12, "max_v": 15}})
        self.assertGreater(night(start, source=weak).runtime_s, 3600)
        both = night(start, start, source=weak)
        self.assertEqual((both.runtime_s, both.end_cause), (0.0, "collapse"))
        self.assertEqual([b.end_cause for b in both.branches], ["collapse"] * 2)

    def test_a_port_carries_its_sum_and_no_more(self) -> None:
        usb = {"supply": {"min_v": 4.5, "nominal_v": 5, "max_v": 5.5}}
        two = night(branch("current", 0.9, device=usb), branch("current", 1.0, device=usb), source=BANK)
        self.assertEqual(two.end_cause, "pack cut-off")
        three = night(branch("current", 0.7, device=usb, count=3), source=BANK)
        self.assertEqual((three.runtime_s, three.end_cause), (0.0, "converter overload"))

    def test_a_bank_sleeps_when_all_of_it_is_too_little(self) -> None:
        usb = {"supply": {"min_v": 4.5, "nominal_v": 5, "max_v": 5.5}}
        blinks = branch("current", 0.5, 600.0, device=usb)
        alone = night(blinks, source=BANK)
        self.assertEqual((alone.runtime_s, alone.end_cause), (620.0, "auto-off"))
        kept = night(blinks, branch("current", 0.06, device=usb, count=2), source=BANK)
        self.assertEqual(kept.end_cause, "pack cut-off")

    def test_a_device_that_stops_leaves_its_volts_to_the_rest(self) -> None:
        fussy = branch("power", 20.0, device={"supply": {"min_v": 12.4, "nominal_v": 12.8, "max_v": 15}})
        got = night(fussy, branch("power", 3.0))
        self.assertEqual([b.end_cause for b in got.branches], ["device minimum", "pack cut-off"])
        self.assertLess(got.branches[0].runtime_s, got.branches[1].runtime_s)
        alone = night(branch("power", 3.0))
        self.assertLess(got.runtime_s, alone.runtime_s)

    def test_a_branch_opens_by_itself_at_its_own_volts(self) -> None:
        kept = branch("power", 5.0, path=[{"stage": "cut-off", "trips_v": 12.6}])
        got = night(kept, branch("power", 2.0))
        self.assertEqual([b.end_cause for b in got.branches], ["pack cut-off"] * 2)
        self.assertLess(got.branches[0].runtime_s, got.branches[1].runtime_s)

    def test_too_many_volts_for_one_board_stop_that_one(self) -> None:
        board = {"stage": "converter", "topology": "buck", "output_v": 10, "efficiency": 0.9, "input_max_v": 12}
        got = night(branch("power", 5.0, path=[board]), branch("power", 2.0))
        self.assertEqual((got.branches[0].runtime_s, got.branches[0].end_cause), (0.0, "converter input too high"))
        self.assertEqual(got.branches[1].end_cause, "pack cut-off")

    def test_programmes(self) -> None:
        got = night(branch("power", 2.0), branch("power", 5.0), hours=2)
        self.assertEqual((got.runtime_s, got.end_cause), (7200.0, "programme over"))
        self.assertAlmostEqual(got.branches[1].energy_to_device_wh, 10.0, places=9)
        once = put(branch("power", 5.0), "duty.once", True)
        got = night(once, branch("power", 2.0), hours=2)
        self.assertEqual((got.branches[0].runtime_s, got.branches[0].end_cause), (3600.0, "programme over"))
        self.assertEqual(night(once, once).end_cause, "all devices stopped")

    def test_reserve_ends_all(self) -> None:
        got = night(branch("power", 5.0), branch("power", 2.0), source=BLOCK | {"reserve_soc": 0.4})
        self.assertEqual((got.end_cause, round(got.final_soc, 9)), ("reserve", 0.4))

    def test_a_wall_adapter_needs_an_end(self) -> None:
        wall = BLOCK | {"chemistry": "mains-adapter", "cells_in_series": 1, "ocv": [[0, 12.5], [1, 12.5]]}
        with self.assertRaisesRegex(NeverEnds, "how many hours"):
            night(branch("power", 5.0), source=wall)
        got = night(branch("power", 6.0, 600.0), source=wall, hours=3)
        self.assertEqual((got.runtime_s, got.final_soc), (10800.0, 1.0))
        self.assertEqual(got.end_cause, "programme over")
        self.assertAlmostEqual(got.branches[0].energy_to_device_wh, 3.0, places=9)

    def test_nothing_drawn_never_ends(self) -> None:
        with self.assertRaises(NeverEnds):
            night(branch("power", 0.0))

    def test_a_board_that_passes_its_falling_input_on(self) -> None:
        """Behind a fork as in the chain: held against the same board alone."""
        board = {"stage": "converter", "topology": "buck", "output_v": 12.5, "efficiency": 0.9, "headroom_v": 0.5,
                 "in_dropout": "passes"}  # fmt: skip
        made = branch("power", 5.0, path=[board])
        whole = {
            "format": "hermotrope-case/1", "title": "t", "device": made["device"], "source": BLOCK, "path": [board],
            "duty": made["duty"],
        }  # fmt: skip
        chain = run(case_from(whole))
        got = night(made)
        self.assertAlmostEqual(got.runtime_s, chain.runtime_s, delta=1e-9 * chain.runtime_s)


class Documents(SimpleTestCase):
    def test_refusals_name_the_place(self) -> None:
        base = json.loads(json.dumps({
            "format": "hermotrope-outing/1", "title": "t",
            "supplies": [{"source": BLOCK, "branches": [branch("power", 5.0)]}],
        }))  # fmt: skip
        for place, value, says in (
            ("hours", -1, "hours: must be above 0"),
            ("supplies.0.branches.0.count", 0, "supplies[0].branches[0].count: must be at least 1"),
            ("supplies.0.branches.0.duty.repeat.0.mode", "fly", "supplies[0].branches[0].duty.repeat[0].mode: names"),
            ("supplies.0.source.chemistry", "moon", "supplies[0].source.chemistry: 'moon' is not known"),
            ("supplies.0.branches.0.device.supply", {}, "supplies[0].branches[0].device.supply.min_v: missing"),
            ("supplies.0.branches", [], "supplies[0].branches: needs"),
            ("supplies", [], "supplies: needs"),
            ("surprise", 1, "surprise: unknown field"),
            ("format", "hermotrope-case/1", "format: must be 'hermotrope-outing/1'"),
        ):
            with self.subTest(place), self.assertRaises(CaseError) as caught:
                read_outing(json.dumps(put(base, place, value)))
            self.assertTrue(str(caught.exception).startswith(says), str(caught.exception))
        for text, says in (("[]", "outing: an outing is"), ("", "outing: the document is empty"), ("{", "outing: not")):
            with self.subTest(text), self.assertRaises(CaseError) as caught:
                read_outing(text)
            self.assertTrue(str(caught.exception).startswith(says), str(caught.exception))
