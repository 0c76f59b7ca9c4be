"""The build sheet's lists: what is needed, what is cut, in which order, and how to go back."""

from __future__ import annotations

from unittest import TestCase

import msgspec

from hermotrope_core.build import box_label, changes, cut_list, parts_list, steps, way_back
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.kinds.stages import Switch
from hermotrope_core.plan.case import planned
from hermotrope_core.plan.difference import _At, _walk, difference
from hermotrope_core.plan.document import case_from, tree_of
from tests.support import case, tree

BAY = {"size": "AA", "columns": 4, "slots": ["up", "down", "up", "down"]}


class Sheet(TestCase):
    def setUp(self) -> None:
        self.case = planned(case("cases", "hide-mount-on-tool-pack"))

    def test_every_stage_is_a_part_with_what_belongs_to_it(self) -> None:
        keys = [line.key for line in parts_list(self.case)]
        self.assertEqual(keys[:5], ["source", "stage-0", "stage-1", "stage-2", "stage-3"])
        self.assertTrue({"fuse-holder", "fuse-spare", "sleeve", "box"} <= set(keys))

    def test_both_conductors_of_a_lead_are_cut_with_room_for_joints(self) -> None:
        cuts = [cut for cut in cut_list(self.case) if cut.what.startswith("part 4")]
        self.assertEqual([(cut.length_mm, cut.area_mm2) for cut in cuts], [(1220.0, 1.0), (1220.0, 1.0)])
        swapped = cut_list(planned(case("cases", "hide-mount-on-tool-pack", **{"path.3.swaps_polarity": True})))
        self.assertIn("+ at the source, − at the device", [cut.mark for cut in swapped])

    def test_the_fuse_comes_first_and_the_device_last(self) -> None:
        keys = [step.key for step in steps(self.case)]
        self.assertLess(keys.index("fuse-0"), keys.index("converter-2"))
        self.assertEqual(keys[-1], "prove")
        self.assertTrue(all(step.minutes > 0 for step in steps(self.case)))
        self.assertTrue(any(step.caution for step in steps(self.case)))

    def test_the_label_says_what_may_go_in_and_what_comes_out(self) -> None:
        rows = dict(box_label(Situation(self.case)).rows)
        self.assertEqual((rows["IN"], rows["OUT"], rows["FUSE"]), ("15.0–21.0 V DC", "12 V DC", "7.5 A"))
        self.assertEqual(rows["PACK"], "72.0 Wh, Lithium-ion")
        # 7.5 A / 1.25 at 15 V through 92 % makes 6.9 A at 12 V, less than the converter's 8 A
        self.assertEqual(rows["LOAD"], "6.9 A at most")

    def test_nothing_is_cut_behind_an_inverter(self) -> None:
        inverter = {"stage": "converter", "topology": "inverter", "output_v": 230, "efficiency": 0.85}
        adapter = {"stage": "converter", "topology": "buck", "output_v": 12, "efficiency": 0.88}
        for path in ([inverter, adapter], [inverter]):
            made = planned(case("cases", "hide-mount-on-tool-pack", path=path, **{"device.inlet": {"kind": "mains"}}))
            self.assertEqual([(cut.what, cut.count) for cut in cut_list(made)], [("part 1, in", 2)])
            said = " ".join(step.how for step in steps(made))
            self.assertIn("own plug goes into the inverter", said)
            self.assertNotIn("Mind IN and OUT", said)

    def test_polarity_is_a_symbol_or_words(self) -> None:
        centre = {"device.inlet": {"kind": "barrel", "polarity": "centre-positive", "measured": True}}
        barrel = box_label(Situation(planned(case("cases", "hide-mount-on-tool-pack", **centre))))
        self.assertEqual((barrel.centre, "POLARITY" in dict(barrel.rows)), ("+", False))
        pins = {
            "kind": "pins",
            "pin_count": 3,
            "polarity": "marked",
            "readings": [{"red": 1, "black": 3, "reading_v": 12.1}],
        }
        for inlet, words in (
            (pins, "+ pin 1, − pin 3, mating face"),
            ({"kind": "usb-c"}, "as the USB plug has it"),
            ({"kind": "terminals", "polarity": "marked"}, "+ and − as marked on both ends"),
            ({"kind": "terminals"}, "NOT KNOWN: measure first"),
        ):
            made = planned(case("cases", "hide-mount-on-tool-pack", **{"device.inlet": inlet}))
            self.assertEqual(dict(box_label(Situation(made)).rows)["POLARITY"], words)

    def test_a_closed_box_derates_the_label(self) -> None:
        closed = planned(case("cases", "hide-mount-on-tool-pack", **{"conditions.enclosure": "closed"}))
        self.assertEqual(dict(box_label(Situation(closed)).rows)["LOAD"], "5.6 A at most")

    def test_what_changes_and_the_way_back_follow_from_the_inlet(self) -> None:
        for kind, word in (("leads", "tail"), ("barrel", "own inlet")):
            with self.subTest(kind=kind):
                made = case("cases", "hide-mount-on-tool-pack", **{"device.inlet": {"kind": kind}})
                self.assertIn(word, " ".join(changes(made)))
                self.assertTrue(way_back(made))

    def test_without_a_pack_there_is_nothing_to_build(self) -> None:
        bare = case("cases", "hide-mount-on-tool-pack", **{"source": None, "path": []})
        self.assertEqual((parts_list(bare), steps(bare)), ((), ()))


