"""Where the proving stands: each gate open, passed, failed, waived or locked by an earlier one."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Literal

import msgspec

from hermotrope_core.prove.gate import Ask, Gate
from hermotrope_core.prove.judge import Judgement, judge

State = Literal["open", "passed", "failed", "waived", "locked"]


STATE_WORDS: dict[State, str] = {
    "passed": "passed", "failed": "failed", "open": "to do", "waived": "waived", "locked": "locked",
}  # fmt: skip


class Reading(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A reading as taken: which ask, its value in that unit, when (ISO 8601), by what, on which hardware."""

    ask: str
    value: float
    taken_at: str
    by: str
    basis: str


class Waiver(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A gate that somebody goes past without passing it, with the reason."""

    gate: str
    reason: str
    given_at: str
    by: str
    basis: str


class AskState(msgspec.Struct, frozen=True):
    """A reading that is asked for, the newest one taken of it, and its judgement."""

    ask: Ask
    reading: Reading | None
    judgement: Judgement | None
    stale: bool
    """True where a reading was taken before the hardware of the plan changed: it does not count."""


class Progress(msgspec.Struct, frozen=True):
    """A gate with its state."""

    gate: Gate
    state: State
    asks: tuple[AskState, ...]
    waiver: Waiver | None
    locked_by: str


def newest(readings: Iterable[Reading]) -> dict[str, Reading]:
    """The last reading of each ask, in the order in which they came: a clock that was put back overrules nothing."""
    return {one.ask: one for one in readings}


def progress(made: Sequence[Gate], readings: Iterable[Reading], waivers: Iterable[Waiver]) -> tuple[Progress, ...]:
    """Every gate in order. A gate is locked while one before it is neither passed nor waived."""
    latest = newest(readings)
    given = {one.gate: one for one in waivers}
    rows: list[Progress] = []
    locked_by = ""
    for gate in made:
        asks = tuple(_state(ask, latest.get(ask.key), gate.basis) for ask in gate.asks)
        waiver = given.get(gate.key)
        if waiver is not None and (gate.must_pass or waiver.basis != gate.basis):
            waiver = None
        state = _gate_state(asks, waiver)
        if locked_by:
            state = "locked"
        rows.append(Progress(gate, state, asks, waiver, locked_by))
        if state not in ("passed", "waived") and not locked_by:
            locked_by = gate.title
    return tuple(rows)


def _state(ask: Ask, reading: Reading | None, basis: str) -> AskState:
    stale = reading is not None and reading.basis != basis
    counts = reading is not None and not stale
    return AskState(ask, reading, judge(ask, reading.value) if reading is not None and counts else None, stale)


def _gate_state(asks: tuple[AskState, ...], waiver: Waiver | None) -> State:
    levels = [one.judgement.level if one.judgement else None for one in asks]
    if waiver is not None:
        return "waived"
    if "stop" in levels or "fail" in levels:
        return "failed"
    needed = [level for one, level in zip(asks, levels, strict=True) if not one.ask.optional]
    return "passed" if all(level is not None for level in needed) else "open"


def refusal_of(rows: Sequence[Progress], ask_key: str) -> str:
    """Why a reading cannot be taken now; empty where it can."""
    for row in rows:
        if any(one.ask.key == ask_key for one in row.asks):
            return f"not before “{row.locked_by}” has passed" if row.state == "locked" else ""
    return "this plan does not ask for that reading"


def proved(rows: Sequence[Progress]) -> bool:
    """Whether every gate has passed or was waived."""
    return bool(rows) and all(row.state in ("passed", "waived") for row in rows)
