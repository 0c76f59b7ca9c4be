"""Small parts of the line from their print: a switch, a cut-off, a voltmeter or alarm, a dock."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from hermotrope_core.kinds.stages import Stage
from hermotrope_core.know.dock_print import dock_facts, dock_of
from hermotrope_core.know.meter_print import meter_facts, meter_of
from hermotrope_core.know.switch_print import switch_facts, switch_of

_FACTS: dict[str, Callable[[Any], list[tuple[str, str]]]] = {
    "voltmeter": meter_facts,
    "lead": dock_facts,
    "switch": switch_facts,
    "cut-off": switch_facts,
}


def line_part(label: str) -> tuple[Stage, tuple[str, ...]] | None:
    """The part of the line that a print names, and what was taken for granted; None where it is a source or a board.

    Raises LabelError where a figure that the part cannot do without is not told.
    """
    return meter_of(label) or switch_of(label) or dock_of(label)


def line_facts(part: Stage) -> list[tuple[str, str]]:
    """What was read of a part, in rows of a term and its words."""
    return _FACTS[part.kind](part)


def line_word(part: Stage) -> str:
    """What it is, with its article."""
    called = "dock" if part.kind == "lead" else part.called
    return f"{'an' if called[0] in 'aeiou' else 'a'} {called}"
