"""A made part as a drawing: from above and cut through, with the measures that matter; and as faces to be shaded."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
import numpy as np
from numpy.typing import NDArray

from hermotrope_core.make.shape import Dim, Label, Piece, Shape, reach
from hermotrope_core.values.figures import fixed

WIDE, HIGH = 420.0, 250.0
ROOM = 34.0
"""Around the part, for its measures."""
APART_MM = 14.0
"""How far a lid is lifted off its box in the shaded view."""
PLAN_AT = 0.62
"""Share of a part's height at which it is cut to be seen from above."""
CROSS_MM = 4.0
"""Arms of the crosses by which tiles are laid to each other: half of each lies on its neighbour."""
NEAR_MM, FAR_MM = 0.05, 0.6
"""Just over the floor, and just inside the far wall: what is seen behind a cut."""


Place = Callable[[Any], NDArray[np.float64]]
"""From points of the part, in millimetres, to points of the drawing: shape (n, 2)."""


class Measure(msgspec.Struct, frozen=True):
    """A dimension line with its ticks and its words."""

    path: str
    x: float
    y: float
    words: str
    name: str
    upright: bool


class View(msgspec.Struct, frozen=True):
    """One view: what is cut (hatched), what is seen behind it, and the measures."""

    title: str
    cut: str
    behind: str
    measures: tuple[Measure, ...]
    labels: tuple[tuple[float, float, str], ...] = ()
    width: float = WIDE
    height: float = HIGH


def views(shape: Shape) -> tuple[View, ...]:
    """From above and through the middle; a template from above alone."""
    if not shape.pieces:
        return (_flat_view(shape),)
    base = shape.pieces[0].placed
    low, high = base.bounding_box()[2], base.bounding_box()[5]
    plan_cut = base.slice(low + PLAN_AT * (high - low)).to_polygons()
    plan_behind = base.slice(low + NEAR_MM).to_polygons()
    upright = [_upright(piece, shape.cut) for piece in shape.pieces]
    section = [ring for solid in upright for ring in solid.slice(0.0).to_polygons()]
    seen = [ring for solid in upright for ring in solid.slice(solid.bounding_box()[2] + FAR_MM).to_polygons()]
    return (
        _view("From above", plan_cut, plan_behind, [one for one in shape.dims if one.view == "plan"], shape.labels),
        _view("Cut through", section, seen, [one for one in shape.dims if one.view == "section"]),
    )


def _upright(piece: Piece, cut: tuple[str, float]) -> Any:
    """The solid turned so that one looks along the section's axis: across is x, up is y."""
    solid = piece.placed
    if cut[0] == "x":
        solid = solid.rotate((0.0, 0.0, -90.0))  # y becomes x, x becomes -y
        return solid.translate((0.0, cut[1], 0.0)).rotate((-90.0, 0.0, 0.0))
    return solid.translate((0.0, -cut[1], 0.0)).rotate((-90.0, 0.0, 0.0))