class Difference(TestCase):
    def test_a_changed_value_an_added_stage_and_a_swapped_one(self) -> None:
        old = case("cases", "hide-mount-on-tool-pack")
        self.assertEqual(difference(old, old), ())
        new = case("cases", "hide-mount-on-tool-pack", **{"path.2.output_v": {"value": 9, "known_by": "measured"}})
        (only,) = difference(old, new)
        self.assertEqual((only.place, only.term, only.now), ("path[2].output_v", "Set to", "9 V (measured)"))
        longer = msgspec.structs.replace(old, path=(*old.path, Switch()))
        (only,) = difference(old, longer)
        self.assertEqual((only.place, only.was, only.now), ("path[4]", "", "switch"))
        swapped = msgspec.structs.replace(old, path=(Switch(), *old.path[1:]))
        (only,) = difference(old, swapped)
        self.assertEqual((only.place, only.was, only.now), ("path[0]", "fuse", "switch"))

    def test_what_is_put_in_or_taken_out_moves_nothing_else(self) -> None:
        old = case("cases", "hide-mount-on-tool-pack")
        put_in = msgspec.structs.replace(old, path=(Switch(), *old.path), plan_on="maximum")
        self.assertEqual(
            [(one.where, one.term, one.was, one.now) for one in difference(old, put_in)],
            [("", "stage 1", "", "switch"), ("", "planned on", "duty", "maximum")],
        )
        taken_out = msgspec.structs.replace(old, path=(old.path[0], *old.path[2:]))
        (only,) = difference(old, taken_out)
        self.assertEqual((only.place, only.was, only.now), ("path[1]", old.path[1].__struct_config__.tag, ""))
        learned = {"device.evidence": [{"from": "adapter", "nominal_v": 12}]}
        choice = {"code": "over-max", "reason": "measured, it stands 17 V"}
        told = case("cases", "hide-mount-on-tool-pack", **learned, choices=[choice])
        self.assertEqual(
            [(one.where, one.term, one.was, one.now) for one in difference(old, told)],
            [("device", "evidence 1", "", "adapter"), ("", "choice 1", "", "over-max")],
        )
        bare = msgspec.structs.replace(old, path=())
        self.assertEqual([one.now for one in difference(old, bare)], [""] * len(old.path))
        long = [[{"mode": str(at % 7)} for at in range(begin, 400)] for begin in (0, 3)]
        self.assertEqual(len(list(_walk(*long, _At("duty.repeat", "repeat")))), 400)

    def test_parts_are_called_as_the_panels_call_them(self) -> None:
        old = case("cases", "hide-mount-on-tool-pack")
        was, now = tree_of(old), tree_of(old)
        was["device"]["inlet"], now["device"]["inlet"] = {"kind": "terminals"}, {"kind": "clip"}
        now["device"]["low_warning"] = True
        now["device"]["modes"][0] = {"name": "hold", "kind": "current", "current_a": 0.5}
        names = {"kind": "Connector", "modes.kind": "Stated in", "low_warning": "Warns when low"}
        terms = {one.place: one.term for one in difference(case_from(was), case_from(now), names)}
        self.assertEqual(terms["device.inlet.kind"], "Connector")
        self.assertEqual(terms["device.modes[0].kind"], "Stated in")
        self.assertEqual(terms["device.low_warning"], "Warns when low")
        (whole,) = _walk(None, {"temperature_c": 5, "enclosure": "closed"}, _At(terms={"enclosure": "Enclosure"}))
        self.assertEqual(whole.now, "Temperature 5 °C, Enclosure closed")
        for name, value, words in (
            ("output_by_v", [[2.7, 15], [3.3, 60]], "2.7 V: 15; 3.3 V: 60"),
            ("links", [["1+", "2-"], ["2+", "3-"]], "1+ 2-, 2+ 3-"),
            (
                "temperature_by_h",
                [[at, at] for at in range(9)],
                "0 h: 0 °C; 1 h: 1 °C; 2 h: 2 °C; 3 h: 3 °C; 4 h: 4 °C; 5 h: 5 °C …",
            ),
        ):
            self.assertEqual([one.now for one in _walk(None, value, _At(name=name))], [words])

    def test_figures_are_told_as_they_are_stated(self) -> None:
        name = "hide-mount-on-tool-pack"
        held = tree("cases", name)["source"]
        series, noted = held["cells_in_series"], {"value": 3.5, "known_by": "measured", "note": "at 2 A"}
        fewer = {"source.cells_in_series": series - 1, "conditions.temperature_c": -7.5}
        cells, warmth = difference(case("cases", name), case("cases", name, **fewer))
        self.assertEqual((cells.where, cells.term), ("pack", "Cells in series"))
        self.assertEqual((cells.was, cells.now), (f"{series}", f"{series - 1}"))
        self.assertEqual((warmth.where, warmth.term, warmth.now), ("conditions", "Temperature", "−7.5 °C"))
        notes = (noted, noted | {"note": "at 3 A"})
        (only,) = difference(*(case("cases", name, **{"source.capacity_ah": one}) for one in notes))
        self.assertEqual((only.where, only.term), ("pack", "Capacity"))
        self.assertEqual(
            (only.was, only.now), tuple(f"3.5 Ah (measured), {one}" for one in ("note at 2 A", "note at 3 A"))
        )
