"""The wiring drawing: both conductors, signs by shape, gauge, fuse, set-points; it reads in black and white."""

from __future__ import annotations

from typing import Literal

import msgspec

from hermotrope.drawings.letters import lines
from hermotrope_core.circuit.pack import flat_volts, full_volts
from hermotrope_core.hours.standing import Place
from hermotrope_core.kinds.inlets import KIND_WORDS, Connector
from hermotrope_core.know.connectors import contacts_of
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import duration, reach, stated
from hermotrope_core.values.known import number

TOP, BOTTOM = 96.0, 176.0
"""Where the plus and the minus conductor lie."""
FIRST, LAST = 150.0, 160.0
"""Room for the source on the left and for the device on the right."""
SLOT, TIGHT = 104.0, 92.0
"""Room for a part; below the second, titles stand in two rows."""
TITLE_Y, NAME_Y = 62.0, 16.0
DEVICE_WIDE, MARGIN = 146.0, 14.0
BLOCKS = ("converter", "linear", "cut-off")
"""Parts drawn across both conductors, which need no turning."""
WIDEST = 960.0
LINE_HEIGHT = 17.0


class Part(msgspec.Struct, frozen=True):
    """A stage on the drawing: what it is, where, its number in the list below."""

    number: int
    kind: str
    x: float
    title: str
    title_y: float
    detail: str
    flipped: bool
    """True where plus comes in on the lower conductor: the part is drawn upside down."""
    swaps: bool
    """True for a lead that exchanges the two."""
    topology: str = ""
    """Of a converter: whether its volts rise or fall is drawn in its block."""


class Wire(msgspec.Struct, frozen=True):
    """A stretch of both conductors between two parts; `plus` is the height of the plus."""

    left: float
    right: float
    plus: float
    minus: float
    mains: bool
    """Mains volts stand here: it is drawn as a cord, with neither plus nor minus."""


class Mark(msgspec.Struct, frozen=True):
    """A sign at an end, and the contact that carries it: plus, minus, unknown or mains."""

    y: float
    sign: Literal["plus", "minus", "unknown", "mains"]
    words: str


class Box(msgspec.Struct, frozen=True):
    """An end: its name in at most two lines above its box (with their heights), what stands in the box."""

    name: tuple[tuple[float, str], ...]
    volts: str
    connector: str


class Drawing(msgspec.Struct, frozen=True):
    """The drawing in a view box of `width` by `height`, with the list that belongs to its numbers."""

    width: float
    height: float
    parts: tuple[Part, ...]
    wires: tuple[Wire, ...]
    source: Box
    device: Box
    device_x: float
    out_marks: tuple[Mark, Mark]
    in_marks: tuple[Mark, Mark]
    lines: tuple[tuple[float, str], ...]
    words: str


class SwitchMark(msgspec.Struct, frozen=True):
    """A place where the one switch could stand: between which parts, how soon the pack is flat with it open there."""

    x: float
    at: int
    """Its place in the path as it is without a switch."""
    flat: tuple[str, str]
    """How soon, in two short lines."""


def switch_marks(case: Case, drawing: Drawing, places: tuple[Place, ...]) -> tuple[SwitchMark, ...]:
    """The places but the one where the switch stands already."""
    now = next((i for i, stage in enumerate(case.path) if stage.BY_HAND), None)
    marks = []
    for place in places:
        if place.at is None or place.at == now:
            continue
        wire = drawing.wires[place.at + (now is not None and place.at > now)]
        flat = ("never", "flat") if place.days is None else ("flat in", duration(place.days * 86400))
        marks.append(SwitchMark(round((wire.left + wire.right) / 2, 1), place.at, flat))
    return tuple(marks)


CROP_X, CROP_TOP, CROP_HIGH = 150.0, 42.0, 192.0
"""How far to both sides of a part a view of it alone reaches, where it begins and how high it is."""


def part_view(drawing: Drawing, number: int) -> str:
    """The view box that shows a part and its neighbours; 0 the source's end, one more than there are the device's."""
    places = {0: FIRST, len(drawing.parts) + 1: drawing.device_x} | {part.number: part.x for part in drawing.parts}
    left = min(max(places[number] - CROP_X, 0.0), drawing.width - 2 * CROP_X)
    return f"{left:g} {CROP_TOP:g} {2 * CROP_X:g} {CROP_HIGH:g}"


