"""For each rule a pair of cases just inside and just outside its limit."""

from __future__ import annotations

from typing import Any, get_args

from django.test import SimpleTestCase

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.evidence import judgement_working
from hermotrope_core.judge.findings import check
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.document import case_from
from tests.support import put, tree

BARREL_25 = {"kind": "barrel", "outer_mm": 5.5, "inner_mm": 2.5, "gender": "plug"}
BARREL_21 = {"kind": "barrel", "outer_mm": 5.5, "inner_mm": 2.1, "gender": "plug"}
# code, level, judgement to start from, place, value that passes, value that does not
PAIRS: list[tuple[str, str, str, str, Any, Any]] = [
    ("over-max", "refuse", "direct-little-over", "device.supply.max_v", 16.60, 16.58),
    ("over-absolute-max", "refuse", "direct-far-over", "device.supply.absolute_max_v", 20.90, 20.89),
    ("under-min-at-full", "refuse", "wide-window-uses-it-all", "device.supply.min_v", 12.45, 12.48),
    ("early-stop", "care", "three-cell-pack-stops-early", "device.supply.min_v", 9.88, 9.91),
    ("collapse", "refuse", "coins-collapse", "source.resistance_ohm", 2.06, 2.07),
    ("source-overload", "refuse", "bank-port-too-weak", "device.modes.0.current_a", 1.999, 2.001),
    ("source-overload", "refuse", "all-well", "source.max_current_a", 1.12, 1.11),
    ("source-overload-peak", "care", "converter-peak-only", "source.max_current_a", 5.87, 5.86),
    ("source-overload-peak", "care", "converter-peak-only", "source.peak_current_a", 5.87, 5.86),
    ("converter-overload", "refuse", "converter-too-small", "path.2.output_current_max_a", 5.10, 5.09),
    ("converter-overload", "refuse", "boxed-converter-does-not", "path.2.output_current_max_a", 4.34, 4.33),
    ("converter-overload-peak", "care", "converter-peak-only", "path.2.output_current_max_a", 7.73, 7.72),
    ("converter-input-high", "refuse", "pack-above-converter", "path.2.input_max_v", 20.90, 20.89),
    ("converter-input-low", "refuse", "all-well", "path.2.input_min_v", 20.99, 21.01),
    ("converter-input-low", "care", "all-well", "path.2.input_min_v", 16.76, 16.78),
    (
        "second-supply",
        "refuse",
        "all-well",
        "device.bay",
        {"size": "C", "slots": ["up", "down"], "links": [["1+", "2-"]], "leads": ["1-", "2+"]},
        {"size": "C", "slots": ["up", "down"], "links": [["1+", "2-"]], "leads": ["1-", "2+", "2-"]},
    ),
    ("polarity-unknown", "refuse", "all-well", "device.inlet.measured", True, False),
    ("polarity-unknown", "refuse", "all-well", "source.outlet.polarity", "marked", "unknown"),
    ("polarity-reversed", "refuse", "swapped-by-the-lead", "path.3.swaps_polarity", True, False),
    (
        "polarity-reversed",
        "refuse",
        "centre-negative-device",
        "device.inlet.polarity",
        "centre-positive",
        "centre-negative",
    ),
    ("polarity-swapped", "note", "swapped-by-the-lead", "path.3.swaps_polarity", False, True),
    ("auto-off", "refuse", "bank-naps-too-long", "duty.repeat.1.seconds", 29.9, 30.1),
    ("auto-off", "care", "bank-naps-are-short", "device.modes.1.current_a", 0.0701, 0.0699),
    ("no-low-voltage-cut-off", "care", "pack-trusts-the-tool", "source.low_voltage_cut_off", True, False),
    ("no-low-voltage-cut-off", "care", "cut-off-added", "path.2.trips_v", 12.51, 12.49),
    ("deep-discharge", "note", "lead-acid", "source.reserve_soc", 0.5, 0.49),
    ("no-fuse", "refuse", "no-fuse-strong-pack", "source.resistance_ohm", 4.21, 4.19),
    ("fuse-over-wire", "refuse", "fuse-bigger-than-wire", "path.0.rating_a", 2.5, 2.51),
    ("fuse-under-load", "care", "fuse-too-small", "path.0.rating_a", 1.40, 1.39),
    ("fuse-under-load", "care", "start-peak-opens-fuse", "device.modes.0.peak_s", 0.081, 0.083),
    ("wire-drop", "care", "long-thin-lead", "path.3.length_m", 3.37, 3.38),
    ("wire-hot", "refuse", "wire-too-hot", "path.3.area_mm2", 0.141, 0.140),
    ("hot-part", "care", "hot-board", "path.2.thermal_k_per_w", 24.6, 24.7),
    ("hot-part", "refuse", "hot-board", "path.2.thermal_k_per_w", 43.0, 43.2),
    ("no-load-rise", "care", "resistor-before-electronics", "device.traits", [], ["electronics"]),
    ("standing-drain", "note", "converter-always-on", "path.1.quiescent_w", 0.0, 0.05),
    ("abrupt-stop", "care", "writes-until-it-drops", "device.ends", "clean", "abrupt"),
    ("abrupt-stop", "care", "writes-until-it-drops", "device.low_warning", True, False),
    ("no-warning", "note", "all-well", "device.low_warning", True, False),
    ("backfeed", "refuse", "cells-left-in", "device.switched_inlet", True, False),
    ("live-pins", "care", "bare-pins-carry-power", "source.outlet.gender", "socket", "plug"),
    ("wrong-socket", "refuse", "all-well", "device.inlet.kind", "barrel", "mains"),
    ("alarm-volts", "care", "with-alarm", "path.2.warns_v", 14.99, 14.98),
    ("alarm-volts", "care", "with-alarm", "path.2.warns_v", 20.89, 20.90),
    ("other-supply", "refuse", "with-other", "path.2.other_v", 32.15, 32.17),
    ("other-supply", "refuse", "with-other", "path.2.other_v", 13.0, 12.9),
    ("supplies-meet", "refuse", "with-other", "path.2.isolates", True, False),
    ("feed-gap", "note", "with-other", "path.2.gap_s", 0.001, 0.0011),
    ("feed-gap", "care", "with-other", "device.ends", "clean", "resets"),
    ("radio-noise", "note", "receiver-on-a-bank", "device.traits", ["electronics"], ["receiver"]),
    ("cold-run", "care", "too-cold", "conditions.temperature_c", -20, -20.1),
    ("too-hot", "refuse", "too-hot-to-run", "conditions.temperature_c", 60, 60.1),
    ("cold-charge", "care", "device-charges-it", "conditions.temperature_c", 0, -0.1),
    ("primary-charged", "refuse", "coins-collapse", "device.charges_source", False, True),
    ("mixed-cells", "refuse", "all-well", "source.mixed_cells", False, True),
    ("look-alike-cells", "refuse", "cells-in-the-bay", "device.bay.size", "14500", "AA"),
    ("inrush", "note", "all-well", "device.input_capacitance_f", 0.000469, 0.000471),
    ("converter-input-high", "refuse", "boost-from-below", "path.2.output_v", 20.95, 20.85),
    ("mains", "care", "all-well", "path.2.topology", "buck", "inverter"),
    ("child", "care", "all-well", "device.traits", [], ["child"]),
    ("ridden", "care", "all-well", "device.traits", ["motor"], ["motor", "ridden"]),
    ("near-water", "care", "all-well", "device.traits", [], ["near-water"]),
    ("life-safety", "stop", "breathing-gear", "device.traits", [], ["life-safety"]),
    ("mains", "stop", "all-well", "device.traits", [], ["mains-inside"]),
    ("does-not-start", "refuse", "inlet-low-by-0.3-percent-never-starts", "device.supply.min_v", 11.984, 11.985),
    ("does-not-start", "refuse", "begins-below-its-cut-off", "source.cutoff_v", 10.323, 10.324),
    ("does-not-start", "refuse", "all-well", "source.initial_soc", 0.01, 0.0),
    ("does-not-last", "care", "one-programme", "duty.repeat.0.seconds", 13448, 13449),
    ("peak-drop", "care", "peak-browns-the-device-out", "device.supply.min_v", 9.09, 9.10),
    ("peak-drop", "refuse", "peak-browns-the-device-out", "device.supply.min_v", 11.32, 11.33),
    ("peak-drop", "care", "peak-held-by-the-inlet", "device.input_capacitance_f", 0.1, 0.05),
    ("peak-drop", "care", "peak-without-a-least", "source.cutoff_v", 9.26, 9.27),
    ("set-point-near-limit", "note", "all-well", "device.supply.max_v", 12.13, 12.11),
    ("diode-at-rest", "care", "diodes-on-electronics", "device.traits", ["motor"], ["electronics"]),
    ("diode-at-rest", "care", "diodes-on-electronics", "device.supply.max_v", 12.60, 12.50),
    ("diode-at-rest", "care", "diodes-at-a-clock", "device.modes.0.current_a", 0.00101, 0.00099),
    ("converter-near-limit", "note", "all-well", "path.2.output_current_max_a", 1.89, 1.87),
    ("set-point-outside", "refuse", "all-well", "path.2.adjusts_to_v", 12.0, 11.9),
    ("set-point-outside", "refuse", "all-well", "path.2.adjusts_from_v", 12.0, 12.1),
    ("wrong-profile", "refuse", "trigger-asks-12-of-a-12-v-port", "path.0.output_v", 12.04, 12.2),
    ("wrong-profile", "refuse", "all-well", "path.2.topology", "buck", "trigger"),
    ("plug-mismatch", "refuse", "lead-ends-in-another-plug", "path.1.device_end", BARREL_25, {"kind": "usb-c"}),
    ("plug-mismatch", "care", "lead-ends-in-another-plug", "path.1.device_end", BARREL_25, BARREL_21),
    ("plug-mismatch", "refuse", "lead-that-mates", "path.1.source_end.gender", "plug", "socket"),
    ("plug-overload", "care", "all-well", "device.inlet.rating_a", 1.52, 1.48),
    ("plug-overload", "refuse", "all-well", "device.inlet.rating_a", 1.02, 0.99),
    ("plug-overload", "note", "all-well", "device.modes.0.power_w", 58.8, 58.9),
    ("part-overload", "care", "all-well", "path.1.rating_a", 1.12, 1.11),
    ("part-overload", "refuse", "all-well", "path.1.rating_a", 0.75, 0.74),
    ("ac-inlet", "refuse", "all-well", "device.inlet.alternating", False, True),
    ("ac-inlet", "care", "rectified", "device.inlet.alternating", False, True),
    ("unfused-lead", "refuse", "thin-lead-before-the-fuse", "source.resistance_ohm", 14.01, 13.99),
    ("unfused-lead", "care", "thin-lead-before-the-fuse", "source.resistance_ohm", 13.99, 14.01),
    ("unfused-lead", "refuse", "thin-lead-before-the-fuse", "path.0.length_m", 0.2, 0.21),
    ("no-fuse", "refuse", "thin-lead-before-the-fuse", "path.0.length_m", 0.2, 0.21),
    ("fuse-cannot-open", "care", "fuse-that-cannot-open", "path.0.rating_a", 5.11, 5.12),
    ("fuse-under-load", "care", "stall-peak-without-a-time", "device.modes.0.peak_s", 0.01, None),
    ("rating-volts", "refuse", "all-well", "path.0.rating_v", 21, 20),
    ("rating-volts", "note", "all-well", "source.cells_in_series", 7, 8),
    ("no-switch", "refuse", "ridden-motor", "path.1", {"stage": "switch"}, {"stage": "fuse", "rating_a": 5}),
    ("wrong-charger", "refuse", "device-charges-it", "device.charges_to_v", 21.2, 21.3),
    ("wrong-charger", "refuse", "device-charges-it", "device.charges_chemistry", "li-ion", "lead-acid"),
    ("wrong-charger", "note", "device-charges-it", "device.charges_to_v", 21.0, None),
    ("back-feed-motor", "note", "ridden-motor", "path.2.takes_back_feed", True, False),
    ("not-stated", "note", "all-well", "source.max_current_a", 20, None),
    ("not-stated", "note", "all-well", "path.2.headroom_v", 1.0, None),
    ("source-overload", "refuse", "bank-with-ports", "source.ports_power_max_w", 10.1, 9.9),
    ("hot-part", "care", "lukewarm-board", "conditions.enclosure", "open", "closed"),
    ("early-stop", "care", "cut-off-set-too-high", "path.1.trips_v", 9.0, 10.9),
    ("cold-run", "care", "night", "conditions.temperature_by_h", [[0, -20]], [[0, 5], [8, -20.1]]),
    ("too-hot", "refuse", "night", "conditions.temperature_by_h", [[0, 60]], [[0, 20], [5, 60.1]]),
    ("wire-hot", "refuse", "warm-wire", "conditions.temperature_c", 59, 62),
]


