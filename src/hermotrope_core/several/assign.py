"""Who feeds whom: every device on a pack that lasts the night, with the fewest packs, least mass, price or work.

Each pair of device and pack is followed alone first: what it takes, and what refuses it. The best assignment of what is
left is a small integer programme (SciPy's `milp`, HiGHS), in which charges and amperes add up. They do not quite add up
in truth, so every proposal is judged in full; a pack that fails under what was hung on it may not be given that again.
"""

from __future__ import annotations

from typing import Any, Literal, get_args

import msgspec
import numpy as np
import scipy

from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.duty import Conditions
from hermotrope_core.plan.outing import Branch, Outing, Supply
from hermotrope_core.several.clock import changes
from hermotrope_core.several.follow import follow
from hermotrope_core.several.load import Load, heaviest, pull_of
from hermotrope_core.several.remarks import against
from hermotrope_core.values.known import maybe, number

Wish = Literal["fewest packs", "least mass", "least price", "least work"]
WISHES: tuple[Wish, ...] = get_args(Wish)
MOST_DEVICES, MOST_PACKS = 24, 12
MOST_ROUNDS = 40
MOST_WORK = 20_000.0
"""Changes of mode that are followed for the pairs together."""
UNFED = 1e4
"""Cost of a device that nothing feeds: above every sum of what is wished."""
MOVED, TAKEN = 1e-3, 1e-4
"""Between equal proposals: the one that moves fewer devices, then the one that takes less charge."""


Row = np.ndarray[Any, np.dtype[np.float64]]


class Refusal(msgspec.Struct, frozen=True):
    """Why one device does not go on one pack."""

    device: str
    supply: str
    why: str


class Proposal(msgspec.Struct, frozen=True):
    """An outing with every device where it should hang, and what speaks for it and against the others."""

    outing: Outing
    wish: Wish
    used: tuple[str, ...]
    unfed: tuple[str, ...]
    """Devices that no pack carries; they stay where they were."""
    moves: int
    mass_g: float | None
    """Of the packs in use; None where one does not state it."""
    price: float | None
    refused: tuple[Refusal, ...]
    rounds: int


class CannotPropose(ValueError):
    """What is missing before anything can be proposed."""


class _Pair(msgspec.Struct, frozen=True):
    share: float
    amps: float
    why: str = ""


def propose(outing: Outing, wish: Wish, failed: int | None = None) -> Proposal:
    """The best assignment of every device to the packs of the outing; `failed` is a pack that gives nothing.

    Raises `CannotPropose`.
    """
    if outing.hours is None:
        raise CannotPropose("say for how many hours it is to last")
    hours = number(outing.hours)
    devices = [(i, branch) for i, supply in enumerate(outing.supplies) for branch in supply.branches]
    if not devices or not outing.supplies:
        raise CannotPropose("there is nothing to assign: take a pack along and hang a device on it")
    if len(devices) > MOST_DEVICES or len(outing.supplies) > MOST_PACKS:
        raise CannotPropose(f"at most {MOST_DEVICES} devices on {MOST_PACKS} packs at once")
    work = sum(changes(supply, 3600.0 * hours) + 1.0 for supply in outing.supplies) * len(outing.supplies)
    if work > MOST_WORK:
        raise CannotPropose("there are too many changes of mode to try every pack: plan fewer hours or longer turns")
    bare = [msgspec.structs.replace(supply, branches=()) for supply in outing.supplies]
    pairs = [[_pair(supply, branch, outing.conditions, hours) for supply in bare] for _, branch in devices]
    if failed is not None:
        for row in pairs:
            row[failed] = _Pair(0.0, 0.0, "it has failed")
    return _Search(outing, wish, hours, devices, bare, pairs).best()


def _pair(supply: Supply, branch: Branch, conditions: Conditions, hours: float) -> _Pair:
    """One device alone on one pack: the charge it takes, its amperes, or why it does not go."""
    alone = msgspec.structs.replace(supply, branches=(branch,))
    try:
        run = follow(alone, conditions, hours)
        why = against(alone, conditions, run, hours)
        load = Load(alone, conditions, [(0, pull_of(branch, heaviest(branch)))])
    except ValueError as error:  # nothing ends it, or something of it is not known yet
        return _Pair(0.0, 0.0, str(error))
    amps = 0.0 if load.flow is None else _limited(load.flow.junction_a, load.flow.source_a, supply)
    return _Pair(_start(supply) - run.final_soc, amps, why)


def _start(supply: Supply) -> float:
    stated = maybe(supply.source.initial_soc)
    return 1.0 if stated is None else stated


def _limited(junction_a: float, source_a: float, supply: Supply) -> float:
    """The amperes that the pack's own limit counts: at the port, or from the cells."""
    return junction_a if supply.source.regulated_output is not None else source_a


