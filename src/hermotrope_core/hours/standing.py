"""What a switch is worth: days to flat with the device off, by where the switch stands."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.situation import HALF_SOC, Situation
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.plan.case import Case


class Place(msgspec.Struct, frozen=True):
    """A place for the switch: in words, at which path index, the standing amperes from the cells, days to flat."""

    words: str
    at: int | None
    amps: float
    days: float | None
    """None where nothing flows."""


def days_to_flat(case: Case) -> tuple[float, float | None]:
    """Standing amperes from the cells with the device off and every switch closed, and days to flat."""
    situation = Situation(case)
    idle = situation.at_demand(Demand("current", 0.0), situation.circuit.emf(HALF_SOC))
    amps = idle.source_a if idle.complete else 0.0
    return amps, situation.circuit.charge_ah / amps / 24.0 if amps > 0.0 else None


def switch_places(case: Case) -> tuple[Place, ...]:
    """Without a switch, with one at the pack, and with one behind each part that draws by itself; none in a mains cord.

    An open switch leaves only what is before it: the path up to there with nothing behind.
    """
    if case.source is None:
        return ()
    bare = msgspec.structs.replace(case, path=tuple(stage for stage in case.path if not stage.BY_HAND))
    amps, days = days_to_flat(bare)
    found = [Place("without a switch", None, amps, days)]
    first = 1 if bare.path and bare.path[0].opens_above_a is not None else 0
    where = "behind the fuse at the pack" if first else "at the pack"
    places = [(first, where)]
    places += [(i + 1, f"behind the {stage.called}") for i, stage in enumerate(bare.path) if stage.DRAWS]
    found += [_open_at(bare, at, words) for at, words in places if not bare.mains_at(at)]
    return tuple(found)


def _open_at(case: Case, at: int, words: str) -> Place:
    amps, days = days_to_flat(msgspec.structs.replace(case, path=case.path[:at]))
    return Place(words, at, amps, days)
