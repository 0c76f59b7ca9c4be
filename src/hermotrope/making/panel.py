"""The Make panel: what is made for a conversion, one part with its measures beside its drawing, and what to mind."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, get_args, get_type_hints

import msgspec
from django.http import QueryDict

from hermotrope.bench.models import Conversion
from hermotrope.drawings.solid import faces, views
from hermotrope.making.documents import asked_of, known_of, process_now
from hermotrope.making.lists import read_printing
from hermotrope.making.models import MadePart, MeasuredPart
from hermotrope.making.plan import volts_of
from hermotrope_core.make.made import MAKERS, made
from hermotrope_core.make.measured import MAKES, Read
from hermotrope_core.make.process import MATERIALS, PRINTING, Process
from hermotrope_core.make.shape import Remark, Shape, gravest_first
from hermotrope_core.make.sizes import SIZES, Asked
from hermotrope_core.make.sureness import fits, of_volts, remarks
from hermotrope_core.values.figures import duration, figure, fixed, stated
from hermotrope_core.values.liking import pointed
from hermotrope_core.values.quantity import show
from hermotrope_core.values.whole import MOST_KEY, whole_number

LISTS = {
    "holes": ("Holes of the board", "x, y, across in mm: 3 3 3; 41 19 3"),
    "contacts": ("Contacts", "x from the entry, y from the middle, long, thick, in mm: 50 -12 8 0.8; 50 12 8 0.8"),
    "names": ("Which contact is what", "in the same order, as your meter says: +; −"),
    "cuts": ("Cut-outs", "part, x, y in mm: jack 25 30; or x, y, across: 25 30 11.2"),
}
"""Parameters that are lists, with what may be typed."""
WORDS = {
    "lid": ("Lid", {"screws": "screwed, at four corners", "snaps": "snaps in"}),
    "role": ("Role", {"fed": "fed by a wire", "through": "connected from end to end", "insulating": "a filler"}),
}
BY = {"caliper": "caliper", "picture": "picture", "typed": "typed", "usual": "usual, not measured"}


def make_context(conversion: Conversion, query: QueryDict, typed: Mapping[str, str]) -> dict[str, Any]:
    """Everything of the panel; `typed` is a form that was refused."""
    rows = list(conversion.made_parts.select_related("measured").defer("measured__picture"))
    wanted = whole_number(query.get("part", ""), MOST_KEY)
    chosen = next((one for one in rows if one.pk == wanted), rows[-1] if rows else None)
    sources = MeasuredPart.objects.defer("picture", "past", "document")
    return {
        "made_rows": rows,
        "made_now": None if chosen is None else _chosen(chosen, typed),
        "makers": [(maker.key, maker.title, maker.about) for maker in MAKERS.values()],
        "measured_parts": [(one.pk, one.name, MAKERS[MAKES[one.kind]].title.lower()) for one in sources],
        "process": _process(process_now(), typed),
        "made_error": typed.get("error", "") if _placeless(typed, chosen) else "",
    }


def _placeless(typed: Mapping[str, str], chosen: MadePart | None) -> bool:
    """Whether a refusal has no field beside which it can be said."""
    form = typed.get("form", "")
    if form == "made-set" and chosen is not None:
        return typed.get("name", "") not in MAKERS[chosen.kind].asked.__struct_fields__
    return form in ("made-begin", "made-undo", "made-printed")


def _chosen(row: MadePart, typed: Mapping[str, str]) -> dict[str, Any]:
    try:
        asked, known = asked_of(row), known_of(row)
        process = process_now()
        shape = made(row.kind, asked, process)
    except ValueError as error:
        return {"row": row, "unreadable": str(error)}
    return {
        "row": row,
        "maker": MAKERS[row.kind],
        **_fields(row, asked, known, typed),
        **told(row, shape, process),
        "views": views(shape),
        "faces": faces(shape),
        "faces_id": f"faces-{row.pk}",
        "undoes": row.past[-1]["label"] if row.past else "",
    }


def minded(row: MadePart, shape: Shape) -> list[Remark]:
    """Everything to mind of a part, the gravest first: its volts, how sure its fit is, what its maker says."""
    most_v, mains = volts_of(row.conversion.case)
    return gravest_first([
        *of_volts(row.kind, most_v, mains=mains),
        *remarks(row.kind, asked_of(row), known_of(row), placed="contacts" in row.values),
        *shape.remarks,
    ])  # fmt: skip


def told(row: MadePart, shape: Shape, process: Process) -> dict[str, Any]:
    """What to mind of a part, and what it takes of material and time."""
    found = minded(row, shape)
    volumes = {piece.name: float(piece.solid.volume()) for piece in shape.pieces}
    whole = sum(volumes.values())
    sizes = [piece.solid.bounding_box() for piece in shape.pieces]
    return {
        "remarks": found,
        "stopped": any(one.level == "stop" for one in found),
        "pieces": [
            (piece.name, " × ".join(stated(box[i + 3] - box[i], "", 4) for i in range(3)), f"piece-{k}.stl")
            for k, (piece, box) in enumerate(zip(shape.pieces, sizes, strict=True))
        ],
        "grams": figure(process.grams(whole), "g", 2) if whole else "",
        "lasts": duration(process.seconds(whole)) if whole else "",
        "material": process.of.name,
        "flat": bool(shape.flats),
    }


def _fields(row: MadePart, asked: Asked, known: Mapping[str, Read], typed: Mapping[str, str]) -> dict[str, Any]:
    """The parameters in three groups: what must fit, lists and choices, the rest."""
    refused = typed.get("name", "") if typed.get("form") == "made-set" and typed.get("part") == str(row.pk) else ""
    values = msgspec.structs.asdict(asked)
    numbers, choices, lists = [], [], []
    hints, met = get_type_hints(type(asked)), fits(row.kind, asked)
    for name, value in values.items():
        error = typed.get("error", "") if name == refused else ""
        field = {"name": name, "id": f"m-{row.pk}-{name}", "error": error}
        if name in LISTS:
            term, example = LISTS[name]
            text = typed["text"] if error else _list_text(name, value)
            lists.append(field | {"term": term, "text": text, "example": example})
        elif name in WORDS:
            term, words = WORDS[name]
            options = [(one, words[one], one == value) for one in get_args(hints[name])]
            choices.append(field | {"term": term, "options": options})
        else:
            size, read = SIZES[name], known.get(name)
            how = "" if name not in met else BY[read.by] if read else BY["usual"]
            doubt = _doubt(read) if read else ""
            text = typed["text"] if error else show(value, size.unit)
            numbers.append(
                field
                | {"term": size.term, "help": size.help, "text": text, "how": how, "doubt": doubt, "unit": size.unit}
            )
    return {"numbers": sorted(numbers, key=lambda one: not one["how"]), "choices": choices, "lists": lists}


def _doubt(read: Read) -> str:
    if read.by == "usual":
        return ""
    return f"± {fixed(read.doubt_mm, 2)} mm{' if by caliper' if read.by == 'typed' else ''}"


def _list_text(name: str, value: Any) -> str:
    if name == "names":
        return "; ".join(value)
    if name == "cuts":
        return "; ".join(_cut_text(msgspec.to_builtins(cut)) for cut in value)
    return "; ".join(" ".join(pointed(f"{number:g}") for number in one) for one in value)


def _cut_text(cut: dict[str, Any]) -> str:
    sizes = [cut["across_mm"]] if cut["across_mm"] else [one for one in (cut["long_mm"], cut["wide_mm"]) if one]
    return " ".join(
        [*([cut["part"]] if cut["part"] else []), *(pointed(f"{one:g}") for one in (cut["x"], cut["y"], *sizes))]
    )


def _process(process: Process, typed: Mapping[str, str]) -> dict[str, Any]:
    """The printing form."""
    refused = typed.get("form") == "printing"
    errors = read_printing(typed)[1] if refused else {}
    rows = [
        (name, size, typed.get(name, "") if refused else show(getattr(process, name), size.unit), errors.get(name, ""))
        for name, size in PRINTING.items()
    ]
    material = typed.get("material") if refused else process.material
    materials = [(key, one.name, key == material) for key, one in MATERIALS.items()]
    return {
        "rows": rows,
        "materials": materials,
        "refused": refused,
        "error": typed["error"] if refused and not errors else "",
    }
