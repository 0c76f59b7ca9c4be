"""Lengths from pictures: known planes seen by known cameras, blurred, noisy and tilted, are measured as they are."""

from __future__ import annotations

from unittest import TestCase

import numpy as np
from django.test import tag
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from hermotrope_core.photo.doubt import HAND_PX, bend, by_caliper, growth_per_mm, length_between, raised
from hermotrope_core.photo.plane import Reference, plane_of, to_mm, to_px
from hermotrope_core.photo.settle import settled
from tests.lanes import SLOW

SIZE = (1200, 1600)
FOCAL_PX = 1500.0
SHEET = (210.0, 148.0)
TILT = np.radians(25.0)
DRAWS = 300 if SLOW else 60
FINE = 4
"""Samples along each side of a pixel: its light is that of its whole area."""


def rotation(axis: NDArray[np.float64], angle: float) -> NDArray[np.float64]:
    x, y, z = axis / np.linalg.norm(axis)
    skew = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.eye(3) + np.sin(angle) * skew + (1 - np.cos(angle)) * skew @ skew


class Camera:
    """A pinhole above the middle of a sheet, turned and tilted; `matrix` leads millimetres of the sheet to pixels."""

    def __init__(self, random: np.random.Generator, tilt: float) -> None:
        turn = rotation(np.array([0.0, 0.0, 1.0]), random.uniform(0, 2 * np.pi))
        lean = rotation(np.append(random.normal(size=2), 0.0), tilt)
        pose = lean @ turn
        away = np.array([0.0, 0.0, random.uniform(420.0, 560.0)])
        middle = np.array([*SHEET, 0.0]) / 2
        down = np.diag([1.0, -1.0, 1.0])  # millimetres run upwards, pixels downwards
        lens = np.array([[FOCAL_PX, 0, SIZE[1] / 2], [0, FOCAL_PX, SIZE[0] / 2], [0, 0, 1]])
        self.matrix = lens @ np.column_stack([pose @ down[:, 0], pose @ down[:, 1], away - pose @ down @ middle])

    def px(self, points: NDArray[np.float64]) -> NDArray[np.float64]:
        return to_mm(self.matrix, points)

    def pictured(self, random: np.random.Generator, points: NDArray[np.float64]) -> NDArray[np.float64]:
        """A picture in which each point is where four quarters meet, black and white in turn."""
        made = np.full(SIZE, 180.0)
        back = np.linalg.inv(self.matrix)
        for point, (u, v) in zip(points, self.px(points), strict=True):
            left, top, half = round(u), round(v), 22
            rows, columns = np.mgrid[top - half : top + half + 1, left - half : left + half + 1]
            fine = np.arange(FINE * len(rows)) / FINE - half - 0.5 + 0.5 / FINE
            across, down = np.meshgrid(left + fine, top + fine)
            whole = to_mm(back, np.column_stack([across.ravel(), down.ravel()])) - point
            dark = (whole[:, 0] * whole[:, 1] > 0).reshape(len(rows), FINE, len(rows), FINE).mean(axis=(1, 3))
            patch = gaussian_filter(210.0 - 170.0 * dark, random.uniform(0.6, 1.6))
            made[rows, columns] = patch + random.normal(scale=6.0, size=patch.shape)
        return made


def drawn(random: np.random.Generator) -> tuple[Camera, NDArray[np.float64]]:
    """A camera, and the corners of the sheet with two places on it, well apart."""
    corners = np.array([[0, 0], [SHEET[0], 0], list(SHEET), [0, SHEET[1]]], float)
    while True:
        ends = random.uniform((20, 20), (SHEET[0] - 20, SHEET[1] - 20), size=(2, 2))
        if np.hypot(*(ends[1] - ends[0])) > 50:
            return Camera(random, random.uniform(0, TILT)), np.vstack([corners, ends])


