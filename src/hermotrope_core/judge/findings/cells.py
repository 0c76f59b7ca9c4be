"""What would ruin the cells: no cut-off, too deep a discharge, two sources against each other."""

from __future__ import annotations

from collections.abc import Iterator

from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.cures import (
    add,
    cut_off_change,
)
from hermotrope_core.judge.findings.finding import Finding
from hermotrope_core.judge.findings.rule import Basis, rule
from hermotrope_core.kinds.stages import front
from hermotrope_core.values.figures import figure


@rule(
    Basis(
        "no-low-voltage-cut-off",
        ("note", "care"),
        "the highest volts at which anything opens",
        ("path",),
        "n × volts that ruin a cell",
        ("chemistry",),
    )
)
def no_low_voltage_cut_off(situation: Situation) -> Iterator[Finding]:
    """A rechargeable pack that nothing stops before its cells are ruined."""
    source, cell = situation.source, situation.cell
    if not cell.rechargeable or source.low_voltage_cut_off:
        return
    limit = source.cells_in_series * cell.damage_below_v
    first = () if source.regulated_output is not None else front(situation.case.path)
    trips = [volts for _, stage in first if (volts := stage.opens_below_v) is not None]
    if any(volts >= limit for volts in trips):
        return
    unknown = source.low_voltage_cut_off is None
    text = (
        f"Whether this pack cuts itself off is not stated; below {figure(limit, 'V')} its cells are ruined."
        if unknown
        else f"This pack leaves the low cut-off to the tool; below {figure(limit, 'V')} its cells are ruined."
    )
    bank = source.regulated_output is not None
    change = () if bank else cut_off_change(situation)
    volts = change[0]["value"]["trips_v"] if change else limit
    yield Finding(
        "no-low-voltage-cut-off",
        "note" if unknown else "care",
        text,
        -1,
        max(trips, default=0.0),
        limit,
        "V",
        f"put in a cut-off that opens at {figure(volts, 'V')}" if change else "read in its papers whether it does",
        change,
    )


@rule(
    Basis(
        "deep-discharge",
        ("note",),
        "reserve kept at the end",
        ("source.reserve_soc",),
        "1 − the depth these cells like",
        ("chemistry",),
    )
)
def deep_discharge(situation: Situation) -> Iterator[Finding]:
    """A plan that takes more out of cells than they like: lead-acid below a half."""
    cell = situation.cell
    limit = 1.0 - cell.usable_depth
    have = situation.circuit.reserve_soc
    if limit > 0.0 and have < limit - 1e-9:
        yield Finding(
            "deep-discharge",
            "note",
            f"The plan goes down to {figure(have, '%', 2)} of the charge; these cells last longest above "
            f"{figure(limit, '%', 2)}.",
            -1,
            have,
            limit,
            "of the charge",
            f"keep {figure(limit, '%', 2)} in reserve",
            (add("/source/reserve_soc", limit),),
        )


@rule(Basis("backfeed", ("refuse",), "cells left in the bay", ("inlet",)))
def backfeed(situation: Situation) -> Iterator[Finding]:
    """Cells left in the bay while an outside feed is connected."""
    device, path = situation.case.device, situation.case.path
    if not device.cells_left_in_bay or device.switched_inlet:
        return
    if path and path[-1].ONE_WAY:
        return
    yield Finding(
        "backfeed",
        "refuse",
        "Cells stay in the bay and the inlet does not disconnect them: the pack would charge them, or they the pack.",
        situation.device_stage,
        cure="take the cells out, or put a diode last in the path",
        change=(add("/device/cells_left_in_bay", False),),
    )
