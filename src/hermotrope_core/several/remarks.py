"""What is to be told of a shared line: sums and starts against limits, fuses of trunk and branches, who stops first."""

from __future__ import annotations

import itertools
from collections.abc import Iterator
from math import inf
from typing import Literal

import msgspec

from hermotrope_core.circuit.pack import full_volts
from hermotrope_core.circuit.path import circuit_of
from hermotrope_core.circuit.point import unloaded_volts
from hermotrope_core.kinds.stages import Stage, front
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import DROP_CARE, DROP_REFUSE, OVER, SHORT_A, TO_FUSE_M
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.plan.outing_document import branch_case
from hermotrope_core.several.follow import SupplyRun
from hermotrope_core.several.inner import fed, stops_s
from hermotrope_core.several.load import Load, everything, start_of
from hermotrope_core.several.trunk import trunk_circuit
from hermotrope_core.values.figures import duration, figure
from hermotrope_core.values.known import maybe, number

Level = Literal["note", "care", "refuse"]
ORDER: tuple[Level, ...] = ("refuse", "care", "note")


class Remark(msgspec.Struct, frozen=True):
    """One thing to be told of a supply: how grave, what, and of which branch (-1: what they share)."""

    level: Level
    says: str
    branch: int = -1
    ends: bool = False
    """Whether it tells that a device stops, or never starts."""
    hung: bool = True
    """Whether it depends on what hangs on the supply; a missing fuse does not."""


def remarks(supply: Supply, conditions: Conditions, run: SupplyRun, hours: float | None) -> tuple[Remark, ...]:
    """Everything to be told of a supply, the gravest first."""
    ends, supply = [*_ends(supply, conditions, run, hours)], fed(supply, conditions, hours)
    found = [*_together(supply, conditions), *_starts(supply, conditions), *_fuses(supply, conditions)]
    found += [
        *_warmth(supply, conditions),
        *windows(supply, conditions),
        *_shared_drop(supply, conditions),
        *ends,
    ]
    return tuple(sorted(found, key=lambda one: ORDER.index(one.level)))


def against(supply: Supply, conditions: Conditions, run: SupplyRun, hours: float) -> str:
    """What speaks against a supply with what hangs on it: what is refused of that, or a device that stops early."""
    found = [one for one in remarks(supply, conditions, run, hours) if one.hung]
    return next((one.says for one in found if one.level == "refuse"), "") or next(
        (one.says for one in found if one.ends), ""
    )


def who_stops(supply: Supply, conditions: Conditions, run: SupplyRun, hours: float) -> tuple[int, ...]:
    """The branches whose device stops before the end, its own battery counted."""
    return tuple(
        i
        for i, (branch, one) in enumerate(zip(supply.branches, run.branches, strict=True))
        if one.end_cause != "programme over"
        and stops_s(branch, conditions, hours, one.runtime_s, over=False) < 3600.0 * hours - 1.0
    )


def _together(supply: Supply, conditions: Conditions) -> Iterator[Remark]:
    """Every device in its heaviest mode at once: it will happen some night, whatever the programme says."""
    for over in Load(supply, conditions, everything(supply)).over():
        level: Level = "care" if over.limit_of == "device" else "refuse"
        yield Remark(level, f"With every device in its heaviest mode: {over.says}.")


def _starts(supply: Supply, conditions: Conditions) -> Iterator[Remark]:
    """Each start beside the others, then all starts at once; a start that fails alone is told of that device."""
    steady = dict(everything(supply))
    alone = set()
    for i, branch in enumerate(supply.branches):
        for over in Load(supply, conditions, sorted((steady | {i: start_of(branch)}).items())).over(moment=True):
            alone.add(i)
            yield Remark("care", f"As {branch.device.name} starts while the rest runs: {over.says}.", i)
            break
    if alone or sum(branch.count for branch in supply.branches) < 2:
        return
    starts = [(i, start_of(branch)) for i, branch in enumerate(supply.branches)]
    for over in Load(supply, conditions, starts).over(moment=True):
        yield Remark("care", f"If all start in the same moment: {over.says}. Let one start after the other.")
        return


def _fuses(supply: Supply, conditions: Conditions) -> Iterator[Remark]:
    """A fuse before the junction, and one in every branch whose wire stands less than that fuse lets through."""
    source = supply.source
    ohm = number(source.resistance_ohm)
    short = full_volts(source) / ohm if ohm > 0.0 else inf
    trunk = [stage for _, stage in front(supply.trunk)]  # behind a board a fuse protects nothing at the pack
    shared = [stage.opens_above_a for stage in trunk if stage.opens_above_a is not None]
    if source.regulated_output is not None:
        return
    if not shared and short > SHORT_A:
        yield Remark(
            "refuse",
            f"No fuse before the fork: {source.name} drives {_amps(short)} into a short anywhere in the shared lead. "
            "Put one at the pack.",
            hung=False,
        )
    before = _copper_before_fuse(trunk) if shared else 0.0
    if short > SHORT_A and before > TO_FUSE_M:
        yield Remark(
            "care",
            f"The shared fuse stands behind {figure(before, 'm', 2)} of lead, which a short there is fed through with "
            f"{_amps(short)}: put it at the pack.",
            hung=False,
        )
    load = Load(supply, conditions, everything(supply))
    thin = _weakest(load, trunk)
    if shared and thin is not None and min(shared) > thin:
        yield Remark(
            "refuse",
            f"The shared lead stands {figure(thin, 'A', 2)}, and its fuse opens only above "
            f"{figure(min(shared), 'A', 2)}: a fuse of at most {figure(thin, 'A', 2)}, or more copper.",
            hung=False,
        )
    lets = min(shared, default=short)
    for i, branch in enumerate(supply.branches):
        path = [stage for _, stage in front(branch.path)]
        weakest = _weakest(load, path)
        if weakest is None:
            continue
        own = [one.opens_above_a for one in path if one.opens_above_a is not None]
        near = own if own and _copper_before_fuse(path) <= TO_FUSE_M else []
        through = min([lets, *near])
        if through > weakest:
            yield Remark(
                "refuse",
                f"The lead to {branch.device.name} stands {figure(weakest, 'A', 2)}, and a short in it is fed with "
                f"{_amps(through)} before anything opens: give this branch a fuse of its own, at the fork, of at most "
                f"{figure(weakest, 'A', 2)}.",
                i,
                hung=False,
            )
    bare = any(all(stage.opens_above_a is None for stage in one.path) for one in supply.branches)
    if len(supply.branches) > 1 and shared and bare:
        yield Remark(
            "note", "A short in one branch without a fuse of its own opens the shared fuse: all go dark.", hung=False
        )


