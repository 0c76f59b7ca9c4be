"""The duty as a ribbon: modes over time, once around, with ends that can be dragged, and the sums beside it."""

from __future__ import annotations

import msgspec

from hermotrope.drawings import letters
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.duty_sums import duty_sums
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import rated_watts
from hermotrope_core.values.clock import clock_time
from hermotrope_core.values.figures import duration, figure
from hermotrope_core.values.known import number

WIDTH = 820.0
TOP, BOTTOM = 8.0, 50.0
SIZE, MARGIN = 12.0, 8.0
CLOCK_WIDTH = 46.0
"""Room for a time of day."""


class Stretch(msgspec.Struct, frozen=True):
    """One segment: its place, its mode, and how high its watts stand on the ribbon."""

    index: int
    x: float
    width: float
    y: float
    mode: str
    words: str
    shade: int
    seconds: float


class Ribbon(msgspec.Struct, frozen=True):
    """Segments 820 wide from y = 2, 56 high and 68 with a clock: times of day along it, if the duty has a start."""

    stretches: tuple[Stretch, ...]
    edges: tuple[tuple[int, float, float], ...]
    """(segment before it, x, seconds of that segment)."""
    clock: tuple[tuple[float, str], ...]
    total_s: float
    words: str


def ribbon(case: Case) -> Ribbon | None:
    """Lay the ribbon out; None without a duty."""
    repeat = case.duty.repeat
    total = case.duty.seconds
    if not repeat or total <= 0.0:
        return None
    rated = number(case.device.supply.nominal_v or 12.0)
    by_name = {mode.name: mode for mode in case.device.modes}
    watts = {name: rated_watts(mode, rated) for name, mode in by_name.items()}
    most = max([watts[segment.mode] for segment in repeat] + [1e-9])
    shades = {name: i % 4 for i, name in enumerate(by_name)}
    stretches, edges, clock = [], [], []
    x = at = 0.0
    for i, segment in enumerate(repeat):
        lasts = number(segment.seconds)
        width = WIDTH * lasts / total
        height = 12.0 + (BOTTOM - TOP - 12.0) * (watts[segment.mode] / most) ** 0.5
        stretches.append(
            Stretch(
                i,
                round(x, 1),
                round(width, 1),
                round(BOTTOM - height, 1),
                segment.mode,
                _words(segment.mode, duration(lasts), width - MARGIN),
                shades[segment.mode],
                lasts,
            )
        )
        if case.duty.start:
            clock.append((round(x, 1), clock_time(case.duty.start, at)))
        x, at = x + width, at + lasts
        edges.append((i, round(x, 1), lasts))
    said = ", then ".join(f"{segment.mode} for {duration(number(segment.seconds))}" for segment in repeat)
    return Ribbon(tuple(stretches), tuple(edges), _apart(clock), total, said)


def _words(mode: str, lasts: str, room: float) -> str:
    """As much as a stretch has room for: its mode and how long it lasts, its mode, or nothing."""
    whole = f"{mode} {lasts}"
    return next((words for words in (whole, mode) if letters.width(words, SIZE) <= room), "")


def _apart(clock: list[tuple[float, str]]) -> tuple[tuple[float, str], ...]:
    """Times that do not run into each other."""
    kept: list[tuple[float, str]] = []
    for x, text in clock:
        if x + CLOCK_WIDTH <= WIDTH and (not kept or x - kept[-1][0] > CLOCK_WIDTH):
            kept.append((x, text))
    return tuple(kept)


def sums_of(situation: Situation) -> list[tuple[str, str]]:
    """What the duty takes at the inlet, and what the path makes of it: whatever pack it is."""
    sums = duty_sums(situation)
    if sums is None:
        return []
    rows = [
        ("mean at the inlet", figure(sums.mean_w, "W")),
        ("heaviest mode", figure(sums.heaviest_w, "W")),
        ("the programme" if situation.case.duty.once else "once around", duration(sums.seconds)),
        ("takes at the inlet", f"{figure(sums.inlet_wh, 'Wh')}, {figure(sums.inlet_ah, 'Ah')}"),
    ]
    if sums.pack_wh is not None and sums.pack_ah is not None:
        rows.append(("from the pack’s cells", f"{figure(sums.pack_wh, 'Wh')}, {figure(sums.pack_ah, 'Ah')}"))
    return rows
