"""Parts with measures: what follows from marks, a caliper and heights; the dock is the foot turned over."""

from __future__ import annotations

from typing import Any
from unittest import TestCase

import msgspec
import numpy as np

from hermotrope_core.make.made import asked_from
from hermotrope_core.make.measured import CALIPER_MM, Mark, Measured, found, outline_px, values_for
from hermotrope_core.photo.plane import Reference, to_px

SEEN = np.array([[0.11, 0.004, -30.0], [0.003, -0.112, 120.0], [1.5e-5, 2.0e-5, 1.0]])
CARD = ((0.0, 0.0), (85.6, 0.0), (85.6, 54.0), (0.0, 54.0))
CORNER = (5.0, 60.0)


def px(points: list[tuple[float, float]]) -> tuple[tuple[float, float], ...]:
    return tuple((float(x), float(y)) for x, y in to_px(SEEN, np.array(points, float)))


def on_part(*points: tuple[float, float]) -> tuple[tuple[float, float], ...]:
    return px([(CORNER[0] + x, CORNER[1] + y) for x, y in points])


def part(kind: str, *marks: Mark, **more: Any) -> Measured:
    sheet = Reference("sheet", px(list(CARD)), 85.6, 54.0, doubt_mm=0.1)
    outline = Mark("outline", on_part((0, 0), (62, 0), (30, 48)))
    return Measured(kind=kind, name="a part", reference=sheet, marks=(outline, *marks), **more)  # type: ignore[arg-type]


