"""A wall adapter from its label: one that holds its volts, or one that gives more the less is drawn."""

from __future__ import annotations

import re

import msgspec

from hermotrope_core.circuit.pack import rated_volts
from hermotrope_core.know.intake import MOST_UNREGULATED_RISE, UNREGULATED_RISE
from hermotrope_core.know.label import NUM, LabelError, figure_of, said, typical
from hermotrope_core.know.printed import Printed
from hermotrope_core.plan.source import RegulatedOutput, Source
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import Known, maybe, number

_UNREGULATED = re.compile(r"\b(?:un|not\s|non)-?(?:regulated|stabili[sz]ed)\b", re.IGNORECASE)
_REGULATED = re.compile(r"\b(?:regulated|stabili[sz]ed|switch(?:ing|[\s-]?mode)|smps)\b", re.IGNORECASE)
_IDLE = r"(?:unloaded|idle|open|no[\s-]load|nothing\s+connected)"
_UNLOADED = re.compile(rf"{NUM}\s*V\s*(?:when\s+|at\s+|with\s+)?{_IDLE}\b|\b{_IDLE}\s*:?\s*{NUM}\s*V\b", re.IGNORECASE)
READ_IDLE = Known(value=0.0, known_by="measured", note="read with nothing connected")
Wall = tuple[Source, tuple[str, ...]]
"""An adapter, and what was taken for granted."""


def wall_adapter(name: str, read: Printed) -> Wall:
    """An adapter as a source. Raises LabelError for alternating current and without volts (or needed amperes)."""
    first = read.outlets[0]
    if first.volts is None:
        raise LabelError("an adapter's volts are needed, for example OUTPUT 12V 1.5A")
    if any("alternating" in doubt for doubt in read.doubts):
        raise LabelError("it gives alternating current: nothing here can be fed from it but the device it came with")
    if _UNREGULATED.search(name):
        return _unregulated(name, first.volts, first.amps)
    held = RegulatedOutput(
        output_v=said(first.volts),
        efficiency=Known(value=0.99, known_by="typical", note="its losses come from the mains"),
        quiescent_w=0.0,
        output_current_max_a=said(first.amps) if first.amps is not None else None,
    )
    source = msgspec.structs.replace(steady_source(name, first.volts), regulated_output=held)
    idle = f"one that is not regulated gives about {figure(UNREGULATED_RISE * first.volts, 'V')} while it is idle"
    assumed = () if _REGULATED.search(name) else (f"it is regulated: measure its volts with nothing connected, {idle}",)
    return source, assumed


def _unregulated(name: str, volts: float, amps: float | None) -> Wall:
    """A transformer and a rectifier: its label is what it gives at its rated amperes, idle it gives more.

    Between the two its volts are taken to fall in proportion to the current.
    """
    if amps is None:
        raise LabelError("the amperes of an unregulated adapter are needed: its volts fall with them")
    read = _UNLOADED.search(name)
    idle = figure_of(read[1] or read[2]) if read else round(UNREGULATED_RISE * volts, 2)
    if not volts <= idle <= MOST_UNREGULATED_RISE * volts:
        raise LabelError(f"an adapter labelled {volts:g} V does not give {idle:g} V unloaded: measure again")
    known = msgspec.structs.replace(typical(0.0), note="not regulated") if read is None else READ_IDLE
    fall = known if read is None else said(0.0)  # it comes of the label's volts and amperes too, which nobody read
    source = msgspec.structs.replace(
        steady_source(name, idle),
        stated_at_v=said(volts),
        full_v=msgspec.structs.replace(known, value=idle),
        resistance_ohm=msgspec.structs.replace(fall, value=round((idle - volts) / amps, 4)),
        max_current_a=said(amps),
    )
    guess = f"it gives {figure(idle, 'V')} with nothing connected, a typical share more than its label: measure it"
    return source, (() if read else (guess,))


def steady_source(name: str, volts: float) -> Source:
    """What does not run down, at some volts."""
    return Source(
        name=name,
        chemistry="mains-adapter",
        cells_in_series=1,
        capacity_ah=1,
        resistance_ohm=0,
        cutoff_v=0,
        ocv=((0.0, volts), (1.0, volts)),
        full_v=volts,
    )


def adapter_line(adapter: Source) -> str:
    """Volts and amperes of an adapter in a line."""
    port = adapter.regulated_output
    volts = number(port.output_v) if port else rated_volts(adapter)
    most = maybe(port.output_current_max_a if port else adapter.max_current_a)
    idle = "" if port else f"{figure(maybe(adapter.full_v) or volts, 'V')} with nothing connected, "
    at = "amperes not told" if most is None else f"{'at most' if port else 'at'} {figure(most, 'A')}"
    return f"{idle}{figure(volts, 'V')}, {at}"
