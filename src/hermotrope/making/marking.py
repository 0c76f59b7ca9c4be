"""The page of a measured part: its marks over the picture, with their lengths, and what is known of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from hermotrope.entry.typed import without_place
from hermotrope.making.documents import measured_of
from hermotrope.making.models import MeasuredPart
from hermotrope_core.make.made import MAKERS
from hermotrope_core.make.measured import MAKES, ROLES, TYPED, Found, Mark, Measured, Read, found, outline_px
from hermotrope_core.make.sizes import SIZES
from hermotrope_core.photo.doubt import growth_per_mm
from hermotrope_core.photo.plane import REFERENCE_DOUBT_MM, SHEETS, USUAL_SHEET, Reference
from hermotrope_core.values.figures import fixed, stated
from hermotrope_core.values.quantity import show

LARGEST_BYTES = 20_000_000


def marking_context(row: MeasuredPart, typed: Mapping[str, str]) -> dict[str, Any]:
    """Everything of the page; `typed` is a form that was refused."""
    context: dict[str, Any] = {"row": row, "typed": typed, "error": typed.get("error", "")}
    try:
        part = measured_of(row)
    except ValueError as error:
        return context | {"unreadable": without_place(error)}
    known = found(part)
    return context | {
        "part": part,
        "marks": [_drawn(i, mark) for i, mark in enumerate(part.marks)],
        "outline_path": _way(ring, closed=True) if (ring := outline_px(part)) else "",
        "reference": _reference(part.reference, typed),
        "reference_path": _way(part.reference.points, closed=True) if part.reference else "",
        "roles": [(key, role) for key, role in ROLES.items() if part.kind in role.of],
        "rows": [_row(part, name, known, typed) for name in TYPED[part.kind]],
        "lengths": [(name, told(read)) for name, read in known.lengths],
        "holes": [(fixed(x, 1), fixed(y, 1), fixed(across, 1)) for x, y, across in known.holes],
        "contacts": [
            (name, fixed(x, 1), fixed(y, 1), fixed(long, 1))
            for name, (x, y, long, _) in zip(known.names, known.contacts, strict=True)
        ],
        "trimmer": _trimmer(known),
        "scale": "" if known.scale == 1.0 else f"{fixed(100 * (known.scale - 1), 1)} %",
        "remarks": known.remarks,
        "per_mm": f"{fixed(100 * growth_per_mm(part.distance_mm), 2)} %",
        "makes": MAKERS[MAKES[part.kind]].title.lower(),
        "sheets": "; ".join(f"{name} {stated(long)} by {stated(wide, 'mm')}" for name, (long, wide) in SHEETS.items()),
        "undoes": row.past[-1]["label"] if row.past else "",
        "above": show(part.above_mm, "mm"),
        "distance": show(part.distance_mm, "mm"),
    }


def told(read: Read) -> str:
    """A measure with its doubt."""
    return f"{fixed(read.mm, 1)} ± {fixed(read.doubt_mm, 1 if read.doubt_mm >= 0.1 else 2)} mm"


def _row(part: Measured, name: str, known: Found, typed: Mapping[str, str]) -> dict[str, Any]:
    read = known.reads.get(name)
    error = typed.get("error", "") if typed.get("form") == "measured-caliper" and typed.get("name") == name else ""
    text = typed["text"] if error else show(part.caliper[name], "mm") if name in part.caliper else ""
    return {
        "name": name,
        "term": SIZES[name].term,
        "help": SIZES[name].help,
        "text": text,
        "told": "" if read is None or read.by == "caliper" else told(read),
        "error": error,
    }


def _reference(reference: Reference | None, typed: Mapping[str, str]) -> dict[str, str]:
    """What the form of the reference holds: what was typed, what is kept, or a usual sheet."""
    long, wide = SHEETS[USUAL_SHEET]
    sizes = {"length": long, "width": wide, "doubt": REFERENCE_DOUBT_MM}
    if reference is not None:
        sizes |= {"length": reference.length_mm, "width": reference.width_mm or wide, "doubt": reference.doubt_mm}
    return {name: typed.get(name) or show(mm, "mm") for name, mm in sizes.items()}


def _trimmer(known: Found) -> str:
    x, y = known.reads.get("trimmer_x_mm"), known.reads.get("trimmer_y_mm")
    return f"{fixed(x.mm, 1)}, {fixed(y.mm, 1)} mm" if x and y else ""


def _points(points: tuple[tuple[float, float], ...]) -> str:
    return "; ".join(f"{x:g} {y:g}" for x, y in points)


def _way(points: tuple[tuple[float, float], ...], closed: bool = False) -> str:
    return "M" + "L".join(f"{x:g} {y:g}" for x, y in points) + ("Z" if closed and len(points) > 2 else "")


def _drawn(at: int, mark: Mark) -> dict[str, Any]:
    x, y = mark.points[-1]
    return {
        "at": at,
        "role": mark.role,
        "term": ROLES[mark.role].term + (f" {mark.name}" if mark.name else ""),
        "points": _points(mark.points),
        "dots": mark.points,
        "path": _way(mark.points),
        "x": x,
        "y": y,
    }