class _Search:
    """The integer programme: x[d, p] puts device d on pack p, y[p] takes p along, z[d] leaves d unfed."""

    def __init__(
        self,
        outing: Outing,
        wish: Wish,
        hours: float,
        devices: list[tuple[int, Branch]],
        bare: list[Supply],
        pairs: list[list[_Pair]],
    ) -> None:
        self.outing, self.wish, self.hours = outing, wish, hours
        self.devices, self.bare, self.pairs = devices, bare, pairs
        self.n, self.m = len(devices), len(bare)
        self.cuts: list[tuple[int, tuple[int, ...]]] = []
        """A pack with devices that it does not carry together."""
        self.failed: list[Refusal] = []

    def best(self) -> Proposal:
        for rounds in range(1, MOST_ROUNDS + 1):
            chosen = self._solve()
            bad = [(p, why) for p in range(self.m) if (why := self._judged(p, chosen))]
            if not bad:
                return self._proposal(chosen, rounds)
            for p, why in bad:
                together = tuple(d for d in range(self.n) if chosen[d] == p)
                self.cuts.append((p, together))
                names = " and ".join(self.devices[d][1].device.name for d in together)
                self.failed.append(Refusal(names, self.bare[p].called, why))
        raise CannotPropose("no assignment was found that lasts: take another pack along, or plan fewer hours")

    def _x(self, d: int, p: int) -> int:
        return d * self.m + p

    def _solve(self) -> list[int | None]:
        """The pack of each device; None for one that stays unfed."""
        n, m = self.n, self.m
        size = n * m + m + n
        cost = np.zeros(size)
        high = np.ones(size)
        for d, (now, branch) in enumerate(self.devices):
            for p in range(m):
                pair = self.pairs[d][p]
                cost[self._x(d, p)] = TAKEN * pair.share + (0.0 if p == now else self._moving())
                if (pair.why and not (branch.pinned and p == now)) or (branch.pinned and p != now):
                    high[self._x(d, p)] = 0.0
            cost[n * m + m + d] = UNFED
        for p in range(m):
            cost[n * m + p] = self._taking(self.bare[p])
        bounds: list[tuple[Row, float, float]] = []
        for d in range(n):
            row = np.zeros(size)
            row[[self._x(d, p) for p in range(m)]] = 1.0
            row[n * m + m + d] = 1.0
            bounds.append((row, 1.0, 1.0))
        for p, supply in enumerate(self.bare):
            for weights, limit in self._limits(p, supply):
                row = np.zeros(size)
                row[[self._x(d, p) for d in range(n)]] = weights
                row[n * m + p] = -limit
                bounds.append((row, -np.inf, 0.0))
        for p, together in self.cuts:
            row = np.zeros(size)
            row[[self._x(d, p) for d in together]] = 1.0
            bounds.append((row, -np.inf, len(together) - 1.0))
        rows, low, top = zip(*bounds, strict=True)
        within, sizes = scipy.optimize.LinearConstraint(np.array(rows), low, top), scipy.optimize.Bounds(0.0, high)
        done = scipy.optimize.milp(cost, integrality=np.ones(size), bounds=sizes, constraints=within)
        if done.x is None:
            raise CannotPropose("nothing could be assigned: what is pinned does not leave room for the rest")
        chosen = np.round(done.x).astype(int)
        return [next((p for p in range(m) if chosen[self._x(d, p)]), None) for d in range(n)]

    def _limits(self, p: int, supply: Supply) -> list[tuple[list[float], float]]:
        """Sums that a pack bounds: how many at all (so that it is taken along), its charge, its amperes."""
        found: list[tuple[list[float], float]] = [([1.0] * self.n, float(self.n))]
        pairs = [self.pairs[d][p] for d in range(self.n)]
        if not CHEMISTRIES[supply.source.chemistry].endless:
            room = _start(supply) - (maybe(supply.source.reserve_soc) or 0.0)
            found.append(([pair.share for pair in pairs], room))
        port = supply.source.regulated_output
        most = maybe(supply.source.max_current_a) if port is None else maybe(port.output_current_max_a)
        if most is not None:
            found.append(([pair.amps for pair in pairs], most))
        return found

    def _taking(self, supply: Supply) -> float:
        """What taking a pack along costs under the wish."""
        if self.wish == "least mass":
            return (maybe(supply.source.mass_g) or 0.0) / 1000.0
        if self.wish == "least price":
            return maybe(supply.source.price) or 0.0
        return 1.0 if self.wish == "fewest packs" else MOVED

    def _moving(self) -> float:
        return 1.0 if self.wish == "least work" else MOVED

    def _hung(self, p: int, chosen: list[int | None]) -> Supply:
        """A pack with what is to hang on it; who stays unfed stays where it was, after the others."""
        branches = [self.devices[d][1] for d in range(self.n) if chosen[d] == p]
        return msgspec.structs.replace(self.bare[p], branches=tuple(branches))

    def _judged(self, p: int, chosen: list[int | None]) -> str:
        """What speaks against a pack with all that hangs on it, followed in full."""
        supply = self._hung(p, chosen)
        if len(supply.branches) < 2 or all(branch.pinned for branch in supply.branches):
            return ""
        try:
            run = follow(supply, self.outing.conditions, self.hours)
            return against(supply, self.outing.conditions, run, self.hours)
        except ValueError as error:
            return str(error)

    def _proposal(self, chosen: list[int | None], rounds: int) -> Proposal:
        unfed = [d for d in range(self.n) if chosen[d] is None]
        placed = [now if chosen[d] is None else chosen[d] for d, (now, _) in enumerate(self.devices)]
        supplies = tuple(self._hung(p, placed) for p in range(self.m))
        used = [p for p in range(self.m) if p in chosen]
        refused = [
            Refusal(self.devices[d][1].device.name, self.bare[p].called, self.pairs[d][p].why)
            for d in range(self.n)
            for p in range(self.m)
            if self.pairs[d][p].why
        ]
        return Proposal(
            outing=msgspec.structs.replace(self.outing, supplies=supplies),
            wish=self.wish,
            used=tuple(self.bare[p].called for p in used),
            unfed=tuple(self.devices[d][1].device.name for d in unfed),
            moves=sum(p != now for p, (now, _) in zip(placed, self.devices, strict=True)),
            mass_g=_sum([maybe(self.bare[p].source.mass_g) for p in used]),
            price=_sum([maybe(self.bare[p].source.price) for p in used]),
            refused=(*refused, *self.failed),
            rounds=rounds,
        )


def _sum(figures: list[float | None]) -> float | None:
    """The sum; None where one of them is unknown."""
    known = [one for one in figures if one is not None]
    return sum(known) if len(known) == len(figures) else None
