"""A path ready for computing: plain stretches between the parts that hold their volts, and the pack in front.

The path is cut at its *holders* (converters, linear regulators, a bank's own output): each holds its output, so
whatever is behind it is independent of the charge in the pack. Between two holders lies a *stretch* of plain
resistances and drops.
"""

from __future__ import annotations

from itertools import pairwise
from math import ceil, inf

import msgspec

from hermotrope_core.kinds.effects import Element, Holder, efficiency_of
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.source import RegulatedOutput, Source
from hermotrope_core.values.interpolate import at
from hermotrope_core.values.known import Table, maybe, number


class Stretch(msgspec.Struct, frozen=True, gc=False):
    """Plain stages in series, in order, between the source or a holder and the next holder."""

    elements: tuple[Element, ...]
    resistance_ohm: float
    drop_v: float
    shunt_a: float = 0.0
    """Drawn at its very beginning by loads across it, beside what passes through it. In the first, what that takes
    from the volts on its way is among its drops."""


class Circuit(msgspec.Struct, frozen=True, gc=False):
    """A path ready for computing: pack at its temperature and age, stretches and holders."""

    emf_by_soc: Table
    """Pack EMF in volts over state of charge 0..1, ascending."""
    charge_ah: float
    """Usable charge at temperature and state of health."""
    rated_a: float
    peukert: float
    cutoff_v: float
    start_soc: float
    reserve_soc: float
    stretches: tuple[Stretch, ...]
    holders: tuple[Holder, ...]
    """`holders[k]` ends `stretches[k]` and feeds `stretches[k + 1]`."""
    device_min_v: float
    port: RegulatedOutput | None
    falls_to: Circuit | None = None
    """The same path once its first board that passes on its falling input does so; None where none does."""
    weaker: Circuit | None = None
    """The same path on the pack's next band of charge, where its resistance is greater; None where it is constant."""
    weaker_soc: float = -inf
    """The charge below which that holds."""
    weaker_emf: float = -inf
    """The EMF there."""

    def emf(self, soc: float) -> float:
        """Open-circuit volts of the pack at a state of charge 0..1."""
        return at(self.emf_by_soc, soc)

    def at_emf(self, emf: float) -> Circuit:
        """The circuit with the resistance that the pack has at an EMF in volts."""
        return self if self.weaker is None or emf >= self.weaker_emf else self.weaker.at_emf(emf)


def circuit_of(case: Case) -> Circuit:
    """Prepare the path of a case whose source is chosen. Raises ValueError without a source."""
    boards = [i for i, stage in enumerate(case.path) if stage.passes_on]
    if not boards and (case.source is None or case.source.resistance_by_soc is None):
        return _circuit_of(case, [], None, None, 1.0)
    weaker: list[Circuit] = []
    for low, times in bands(case.source):
        levels: list[Circuit] = []
        for count in range(len(boards), -1, -1):
            falls_to, falling = (levels[-1], boards[count]) if levels else (None, None)
            made = _circuit_of(case, boards[:count], falls_to, falling, times)
            if weaker:
                below = weaker[len(boards) - count]
                made = msgspec.structs.replace(made, weaker=below, weaker_soc=low, weaker_emf=made.emf(low))
            levels.append(made)
        weaker = levels
    return weaker[-1]


WIDEST_BAND = 0.1
"""In steps of charge no wider than this a pack's resistance follows its table."""


def bands(source: Source | None) -> list[tuple[float, float]]:
    """Bands of charge with one resistance each, from empty to full: the lower end of each, and its factor there.

    Between two rows of the table equal steps; in each the factor of its middle.
    """
    table = source.resistance_by_soc if source is not None else None
    if table is None:
        return [(0.0, 1.0)]
    found = []
    for (low, _), (high, _) in pairwise(((0.0, 0.0), *[row for row in table if 0.0 < row[0] < 1.0], (1.0, 0.0))):
        count = ceil((high - low) / WIDEST_BAND - 1e-9)
        width = (high - low) / count
        found += [(low + i * width, at(table, low + (i + 0.5) * width)) for i in range(count)]
    return found


