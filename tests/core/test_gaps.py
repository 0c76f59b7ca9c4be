"""Lines that nothing else held: each was a hand-made fault that every other test overlooked."""

from __future__ import annotations

from itertools import pairwise
from random import Random
from types import SimpleNamespace
from typing import Any

import msgspec
import numpy as np
from django.test import SimpleTestCase

from hermotrope_core.circuit import arrays
from hermotrope_core.circuit.discharge import run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import set_point
from hermotrope_core.judge.findings import check
from hermotrope_core.judge.findings.losses import _share_lost
from hermotrope_core.judge.overdrive import overdrive
from hermotrope_core.kinds.converter import Converter
from hermotrope_core.kinds.holding import BOXED_TIMES
from hermotrope_core.match.asked import asked, lead_area
from hermotrope_core.match.groups import amount
from hermotrope_core.match.search import Limits, search
from hermotrope_core.match.spare import betters
from hermotrope_core.match.strategies import target_of
from hermotrope_core.match.whatif import what_if
from hermotrope_core.parts.wire import FUSE_MARGIN, PARTS
from hermotrope_core.plan.case import MOST_STAGES, Choice
from hermotrope_core.prove import gates
from hermotrope_core.prove.drill_levels import level
from hermotrope_core.prove.drill_line import LINES, SIZES, WIDE
from hermotrope_core.prove.drill_meter import Hidden, read
from hermotrope_core.prove.drill_tells import probes, shows, usual
from hermotrope_core.prove.progress import proved
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import number
from tests.drawn import drawn_cases
from tests.shelves import request
from tests.support import case


class Kinds(SimpleTestCase):
    def test_heat_in_the_other_enclosure_is_as_much_more_or_less(self) -> None:
        board = Converter(topology="buck", output_v=12.0, efficiency=0.9, thermal_k_per_w=30.0)
        self.assertEqual((board.k_per_w(closed=False), board.k_per_w(closed=True)), (30.0, 30.0 * BOXED_TIMES))
        boxed = msgspec.structs.replace(board, thermal_enclosure="closed")
        self.assertEqual((boxed.k_per_w(closed=True), boxed.k_per_w(closed=False)), (30.0, 30.0 / BOXED_TIMES))


class Arrays(SimpleTestCase):
    def test_where_a_supply_collapses(self) -> None:
        ohm, value = np.array([0.5, 0.5]), np.array([4.0, 8.0])
        np.testing.assert_allclose(arrays.collapse_emf(ohm, np.array(0.7), "current", value), [2.7, 4.7])
        power = 0.7 + 2 * np.sqrt(ohm * value)
        np.testing.assert_allclose(arrays.collapse_emf(ohm, np.array(0.7), "power", value), power)
        np.testing.assert_allclose(arrays.collapse_emf(ohm, np.array(0.7), "resistance", value), [0.7, 0.7])

    def test_amperes_at_the_very_edge(self) -> None:
        ohm = np.array([6.0, 6.0, 6.0])
        amps, none = arrays.section_amps(12.0, 0.0, ohm, "current", np.array([1.99, 2.0, 2.01]))
        self.assertEqual((list(amps), list(none)), ([1.99, 2.0, 2.01], [False, True, True]))
        amps, none = arrays.section_amps(12.0, 0.0, ohm, "power", np.array([0.0, 6.0, 6.01]))
        self.assertEqual(list(none), [False, False, True])
        np.testing.assert_allclose(amps[:2], [0.0, 1.0])
        amps, none = arrays.section_amps(0.0, 0.0, ohm, "resistance", np.array([1.0, 2.0, 3.0]))
        self.assertTrue(none.all())


class Judged(SimpleTestCase):
    def test_nothing_arrives_is_all_lost(self) -> None:
        share = _share_lost(0)
        at = SimpleNamespace(volts_in=0.0, volts_out=0.0)
        self.assertEqual(share(SimpleNamespace(at=SimpleNamespace(at_stage=lambda _: at))), 1.0)  # type: ignore[arg-type]

    def test_a_choice_is_told_only_where_it_was_accepted(self) -> None:
        plain = case("judgements", "direct-little-over")
        code = next(one.code for one in check(Situation(plain)) if one.code == "over-max")
        chosen = Choice(code=code, reason="it was tried")
        for accepted, told in (((), False), ((code,), True)):
            made = msgspec.structs.replace(plain, accepted=accepted, choices=(chosen,))
            message = next(one.message for one in check(Situation(made)) if one.code == code)
            self.assertEqual("Chosen deliberately: it was tried" in message, told)

    def test_a_smaller_fuse_is_offered_only_where_it_protects_the_wire(self) -> None:
        thin = {"stage": "lead", "length_m": 0.5, "area_mm2": 0.02}
        fuse = {"stage": "fuse", "rating_a": 30.0}
        made = case("judgements", "all-well", path=[fuse, thin])
        found = [one for one in check(Situation(made)) if one.code == "fuse-over-wire"]
        self.assertEqual([(one.cure, one.change) for one in found], [("take a thicker lead", ())])


