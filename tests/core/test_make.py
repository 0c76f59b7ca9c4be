"""Made parts: closed bodies with the inner measures that were asked for, into which everything goes; their files."""

from __future__ import annotations

from collections.abc import Callable
from io import BytesIO, StringIO
from typing import Any
from unittest import TestCase
from xml.etree import ElementTree

import ezdxf
import msgspec
import numpy as np
import trimesh
from django.test import tag

from hermotrope_core.make import air, box, dummy, files, plate, template
from hermotrope_core.make.box import Box
from hermotrope_core.make.dock import Dock
from hermotrope_core.make.dummy import Dummy
from hermotrope_core.make.made import MAKERS, asked_from, made
from hermotrope_core.make.measured import Read
from hermotrope_core.make.plate import Plate
from hermotrope_core.make.process import Process
from hermotrope_core.make.shape import Piece, Shape, block, checked, clashes
from hermotrope_core.make.sizes import SIZES
from hermotrope_core.make.slice import HIGH_MM, slices
from hermotrope_core.make.sureness import fits, of_volts, remarks
from hermotrope_core.make.template import Cut, Template
from hermotrope_core.values.liking import Liking, liking
from tests.lanes import SLOW

SETS = 500 if SLOW else 60
NEAR_MM = 0.01
PROCESS = Process()


def reopened(piece: Piece) -> trimesh.Trimesh:
    """A piece as it comes back from its own file."""
    mesh = trimesh.load(BytesIO(files.stl(piece)), file_type="stl")
    assert isinstance(mesh, trimesh.Trimesh)
    return mesh


class Rays:
    """How far one sees inside a mesh, by every triangle (Möller and Trumbore 1997)."""

    def __init__(self, mesh: trimesh.Trimesh) -> None:
        self.a, b, c = (mesh.triangles[:, i].astype(float) for i in range(3))
        self.ab, self.ac = b - self.a, c - self.a

    def ahead(self, start: tuple[float, float, float], way: tuple[float, float, float]) -> float:
        """Millimetres from a point to the first face."""
        over = np.cross(way, self.ac)
        det = (self.ab * over).sum(axis=1)
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            away = np.asarray(start, float) - self.a
            u = (away * over).sum(axis=1) / det
            q = np.cross(away, self.ab)
            v = (q @ np.asarray(way, float)) / det
            t = (self.ac * q).sum(axis=1) / det
            hit = (np.abs(det) > 1e-12) & (u >= -1e-9) & (v >= -1e-9) & (u + v <= 1 + 1e-9) & (t > 1e-6)
        return float(t[hit].min()) if hit.any() else float("inf")

    def across(self, start: tuple[float, float, float], way: tuple[float, float, float]) -> float:
        """From face to face through a point."""
        x, y, z = way
        return self.ahead(start, way) + self.ahead(start, (-x, -y, -z))


X, Y, Z = (1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0)


def a_box(random: np.random.Generator) -> Box:
    lead = float(random.uniform(2, 6))
    long, wide = float(random.uniform(20, 90)), float(random.uniform(16, 60))
    pattern = random.integers(3)
    holes = ((4.0, 4.0, 3.0), (long - 4.0, wide - 4.0, 3.0)) if pattern else ()
    return Box(
        board_l_mm=long, board_w_mm=wide, tall_mm=float(random.uniform(8, 30)), under_mm=float(random.uniform(2, 8)),
        room_mm=float(random.uniform(6, 25)), clearance_mm=float(random.uniform(0.2, 1.0)),
        wall_mm=float(random.uniform(1.6, 3.5)), lead_in_mm=lead, lead_out_mm=lead,
        heat_w=float(random.choice([0, 1, 4])),
        trimmer_x_mm=float(random.choice([0.0, long / 3])), trimmer_y_mm=5.0,
        lid="snaps" if random.integers(2) else "screws", holes=holes,
    )  # fmt: skip


