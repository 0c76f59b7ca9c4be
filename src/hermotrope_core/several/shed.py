"""Who goes first: the volts at which one device must be cut off so that all the others last."""

from __future__ import annotations

from math import ceil

import msgspec

from hermotrope_core.circuit.point import unloaded_volts
from hermotrope_core.kinds.stages import CutOff
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Supply
from hermotrope_core.several.follow import follow
from hermotrope_core.several.remarks import who_stops
from hermotrope_core.several.trunk import trunk_circuit

MOST_CHANGES = 2_000
"""Changes of mode in a night for which volts are tried."""
STEP_V = 0.05
"""A cut-off is set to such steps (what a hand reaches with a knob and a meter)."""
TRIES = 24


class Shed(msgspec.Struct, frozen=True):
    """What a cut-off before one device does for the others."""

    trips_v: float
    """The least setting at which all the others last, volts where it stands; by the typical figures, with no margin."""
    stops_s: float
    """When the device stops then, seconds from the start."""


class CannotShed(ValueError):
    """Why no cut-off before this device helps the others."""


def shed(supply: Supply, conditions: Conditions, hours: float, place: int) -> Shed:
    """Find the least volts at which a cut-off before a device lets all the others last for `hours`.

    The others are tried with the device leaving at one voltage after the other (a higher one leaves more for them).
    Raises `CannotShed` where nothing need be done, where the junction's volts do not fall with the charge, and where
    the others do not last even without it.
    """
    if supply.source.regulated_output is not None or any(stage.HOLDS for stage in supply.trunk):
        raise CannotShed("the volts that they share are held: a cut-off never sees the pack run down")
    if any(stage.opens_below_v is not None for stage in supply.branches[place].path):
        raise CannotShed("it has a cut-off of its own already")
    if _last(supply, conditions, hours, place, None) is not None:
        raise CannotShed("all the others last as it is")
    circuit = trunk_circuit(supply, conditions)
    high = unloaded_volts(circuit, circuit.emf(1.0))[0]
    if _last(supply, conditions, hours, place, high) is None:
        raise CannotShed("the others do not last even without it")
    low = 0.0
    for _ in range(TRIES):
        middle = 0.5 * (low + high)
        if _last(supply, conditions, hours, place, middle) is None:
            low = middle
        else:
            high = middle
        if high - low < 0.1 * STEP_V:
            break
    trips = round(ceil(high / STEP_V - 1e-9) * STEP_V, 2)
    stops = _last(supply, conditions, hours, place, trips)
    if stops is None:  # a programme in which leaving earlier does not leave more
        raise CannotShed("no setting was found that holds with a little to spare")
    return Shed(trips, stops)


def with_cut_off(supply: Supply, place: int, trips_v: float) -> Supply:
    """The supply with a cut-off on a device's own way: behind its fuse and switch, before all else."""
    branch = supply.branches[place]
    first = (i for i, stage in enumerate(branch.path) if stage.opens_above_a is None and not stage.BY_HAND)
    at = next(first, len(branch.path))
    made = msgspec.structs.replace(branch, path=(*branch.path[:at], CutOff(trips_v=trips_v), *branch.path[at:]))
    branches = tuple(made if i == place else one for i, one in enumerate(supply.branches))
    return msgspec.structs.replace(supply, branches=branches)


def _last(supply: Supply, conditions: Conditions, hours: float, place: int, trips_v: float | None) -> float | None:
    """When the device stops, if all the others last; else None."""
    tried = supply if trips_v is None else with_cut_off(supply, place, trips_v)
    run = follow(tried, conditions, hours, most=MOST_CHANGES)
    if any(i != place for i in who_stops(tried, conditions, run, hours)):
        return None
    return run.branches[place].runtime_s