class Proved(SimpleTestCase):
    def test_a_bank_with_a_reserve_is_watched_by_its_own_gauge(self) -> None:
        bank = case("judgements", "bank-well-loaded", **{"source.reserve_soc": 0.3})
        pack = case("judgements", "all-well", **{"source.reserve_soc": 0.3})
        for made, words in ((bank, "its own gauge shows 30 % left"), (pack, "stop it where the pack reads")):
            told = str([msgspec.to_builtins(gate) for gate in gates(Situation(made), {}, (3000.0, 9000.0))])
            self.assertIn(words, told)


class Matched(SimpleTestCase):
    def test_amounts_have_their_units(self) -> None:
        told = [amount(value, unit) for value, unit in ((2.0, "h"), (3.0, "joints"), (4.0, "cells"), (0.5, "A"))]
        self.assertEqual(told, ["2 h 00 min", "3 joints", "4 cells", "0.500 A"])

    def test_every_draw_grows_with_what_if(self) -> None:
        modes = [
            {"name": "a", "kind": "power", "power_w": 4.0, "peak_w": 8.0},
            {"name": "b", "kind": "resistance", "resistance_ohm": 9.0},
            {"name": "c", "kind": "current", "current_a": 1.0, "peak_a": 2.0},
        ]  # fmt: skip
        plain = request(1, 1, modes=modes).case
        more = what_if(plain, times=1.5)
        names = ("power_w", "peak_w", "resistance_ohm", "current_a")
        figures = [tuple(number(getattr(mode, name) or 0.0) for name in names) for mode in more.device.modes]
        self.assertEqual(figures, [(6.0, 12.0, 0.0, 0.0), (0.0, 0.0, 6.0, 0.0), (0.0, 0.0, 0.0, 1.5)])

    def test_only_its_own_kind_makes_a_chain_spare(self) -> None:
        chains: Any = [SimpleNamespace(strategy=name) for name in ("buck", "buck", "linear")]
        costs: Any = [(2.0, 1.0), (1.0, 1.0), (1.0, 1.0)]
        self.assertEqual(betters(chains, costs), [(1,), (), ()])
        self.assertEqual(betters(chains, [(1.0,), (1.0,), None]), [(), (0,), ()])

    def test_too_short_is_told_in_hours(self) -> None:
        asked = request(8, 6, 3)
        plain = [judged for judged in search(asked).fitting if judged.runtime_s < 9e9]
        longest = max(judged.runtime_s for judged in plain)
        shortest = min(judged.runtime_s for judged in plain)
        limits = Limits(hours=(shortest + longest) / 2.0 / 3600.0)
        kept = search(asked, limits).fitting
        self.assertTrue(kept)
        self.assertTrue(all(judged.runtime_s >= limits.hours * 3600.0 for judged in kept))
        self.assertLess(len(kept), len(plain))

    def test_a_narrow_window_is_aimed_at_above_its_rated_volts(self) -> None:
        supply = {"min_v": 11.9, "nominal_v": 12, "max_v": 15, "absolute_max_v": 16}
        heavy = [{"name": "on", "kind": "current", "current_a": 6.0}]
        narrow = target_of(request(1, 1, supply=supply, modes=heavy).case)
        wide = target_of(request(1, 1, modes=heavy).case)
        assert narrow is not None and wide is not None
        self.assertEqual(wide.at.volts, 12.0)
        self.assertGreater(narrow.at.volts, 12.05)

    def test_wire_is_thick_enough_at_its_very_limit(self) -> None:
        table = PARTS.wire_safe_current_a_by_area_mm2
        for (_, below), (area, safe) in pairwise(table):
            if area > 0.25 and below < safe:
                self.assertEqual(lead_area(request(1, 1).case, 1e6, safe / FUSE_MARGIN * (1 - 1e-12)), area)
                self.assertGreater(lead_area(request(1, 1).case, 1e6, safe / FUSE_MARGIN * 1.001), area - 1e-9)

    def test_no_overdrive_of_what_has_no_rated_volts(self) -> None:
        for rated in (0.0, -1.0):
            with self.assertRaises(ValueError):
                overdrive(12.0, rated)