def a_dock(random: np.random.Generator) -> Dock:
    wide, rail = float(random.uniform(35, 80)), float(random.uniform(1.5, 5))
    long = float(random.uniform(40, 90))
    return Dock(
        foot_l_mm=long, foot_w_mm=wide, rail_w_mm=rail, rail_t_mm=float(random.uniform(2, 8)),
        clearance_mm=float(random.uniform(0.1, 0.5)), wall_mm=float(random.uniform(2.4, 5)),
        lip_mm=float(random.uniform(2, 5)),
        base_mm=float(random.uniform(5, 9)), latch_x_mm=float(random.choice([0.0, 12.0])),
        contacts=((long - 15.0, -8.0, 8.0, 0.8), (long - 15.0, 8.0, 6.0, 1.2)), names=("+", "−"),
        holder_l_mm=float(random.choice([0.0, 25.0])),
    )  # fmt: skip


def a_dummy(random: np.random.Generator) -> Dummy:
    return Dummy(
        across_mm=float(random.uniform(14, 34)), length_mm=float(random.uniform(40, 70)),
        deep_mm=float(random.choice([0.0, 17.0])), wire_mm=float(random.uniform(1.0, 1.8)),
        clearance_mm=float(random.uniform(0.1, 0.5)), role=str(random.choice(["fed", "through", "insulating"])),  # type: ignore[arg-type]
    )  # fmt: skip


def a_plate(random: np.random.Generator) -> Plate:
    return Plate(
        plate_t_mm=float(random.uniform(3, 8)), fixing_mm=float(random.uniform(4, 8)),
        strap_mm=float(random.uniform(10, 25)),
        circle_mm=float(random.choice([0.0, 20.0])), plate_l_mm=160.0, plate_w_mm=90.0, pack_x_mm=110.0,
    )  # fmt: skip


ROLLS: dict[str, Callable[[np.random.Generator], Any]] = {
    "box": a_box,
    "dock": a_dock,
    "dummy": a_dummy,
    "plate": a_plate,
}