BASES = {
    "lead-acid": "all-well",
    "device-charges-it": "all-well",
    "cells-in-the-bay": "all-well",
    "boost-from-below": "all-well",
    "one-programme": "all-well",
    "peak-held-by-the-inlet": "peak-browns-the-device-out",
    "diodes-on-electronics": "diodes-at-1-ampere",
    "diodes-at-a-clock": "diodes-at-1-ampere",
    "peak-without-a-least": "peak-browns-the-device-out",
    "lead-that-mates": "lead-ends-in-another-plug",
    "lukewarm-board": "hot-board",
    "rectified": "all-well",
    "ridden-motor": "all-well",
    "bank-with-ports": "bank-port-too-weak",
    "night": "too-hot-to-run",
    "warm-wire": "all-well",
    "with-alarm": "all-well",
    "with-other": "all-well",
}
"""Starts that are a judgement with something more in it."""


def levels(made: dict[str, Any], code: str) -> set[str]:
    return {f.level for f in check(Situation(case_from(made))) if f.code == code}


def start(code: str, base: str) -> dict[str, Any]:
    """The judgement to start from, with room in its window for the value that is moved."""
    made = tree("judgements", BASES.get(base, base))
    if base == "device-charges-it":
        made["device"]["charges_source"] = True
    if base == "one-programme":
        made["duty"]["once"] = True
    if base == "diodes-on-electronics":
        made["device"]["traits"] = ["electronics"]
        made["device"]["supply"]["max_v"] = 12.5
    if base == "diodes-at-a-clock":
        made["device"]["supply"]["max_v"] = 12.5
        made["device"]["modes"][0] = {"name": "on", "kind": "current", "current_a": 0.1}
    if base == "peak-without-a-least":
        made["device"]["supply"]["min_v"] = 5
    if base == "lead-that-mates":
        made["path"][1]["device_end"] = BARREL_25
    if base == "lukewarm-board":
        made["path"][2]["thermal_k_per_w"] = 20
    if base == "rectified":
        made["device"]["rectifies"] = True
    if base == "ridden-motor":
        made["device"]["traits"] = ["motor", "ridden"]
    if base == "bank-with-ports":
        made["device"]["modes"][0] = {"name": "on", "kind": "current", "current_a": 1.99}
    if base == "night":
        made["conditions"]["temperature_c"] = 20
    if base == "warm-wire":
        made["path"][3]["area_mm2"] = 0.2
        made["device"]["modes"][0]["power_w"] = 15
    if base == "with-other":
        made["path"].insert(2, {"stage": "changeover", "other_v": 18.0})
    if base == "with-alarm":
        made["path"].insert(2, {"stage": "voltmeter", "current_a": 0.01, "warns_v": 17})
    if base == "lead-acid":
        made["source"]["chemistry"] = "lead-acid"
    if base == "boost-from-below":
        made["path"][2] |= {"topology": "boost", "input_max_v": 40}
        made["device"]["supply"] = {"min_v": 5, "nominal_v": 21, "max_v": 25}
    if base == "cells-in-the-bay":
        made["device"]["bay"] = {"size": "AA", "slots": ["up"], "leads": ["1-", "1+"]}
        made["source"]["outlet"] = {"kind": "cell-bay", "polarity": "marked"}
    if code == "over-max":
        made = put(made, "device.supply.absolute_max_v", 30)
    if code == "under-min-at-full":
        made = put(made, "device.supply.nominal_v", 13.5)
    return made


