"""A drill template: the cut-outs of a panel at their places, to be printed 1:1 and stuck on."""

from __future__ import annotations

import msgspec

from hermotrope_core.make.process import Process
from hermotrope_core.make.shape import Dim, Flat, Label, Remark, Shape
from hermotrope_core.make.sizes import Asked

CROSS_MM = 4.0
MOST_CUTS = 40


class Panel(msgspec.Struct, frozen=True):
    """A part that sits in a panel: a round hole, or a rectangle."""

    name: str
    across_mm: float = 0.0
    long_mm: float = 0.0
    wide_mm: float = 0.0


PANEL_PARTS = {
    "jack": Panel("barrel jack, threaded", 11.0),
    "jack-small": Panel("barrel jack, small thread", 8.0),
    "fuse": Panel("fuse holder for a panel", 12.5),
    "toggle": Panel("toggle switch", 6.5),
    "rocker": Panel("rocker switch", long_mm=19.2, wide_mm=12.9),
    "meter": Panel("voltmeter with a display", long_mm=45.5, wide_mm=26.5),
    "usb": Panel("round USB socket", 29.0),
    "lead": Panel("lead with its bush", 8.0),
    "led": Panel("5 mm light", 5.1),
}
"""Holes as parts of this kind are usually sold; one's own part is measured before anything is cut."""


class Cut(msgspec.Struct, frozen=True):
    """A cut-out at its place in millimetres from the panel's lower left corner."""

    part: str
    x: float
    y: float
    across_mm: float = 0.0
    long_mm: float = 0.0
    wide_mm: float = 0.0

    def __post_init__(self) -> None:
        if self.part and self.part not in PANEL_PARTS:
            raise ValueError(f"{self.part} is no part of a panel")
        if not all(0.0 <= one <= 600.0 for one in (self.x, self.y, self.across_mm, self.long_mm, self.wide_mm)):
            raise ValueError("a cut-out's measures are from 0 to 600 mm")
        if not self.part and self.across_mm == 0.0 and 0.0 in (self.long_mm, self.wide_mm):
            raise ValueError("say how large the cut-out is, or which part sits in it")

    @property
    def size(self) -> Panel:
        """Its own measures where they are stated, else those of its part."""
        own = Panel("own", self.across_mm, self.long_mm, self.wide_mm)
        return own if self.across_mm or (self.long_mm and self.wide_mm) else PANEL_PARTS[self.part]


class Template(Asked, frozen=True):
    """A panel and its cut-outs."""

    panel_l_mm: float = 100.0
    panel_w_mm: float = 60.0
    cuts: tuple[Cut, ...] = (Cut("jack", 25.0, 30.0), Cut("toggle", 70.0, 30.0))

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.cuts) > MOST_CUTS:
            raise ValueError(f"a template takes up to {MOST_CUTS} cut-outs")


def shape(asked: Template, process: Process) -> Shape:
    """Flat outlines alone: the panel's edge, every cut-out, and a cross in the middle of each."""
    long, wide = asked.panel_l_mm, asked.panel_w_mm
    flats = [Flat(_rectangle(0.0, 0.0, long, wide))]
    for cut in asked.cuts:
        size = cut.size
        if size.across_mm:
            flats.append(Flat(centre=(cut.x, cut.y), across_mm=size.across_mm))
        else:
            flats.append(
                Flat(_rectangle(cut.x - size.long_mm / 2, cut.y - size.wide_mm / 2, size.long_mm, size.wide_mm))
            )
        flats.append(Flat(((cut.x - CROSS_MM, cut.y), (cut.x + CROSS_MM, cut.y)), cut=False))
        flats.append(Flat(((cut.x, cut.y - CROSS_MM), (cut.x, cut.y + CROSS_MM)), cut=False))
    dims = [Dim("plan", (0.0, 0.0), (long, 0.0), "long"), Dim("plan", (0.0, 0.0), (0.0, wide), "wide")]
    labels = [Label((cut.x, cut.y), PANEL_PARTS[cut.part].name if cut.part else "own") for cut in asked.cuts]
    return Shape((), tuple(flats), tuple(dims), tuple(labels), remarks=tuple(_remarks(asked)))


def _rectangle(x: float, y: float, long: float, wide: float) -> tuple[tuple[float, float], ...]:
    return ((x, y), (x + long, y), (x + long, y + wide), (x, y + wide))


def _reach(cut: Cut) -> tuple[float, float, float, float]:
    size = cut.size
    half_l, half_w = (size.across_mm or size.long_mm) / 2, (size.across_mm or size.wide_mm) / 2
    return cut.x - half_l, cut.y - half_w, cut.x + half_l, cut.y + half_w


def _remarks(asked: Template) -> list[Remark]:
    made = []
    boxes = [_reach(cut) for cut in asked.cuts]
    if not asked.cuts:
        made.append(Remark("stop", "No cut-out is named yet."))
    if any(x0 < 0 or y0 < 0 or x1 > asked.panel_l_mm or y1 > asked.panel_w_mm for x0, y0, x1, y1 in boxes):
        made.append(Remark("stop", "A cut-out runs over the panel’s edge."))
    for i, a in enumerate(boxes):
        if any(a[0] < b[2] and b[0] < a[2] and a[1] < b[3] and b[1] < a[3] for b in boxes[i + 1 :]):
            made.append(Remark("stop", "Two cut-outs meet: move one of them."))
            break
    if any(cut.part and not (cut.across_mm or cut.long_mm) for cut in asked.cuts):
        made.append(Remark("care", "Holes are as such parts are usually sold: measure your own part before you cut."))
    made.append(
        Remark("care", "Look behind the panel before you drill, and take the cells out: a drill knows no wires.")
    )
    made.append(Remark("note", "Print at 100 %, measure the ruler, stick it on, centre-punch the crosses."))
    return made