@tag("slow")
class Bodies(TestCase):
    def test_closed_with_the_inner_measures_that_were_asked_for(self) -> None:
        random = np.random.default_rng(7)
        for k in range(SETS):
            kind = list(ROLLS)[k % len(ROLLS)]
            asked = ROLLS[kind](random)
            shape = made(kind, asked, PROCESS)
            with self.subTest(kind, asked=asked):
                self.assertEqual([one.says for one in shape.remarks if one.level == "stop"], [])
                self.assertEqual(clashes(shape), 0.0)
                for piece in shape.pieces:
                    mesh = reopened(piece)
                    self.assertTrue(mesh.is_watertight and mesh.is_winding_consistent, piece.name)
                    self.assertAlmostEqual(mesh.volume, piece.solid.volume(), delta=0.002 * piece.solid.volume())
                getattr(self, f"of_{kind}")(asked, shape)

    def near(self, read: float, asked: float) -> None:
        self.assertLess(abs(read - asked), NEAR_MM, f"{read:.4f} is not {asked:.4f}")

    def of_box(self, asked: Box, shape: Shape) -> None:
        body, lid = (Rays(reopened(one)) for one in shape.pieces)
        room, wall = box.inside(asked), asked.wall_mm
        high = wall + room.high - 0.3
        middle = (wall + room.long / 2.0, wall + room.wide / 2.0 + 0.1, high)
        self.near(body.across(middle, X), asked.board_l_mm + 2 * asked.room_mm)
        self.near(body.across(middle, Y), asked.board_w_mm + 2 * asked.clearance_mm)
        self.near(body.ahead((middle[0], middle[1], high), (0.0, 0.0, -1.0)) + 0.3, room.high)
        self.assertGreaterEqual(
            room.high, asked.under_mm + asked.thick_mm + asked.tall_mm + box.LIP_MM, "the lip comes down on the parts"
        )
        entry = (-20.0, wall + room.wide / 2.0, box.lead_height(asked, asked.lead_in_mm))
        self.assertGreater(body.ahead(entry, X), 20.0 + wall, "the way in is closed")
        bored = (wall / 2.0, entry[1], entry[2])
        self.near(body.across(bored, Z), asked.lead_in_mm + box.HOLE_PLAY_MM)
        if asked.trimmer_x_mm:
            x, y = wall + asked.room_mm + asked.trimmer_x_mm, wall + asked.clearance_mm + asked.trimmer_y_mm
            placed = shape.pieces[1].placed.bounding_box()
            self.assertEqual(
                lid.ahead((x, placed[4] + placed[1] - y, -5.0), Z), float("inf"), "no hole over the trimmer"
            )
        if asked.lid == "screws":
            self.near(
                lid.across((asked.wall_mm + room.long / 2.0, asked.wall_mm + 8.0, wall + 1.5), X), _lip_inside(asked)
            )

    def of_dock(self, asked: Dock, shape: Shape) -> None:
        body, play = Rays(reopened(shape.pieces[0])), asked.clearance_mm
        x = asked.foot_l_mm / 2.0
        high = asked.rail_t_mm + 2 * play
        self.near(body.across((x, 0.3, asked.base_mm + high / 2), Y), asked.foot_w_mm + 2 * play)
        self.near(
            body.across((x, 0.3, asked.base_mm + high + asked.lip_mm / 2), Y),
            asked.foot_w_mm + 2 * play - 2 * asked.rail_w_mm,
        )
        under = (x, asked.foot_w_mm / 2 - asked.rail_w_mm / 2, asked.base_mm + high / 2)
        self.near(body.across(under, Z), high)
        self.near(body.ahead((0.5, 0.3, asked.base_mm + high / 2), X) + 0.5, asked.foot_l_mm + play)
        for at, y, blade, thick in asked.contacts:
            slot = (at, y, asked.base_mm - 0.5)
            self.near(body.across(slot, X), blade + 2 * play)
            self.near(body.across(slot, Y), thick + 2 * play)

    def of_dummy(self, asked: Dummy, shape: Shape) -> None:
        mesh = reopened(shape.pieces[0])
        size = mesh.bounds[1] - mesh.bounds[0]
        self.near(float(size[0]), asked.across_mm - 2 * asked.clearance_mm)
        self.near(float(size[2]), asked.length_mm)
        if asked.role == "through":
            self.near(
                Rays(mesh).across((0.0, 0.0, asked.length_mm / 2), X),
                asked.screw_mm,
            )
        if asked.role == "fed":
            seat = (0.0, 0.0, dummy.SEAT_DEEP / 2)
            self.near(Rays(mesh).across(seat, X), dummy.CORE * asked.screw_mm)

    def of_plate(self, asked: Plate, shape: Shape) -> None:
        body = Rays(reopened(shape.pieces[0]))
        x = asked.pack_x_mm + asked.pack_l_mm / 4
        slot = (x, asked.plate_w_mm / 2 + asked.pack_w_mm / 2 + 1.0, asked.plate_t_mm / 2)
        self.near(body.across(slot, X), asked.strap_mm)
        self.near(body.across(slot, Y), plate.STRAP_THICK_MM)
        hole = (asked.fixing_x_mm + asked.circle_mm / 2, asked.plate_w_mm / 2, asked.plate_t_mm / 2)
        self.near(body.across(hole, Y), asked.fixing_mm + plate.PLAY_MM)


def _lip_inside(asked: Box) -> float:
    return box.inside(asked).long - 2 * PROCESS.clearance_mm - 2 * box.LIP_WALL_MM


