"""The one definition of the domain: a conversion from pack to device, as frozen, validated values.

The JSON document, the database column, the forms and the command line all use these types. Units
are in the names. A document may be unfinished (no pack yet, a mode nobody has measured): the types
allow that, and `questions` names what is open. Whatever computes asks for a finished one.
"""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal

import msgspec

from hermotrope_core.kinds.inlets import mains_like
from hermotrope_core.kinds.stage import Place
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.plan.codes import Code
from hermotrope_core.plan.device import Device, Mode, rated_watts
from hermotrope_core.plan.duty import Conditions, Duty, Segment
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.upgrade import CASE
from hermotrope_core.values.known import Value, maybe, number

FORMAT = CASE.current
MOST_STAGES = 40

PlanOn = Literal["duty", "typical", "maximum"]


class Choice(Value, frozen=True):
    """A finding that somebody accepts on purpose, with the reason and, if stated, who."""

    code: Code
    reason: str
    by: str | None = None

    def __post_init__(self) -> None:
        super().__post_init__()
        if not self.reason.strip():
            raise ValueError("reason must not be empty")


class Case(Value, frozen=True):
    """One conversion."""

    format: str
    title: str
    device: Device
    source: Source | None = None
    path: tuple[Stage, ...] = ()
    duty: Duty = Duty()
    conditions: Conditions = Conditions()
    accepted: tuple[Code, ...] = ()
    choices: tuple[Choice, ...] = ()
    plan_on: PlanOn = "duty"

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.path) > MOST_STAGES:
            raise ValueError(f"path has more than {MOST_STAGES} stages")
        held = self.source is None or self.source.holds
        for i, stage in enumerate(self.path):
            held = held or stage.HOLDS
            if stage.KEEPS_AWAKE and not held:
                why = "is a keep-alive load: it belongs behind a bank, an adapter or a converter"
                raise ValueError(f"path[{i}].stage {why}")
        self.duty.check_modes({mode.name for mode in self.device.modes})

    def place(self, i: int) -> Place:
        """Where the stage at path index `i` stands."""
        first = not any(isinstance(one, type(self.path[i])) for one in self.path[:i])
        return Place(i, first, self.mains_at(i), self.mains_at(i + 1))

    def alternating_at(self, gap: int) -> bool:
        """Whether an inverter feeds path[gap] directly (the device, where `gap` is the path's length): mains volts."""
        held = [stage for stage in self.path[:gap] if stage.HOLDS]
        return bool(held) and held[-1].alternating

    def mains_at(self, gap: int) -> bool:
        """Whether mains volts stand, or may come, at path[gap] (the device, where `gap` is the path's length).

        Behind an inverter, before a mains inlet, behind a mains outlet: nothing there is probed, cut, made or given
        a plus and a minus.
        """
        held = [i for i, stage in enumerate(self.path) if stage.HOLDS]
        inlet, outlet = self.device.inlet, self.source.outlet if self.source else None
        first, last = not any(i < gap for i in held), not any(i >= gap for i in held)
        to_mains = last and inlet is not None and mains_like(inlet)
        from_mains = first and outlet is not None and mains_like(outlet)
        return self.alternating_at(gap) or to_mains or from_mains

    def duty_modes(self) -> tuple[Mode, ...]:
        """The modes that the duty uses, in the order of the device."""
        used = {segment.mode for segment in self.duty.repeat}
        return tuple([mode for mode in self.device.modes if mode.name in used])

    def other_modes(self) -> tuple[Mode, ...]:
        """The modes with a known draw that the device has, the duty does not use, and that may still come on."""
        used = {segment.mode for segment in self.duty.repeat}
        return tuple(m for m in self.device.modes if m.name not in used and not m.never_used and m.draw is not None)


def at_temperature(case: Case, celsius: float | None) -> Case:
    """The case at another temperature than it is planned for (°C): at the bench, say. None leaves it as planned."""
    if celsius is None or celsius == number(case.conditions.temperature_c):
        return case
    conditions = msgspec.structs.replace(case.conditions, temperature_c=celsius, temperature_by_h=None)
    return msgspec.structs.replace(case, conditions=conditions)


def planned(case: Case) -> Case:
    """The case under what it is planned on: its duty, or its typical or its greatest draw all the time.

    Where no mode is marked, the typical one is the mode that the duty spends most time in, and the
    greatest the one with most watts at the rated volts, in the duty or not.
    """
    known = [mode for mode in case.device.modes if mode.draw is not None]
    if case.plan_on == "duty" or not known:
        return case
    chosen = next((mode for mode in known if mode.stands_for == case.plan_on), None)
    if chosen is None and case.plan_on == "maximum":
        rated = maybe(case.device.supply.nominal_v) or 1.0
        chosen = max(known, key=lambda mode: rated_watts(mode, rated))
    if chosen is None:
        spent = {mode.name: 0.0 for mode in known}
        for segment in case.duty.repeat:
            spent[segment.mode] = spent.get(segment.mode, 0.0) + number(segment.seconds)
        chosen = max(known, key=lambda mode: spent[mode.name])
    return msgspec.structs.replace(case, duty=Duty(repeat=(Segment(mode=chosen.name, seconds=3600.0),)))


class Question(msgspec.Struct, frozen=True):
    """Something a finished case must state and this one does not: where, and what to ask."""

    place: str
    ask: str


def questions(case: Case) -> Iterator[Question]:
    """Yield what is still open, from the device outwards; nothing for a finished case."""
    supply = case.device.supply
    asks = {
        "min_v": "At how many volts does it stop working?",
        "nominal_v": "What volts is it rated for?",
        "max_v": "What is the highest voltage it is known to stand?",
    }
    for name, ask in asks.items():
        if getattr(supply, name) is None:
            yield Question(f"device.supply.{name}", ask)
    if not case.device.modes:
        yield Question("device.modes", "What does it draw?")
    for i, mode in enumerate(case.device.modes):
        if mode.draw is None:
            yield Question(f"device.modes[{i}].{mode.OWN[mode.kind]}", f"What does it draw in “{mode.name}”?")
    for i, mode in enumerate(case.device.modes):
        if mode.kind in Mode.ALSO and mode.at_v is None:
            yield Question(f"device.modes[{i}].at_v", f"At how many volts does “{mode.name}” draw that?")
        if mode.kind == "led" and mode.fade_v is None:
            yield Question(f"device.modes[{i}].fade_v", f"At how many volts is “{mode.name}” dark?")
    if case.source is None:
        yield Question("source", "Which pack should feed it?")
    if not case.duty.repeat:
        yield Question("duty.repeat", "Which modes run, and for how long each?")
