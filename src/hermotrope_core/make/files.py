"""Made parts as files: STL and 3MF for the printer, SVG and DXF for the cutter. All in millimetres.

The libraries that write them take forty megabytes and a second: this module is read in when a file is asked for.
"""

from __future__ import annotations

from io import StringIO
from typing import cast

import msgspec
import numpy as np
import trimesh
from ezdxf import units
from ezdxf.filemanagement import new
from manifold3d import CrossSection, JoinType

from hermotrope_core.make.shape import Flat, Piece, reach


def meshed(piece: Piece) -> trimesh.Trimesh:
    """The piece as triangles, as it lies on the bed."""
    mesh = piece.solid.to_mesh()
    return trimesh.Trimesh(np.asarray(mesh.vert_properties)[:, :3], np.asarray(mesh.tri_verts), process=False)


def stl(piece: Piece) -> bytes:
    """Binary STL of one piece."""
    return cast(bytes, meshed(piece).export(file_type="stl"))


def threemf(pieces: tuple[Piece, ...]) -> bytes:
    """3MF with every piece by its name, side by side on the bed."""
    scene, along = trimesh.Scene(), 0.0
    for piece in pieces:
        x0, y0, z0, x1, _, _ = piece.solid.bounding_box()
        mesh = meshed(piece)
        mesh.apply_translation((along - x0, -y0, -z0))
        mesh.units = "mm"
        scene.add_geometry(mesh, geom_name=piece.name, node_name=piece.name)
        along += x1 - x0 + 10.0
    scene.units = "mm"
    return cast(bytes, scene.export(file_type="3mf"))


def kerfed(flats: tuple[Flat, ...], kerf_mm: float) -> tuple[Flat, ...]:
    """Outlines moved by half a kerf: the first one, which is the part's edge, outwards, what is cut out of it inwards."""
    if kerf_mm == 0.0:
        return flats
    made = []
    for i, flat in enumerate(flats):
        out = kerf_mm / 2.0 if i == 0 else -kerf_mm / 2.0
        if not flat.cut:
            made.append(flat)
        elif flat.across_mm:
            made.append(msgspec.structs.replace(flat, across_mm=max(flat.across_mm + 2.0 * out, 0.05)))
        else:
            moved = CrossSection([flat.ring]).offset(out, JoinType.Miter).to_polygons()
            made += [msgspec.structs.replace(flat, ring=tuple((float(x), float(y)) for x, y in ring)) for ring in moved]
    return tuple(made)


def dxf(flats: tuple[Flat, ...]) -> str:
    """DXF R2010 with the layers CUT and MARK."""
    drawing = new("R2010", units=units.MM)
    drawing.layers.add("CUT", color=1)
    drawing.layers.add("MARK", color=5)
    space = drawing.modelspace()
    for flat in flats:
        layer = {"layer": "CUT" if flat.cut else "MARK"}
        if flat.across_mm:
            space.add_circle(flat.centre, flat.across_mm / 2.0, dxfattribs=layer)
        else:
            space.add_lwpolyline(flat.ring, close=flat.cut, dxfattribs=layer)
    out = StringIO()
    drawing.write(out)
    return out.getvalue()


def svg(flats: tuple[Flat, ...]) -> str:
    """SVG in true size, its y turned so that it looks as it is drawn."""
    low_x, low_y, high_x, high_y = reach(flats)
    wide, high = high_x - low_x, high_y - low_y
    lines = []
    for flat in flats:
        colour = "#c00" if flat.cut else "#00c"
        style = f'fill="none" stroke="{colour}" stroke-width="0.1"'
        if flat.across_mm:
            x, y = flat.centre[0] - low_x, high_y - flat.centre[1]
            lines.append(f'<circle cx="{x:.4f}" cy="{y:.4f}" r="{flat.across_mm / 2:.4f}" {style}/>')
        else:
            way = "L".join(f"{x - low_x:.4f} {high_y - y:.4f}" for x, y in flat.ring)
            lines.append(f'<path d="M{way}{"Z" if flat.cut else ""}" {style}/>')
    head = f'<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.4f}mm" height="{high:.4f}mm"'
    return f'{head} viewBox="0 0 {wide:.4f} {high:.4f}">\n' + "\n".join(lines) + "\n</svg>\n"


def file_name(title: str, name: str) -> str:
    """A file's name from the part's: letters, digits and hyphens."""
    words = "".join(c if c.isascii() and c.isalnum() else "-" for c in f"{title} {name}".lower())
    return "-".join(filter(None, words.split("-")))[:80] or "part"
