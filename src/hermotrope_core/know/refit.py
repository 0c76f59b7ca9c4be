"""A case whose device is known by other evidence than before: what followed from the former follows from the new."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from hermotrope_core.know.evidence import LIMITS, MODES_DIFFER, worked_out
from hermotrope_core.know.intake import DISAGREE, RANK
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import Mode, Supply
from hermotrope_core.plan.duty import Duty, Segment
from hermotrope_core.plan.evidence import Evidence
from hermotrope_core.plan.spread import known_by
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import Number, number


class Refit(msgspec.Struct, frozen=True):
    """A case with other evidence, and what there is to tell of it."""

    case: Case
    told: tuple[str, ...]


def refitted(case: Case, evidence: Sequence[Evidence]) -> Refit:
    """The case with this evidence in place of the former: what followed from the former follows from it now.

    What somebody typed into a field stays, unless the evidence knows it better; either is told.
    """
    device = case.device
    told: list[str] = []
    before, after = worked_out(device.evidence), worked_out(evidence)
    told += after.told
    told += [line.problem for line in after.lines if line.problem]
    supply = _refitted_supply(device.supply, before.supply, after.supply, told)
    modes = _refitted_modes(case, before.modes, after.modes, told)
    names = {mode.name for mode in modes}
    output = device.output_mode if device.output_mode in names else None
    made = msgspec.structs.replace(device, evidence=tuple(evidence), supply=supply, modes=modes, output_mode=output)
    duty = case.duty
    if modes and not names.issuperset(segment.mode for segment in duty.repeat):
        turns = tuple(
            segment if segment.mode in names else msgspec.structs.replace(segment, mode=modes[-1].name)
            for segment in duty.repeat
        )
        duty = msgspec.structs.replace(duty, repeat=turns)
    if not duty.repeat and modes:
        duty = Duty(repeat=(Segment(mode=modes[0].name, seconds=3600.0),))
    return Refit(msgspec.structs.replace(case, device=made, duty=duty), tuple(told))


def _refitted_supply(have: Supply, before: Supply, after: Supply, told: list[str]) -> Supply:
    typed, inferred = {}, {}
    for name in LIMITS:
        stands, was, now = (getattr(one, name) for one in (have, before, after))
        if stands is None or stands == was:
            inferred[name] = now
        elif now is not None and RANK[known_by(now)] < RANK[known_by(stands)]:
            inferred[name] = now
            told.append(f"{FIELDS[name].term}: {_volts(now)} replaces {_volts(stands)}.")
        else:
            typed[name] = stands
            if now is not None and abs(number(now) - number(stands)) > DISAGREE * number(stands):
                told.append(f"{FIELDS[name].term}: {_volts(stands)} is kept; the evidence would say {_volts(now)}.")
    kept = dict(typed)
    for name, value in inferred.items():
        try:
            Supply(**{**kept, name: value})
        except ValueError:
            told.append(f"{FIELDS[name].term} {_volts(value)} does not go with what was typed, and is left open.")
        else:
            kept[name] = value
    return msgspec.structs.replace(have, **{name: kept.get(name) for name in LIMITS})


def _volts(value: Number) -> str:
    return f"{figure(number(value), 'V')} ({known_by(value)})"


def _refitted_modes(case: Case, before: Sequence[Mode], after: Sequence[Mode], told: list[str]) -> tuple[Mode, ...]:
    was, now = {one.name: one for one in before}, {one.name: one for one in after}
    in_duty = {segment.mode for segment in case.duty.repeat}
    modes = []
    for mode in case.device.modes:
        follows = mode.draw is None or (mode.name in was and mode.draw == was[mode.name].draw)
        if mode.name in now:
            new = now.pop(mode.name)
            modes.append(_redrawn(mode, new) if follows else _kept(mode, new, told))
        elif mode.name not in was or not follows:
            modes.append(mode)
        elif mode.name in in_duty and not now:
            modes.append(msgspec.structs.replace(mode, power_w=None, stands_for=None))
        # else: what is known now takes its place, in the duty too
    return (*modes, *now.values())


def _redrawn(mode: Mode, new: Mode) -> Mode:
    return msgspec.structs.replace(
        mode,
        kind=new.kind,
        power_w=new.power_w,
        current_a=None,
        resistance_ohm=None,
        at_v=None,
        fade_v=None,
        torque="steady",
        no_load_share=None,
        stall_a=None,
        stands_for=new.stands_for,
    )


def _kept(mode: Mode, new: Mode, told: list[str]) -> Mode:
    """A mode that somebody typed; that the evidence says something else is told."""
    typed, worked = number(mode.draw or 0.0), number(new.draw or 0.0)
    if mode.kind == "power" and abs(typed - worked) > MODES_DIFFER * typed:
        told.append(
            f"{mode.name}: {figure(typed, 'W')} as typed is kept; the evidence would say {figure(worked, 'W')}."
        )
    return mode
