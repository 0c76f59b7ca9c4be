"""Knowing a device from what it ran on: its cells or its adapter give a first supply window.

What the original source reached, the device has survived; where it was flat, it stopped. Each limit
that is inferred says so in its note. A limit that is known better is kept, and the difference told.
"""

from __future__ import annotations

import msgspec

from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.evidence import MOST_ADAPTER_V, MOST_CELLS
from hermotrope_core.plan.spread import known_by
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import Known, KnownBy, number

UNREGULATED_RISE = 1.4
"""Unloaded volts of an unregulated adapter over its label (typical): the peak of the rectified wave."""
MOST_UNREGULATED_RISE = 2.0
"""More than this over its label no adapter reads unloaded: it is another one, or was misread (ours)."""
REGULATED_SLACK = 0.05
"""A regulated adapter holds its volts within this share (typical)."""
RANK: dict[KnownBy, int] = {"measured": 0, "datasheet": 1, "label": 2, "typical": 3, "guess": 4}
DISAGREE = 0.02
"""Two statements of one limit that differ by more than this share are told."""


class Original(msgspec.Struct, frozen=True):
    """What the device ran on: volts fresh or unloaded, as labelled, and flat or at the bottom."""

    words: str
    full_v: Known
    nominal_v: Known
    flat_v: Known


def from_cells(chemistry: str, count: int) -> Original:
    """The window of so many cells in series. Raises ValueError for an unknown chemistry or count."""
    if chemistry not in CHEMISTRIES:
        raise ValueError(f"{chemistry!r} is no chemistry")
    if not 1 <= count <= MOST_CELLS:
        raise ValueError(f"1 to {MOST_CELLS} cells in series")
    cell = CHEMISTRIES[chemistry]
    words = f"{count} {cell.label.split(',')[0].split(' (')[0].lower()} cell{'s' if count > 1 else ''}"

    def limit(volts: float, state: str) -> Known:
        note = f"inferred: {count} × {volts:g} V, {words} {state}"
        return Known(value=round(count * volts, 3), known_by="typical", note=note)

    fresh, rated, flat = limit(cell.full_v, "fresh"), limit(cell.nominal_v, "as labelled"), limit(cell.cutoff_v, "flat")
    return Original(words, fresh, rated, flat)


def from_adapter(volts: float, *, regulated: bool, unloaded_v: float | None = None) -> Original:
    """The window of a DC adapter; its unloaded volts, if measured, replace the typical rise.

    Raises ValueError for volts that no adapter gives. An AC adapter says nothing about direct
    current: that is refused where the question is asked.
    """
    if not 0 < volts <= MOST_ADAPTER_V:
        raise ValueError("an adapter's volts are above 0 and at most 120")
    if unloaded_v is not None and unloaded_v < 0.8 * volts:
        raise ValueError(f"an adapter labelled {volts:g} V does not read {unloaded_v:g} V unloaded: measure again")
    kind = "regulated" if regulated else "unregulated"
    words = f"{'a' if regulated else 'an'} {kind} adapter labelled {volts:g} V"
    if unloaded_v is not None:
        top = Known(value=unloaded_v, known_by="measured", note=f"inferred: {words}, unloaded")
    else:
        rise = 1 + REGULATED_SLACK if regulated else UNREGULATED_RISE
        note = f"inferred: {words} reads about this unloaded"
        top = Known(value=round(volts * rise, 3), known_by="typical", note=note)
    bottom = round(volts * (1 - (REGULATED_SLACK if regulated else 0.15)), 3)
    return Original(
        words,
        top,
        Known(value=volts, known_by="label", note=words),
        Known(value=bottom, known_by="guess", note=f"inferred: {words} under load; it may well work below"),
    )


def replaced_note(old: object, value: float, how: KnownBy) -> str | None:
    """What to keep in the note of a limit that is stated anew: what it said before, and who is surer."""
    if not isinstance(old, int | float | Known) or abs(number(old) - value) <= DISAGREE * abs(value):
        return None
    before = f"{figure(number(old), 'V')} ({known_by(old)})"
    if RANK[how] < RANK[known_by(old)]:
        return f"replaces {before}"
    return f"contradicts {before}, which was known {'better' if RANK[how] > RANK[known_by(old)] else 'as well'}"
