"""A test slice: the thin ring or comb that proves a fit in minutes, before the whole is printed."""

from __future__ import annotations

from manifold3d import Manifold

from hermotrope_core.make.shape import Piece, Shape

HIGH_MM = 2.8


def slices(shape: Shape) -> tuple[Piece, ...]:
    """A slice of each piece, flat on the bed: across the section's axis where there is one to fit, else its foot."""
    made = []
    for piece in shape.pieces:
        axis, at = shape.cut
        if axis == "x":
            slab_ = piece.solid.translate((HIGH_MM / 2.0 - at, 0.0, 0.0))
            cut = slab_.trim_by_plane((1.0, 0.0, 0.0), 0.0).trim_by_plane((-1.0, 0.0, 0.0), -HIGH_MM)
            flat = cut.rotate((0.0, -90.0, 0.0))
        else:
            top = piece.solid.bounding_box()[5]
            flat = piece.solid.trim_by_plane((0.0, 0.0, 1.0), top - HIGH_MM)
        made.append(Piece(f"test slice of the {piece.name}", _on_bed(flat)))
    return tuple(made)


def _on_bed(solid: Manifold) -> Manifold:
    low = solid.bounding_box()[2]
    return solid.translate((0.0, 0.0, -low))