def _view(title: str, cut: list[Any], behind: list[Any], dims: list[Dim], labels: tuple[Label, ...] = ()) -> View:
    points = np.vstack([*cut, *behind]) if cut or behind else np.zeros((1, 2))
    (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
    scale = min((WIDE - 2 * ROOM) / max(x1 - x0, 1.0), (HIGH - 2 * ROOM) / max(y1 - y0, 1.0))
    high = round(scale * (y1 - y0) + 2 * ROOM, 1)
    left, top = (WIDE - scale * (x1 - x0)) / 2, ROOM

    def place(points: Any) -> NDArray[np.float64]:
        """Where points of the part lie on the drawing, shape (n, 2)."""
        ends = np.atleast_2d(np.asarray(points, float))
        return np.column_stack([left + scale * (ends[:, 0] - x0), top + scale * (y1 - ends[:, 1])]).round(1)

    frame = (left, top, left + scale * (x1 - x0), top + scale * (y1 - y0))
    measures = tuple(_measure(one, place, frame, i) for i, one in enumerate(dims))
    words = []
    for label in labels:
        x, y = place(label.at)[0].tolist()
        words.append((x, y, label.words))
    return View(title, _path(cut, place), _path(behind, place), measures, tuple(words), height=high)


def _path(rings: list[Any], place: Place) -> str:
    return "".join(f"M{'L'.join([f'{x:g} {y:g}' for x, y in place(ring).tolist()])}Z" for ring in rings)


def _measure(dim: Dim, place: Place, frame: tuple[float, float, float, float], turn: int) -> Measure:
    """A line beside the part: below it for lengths, at its right for heights; one further out than the other."""
    (ax, ay), (bx, by) = place((dim.a, dim.b)).tolist()
    upright = abs(by - ay) > abs(bx - ax)
    long = float(np.hypot(dim.b[0] - dim.a[0], dim.b[1] - dim.a[1]))
    words = fixed(long, 1)
    out = 13.0 + 11.0 * (turn // 2 % 2)
    if upright:
        x = frame[2] + out if turn % 2 == 0 or ax > (frame[0] + frame[2]) / 2 else frame[0] - out
        path = f"M{x:g} {ay:g}V{by:g}M{x - 3:g} {ay:g}h6M{x - 3:g} {by:g}h6"
        return Measure(path, round(x, 1), round((ay + by) / 2, 1), words, dim.name, True)
    y = frame[3] + out
    path = f"M{ax:g} {y:g}H{bx:g}M{ax:g} {y - 3:g}v6M{bx:g} {y - 3:g}v6"
    return Measure(path, round((ax + bx) / 2, 1), round(y - 2, 1), words, dim.name, False)


def _flat_view(shape: Shape) -> View:
    """A template: its outlines as they are printed."""
    rings = []
    for flat in shape.flats:
        if flat.across_mm:
            turn = np.linspace(0.0, 2.0 * np.pi, 48, endpoint=False)
            rings.append(np.column_stack([np.cos(turn), np.sin(turn)]) * flat.across_mm / 2 + np.array(flat.centre))
        else:
            rings.append(np.array(flat.ring))
    return _view("From above", [], rings, list(shape.dims), shape.labels)


def faces(shape: Shape) -> dict[str, Any] | None:
    """Corners (hundredths of a millimetre) and triangles of every piece, a lid lifted off; None for what is flat."""
    if not shape.pieces:
        return None
    corners: list[int] = []
    triangles: list[int] = []
    for piece in shape.pieces:
        solid = piece.placed.translate((0.0, 0.0, APART_MM if piece.turned else 0.0))
        mesh = solid.to_mesh()
        triangles += (np.asarray(mesh.tri_verts) + len(corners) // 3).ravel().tolist()
        corners += np.round(np.asarray(mesh.vert_properties)[:, :3] * 100.0).astype(int).ravel().tolist()
    return {"corners": corners, "triangles": triangles}


def true_size(shape: Shape, page: tuple[float, float]) -> dict[str, Any]:
    """The flat outlines in millimetres, tiled over pages of a size: each tile's corner, and the paths."""
    x0, y0, x1, y1 = reach(shape.flats)
    wide, high = page
    tiles = [
        (round(x0 + i * wide, 3), round(-y1 + k * high, 3))
        for k in range(int(np.ceil((y1 - y0) / high - 1e-9)) or 1)
        for i in range(int(np.ceil((x1 - x0) / wide - 1e-9)) or 1)
    ]
    lines = []
    for flat in shape.flats:
        if flat.across_mm:
            lines.append({"circle": (flat.centre[0], -flat.centre[1], flat.across_mm / 2.0), "cut": flat.cut})
        else:
            way = "L".join(f"{x:.3f} {-y:.3f}" for x, y in flat.ring)
            lines.append({"path": f"M{way}{'Z' if flat.cut else ''}", "cut": flat.cut})
    corners = "".join(
        f"M{x + dx - CROSS_MM:.3f} {y + dy:.3f}h{2 * CROSS_MM:g}M{x + dx:.3f} {y + dy - CROSS_MM:.3f}v{2 * CROSS_MM:g}"
        for x, y in tiles
        for dx in (0.0, wide)
        for dy in (0.0, high)
    )
    return {"tiles": tiles, "lines": lines, "corners": corners if len(tiles) > 1 else "", "wide": wide, "high": high}
