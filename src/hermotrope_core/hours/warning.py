"""What warns in the field: volts for a sticker at the pack, and how long before the end an alarm sounds."""

from __future__ import annotations

from itertools import pairwise

import msgspec

from hermotrope_core.circuit.discharge import Run
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.hours.job import charge_at
from hermotrope_core.plan.device import Mode

WARN_BEFORE_S = (1800.0, 3600.0)
CLOSE_SOC = 1e-6


class FieldWarning(msgspec.Struct, frozen=True):
    """What a meter at the pack shows so many seconds before this run ends: at rest, lightest and heaviest mode."""

    before_s: float
    soc: float
    rest_v: float
    light_v: float | None
    heavy_v: float | None


def field_warnings(situation: Situation, followed: Run) -> tuple[FieldWarning, ...]:
    """Volts at the pack's terminals at the end of this very run and some time before it, for a sticker and an alarm.

    `followed` is the run with its marks. Half an hour and an hour before the end; shorter where the run is short.
    """
    light, heavy = situation.lightest, situation.heaviest
    total = followed.runtime_s
    before = (0.0, *WARN_BEFORE_S) if total > 2.0 * WARN_BEFORE_S[-1] else (0.0, total / 8.0, total / 4.0)
    found = []
    for seconds in before:
        soc = charge_at(followed, total - seconds)
        at = situation.pack_v(light, soc), situation.pack_v(heavy, soc)
        found.append(FieldWarning(seconds, soc, situation.circuit.emf(soc), *at))
    return tuple(found)


class Alarm(msgspec.Struct, frozen=True):
    """An alarm of the line: its place and volts, and when it sounds in the lightest and in the heaviest mode.

    Seconds before the end of the run; 0 where the run ends before it sounds.
    """

    stage: int
    called: str
    warns_v: float
    light_s: float
    heavy_s: float


def alarms(situation: Situation, followed: Run) -> tuple[Alarm, ...]:
    """Every alarm that sees the pack run down. `followed` is the run with its marks."""
    found = []
    for i, stage in situation.seeing:
        warns = stage.warns_below_v
        if warns is not None:
            light, heavy = (
                _left(situation, followed, i, mode, warns) for mode in (situation.lightest, situation.heaviest)
            )
            found.append(Alarm(i, stage.called, warns, light, heavy))
    return tuple(found)


def _left(situation: Situation, followed: Run, stage: int, mode: Mode, warns: float) -> float:
    """Seconds of the run that are left once the volts at a stage have fallen to `warns` in a mode."""

    def sounds(soc: float) -> bool:
        volts = situation.volts_into(stage, mode, soc)
        return volts is not None and volts <= warns

    low, high = followed.final_soc, situation.circuit.start_soc
    if not sounds(low):
        return 0.0
    if sounds(high):
        return followed.runtime_s
    while high - low > CLOSE_SOC:
        middle = 0.5 * (low + high)
        low, high = (middle, high) if sounds(middle) else (low, middle)
    return followed.runtime_s - _reached(followed, low)


def _reached(followed: Run, soc: float) -> float:
    """Seconds after which a run with marks has come down to a charge."""
    for before, after in pairwise(followed.marks):
        if before.soc >= soc > after.soc:
            return before.seconds + (after.seconds - before.seconds) * (before.soc - soc) / (before.soc - after.soc)
    return followed.runtime_s