@tag("slow")
class Pictures(TestCase):
    def test_a_tilted_sheet_is_measured_as_it_is_and_as_sure_as_it_says(self) -> None:
        random = np.random.default_rng(17)
        within, worst, missed = 0, 0.0, 0.0
        for _ in range(DRAWS):
            camera, points = drawn(random)
            grey = camera.pictured(random, points)
            found = []
            for u, v in camera.px(points):
                pressed = np.array([u, v]) + random.uniform(-4, 4, 2)
                mark = settled(grey, float(pressed[0]), float(pressed[1]))
                assert mark is not None
                missed = max(missed, float(np.hypot(mark[0] - u, mark[1] - v)))
                found.append(mark)
            true = float(np.hypot(*(points[5] - points[4])))
            told_mm = SHEET[0] + random.normal(scale=0.3 / 1.645)
            sheet = Reference("sheet", tuple(found[:4]), told_mm, told_mm * SHEET[1] / SHEET[0], doubt_mm=0.3)
            exact = length_between(sheet, found[4], found[5])
            worst = max(worst, abs(exact.mm / true - 1) - 0.3 / SHEET[0])
            hands = [
                (x + dx, y + dy)
                for (x, y), (dx, dy) in zip(found, random.normal(scale=HAND_PX, size=(6, 2)), strict=True)
            ]
            by_hand = length_between(
                Reference("sheet", tuple(hands[:4]), told_mm, sheet.width_mm, 0.3), hands[4], hands[5]
            )
            within += abs(by_hand.mm - true) <= by_hand.doubt_mm
        self.assertLess(missed, 0.25)
        self.assertLess(worst, 0.005)
        self.assertAlmostEqual(within / DRAWS, 0.9, delta=0.04 if SLOW else 0.1)

    def test_two_points_straight_from_above(self) -> None:
        random = np.random.default_rng(4)
        within = 0
        for _ in range(DRAWS):
            camera = Camera(random, 0.0)
            points = np.array([[10.0, 10.0], [110.0, 15.0], [60.0, 80.0], *random.uniform(20, 130, (1, 2))])
            pixels = camera.px(points) + random.normal(scale=HAND_PX, size=(4, 2))
            long = float(np.hypot(*(points[1] - points[0])))
            reference = Reference(
                "length", (tuple(pixels[0]), tuple(pixels[1])), long + random.normal(scale=0.2 / 1.645), doubt_mm=0.2
            )
            read = length_between(reference, tuple(pixels[2]), tuple(pixels[3]))
            within += abs(read.mm - float(np.hypot(*(points[3] - points[2])))) <= read.doubt_mm
        self.assertAlmostEqual(within / DRAWS, 0.9, delta=0.04 if SLOW else 0.1)