class Minded(TestCase):
    def says(self, kind: str, level: str = "", **values: Any) -> str:
        shape = made(kind, asked_from(kind, values), PROCESS)
        return " ".join(one.says for one in shape.remarks if not level or one.level == level)

    def test_what_cannot_be_built_is_stopped(self) -> None:
        cases: tuple[tuple[str, dict[str, Any], str], ...] = (
            ("box", {"holes": [(60.0, 3.0, 3.0)]}, "hole lies beside the board"),
            ("box", {"trimmer_x_mm": 50.0}, "trimmer lies beside the board"),
            ("box", {"tall_mm": 1.0, "lead_in_mm": 15.0}, "where the lid’s lip is"),
            ("box", {"board_w_mm": 8.0, "lead_in_mm": 12.0, "tall_mm": 30.0}, "wider than the box"),
            ("box", {"window_l_mm": 100.0, "window_w_mm": 10.0}, "larger than the lid"),
            ("box", {"board_l_mm": 240.0}, "the bed"),
            ("dock", {"rail_w_mm": 15.0, "foot_w_mm": 30.0}, "wider than the foot"),
            ("dock", {"base_mm": 3.0}, "over its wire channels"),
            ("dock", {"contacts": [(80.0, 0.0, 8.0, 0.8)]}, "outside the foot"),
            ("dock", {"contacts": [(40.0, -3.0, 8.0, 0.8), (40.0, 3.0, 8.0, 0.8)]}, "channels meet"),
            ("dock", {"contacts": []}, "No contact is marked"),
            ("dock", {"latch_x_mm": 60.0}, "latch lies outside"),
            ("dock", {"latch_x_mm": 45.0, "latch_w_mm": 24.0}, "in the latch’s recess"),
            ("dummy", {"across_mm": 6.0, "wire_mm": 2.5}, "Between the wire’s groove"),
            ("dummy", {"length_mm": 15.0}, "Too short for two screws"),
            ("plate", {"holds_nm": 0.2}, "more than the 0.2"),
            ("plate", {"plate_t_mm": 1.5, "pack_g": 5000.0}, "bends with"),
            ("plate", {"pack_x_mm": 130.0}, "slot runs out"),
            ("plate", {"fixing_x_mm": 2.0}, "holes run out"),
            ("plate", {"pack_x_mm": 45.0, "pack_l_mm": 20.0, "pack_w_mm": 30.0, "circle_mm": 35.0, "fixing_x_mm": 45.0},
             "meets a hole"),
            ("template", {"cuts": []}, "No cut-out"),
            ("template", {"cuts": [{"part": "usb", "x": 5.0, "y": 30.0}]}, "over the panel’s edge"),
            ("template", {"cuts": [{"part": "usb", "x": 30.0, "y": 30.0}, {"part": "jack", "x": 40.0, "y": 30.0}]},
             "Two cut-outs meet"),
        )  # fmt: skip
        for kind, values, why in cases:
            with self.subTest(kind, values=values):
                self.assertIn(why, self.says(kind, "stop", **values))
                self.assertNotIn(why, self.says(kind, "stop"), "the usual part is stopped too")
        self.assertIn(
            "thinner than two lines",
            " ".join(one.says for one in made("box", Box(wall_mm=0.8), Process(nozzle_mm=0.6)).remarks),
        )

    def test_cares_of_the_craft_are_said(self) -> None:
        self.assertIn("lead turns in 12 mm", self.says("box", "care"))
        self.assertNotIn("lead turns", self.says("box", "care", room_mm=12.0))
        self.assertIn("Without a latch", self.says("dock", "care"))
        self.assertNotIn("Without a latch", self.says("dock", "care", latch_x_mm=30.0))
        self.assertIn("Measure plus and minus at the pack’s own contacts", self.says("dock", "care"))
        self.assertIn("Which contact is plus and which is minus is not said", self.says("dock", "care"))
        for names, known in ((["+", "−"], True), (["+", "-"], True), (["+", "T"], False), (["+", ""], False)):
            told = self.says("dock", "care", names=names)
            self.assertEqual("is not said" not in told, known, names)
        self.assertIn("What the fixing holds is not known", self.says("plate", "care"))
        self.assertIn("holds 1", self.says("plate", "note", holds_nm=1.0))
        self.assertIn("Wire only the end", self.says("dummy", "care"))
        self.assertNotIn("Wire only the end", self.says("dummy", role="through"))
        self.assertIn("In a slot that is fed it shorts the supply", self.says("dummy", "care", role="through"))
        self.assertIn("insulated driver", self.says("box", "care", trimmer_x_mm=10.0))
        self.assertIn("measure your own part", self.says("template", "care"))
        own = [{"part": "jack", "x": 20.0, "y": 20.0, "across_mm": 11.2}]
        self.assertNotIn("measure your own part", self.says("template", "care", cuts=own))
        soft = made("box", Box(heat_w=1.0, rise_k=30.0), Process(material="pla"))
        self.assertIn("goes soft", " ".join(one.says for one in soft.remarks))

    def test_vents_follow_the_heat(self) -> None:
        open_, closed, hot = (made("box", Box(heat_w=w), PROCESS) for w in (0.0, 0.2, 2.0))
        volumes = [shape.pieces[0].solid.volume() for shape in (open_, closed, hot)]
        self.assertEqual(volumes[0], volumes[1])
        self.assertLess(volumes[2], volumes[0] - 50.0)
        self.assertIn("leave through the walls", self.says("box", heat_w=0.2))
        self.assertIn("No air for the heat", self.says("box", "care", heat_w=20.0))
        surface = box.surface_mm2(box.inside(Box()))
        self.assertEqual(air.vents_mm2(air.through_walls_w(surface, 20.0), 20.0, surface, 20.0), 0.0)
        need = air.vents_mm2(3.0, 20.0, surface, 20.0)
        self.assertLess(air.vents_mm2(3.0, 20.0, surface, 40.0), need)
        speed = air.DISCHARGE * (9.81 * 0.02 * 20.0 / 300.0) ** 0.5
        carried = need * 1e-6 * speed * 1.2 * 1005.0 * 20.0
        self.assertAlmostEqual(carried + air.through_walls_w(surface, 20.0), 3.0)

    def test_torque_and_stress_of_a_plate(self) -> None:
        asked = Plate(pack_g=1000.0, pack_x_mm=110.0, fixing_x_mm=10.0, circle_mm=0.0, fixing_mm=10.0, plate_w_mm=70.0)
        self.assertAlmostEqual(plate.torque_nm(asked), 0.981)
        self.assertAlmostEqual(plate.stress_mpa(asked), 6 * 981.0 / (60.0 * 25.0))

    def test_a_part_in_the_way_is_seen(self) -> None:
        shape = box.shape(Box(), PROCESS)
        x0, y0, z0, x1, y1, z1 = shape.holds[0].bounding_box()
        larger = msgspec.structs.replace(shape, holds=(block((x0 - 15.0, y0, z0), (x1, y1, z1)),))
        self.assertGreater(clashes(larger), 10.0)
        self.assertIn("does not fit beside the walls", checked(larger, PROCESS)[0].says)
        gone = msgspec.structs.replace(
            shape, pieces=(Piece("box", block((0, 0, 0), (9, 9, 9)) - block((-1, -1, -1), (10, 10, 10))),)
        )
        self.assertIn("does not come out as a body", checked(gone, PROCESS)[0].says)
        two = block((0, 0, 0), (9, 9, 9)) + block((20, 0, 0), (29, 9, 9))
        self.assertIn("falls into 2 pieces", checked(Shape((Piece("box", two),)), PROCESS)[0].says)

    def test_parameters_out_of_range_are_refused_by_their_words(self) -> None:
        for kind, values, why in (
            ("box", {"wall_mm": 0.1}, "Wall must be from 0.8 to 10 mm"),
            ("dummy", {"role": "sideways"}, "Invalid enum value"),
            ("lamp", {}, "no part that is made here"),
            ("template", {"cuts": [{"part": "door", "x": 1, "y": 1}]}, "no part of a panel"),
            ("template", {"cuts": [{"part": "", "x": 1, "y": 1}]}, "say how large"),
            ("dock", {"foot_w_mm": float("nan")}, "must be from"),
            ("dock", {"contacts": [(1e308, 0.0, 8.0, 0.8)]}, "Contacts, entry 1"),
            ("dock", {"contacts": [(50.0, float("nan"), 8.0, 0.8)]}, "Contacts, entry 1"),
            ("dock", {"contacts": [(50.0, 0.0, 8.0, 0.8)] * 13}, "up to 12 contacts"),
            ("dock", {"names": ["+"] * 13}, "up to 12 contacts"),
            ("dock", {"names": ["+"]}, "name every contact in the order of its place, or none"),
            ("box", {"holes": [(3.0, 3.0, 0.0)]}, "Holes, entry 1"),
            ("box", {"holes": [(3.0, 3.0, 3.0)] * 41}, "up to 40"),
        ):  # fmt: skip
            with self.assertRaisesRegex(ValueError, why):
                asked_from(kind, values)
        for wrong in ({"nozzle_mm": 0.0}, {"clearance_mm": 9.0}, {"material": "wood"}):
            with self.assertRaises(ValueError):
                msgspec.convert(wrong, Process)

    def test_what_is_kept_is_kept_for_each_liking(self) -> None:
        asked = Box(room_mm=7.5)
        with liking(Liking(decimal="comma")):
            self.assertIn("leave 7,5 mm", str(made("box", asked, PROCESS).remarks))
        self.assertIn("leave 7.5 mm", str(made("box", asked, PROCESS).remarks))

    def test_every_parameter_is_in_the_table_with_its_usual_value(self) -> None:
        for maker in MAKERS.values():
            for name, usual in msgspec.structs.asdict(maker.asked()).items():
                if isinstance(usual, float):
                    self.assertIn(name, SIZES)
                    self.assertTrue(SIZES[name].low <= usual <= SIZES[name].high, name)

    def test_volts_forbid_what_is_printed(self) -> None:
        self.assertEqual(of_volts("box", 50.0, mains=False), [])
        self.assertEqual([one.level for one in of_volts("dock", 50.1, mains=False)], ["care"])
        self.assertEqual([one.level for one in of_volts("dummy", 12.0, mains=True)], ["stop"])
        self.assertEqual(of_volts("plate", 400.0, mains=True), [], "it carries, and touches nothing live")

    def test_how_sure_a_fit_is(self) -> None:
        dock = Dock()
        nobody = remarks("dock", dock, {}, placed=False)
        wanted = "Nobody measured foot wide, rail juts out by, rail thick, foot long and where its contacts are:"
        self.assertIn(wanted, nobody[0].says)
        names = ("foot_w_mm", "rail_w_mm", "rail_t_mm", "foot_l_mm")
        sure = {name: Read(1.0, 0.1, "caliper") for name in names}
        self.assertEqual(remarks("dock", dock, sure, placed=True), [])
        self.assertEqual(remarks("dock", Dock(contacts=()), sure, placed=False), [])
        blades = remarks("dock", dock, sure | {"contacts": Read(0.8, 0.0, "usual")}, placed=True)
        self.assertIn("Nobody measured how thick its contacts are:", blades[0].says)
        latched = Dock(latch_x_mm=25.0)
        latch = remarks("dock", latched, sure | {"latch_l_mm": Read(10.0, 0.1, "typed")}, placed=True)
        self.assertEqual(fits("dock", latched)[4:], ("latch_x_mm", "latch_l_mm", "latch_w_mm"))
        self.assertIn("Nobody measured latch from the entry and latch wide:", latch[0].says)
        trimmer = remarks("box", Box(trimmer_x_mm=10.0, trimmer_y_mm=6.0), {}, placed=False)
        self.assertIn("trimmer from the left and trimmer from below:", trimmer[0].says)
        self.assertNotIn("trimmer", remarks("box", Box(), {}, placed=False)[0].says)
        loose = remarks("dock", dock, sure | {"foot_w_mm": Read(48.0, 0.4, "picture")}, placed=True)
        self.assertIn("foot wide (± 0.40 mm)", loose[0].says)
        wide = sure | {"foot_w_mm": Read(48.0, 0.4, "picture")}
        self.assertEqual(remarks("dock", Dock(clearance_mm=0.5), wide, placed=True), [])