def wiring(case: Case) -> Drawing | None:
    """Lay the drawing out; None without a source."""
    source = case.source
    if source is None:
        return None
    count = len(case.path)
    slot = min(SLOT, (WIDEST - FIRST - LAST) / max(count, 1))
    swapped = False
    parts: list[Part] = []
    wires: list[Wire] = []
    left = FIRST
    for i, stage in enumerate(case.path):
        x = FIRST + slot * (i + 0.5)
        half = min(28.0, slot * 0.3)
        wires.append(_wire(left, x - half, swapped, mains=case.mains_at(i)))
        swaps = stage.turns
        kind = "cord" if case.mains_at(i) and not stage.HOLDS else stage.kind
        flipped = swapped and kind not in BLOCKS
        topology = stage.called if stage.HOLDS else ""
        title, detail = stage.title, stage.detail
        height = TITLE_Y - (LINE_HEIGHT if slot < TIGHT and i % 2 else 0.0)
        parts.append(Part(i + 1, kind, round(x, 1), title, height, detail, flipped, swaps, topology))
        swapped ^= swaps
        left = x + half
    device_x = FIRST + slot * count + (20.0 if count else 120.0)
    wires.append(_wire(left, device_x, swapped, mains=case.mains_at(count)))
    told = [f"{i + 1}  {_line(case, i)}" for i in range(count)]
    base = BOTTOM + 92.0
    width = max(device_x + LAST, 620.0)
    between = device_x + DEVICE_WIDE - MARGIN
    out, into = source.outlet, case.device.inlet
    return Drawing(
        width=width,
        height=base + LINE_HEIGHT * len(told) + 12.0,
        parts=tuple(parts),
        wires=tuple(wires),
        source=Box(_name(source.name, between), _pack(case), _end_words(out)),
        device=Box(_name(case.device.name, between), _window(case), _end_words(into)),
        device_x=round(device_x, 1),
        out_marks=_marks(out, mains=case.mains_at(0), swapped=False),
        in_marks=_marks(into, mains=case.mains_at(count), swapped=swapped),
        lines=tuple((base + LINE_HEIGHT * i, text) for i, text in enumerate(told)),
        words="; ".join([source.name, *(text[3:] for text in told), case.device.name]),
    )


def _name(name: str, room: float) -> tuple[tuple[float, str], ...]:
    """A name over half of the room between both ends, in one line above the titles of the parts or in two."""
    rows = tuple(lines(name, room / 2 - 8.0, 12.0))
    return tuple((NAME_Y + 14.0 * i, row) for i, row in enumerate(rows))


def _wire(left: float, right: float, swapped: bool, *, mains: bool) -> Wire:
    plus, minus = (BOTTOM, TOP) if swapped else (TOP, BOTTOM)
    return Wire(round(left, 1), round(max(right, left), 1), plus, minus, mains)


def _marks(connector: Connector | None, *, mains: bool, swapped: bool) -> tuple[Mark, Mark]:
    """What stands at the upper and the lower conductor of an end: no sign that nobody knows."""
    if mains:
        return Mark(TOP, "mains", "mains: as bought"), Mark(BOTTOM, "mains", "")
    names = contacts_of(connector)
    if names is None:
        return Mark(TOP, "unknown", "not known"), Mark(BOTTOM, "unknown", "measure it")
    plus = Mark(BOTTOM if swapped else TOP, "plus", _short(names[0]))
    minus = Mark(TOP if swapped else BOTTOM, "minus", _short(names[1]))
    return (minus, plus) if swapped else (plus, minus)


def _short(name: str) -> str:
    """A contact's name without how it is known."""
    return name.split(",", maxsplit=1)[0]


def _line(case: Case, at: int) -> str:
    """What the builder must know of a part, in one line."""
    stage = case.path[at]
    if case.mains_at(at) and not stage.HOLDS:
        return f"{stage.title}: a cord as bought; mains volts stand here, nothing is cut or made"
    return stage.mounted(case.place(at))


def _pack(case: Case) -> str:
    source = case.source
    assert source is not None
    if source.regulated_output is not None:
        return f"port {stated(number(source.regulated_output.output_v), 'V')}"
    return reach(flat_volts(source), full_volts(source), "V")


def _window(case: Case) -> str:
    supply = case.device.supply
    if supply.min_v is None or supply.max_v is None:
        return "window not known"
    return f"{stated(number(supply.min_v))}–{stated(number(supply.max_v), 'V')}"


def _end_words(connector: Connector | None) -> str:
    if connector is None:
        return "connector not known"
    size = (
        f" {stated(number(connector.outer_mm))} × {stated(number(connector.inner_mm))}"
        if connector.outer_mm and connector.inner_mm
        else ""
    )
    return f"{KIND_WORDS[connector.kind]}{size}"
