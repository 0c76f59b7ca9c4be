"""An outing: several devices on one or more supplies, as one document of frozen, validated values."""

from __future__ import annotations

from typing import Literal

from hermotrope_core.kinds.stages import Stage
from hermotrope_core.plan.case import FORMAT as CASE_FORMAT
from hermotrope_core.plan.case import MOST_STAGES, Case
from hermotrope_core.plan.device import Device
from hermotrope_core.plan.duty import Conditions, Duty, check_start
from hermotrope_core.plan.source import Source
from hermotrope_core.plan.upgrade import OUTING
from hermotrope_core.values.known import Number, Value, maybe, number

FORMAT = OUTING.current
MOST_BRANCHES = 40
MOST_SUPPLIES = 20
MOST_SPARES = 20
MOST_CHARGERS = 12


class Branch(Value, frozen=True):
    """One device behind a junction, with its own stages and its own duty; `count` equal ones on equal branches."""

    device: Device
    path: tuple[Stage, ...] = ()
    duty: Duty = Duty()
    count: int = 1
    pinned: bool = False
    """It stays on its supply, whatever is proposed."""
    own_battery: Literal["last", "first"] = "last"
    """Whether its own battery takes over when the feed ends, or carries it first."""
    bench: int | None = None
    """The number, on the bench that made this document, of the conversion from which it was taken."""

    def __post_init__(self) -> None:
        super().__post_init__()
        if len(self.path) > MOST_STAGES:
            raise ValueError(f"path has more than {MOST_STAGES} stages")
        self.duty.check_modes({mode.name for mode in self.device.modes})


class Supply(Value, frozen=True):
    """One pack, bank or adapter: `trunk` lies between it and the junction from which its branches go."""

    source: Source
    branches: tuple[Branch, ...] = ()
    trunk: tuple[Stage, ...] = ()
    name: str | None = None
    spares: int = 0
    """How many more of the same pack go along, to be put in its place when it runs low."""

    def __post_init__(self) -> None:
        super().__post_init__()
        if not 0 <= self.spares <= MOST_SPARES:
            raise ValueError(f"spares must be from 0 to {MOST_SPARES}")
        if len(self.branches) > MOST_BRANCHES:
            raise ValueError(f"branches has more than {MOST_BRANCHES} devices; equal ones go together with a count")
        if len(self.trunk) > MOST_STAGES:
            raise ValueError(f"trunk has more than {MOST_STAGES} stages")

    @property
    def called(self) -> str:
        """Its own name, or that of its source."""
        return self.name or self.source.name


class Charger(Value, frozen=True):
    """Something to charge packs from, each day between two times of day: a wall, a car, the sun."""

    name: str
    power_w: Number
    opens: str
    closes: str

    def __post_init__(self) -> None:
        super().__post_init__()
        if not self.name.strip():
            raise ValueError("name must not be empty")
        if number(self.power_w) <= 0.0:
            raise ValueError("power_w must be above 0 W")
        for moment in (self.opens, self.closes):
            check_start(moment)


class Outing(Value, frozen=True):
    """A night or a day: supplies with their devices, for how many hours and from when, where that is set.

    While it is put together, a supply may still be without a device; what computes asks for a finished one.
    """

    format: str
    title: str
    supplies: tuple[Supply, ...] = ()
    conditions: Conditions = Conditions()
    hours: Number | None = None
    start: str | None = None
    """When it begins, a time of day."""
    chargers: tuple[Charger, ...] = ()
    """What packs are charged from, and when it is there."""

    def __post_init__(self) -> None:
        super().__post_init__()
        check_start(self.start)
        if len(self.supplies) > MOST_SUPPLIES:
            raise ValueError(f"supplies has more than {MOST_SUPPLIES} entries")
        if len(self.chargers) > MOST_CHARGERS:
            raise ValueError(f"chargers has more than {MOST_CHARGERS} entries")


def packs_mass(outing: Outing) -> tuple[float, int]:
    """Grams of all packs that state their mass, spares too, and how many packs do not."""
    known = [(maybe(one.source.mass_g), 1 + one.spares) for one in outing.supplies]
    unknown = sum(count for mass, count in known if mass is None)
    return sum(mass * count for mass, count in known if mass is not None), unknown


def chain(supply: Supply, place: int, conditions: Conditions) -> Case:
    """One device of a supply with its whole way from the source, as if it hung there alone.

    Raises ValueError where the way makes no sense on this supply.
    """
    branch = supply.branches[place]
    return Case(
        format=CASE_FORMAT,
        title=branch.device.name,
        device=branch.device,
        source=supply.source,
        path=(*supply.trunk, *branch.path),
        duty=branch.duty,
        conditions=conditions,
    )


def forked(case: Case, at: int) -> Outing:
    """A conversion's line with a junction before path[at] (its device, where `at` is the path's length).

    What lies before it is shared, what lies behind it is the device's own way. Raises ValueError without a source,
    outside the path, and where mains volts stand.
    """
    if case.source is None:
        raise ValueError("no pack is chosen yet: there is nothing to hang a device on")
    if not 0 <= at <= len(case.path):
        raise ValueError("that place of the line is not there any more")
    if case.mains_at(at):
        raise ValueError("mains volts stand there: nothing is joined to them here")
    own = Branch(device=case.device, path=case.path[at:], duty=case.duty)
    supply = Supply(source=case.source, trunk=case.path[:at], branches=(own,))
    return Outing(
        format=FORMAT,
        title=f"{case.title}, and more",
        supplies=(supply,),
        conditions=case.conditions,
        start=case.duty.start,
    )