def _circuit_of(case: Case, passing: list[int], falls_to: Circuit | None, falling: int | None, times: float) -> Circuit:
    """The path while the boards of `passing` pass their input on; `falling` is the next that may.

    `times` its resistance is what the pack has.
    """
    source = case.source
    if source is None:
        raise ValueError("no source is chosen")
    cell = CHEMISTRIES[source.chemistry]
    warmth = number(case.conditions.temperature_c)
    capacity = number(source.capacity_ah)
    ohm = times * number(source.resistance_ohm) * at(cell.resistance_factor_by_temperature_c, warmth)
    health = maybe(source.state_of_health)
    start, reserve = maybe(source.initial_soc), maybe(source.reserve_soc)
    peukert, hours = maybe(source.peukert), maybe(source.rated_hours)
    stretches, holders = _cut(source, ohm, case.path, passing)
    cells = source.cells_in_series
    table = tuple([(soc, volts * cells) for soc, volts in source.ocv or cell.ocv_by_soc])
    return Circuit(
        emf_by_soc=table,
        charge_ah=capacity * at(cell.capacity_factor_by_temperature_c, warmth) * (1.0 if health is None else health),
        rated_a=capacity / (cell.rated_hours if hours is None else hours),
        peukert=cell.peukert if peukert is None else peukert,
        cutoff_v=number(source.cutoff_v),
        start_soc=1.0 if start is None else start,
        reserve_soc=0.0 if reserve is None else reserve,
        stretches=stretches,
        holders=holders
        if falling is None
        else tuple([_falling(h, case.path[h.stage]) if h.stage == falling else h for h in holders]),
        device_min_v=maybe(case.device.supply.min_v) or 0.0,
        port=source.regulated_output,
        falls_to=falls_to,
    )


def _falling(holder: Holder, stage: Stage) -> Holder:
    """A board that passes its input on where it can no longer hold; its own least input stays its end."""
    own = maybe(getattr(stage, "input_min_v", None)) or 0.0
    return msgspec.structs.replace(holder, input_min_v=own, passes_below_v=holder.input_min_v)


def _cut(
    source: Source, ohm: float, path: tuple[Stage, ...], passing: list[int]
) -> tuple[tuple[Stretch, ...], tuple[Holder, ...]]:
    stretches: list[Stretch] = []
    holders: list[Holder] = []
    elements = [Element(-1, ohm, 0.0)]
    shunts = 0.0

    def close() -> None:
        nonlocal shunts
        if shunts and not stretches:
            elements[:] = _carrying(elements, path)
        ohms = drops = 0.0
        for element in elements:  # a plain loop: half the time of two sums
            ohms += element.resistance_ohm
            drops += element.drop_v
        stretches.append(Stretch(tuple(elements), ohms, drops, shunts))
        elements.clear()
        shunts = 0.0

    if source.regulated_output is not None:
        close()
        holders.append(_bank_holder(source.regulated_output))
    for i, stage in enumerate(path):
        holder = None if i in passing else stage.holder(i)
        if holder is None:
            elements.append(stage.element(i))
            shunts += stage.shunt_a
        else:
            close()
            holders.append(holder)
    close()
    return tuple(stretches), tuple(holders)


def _carrying(elements: list[Element], path: tuple[Stage, ...]) -> list[Element]:
    """The elements of the first stretch with what loads across it, further on, draw through them: constant drops."""
    found, beside = [], 0.0
    for one in reversed(elements):
        drop = one.drop_v + beside * one.resistance_ohm
        found.append(msgspec.structs.replace(one, drop_v=drop, beside_a=beside))
        beside += path[one.stage].shunt_a if one.stage >= 0 else 0.0
    return found[::-1]


def _bank_holder(port: RegulatedOutput) -> Holder:
    return Holder(
        stage=-1,
        linear=False,
        output_v=number(port.output_v),
        efficiency=efficiency_of(port.efficiency),
        quiescent=number(port.quiescent_w),
        input_min_v=0.0,
        input_max_v=None,
        output_current_max_a=maybe(port.output_current_max_a),
    )