class Edges(SimpleTestCase):
    """Lines that faults in cases drawn from a seed went past."""

    def found(self, code: str, folder: str, name: str, **changes: Any) -> list[Any]:
        return [one for one in check(Situation(case(folder, name, **changes))) if one.code == code]

    def test_the_heaviest_mode_is_the_one_with_most_watts_at_the_inlet(self) -> None:
        modes = [
            {"name": "low", "kind": "current", "current_a": 1.0},
            {"name": "high", "kind": "current", "current_a": 3.0},
        ]
        repeat = [{"mode": one["name"], "seconds": 60} for one in modes]
        for order in (modes, modes[::-1]):
            made = case("cases", "hide-mount-on-tool-pack", **{"device.modes": order, "duty": {"repeat": repeat}})
            at = asked(made, 12.0)
            assert at is not None
            self.assertEqual(at.heavy_a, 3.0)

    def test_a_mode_that_no_lead_can_feed_is_not_asked_of_a_holder(self) -> None:
        modes = [
            {"name": "on", "kind": "current", "current_a": 1.0},
            {"name": "dark", "kind": "led", "current_a": 1.0, "at_v": 24.0, "fade_v": 18.0},
        ]
        repeat = [{"mode": one["name"], "seconds": 60} for one in modes]
        made = case("cases", "hide-mount-on-tool-pack", **{"device.modes": modes, "duty": {"repeat": repeat}})
        self.assertIsNone(asked(made, 12.0))
        self.assertIsNotNone(asked(made, 24.0))

    def test_the_longest_nap_puts_a_bank_to_sleep(self) -> None:
        naps = {"duty.repeat": [{"mode": "on", "seconds": 600}, {"mode": "nap", "seconds": 20},
                                {"mode": "on", "seconds": 600}, {"mode": "nap", "seconds": 50}]}  # fmt: skip
        (told,) = self.found("auto-off", "judgements", "bank-naps-too-long", **naps)
        self.assertIn("50 s", told.message)

    def test_a_cut_off_that_opens_too_low_is_told_with_the_highest_of_them(self) -> None:
        low = [{"stage": "cut-off", "trips_v": volts} for volts in (2.0, 3.0)]
        made = case("judgements", "pack-trusts-the-tool")
        path = [*low, *msgspec.to_builtins(made.path)]
        (told,) = self.found("no-low-voltage-cut-off", "judgements", "pack-trusts-the-tool", path=path)
        self.assertEqual(told.have, 3.0)
        self.assertEqual(self.found("no-low-voltage-cut-off", "judgements", "pack-trusts-the-tool")[0].have, 0.0)

    def test_an_alarm_is_held_against_the_mode_that_leaves_least_volts(self) -> None:
        """A light mode may still stand above an alarm that the heavy one has long set off."""
        made = case("cases", "hide-mount-on-tool-pack")
        situation = Situation(made)
        run = situation.run
        assert run is not None
        last = sorted(v for mode in situation.modes if (v := situation.volts_into(1, mode, run.final_soc)) is not None)
        self.assertGreater(last[-1] - last[0], 0.2)
        between, path = (last[0] + last[-1]) / 2, msgspec.to_builtins(made.path)
        for volts, told in ((between, 0), (last[0] - 0.1, 1)):
            alarm = {"stage": "voltmeter", "current_a": 0.0, "warns_v": round(volts, 3)}
            found = self.found("alarm-volts", "cases", "hide-mount-on-tool-pack", path=[*path[:1], alarm, *path[1:]])
            self.assertEqual(len(found), told, volts)
            for one in found:
                self.assertAlmostEqual(one.limit, last[0], delta=0.02)

    def test_proved_are_all_gates_or_none(self) -> None:
        rows: Any = [SimpleNamespace(state="passed"), SimpleNamespace(state="waived"), SimpleNamespace(state="open")]
        self.assertEqual([proved(rows[:n]) for n in range(4)], [False, True, True, False])

    def test_a_set_point_is_not_raised_where_nobody_knows_how_much_the_device_stands(self) -> None:
        lossy = {"path.3.length_m": 8.0}
        open_above = {"device.supply.max_v": None, "device.supply.absolute_max_v": None}
        raised = set_point(Situation(case("cases", "hide-mount-on-tool-pack", **lossy)), 12.0, 12.0)
        assert raised is not None
        self.assertGreater(raised, 12.0)
        made = case("cases", "hide-mount-on-tool-pack", **lossy, **open_above)
        self.assertIsNone(set_point(Situation(made), 12.0, 12.0))

    def test_how_much_more_a_load_would_have_to_draw_where_none_can_be_put(self) -> None:
        port = case("judgements", "bank-naps-too-long").source
        assert port is not None and port.regulated_output is not None
        least = number(port.regulated_output.output_min_current_a or 0.0)
        switch = {"stage": "switch", "resistance_ohm": 0.0}
        full = self.found("auto-off", "judgements", "bank-naps-too-long", path=[switch] * MOST_STAGES)
        self.assertEqual(full[0].change, ())
        self.assertIn(f"a keep-alive load of {figure(least - full[0].have, 'A', 2)} more", full[0].cure)


