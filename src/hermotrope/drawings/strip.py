"""The small feed line of the Bench: pack, path, device; a gap where it is refused, dashes where open."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from hermotrope_core.judge.findings import Finding
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import stated

LEFT, RIGHT = 44.0, 496.0


class Mark(msgspec.Struct, frozen=True):
    """A stage on the small line: `x` its middle."""

    kind: str
    x: float
    text: str = ""


class Strip(msgspec.Struct, frozen=True):
    """A view box of 560 by 84. `broken` is where the conductor is refused; `open` without a pack."""

    marks: tuple[Mark, ...]
    broken: float | None
    care: tuple[float, ...]
    open: bool
    unsure: bool


def small_line(case: Case, findings: Sequence[Finding], unsure: bool) -> Strip:
    """Lay out the small line; `unsure` marks a device about which something is missing."""
    count = len(case.path)
    slot = (RIGHT - LEFT) / (count or 1)
    marks = []
    for i, stage in enumerate(case.path):
        kind = stage.kind
        held = stated(stage.held_v, "V") if isinstance(stage, Holding) else ""
        marks.append(Mark(kind, LEFT + slot * (i + 0.5), held))
    places = {i: mark.x for i, mark in enumerate(marks)}
    places[-1], places[count] = LEFT, RIGHT
    refused = [f.stage for f in findings if f.level in ("refuse", "stop")]
    careful = sorted({f.stage for f in findings if f.level == "care"})
    broken = None
    if refused:
        first = min(refused)
        here = places[first]
        before = places.get(first - 1, LEFT)
        broken = (here + before) / 2 if first >= 0 else LEFT + min(26.0, slot / 4)
    care = tuple(min(max(places[stage], LEFT + 24), RIGHT - 24) for stage in careful)
    return Strip(tuple(marks), broken, care, case.source is None, unsure)