class Files(TestCase):
    def test_3mf_holds_every_piece_in_millimetres(self) -> None:
        shape = made("box", Box(), PROCESS)
        scene = trimesh.load(BytesIO(files.threemf(shape.pieces)), file_type="3mf")
        assert isinstance(scene, trimesh.Scene)
        self.assertEqual(len(scene.geometry), 2)
        self.assertEqual({mesh.units for mesh in scene.geometry.values()}, {"millimeter"})
        volumes = sorted(float(mesh.volume) for mesh in scene.geometry.values())
        np.testing.assert_allclose(volumes, sorted(one.solid.volume() for one in shape.pieces), rtol=1e-3)

    def test_dxf_and_svg_are_true_to_size(self) -> None:
        shape = made("plate", Plate(), PROCESS)
        drawing = ezdxf.read(StringIO(files.dxf(shape.flats)))
        self.assertEqual(drawing.units, ezdxf.units.MM)
        circles = [one for one in drawing.modelspace() if one.dxftype() == "CIRCLE"]
        self.assertEqual([(one.dxf.center.x, one.dxf.center.y, one.dxf.radius) for one in circles], [(30.0, 40.0, 3.2)])
        self.assertEqual(len([one for one in drawing.modelspace() if one.dxftype() == "LWPOLYLINE" and one.closed]), 5)
        root = ElementTree.fromstring(files.svg(shape.flats))
        self.assertEqual((root.attrib["width"], root.attrib["viewBox"]), ("140.0000mm", "0 0 140.0000 80.0000"))
        circle = next(one for one in root if one.tag.endswith("circle"))
        self.assertEqual(
            (circle.attrib["cx"], circle.attrib["cy"], circle.attrib["r"]), ("30.0000", "40.0000", "3.2000")
        )

    def test_a_kerf_is_taken_off(self) -> None:
        flats = made("plate", Plate(), PROCESS).flats
        moved = files.kerfed(flats, 0.2)
        self.assertEqual(files.kerfed(flats, 0.0), flats)
        sizes = [
            [round(b - a, 3) for a, b in zip(r[:2], r[2:], strict=True)]
            for r in (files.reach(flats), files.reach(moved))
        ]
        self.assertEqual(sizes, [[140.0, 80.0], [140.2, 80.2]])
        self.assertAlmostEqual(moved[1].across_mm, flats[1].across_mm - 0.2)
        slot, narrow = (files.reach((one,)) for one in (flats[-1], moved[-1]))
        self.assertAlmostEqual((slot[2] - slot[0]) - (narrow[2] - narrow[0]), 0.2, places=6)
        for wrong in (-0.1, 4.0):
            with self.assertRaises(ValueError):
                Process(kerf_mm=wrong)

    def test_marks_are_no_cuts(self) -> None:
        shape = template.shape(Template(cuts=(Cut("jack", 20.0, 10.0),)), PROCESS)
        space = ezdxf.read(StringIO(files.dxf(shape.flats))).modelspace()
        self.assertEqual(sorted(one.dxf.layer for one in space), ["CUT", "CUT", "MARK", "MARK"])

    def test_test_slices_are_thin_closed_and_cut_where_it_fits(self) -> None:
        for kind, high in (("dock", HIGH_MM), ("dummy", HIGH_MM), ("box", HIGH_MM)):
            for piece in slices(made(kind, MAKERS[kind].asked(), PROCESS)):
                mesh = reopened(piece)
                self.assertTrue(mesh.is_watertight, piece.name)
                self.assertAlmostEqual(float(mesh.extents[2]), high, places=3)
                self.assertAlmostEqual(float(mesh.bounds[0][2]), 0.0, places=3)
        wide = reopened(slices(made("dock", Dock(), PROCESS))[0]).extents[1]
        self.assertGreater(wide, Dock().foot_w_mm)

    def test_mass_and_time_are_estimates_of_the_volume(self) -> None:
        fine = Process(layer_mm=0.1)
        self.assertAlmostEqual(PROCESS.grams(10_000.0), 10.0 * 1.27 * 0.7)
        self.assertAlmostEqual(fine.seconds(10_000.0), 2 * PROCESS.seconds(10_000.0))

    def test_names_of_files(self) -> None:
        self.assertEqual(files.file_name("Pan mount, Hide 3", "../box Ω"), "pan-mount-hide-3-box")
        self.assertEqual(files.file_name("Ω", "Ω"), "part")