class Marks(TestCase):
    def test_a_foot_becomes_a_dock_turned_over(self) -> None:
        plus, minus = (
            Mark("contact", on_part((46, 36), (54, 36)), "+"),
            Mark("contact", on_part((46, 12), (54, 12)), "−"),
        )
        latch, rail = Mark("latch", on_part((20, 16), (30, 32))), Mark("rail", on_part((20, 0), (20, 3)))
        values = values_for(part("foot", plus, minus, latch, rail))
        self.assertEqual(
            [round(values[name], 1) for name in ("foot_l_mm", "foot_w_mm", "rail_w_mm")], [62.0, 48.0, 3.0]
        )
        self.assertEqual([round(values[f"latch_{name}_mm"], 1) for name in "xlw"], [25.0, 10.0, 16.0])
        self.assertEqual(values["names"], ["+", "−"])
        for (x, y, long, _), where in zip(values["contacts"], (-12.0, 12.0), strict=True):
            self.assertAlmostEqual(x, 50.0, delta=0.05)
            self.assertAlmostEqual(y, where, delta=0.05, msg="what is above on the foot lies below on the dock")
            self.assertAlmostEqual(long, 8.0, delta=0.05)
        asked_from("dock", values)

    def test_the_frame_is_that_of_the_outline_however_it_lies(self) -> None:
        hole = Mark("hole", on_part((10, 6), (13, 6)))
        for corners in (((0, 0), (62, 0), (30, 48)), ((62, 48), (0, 48), (30, 0))):
            board = msgspec.structs.replace(part("board"), marks=(Mark("outline", on_part(*corners)), hole))
            x, y, across = values_for(board)["holes"][0]
            there = (11.5, 6.0) if corners[0] == (0, 0) else (50.5, 42.0)
            self.assertAlmostEqual(x, there[0], delta=0.05)
            self.assertAlmostEqual(y, there[1], delta=0.05)
            self.assertAlmostEqual(across, 3.0, delta=0.05)

    def test_a_caliper_wins_and_moves_every_mark(self) -> None:
        trimmer = Mark("trimmer", on_part((20, 10)))
        plain, corrected = found(part("board", trimmer)), found(part("board", trimmer, caliper={"board_l_mm": 63.24}))
        self.assertEqual(
            (corrected.reads["board_l_mm"].mm, corrected.reads["board_l_mm"].doubt_mm), (63.24, CALIPER_MM)
        )
        self.assertAlmostEqual(corrected.scale, 1.02, places=3)
        for name in ("board_w_mm", "trimmer_x_mm", "trimmer_y_mm"):
            self.assertAlmostEqual(corrected.reads[name].mm / plain.reads[name].mm, 1.02, places=2)
        slip = found(part("board", caliper={"board_l_mm": 80.0}))
        self.assertEqual((slip.scale, slip.reads["board_l_mm"].mm), (1.0, 80.0))
        self.assertIn("was the same thing measured", slip.remarks[0])

    def test_a_raised_face_is_smaller_than_it_reads(self) -> None:
        flat, high = found(part("board")), found(part("board", above_mm=10.0, distance_mm=400.0))
        self.assertAlmostEqual(high.reads["board_l_mm"].mm / flat.reads["board_l_mm"].mm, 0.975)
        self.assertAlmostEqual(
            found(part("board", above_mm=10.0, caliper={"board_l_mm": 62.0})).reads["board_w_mm"].mm, 48.0, delta=0.1
        )

    def test_lengths_edges_and_the_outline_itself(self) -> None:
        length = Mark("length", on_part((0, 0), (0, 48)), "across")
        straight = Mark("edge", on_part((0, 0), (31, 0), (62, 0)))
        bent = Mark("edge", on_part((0, 0), (31, 0.6), (62, 0)))
        known = found(part("panel", length, straight))
        self.assertEqual((known.lengths[0][0], round(known.lengths[0][1].mm, 1), known.remarks), ("across", 48.0, []))
        self.assertIn("bends by 1.0 %", found(part("panel", bent)).remarks[0])
        ring = outline_px(part("panel"))
        for found_, true in zip(ring, on_part((0, 0), (62, 0), (62, 48), (0, 48)), strict=True):
            self.assertLess(np.hypot(*np.subtract(found_, true)), 0.2)

    def test_what_is_missing_is_said(self) -> None:
        contact = Mark("contact", on_part((46, 12), (54, 12)))
        bare = Measured(kind="foot", name="a foot", marks=(contact,))
        self.assertIn("Mark something of known size first", found(bare).remarks[0])
        self.assertEqual((values_for(bare), outline_px(bare)), ({}, ()))
        without = msgspec.structs.replace(part("foot"), marks=(contact,))
        self.assertIn("Mark the outline", found(without).remarks[0])
        self.assertNotIn("contacts", values_for(without))

    def test_a_board_and_a_panel_give_what_their_makers_ask_for(self) -> None:
        hole = Mark("hole", on_part((10, 6), (13, 6)))
        asked_from("box", {**values_for(part("board", hole, Mark("trimmer", on_part((20, 10))))), "tall_mm": 12.0})
        template = asked_from("template", values_for(part("panel", hole)))
        self.assertEqual(len(template.cuts), 1)  # type: ignore[attr-defined]

    def test_what_is_no_part(self) -> None:
        cases: tuple[tuple[dict[str, Any], str], ...] = (
            ({"name": " "}, "has a name"),
            ({"caliper": {"tall_mm": 4.0}}, "no measure of a foot"),
            ({"caliper": {"foot_l_mm": 1.0}}, "Foot long must be"),
            ({"above_mm": 300.0}, "lies well below"),
            ({"distance_mm": 10.0}, "from 50 mm"),
            ({"format": "other/1"}, "format must be"),
            ({"marks": [Mark("trimmer", ((1.0, 1.0),))] * 81}, "up to 80 marks"),
        )  # fmt: skip
        for more, why in cases:
            with self.assertRaisesRegex(ValueError, why):
                Measured(**{"kind": "foot", "name": "a foot", **more})
        for points in (((1.0, 1.0),), ((float("inf"), 1.0), (2.0, 2.0))):
            with self.assertRaises(ValueError):
                Mark("hole", points)
        with self.assertRaises(ValueError):
            Mark("trimmer", ((1.0, 1.0),), "n" * 41)