def _copper_before_fuse(stages: list[Stage]) -> float:
    """Metres of lead before the first fuse of some stages that have one."""
    first = itertools.takewhile(lambda stage: stage.opens_above_a is None, stages)
    return sum(number(getattr(stage, "length_m", 0.0)) for stage in first)


def _warmth(supply: Supply, conditions: Conditions) -> Iterator[Remark]:
    """A pack that is asked for current outside the temperatures at which its chemistry gives any."""
    low, high = CHEMISTRIES[supply.source.chemistry].discharge_temperature_c
    warmth = number(conditions.temperature_c)
    if not low <= warmth <= high:
        yield Remark(
            "care",
            f"At {figure(warmth, '°C', 2)} this pack is outside the {figure(low, '°C', 2)} to {figure(high, '°C', 2)} "
            "in which its chemistry is run: keep it warmer, or cooler.",
        )


def _amps(amps: float) -> str:
    return "without limit" if amps == inf else figure(amps, "A", 2)


def _weakest(load: Load, stages: list[Stage]) -> float | None:
    """What the thinnest lead of some stages stands, amperes; None where there is none."""
    return min((safe for stage in stages if (safe := load.safe_amps(stage)) is not None), default=None)


def windows(supply: Supply, conditions: Conditions) -> Iterator[Remark]:
    """What the full pack puts on every board and inlet with nothing drawn, held against what each stands."""
    volts = unloaded_volts(trunk_circuit(supply, conditions), full_volts(supply.source))[-1]
    for i, branch in enumerate(supply.branches):
        circuit = circuit_of(branch_case(branch))
        *entering, inlet = unloaded_volts(circuit, volts)
        for holder, at in zip(circuit.holders, entering, strict=True):
            if holder.input_max_v is not None and at > holder.input_max_v * OVER:
                yield Remark(
                    "refuse",
                    f"The {branch.path[holder.stage].called} of {branch.device.name} gets {figure(at, 'V')} "
                    f"from the full pack and takes in up to {figure(holder.input_max_v, 'V')}.",
                    i,
                )
        most = maybe(branch.device.supply.max_v)
        if most is not None and inlet > most * OVER:
            cure = "set its converter lower" if circuit.holders else "it needs a converter of its own"
            origin = "its converter" if circuit.holders else "the full pack"
            yield Remark(
                "refuse",
                f"{branch.device.name} gets {figure(inlet, 'V')} from {origin} and stands {figure(most, 'V')}: {cure}.",
                i,
            )


def _shared_drop(supply: Supply, conditions: Conditions) -> Iterator[Remark]:
    """What the shared lead takes from every device as the heaviest runs."""
    load = Load(supply, conditions, everything(supply))
    if load.flow is None or load.setting.held is not None:
        return
    ohm = sum(stage.ohms for stage in supply.trunk)
    lost = ohm * load.flow.source_a
    share = lost / (load.flow.junction_v + lost)
    if share > DROP_CARE:
        yield Remark(
            "refuse" if share > DROP_REFUSE else "care",
            f"With everything on, the shared way takes {figure(lost, 'V', 2)} ({figure(share, '%', 2)}) from every "
            "device: a thicker or shorter shared lead, or a lead of its own for the heaviest.",
        )


def _ends(supply: Supply, conditions: Conditions, run: SupplyRun, hours: float | None) -> Iterator[Remark]:
    """Who does not last, and why; whom its own battery carries on."""
    for i, (branch, one) in enumerate(zip(supply.branches, run.branches, strict=True)):
        if one.runtime_s <= 0.0:
            yield Remark("refuse", f"{one.device} does not start: {one.why}.", i, ends=True)
        elif hours is not None and one.runtime_s < 3600.0 * hours and one.end_cause != "programme over":
            until = stops_s(branch, conditions, hours, one.runtime_s, over=False)
            stops = f"stops {duration(3600.0 * hours - until)} before the end"
            if until == one.runtime_s:
                yield Remark("care", f"{one.device} {stops}: {one.why}.", i, ends=True)
                continue
            words = (
                f"The feed of {one.device} ends {duration(3600.0 * hours - one.runtime_s)} before the end: {one.why}."
            )
            if until >= 3600.0 * hours - 1.0:
                yield Remark("note", f"{words} Its own battery carries it to the end.", i)
            else:
                yield Remark("care", f"{words} On its own battery it then {stops}.", i, ends=True)