class NearMiss(SimpleTestCase):
    def test_pairs(self) -> None:
        for code, level, base, place, inside, outside in PAIRS:
            made = start(code, base)
            with self.subTest(code, place=place):
                self.assertNotIn(level, levels(put(made, place, inside), code))
                self.assertIn(level, levels(put(made, place, outside), code))

    def test_each_shows_its_working(self) -> None:
        for code, _, base, place, _, outside in PAIRS:
            situation = Situation(case_from(put(start(code, base), place, outside)))
            found = [one for one in check(situation) if one.code == code]
            with self.subTest(code, place=place):
                self.assertTrue(found)
                for one in found:
                    told = judgement_working(situation, one)
                    self.assertEqual(len(told.steps), 1 if one.limit is None else 2)
                    self.assertEqual(told.steps[0].result == "–", one.have is None)

    def test_accepted_ones_become_care(self) -> None:
        for code, base in (("over-max", "direct-little-over"), ("life-safety", "breathing-gear")):
            self.assertEqual(levels(tree("judgements", base, accepted=[code]), code), {"care"})

    def test_two_swapping_leads_cancel(self) -> None:
        made = tree("judgements", "swapped-by-the-lead")
        made["path"].append(dict(made["path"][3]))
        self.assertEqual(levels(made, "polarity-reversed"), {"refuse"})

    def test_naps_join_across_the_end_of_the_duty(self) -> None:
        made = tree("judgements", "bank-naps-are-short")
        on, nap = made["duty"]["repeat"]
        made["duty"]["repeat"] = [dict(nap), on, dict(nap)]
        self.assertEqual(levels(made, "auto-off"), {"refuse"})

    def test_a_diode_last_in_the_path_stops_backfeed(self) -> None:
        made = tree("judgements", "cells-left-in")
        made["path"].append({"stage": "diode", "forward_v": 0.4})
        self.assertEqual(levels(made, "backfeed"), set())

    def test_every_finding_says_what_and_how_to_cure(self) -> None:
        for code, _, base, place, _, outside in PAIRS:
            made = put(start(code, base), place, outside)
            for finding in check(Situation(case_from(made))):
                with self.subTest(finding.code):
                    self.assertTrue(finding.message.endswith("."))
                    self.assertTrue(finding.cure)

    def test_every_code_has_a_pair(self) -> None:
        self.assertEqual(set(get_args(Code)) - {pair[0] for pair in PAIRS}, set())
