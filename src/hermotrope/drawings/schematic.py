"""The path as a schematic with standard symbols, drawn by schemdraw as SVG in black."""

from __future__ import annotations

from html import escape
from typing import cast

import schemdraw
from schemdraw import elements as elm

from hermotrope_core.kinds.stages import Stage
from hermotrope_core.plan.case import Case

schemdraw.use("svg")
UNIT, HEIGHT = 2.6, 4.0
"""Length of a symbol with its leads, and the distance between the conductors, in schemdraw's units."""
LONGEST_NAME = 26
SYMBOLS = {"fuse": elm.Fuse, "switch": elm.Switch, "changeover": elm.Switch, "diode": elm.Diode, "lead": elm.Line}
"""The symbol of a kind in the plus conductor; a resistor for what has none of its own."""


def schematic(case: Case) -> str:
    """SVG text: pack at the left, stages along the top, device at the right. Raises ValueError without a pack."""
    source = case.source
    if source is None:
        raise ValueError("choose a pack first")
    drawing = schemdraw.Drawing(show=False, unit=UNIT, fontsize=11, margin=1.0)
    drawing += (pack := elm.Battery().up().reverse().length(HEIGHT).label(_short(source.name), loc="top"))
    drawing += elm.Line().right().at(pack.end).length(0.8).label("+", loc="top")
    back = pack.start
    for i, stage in enumerate(case.path):
        back = _draw(drawing, stage, back, _signs(case, i))
    drawing += elm.Line().right().length(0.8)
    drawing += (load := elm.RBox().down().length(HEIGHT).label(_short(case.device.name), loc="bottom"))
    minus = "" if case.mains_at(len(case.path)) else "−"
    drawing += elm.Line().left().at(load.end).tox(back).label(minus, loc="bottom")
    if back != pack.start:
        drawing += elm.Dot(radius=0.01).at(back)
    return str(drawing.get_imagedata("svg").decode())


Signs = tuple[tuple[str, str], tuple[str, str]]
"""What the poles of a part are called: plus and minus at its input, then at its output."""


def _signs(case: Case, at: int) -> Signs:
    """Mains volts have neither plus nor minus."""
    into, out = (("~", "~") if case.mains_at(gap) else ("+", "−") for gap in (at, at + 1))
    return into, out


def _draw(drawing: schemdraw.Drawing, stage: Stage, back: tuple[float, float], signs: Signs) -> tuple[float, float]:
    """Draw a stage on from where the drawing stands; where the return conductor goes on from."""
    words = _safe(f"{stage.title}\n{stage.detail}".strip())
    if stage.FOUR_POLES:
        return _block(drawing, words, back, signs)
    if stage.shunt_a:
        _across(drawing, words)
        return back
    drawing += SYMBOLS.get(stage.kind, elm.Resistor)().right().label(words)
    if stage.turns:
        drawing += elm.Line().right().length(1.2).label("plus and minus\nswap here", loc="bottom")
    return back


def _across(drawing: schemdraw.Drawing, words: str) -> None:
    """A load across both conductors."""
    drawing += elm.Line().right().length(0.8)
    drawing += elm.Dot()
    drawing.push()
    drawing += elm.Resistor().down().length(HEIGHT).label(words, loc="bottom")
    drawing += elm.Dot()
    drawing.pop()
    drawing += elm.Line().right().length(1.6)


def _block(drawing: schemdraw.Drawing, words: str, back: tuple[float, float], signs: Signs) -> tuple[float, float]:
    """A part with four poles: in at the left, out at the right."""
    (in_plus, in_minus), (out_plus, out_minus) = signs
    pins = [
        elm.IcPin(name=in_minus, side="left", anchorname="in_minus"),
        elm.IcPin(name=in_plus, side="left", anchorname="in_plus"),
        elm.IcPin(name=out_minus, side="right", anchorname="out_minus"),
        elm.IcPin(name=out_plus, side="right", anchorname="out_plus"),
    ]
    block = elm.Ic(pins=pins, pinspacing=HEIGHT, leadlen=0.4, edgepadW=1.2).anchor("in_plus").label(words)
    drawing += block
    drawing += elm.Line().left().at(block.in_minus).tox(back)
    drawing += elm.Line().right().at(block.out_plus).length(0.4)
    return cast(tuple[float, float], block.out_minus)


def _short(text: str) -> str:
    return _safe(text if len(text) <= LONGEST_NAME else text[: LONGEST_NAME - 1] + "…")


def _safe(text: str) -> str:
    """Text that is neither markup nor mathematics to the library."""
    return escape(text.replace("$", "＄"), quote=True)
