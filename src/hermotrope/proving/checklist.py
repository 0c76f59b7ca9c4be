"""Parts with what one has and what they cost, and steps with their ticks, notes and pictures."""

from __future__ import annotations

from typing import Any

from hermotrope.bench.build_panel import ends_to_make
from hermotrope.bench.models import Conversion
from hermotrope.drawings.wiring import part_view, wiring
from hermotrope.proving.bench import Workshop
from hermotrope.proving.models import PartMark
from hermotrope.shelf.models import Item
from hermotrope.shelf.parts import Part
from hermotrope_core.build import PartLine, Step, parts_list
from hermotrope_core.values.figures import duration
from hermotrope_core.values.known import maybe

BOUGHT_BY = (
    "rating_a",
    "topology",
    "output_v",
    "area_mm2",
    "length_m",
    "trips_v",
    "warns_v",
    "resistance_ohm",
    "output_current_max_a",
)
"""The figures by which a part is bought."""
LOOKED_THROUGH = 400
"""Parts of the shelf among which those of a case are looked for."""


def parts_context(conversion: Conversion) -> dict[str, Any]:
    """The parts list: own or buy and the price as marked, else as the shelf has it; the sums."""
    marks = {row.key: row for row in PartMark.objects.filter(conversion=conversion)}
    shelf = [(item, item.readable()) for item in _looked_through(conversion)]
    rows = []
    for line in parts_list(conversion.case):
        mark = marks.get(line.key)
        item = _on_shelf(conversion, line, shelf)
        owned = item is not None and item.have != Item.Have.MAYBE
        have = mark.have if mark is not None and mark.have else ("own" if owned else "buy")
        price = mark.price if mark is not None and mark.price is not None else line.price
        if price is None and item is not None:
            price = item.price
        rows.append(
            {
                "line": line,
                "have": have,
                "price": price,
                "shelf": item.name if item else "",
                "total": None if price is None else price * line.count,
            }
        )
    to_buy = [row for row in rows if row["have"] == "buy"]
    return {
        "parts": rows,
        "to_buy": len(to_buy),
        "sum_buy": sum(row["total"] for row in to_buy if row["total"] is not None),
        "sum_all": sum(row["total"] for row in rows if row["total"] is not None),
        "unpriced": sum(row["total"] is None for row in to_buy),
    }


def _looked_through(conversion: Conversion) -> list[Item]:
    """What of the shelf the parts of a case may be: the pack by its name; of their kinds what one has first."""
    source = conversion.case.source
    packs = Item.objects.filter(kind="source", part__name=source.name)[:1] if source else ()
    named = {"converter": "converter", "lead": "lead", "fuse": "fuse"}
    kinds = {named.get(stage.kind, "stage") for stage in conversion.case.path}
    return [*packs, *Item.objects.filter(kind__in=kinds).at_hand_first()[:LOOKED_THROUGH]]


def _on_shelf(conversion: Conversion, line: PartLine, shelf: list[tuple[Item, Part]]) -> Item | None:
    """The entry of the shelf that a line is: the same pack by name, the same stage by its figures."""
    if line.is_source and conversion.case.source is not None:
        return next(
            (
                item
                for item, part in shelf
                if item.kind == "source" and getattr(part, "name", "") == conversion.case.source.name
            ),
            None,
        )
    if line.part is None:
        return None
    same = (item for item, part in shelf if part == line.part)
    wanted = [(name, _figure(line.part, name)) for name in BOUGHT_BY]
    kind = type(line.part)
    alike = (
        item
        for item, part in shelf
        if type(part) is kind and all(_figure(part, name) == figure for name, figure in wanted)
    )
    return next(same, None) or next(alike, None)  # what one has stands first on the shelf


def _figure(part: Part, name: str) -> str | float | None:
    value = getattr(part, name, None)
    return value if isinstance(value, str) else maybe(value)


def steps_context(conversion: Conversion, now: str = "") -> dict[str, Any]:
    """The steps with their ticks, notes and pictures; open is `now` (a key), or the first that is not done."""
    pictures: dict[str, list[Any]] = {}
    for row in conversion.photos.defer("image"):
        pictures.setdefault(row.step, []).append(row)
    marked = Workshop(conversion).marked
    now = now or next((one.step.key for one in marked if not one.done), "")
    rows = [
        {
            "step": one.step,
            "mark": one.mark,
            "done": one.done,
            "changed": one.changed,
            "photos": pictures.get(one.step.key, []),
            "now": one.step.key == now,
        }
        for one in marked
    ]
    left = sum(one.step.minutes for one in marked if not one.done)
    return {
        "steps": rows,
        "steps_done": sum(row["done"] for row in rows),
        "minutes_left": duration(60 * left) if left else "",
    }


def where_to_do(conversion: Conversion, rows: list[dict[str, Any]]) -> dict[str, Any]:
    """For each step which part of the wiring it is about and the view of it, and the ends that it makes."""
    case = conversion.case
    drawing = wiring(case)
    if drawing is None:
        return {"steps": rows}
    ends = {f"end-{where}": made for where, made in ends_to_make(case).items()}
    outer = {"end-source": 0, "end-device": len(drawing.parts) + 1}
    whole = f"0 0 {drawing.width:g} {drawing.height:g}"
    for row in rows:
        step: Step = row["step"]
        part = outer.get(step.key) if step.stage is None else step.stage + 1
        row |= {"part": part, "view": whole if part is None else part_view(drawing, part), "end": ends.get(step.key)}
    now = next((row for row in rows if row["now"]), None)
    return {
        "steps": rows,
        "now_view": now["view"] if now else whole,
        "now_part": now["part"] if now else None,
    }
