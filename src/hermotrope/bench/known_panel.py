"""What the device's panel begins with: all that is known of it, drawn, and the forms that take more."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from hermotrope.drawings.known import DrawBar, Known, draws_of, window_of
from hermotrope.entry.evidence import Filled, blank, kept
from hermotrope_core.kinds.inlets import Connector, fixed_by_standard, knows_sign, mains_like
from hermotrope_core.know.connectors import connector_words
from hermotrope_core.know.evidence import worked_out
from hermotrope_core.know.plain_words import questions_of
from hermotrope_core.plan.device import Device, Mode

NOTHING_SAID = Known()


@dataclass(frozen=True)
class Piece:
    """One piece of evidence as it is shown: its form filled in, and its bar on the axis of volts."""

    filled: Filled
    bar: Known
    on: str
    note: str

    @property
    def doubt_words(self) -> str:
        return "Trust it again" if self.filled.doubted else "Doubt it"


@dataclass(frozen=True)
class Draw:
    """A mode's bar, and the field that a press on it opens."""

    bar: DrawBar
    field: str


def known_context(device: Device, typed: Mapping[str, str]) -> dict[str, Any]:
    """Window, draws, pieces of evidence and the forms for more; `typed` is what a refused form held."""
    worked = worked_out(device.evidence)
    window = window_of(device, worked.lines)
    forms = kept(device.evidence, tuple(line.problem for line in worked.lines), typed)
    bars = window.bars if window else (NOTHING_SAID,) * len(forms)
    return {
        "window": window,
        "pieces": [
            Piece(form, bar, one.on or "", one.note or "")
            for form, bar, one in zip(forms, bars, device.evidence, strict=True)
        ],
        "blanks": blank(typed),
        "draws": [Draw(bar, _field(device.modes[bar.index], bar.index)) for bar in draws_of(device)],
        "inlet_words": _inlet_words(device.inlet),
        "contradicts": worked.told,
        "word_questions": questions_of(device),
    }


def _inlet_words(inlet: Connector | None) -> str:
    """The inlet in words, with what is still to be measured of it."""
    if inlet is None:
        return "how is it fed? Its connector is not known"
    asks = not (mains_like(inlet) or fixed_by_standard(inlet) or (inlet.measured and knows_sign(inlet)))
    return connector_words(inlet) + (": polarity to be measured" if asks else "")


def _field(mode: Mode, index: int) -> str:
    return f"f-device-modes-{index}-{Mode.OWN[mode.kind].replace('_', '-')}"
