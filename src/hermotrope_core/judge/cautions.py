"""Cautions: what can hurt somebody or ruin something, said in the place where it arises.

One catalogue. A caution has a level (note, care, stop), why, who to ask, and a place: the source, the device,
a stage, charging, or the first power-up. They do not change a verdict: what judges is in `findings`; where a
finding says the same, the caution adds who to ask. *Stop* keeps Build and Prove closed until somebody states
who takes it over.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal

import msgspec

from hermotrope_core.circuit.pack import rated_wh
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.stage import StageKind
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import AIR_ASK_WH, AIR_CARE_WH, HIGH_DC_V
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.codes import Code
from hermotrope_core.values.figures import stated

Level = Literal["note", "care", "stop"]
Place = Literal["source", "device", "path", "build"]
CODES = "the local electrical code and the maker's instructions"


class Caution(msgspec.Struct, frozen=True):
    """One caution of the catalogue; `when` says whether a case calls for it."""

    key: str
    level: Level
    place: Place
    says: str
    ask: str
    when: Callable[[Case], bool]
    code: Code | None = None
    """The finding whose acceptance takes a stop over."""


def _trait(name: str) -> Callable[[Case], bool]:
    return lambda case: name in case.device.traits


def _family(*names: str) -> Callable[[Case], bool]:
    return lambda case: case.source is not None and CHEMISTRIES[case.source.chemistry].family in names


def _stage(test: Callable[[StageKind], bool]) -> Callable[[Case], bool]:
    return lambda case: any(test(stage) for stage in case.path)


def _primary(case: Case) -> bool:
    cell = CHEMISTRIES[case.source.chemistry] if case.source else None
    return cell is not None and not cell.rechargeable and not cell.endless


def _watt_hours(case: Case) -> float:
    source = case.source
    if source is None or CHEMISTRIES[source.chemistry].family not in ("lithium", "lithium metal"):
        return 0.0
    return rated_wh(source)


def _high_dc(case: Case) -> bool:
    source = case.source
    pack = source.cells_in_series * CHEMISTRIES[source.chemistry].full_v if source else 0.0
    held = [s.held_v for s in case.path if isinstance(s, Holding) and not s.alternating]
    return max([pack, *held]) > HIGH_DC_V


CATALOGUE: tuple[Caution, ...] = (
    Caution("life-safety", "stop", "device", "A conversion voids this device's approval; nobody may rely on it.",
            "the maker, and the person responsible for it", _trait("life-safety"), "life-safety"),
    Caution("mains-inside", "stop", "device", "Mains voltage inside: opening it can kill, even unplugged.",
            f"a qualified person, {CODES}", _trait("mains-inside"), "mains"),
    Caution("high-dc", "stop", "path", f"Over {stated(HIGH_DC_V, 'V')} of direct current: an arc does not go out "
            "by itself.",
            f"a qualified person, {CODES}", _high_dc, "mains"),
    Caution("inverter", "care", "path", "The inverter's outlet is as dangerous as the wall's; never open it.",
            f"a qualified person, {CODES}", _stage(lambda s: s.alternating)),
    Caution("wall-adapter", "care", "source", "Never open a mains supply; use one that carries a mark of approval, "
            "and outdoors only behind residual-current protection.", f"a qualified person, {CODES}",
            _family("mains")),
    Caution("ridden", "care", "device", "Speed and energy rise with the square of the volts: a switch the rider "
            "reaches, a fuse, a helmet, somebody watching; never leave it powered.", "the maker's instructions",
            _trait("ridden")),
    Caution("child", "care", "device", "Fingers find live contacts and small parts: closed box, fuse, switch out of "
            "reach, supervision; never leave it powered.", "the maker's instructions", _trait("child")),
    Caution("near-water", "care", "device", "Source away from the water, low voltage only, a drip loop on every lead, "
            "residual-current protection on any mains adapter.", CODES, _trait("near-water")),
    Caution("motor", "note", "device", "A stalled motor draws its stall current until something opens: the fuse.",
            "the motor's data sheet", _trait("motor")),
    Caution("lithium", "care", "source", "Protected packs only, no bare or swollen cells, no soldering onto cells; "
            "never let a converter that is no charger charge it; charge where a fire does no harm.",
            "the pack maker's instructions", _family("lithium")),
    Caution("air", "note", "source", f"By air: lithium packs over {stated(AIR_CARE_WH, 'Wh')} usually need leave, over "
            f"{stated(AIR_ASK_WH, 'Wh')} are usually refused; in the cabin, contacts covered.", "your carrier",
            lambda case: _watt_hours(case) > AIR_CARE_WH),
    Caution("primary", "care", "source", "Primary cells are never charged: they leak, vent or burst.",
            "the cell maker's instructions", _primary),
    Caution("lead-acid", "care", "source", "A short melts spanners, and charging vents gas: cover the poles, fuse at "
            "the pole, charge in moving air.", "the battery maker's instructions", _family("lead")),
    Caution("recycle", "note", "source", "Worn packs and cells go to battery recycling, poles taped.",
            "your waste collection", lambda case: case.source is not None and not _family("mains")(case)),
    Caution("first-power", "care", "build", "First power-up: current limited, one hand, eye on the ammeter, away from "
            "anything that burns.", "somebody who has done it before",
            lambda case: case.source is not None),
    Caution("set-unloaded", "care", "path", "Set an adjustable converter unloaded and measured, before the device is "
            "connected.", "the board's instructions", _stage(lambda s: s.set_by_hand)),
)  # fmt: skip


def cautions(case: Case) -> tuple[Caution, ...]:
    """The cautions that a case calls for, stops first, else in the order of the catalogue."""
    order = ("stop", "care", "note")
    found = [one for one in CATALOGUE if one.when(case)]
    return tuple(sorted(found, key=lambda one: order.index(one.level)))


def stops(case: Case) -> tuple[Caution, ...]:
    """The stops that nobody has taken over yet: while there is one, Build and Prove stay closed."""
    return tuple(one for one in cautions(case) if one.level == "stop" and one.code not in case.accepted)