class Planes(TestCase):
    def test_the_way_there_and_back(self) -> None:
        sheet = Reference("sheet", ((410.0, 900.0), (1300.0, 860.0), (1180.0, 300.0), (500.0, 330.0)), 210.0, 148.0)
        plane = plane_of(sheet)
        corners = np.array([[0, 0], [210, 0], [210, 148], [0, 148]], float)
        np.testing.assert_allclose(to_mm(plane, np.array(sheet.points)), corners, atol=1e-9)
        np.testing.assert_allclose(to_px(plane, corners), np.array(sheet.points), atol=1e-6)

    def test_millimetres_run_upwards_whichever_way_the_corners_were_marked(self) -> None:
        ring = [(100.0, 500.0), (800.0, 500.0), (800.0, 100.0), (100.0, 100.0)]
        for points, above in ((ring, 100.0), ([ring[0], ring[3], ring[2], ring[1]], None)):
            sides = (70.0, 40.0) if above else (40.0, 70.0)
            plane = plane_of(Reference("sheet", tuple(points), *sides))
            low, high = to_mm(plane, np.array([[450.0, 500.0], [450.0, 100.0]]))
            self.assertAlmostEqual(float(np.hypot(*(high - low))), 40.0)
            right = to_mm(plane, np.array([[800.0, 500.0]]))[0] - to_mm(plane, np.array([[100.0, 500.0]]))[0]
            turn = right[0] * (high - low)[1] - right[1] * (high - low)[0]
            self.assertGreater(turn, 0, "never mirrored")

    def test_what_is_no_reference(self) -> None:
        cases = (
            ("length", ((1.0, 1.0),), 50.0, 0.0, 0.3, "mark 2 points"),
            ("length", ((1.0, 1.0), (9.0, 9.0)), 50.0, 0.0, 0.3, "too close"),
            ("length", ((1.0, 1.0), (float("nan"), 9.0)), 50.0, 0.0, 0.3, "outside any picture"),
            ("length", ((1.0, 1.0), (900.0, 9.0)), 0.2, 0.0, 0.01, "1 mm to 10 m"),
            ("length", ((1.0, 1.0), (900.0, 9.0)), 10.0, 0.0, 5.0, "to a fifth"),
            ("sheet", ((0.0, 0.0), (500.0, 0.0), (0.0, 400.0), (500.0, 400.0)), 50.0, 40.0, 0.3, "in turn"),
            ("sheet", ((0.0, 0.0), (900.0, 0.0), (900.0, 4.0), (0.0, 4.0)), 50.0, 40.0, 0.3, "too flat"),
            ("sheet", ((0.0, 0.0), (500.0, 0.0), (500.0, 400.0), (0.0, 400.0)), 50.0, 0.0, 0.3, "1 mm to 10 m"),
        )  # fmt: skip
        for kind, points, long, wide, doubt, why in cases:
            with self.assertRaisesRegex(ValueError, why):
                Reference(kind, points, long, wide, doubt)  # type: ignore[arg-type]

    def test_what_stands_above_the_plane_reads_too_large(self) -> None:
        self.assertAlmostEqual(raised(60.0, 10.0, 400.0), 58.5)
        self.assertAlmostEqual(60.0 * (1 - 10 * growth_per_mm(400.0)), 58.5)
        with self.assertRaises(ValueError):
            raised(60.0, 400.0, 400.0)

    def test_a_bent_edge_is_seen(self) -> None:
        self.assertAlmostEqual(bend(np.array([[0.0, 0.0], [60.0, 0.4], [100.0, 0.0]])), 0.004)
        self.assertAlmostEqual(bend(np.array([[0.0, 0.0], [30.0, 30.0], [100.0, 100.0]])), 0.0)
        for few in ([[0.0, 0.0], [1.0, 1.0]], [[0.0, 0.0], [5.0, 1.0], [0.0, 0.0]]):
            with self.assertRaises(ValueError):
                bend(np.array(few))

    def test_a_caliper_corrects_and_a_slip_is_told(self) -> None:
        read = length_between(Reference("length", ((0.0, 0.0), (1000.0, 0.0)), 100.0), (0.0, 50.0), (600.0, 50.0))
        factor, doubt = by_caliper(read, 61.2)
        self.assertAlmostEqual(read.mm, 60.0)
        self.assertAlmostEqual(factor, 1.02)
        self.assertGreater(doubt, read.share)
        with self.assertRaisesRegex(ValueError, "was the same thing measured"):
            by_caliper(read, 71.0)

    def test_nothing_to_settle_on(self) -> None:
        flat = np.full((60, 60), 120.0)
        edge = np.where(np.arange(60) > 30, 200.0, 40.0) * np.ones((60, 1))
        self.assertIsNone(settled(flat, 30.0, 30.0))
        self.assertIsNone(settled(edge, 30.0, 30.0))
        self.assertIsNone(settled(edge, 2.0, 30.0))
        corner = edge.copy()
        corner[:30] = 200.0
        near = settled(corner, 33.0, 27.0)
        assert near is not None
        self.assertLess(abs(near[0] - 30.5) + abs(near[1] - 29.5), 0.5)