class Runs(SimpleTestCase):
    def test_half_the_time_on_is_half_the_watts_for_twice_as_long(self) -> None:
        always = run(case("cases", "reference-1", **{"source.peukert": 1.0, "path": []}))
        half = run(case("cases", "reference-1", **{"source.peukert": 1.0, "path": [], "device.modes.0.on_share": 0.5}))
        self.assertAlmostEqual(half.runtime_s, 2.0 * always.runtime_s, delta=1e-6 * always.runtime_s)
        for name in ("energy_to_device_wh", "energy_from_source_wh", "charge_ah"):
            self.assertAlmostEqual(getattr(half, name), getattr(always, name), places=6)

    def test_no_cycle_is_leapt_over_while_one_mode_is_refused(self) -> None:
        """Only the light mode leaves the board too many volts: it is refused when its turn comes."""
        modes = [{"name": name, "kind": "power", "power_w": watts} for name, watts in (("heavy", 40.0), ("light", 0.5))]
        repeat = [{"mode": "heavy", "seconds": 0.5}, {"mode": "light", "seconds": 0.5}]
        board = {"stage": "converter", "topology": "buck", "output_v": 12, "efficiency": 0.9, "input_max_v": 20.9}
        made = case("cases", "hide-mount-on-tool-pack", **{
            "device.modes": modes, "duty": {"repeat": repeat}, "path": [board], "source.resistance_ohm": 0.3,
        })  # fmt: skip
        ended = run(made)
        self.assertEqual((ended.runtime_s, ended.end_cause), (0.5, "converter input too high"))


class Fuses(SimpleTestCase):
    def test_a_smaller_fuse_is_named_where_it_is_put_in_and_nowhere_else(self) -> None:
        told = []
        for _, drawn in drawn_cases(400):
            told += [one for one in check(Situation(drawn)) if one.code in ("fuse-over-wire", "fuse-under-load")]
        self.assertGreater(len(told), 20)
        for one in told:
            if one.cure.endswith(" A fuse"):
                self.assertTrue(one.change, one.cure)
            elif one.code == "fuse-over-wire":
                self.assertFalse(one.change, one.cure)


class Drill(SimpleTestCase):
    def test_a_drawn_fault_has_its_usual_size_times_what_was_thrown(self) -> None:
        for seed in range(40):
            key = f"s{seed}"
            drawn, dice = level(key), Random(key)
            self.assertIs(dice.choice(LINES), drawn.line)
            kind = dice.choice(drawn.line.faults())
            size = SIZES[kind] * (1.0 + WIDE * (2.0 * dice.random() - 1.0)) if kind in SIZES else 1.0
            self.assertEqual(drawn.hidden, Hidden(kind, size))

    def test_amperes_of_the_pack_are_those_of_the_device_as_watts(self) -> None:
        for line in LINES:
            if "converter" in line.parts:
                self.assertAlmostEqual(0.9 * line.pack_a * line.pack_v, line.load_a * line.device_v)
            else:
                self.assertEqual(line.pack_a, line.load_a)

    def test_what_is_probed_is_a_part_or_a_point_against_a_minus(self) -> None:
        line = LINES[0]
        count = len(line.points())
        pairs = {(one.red, one.black) for one in probes(line)}
        over = {(i, i + 1) for i in range(count - 1)}
        against = {(i, minus) for minus in (count - 2, count - 1) for i in range(minus)}
        self.assertEqual(pairs, over | against)

    def test_what_a_fault_of_no_size_shows_is_one_reading(self) -> None:
        for line in LINES:
            for kind in line.faults():
                probe = next(iter(probes(line)))
                told, one = shows(line, kind, probe), read(line, usual(kind), probe)
                self.assertLessEqual(told.low, one.value)
                self.assertLessEqual(one.value, told.high)
                if kind not in SIZES:
                    self.assertEqual((told.low, told.high), (one.value, one.value))
