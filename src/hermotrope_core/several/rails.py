"""Which volts to share: for each pack of an outing and each volts that a device is rated for, who needs a board."""

from __future__ import annotations

import msgspec

from hermotrope_core.circuit.pack import full_volts
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.craft import BOARD_EFFICIENCY, BOARD_IDLE_W
from hermotrope_core.plan.outing import Branch, Outing, Supply
from hermotrope_core.several.inner import mean_watts, walk
from hermotrope_core.values.figures import figure
from hermotrope_core.values.known import Number, Table, maybe, number


class Rail(msgspec.Struct, frozen=True):
    """One choice of shared volts: in words, which devices hang on it as they are, which need a board of their own."""

    words: str
    straight: tuple[str, ...]
    boards: tuple[str, ...]
    devices_wh: float
    lost_wh: float
    """In every board, the shared one counted; leads are the same with each choice."""

    @property
    def lost_share(self) -> float:
        """Of what is drawn from the pack."""
        drawn = self.devices_wh + self.lost_wh
        return self.lost_wh / drawn if drawn else 0.0


class _Way(msgspec.Struct, frozen=True):
    words: str
    low_v: float
    high_v: float
    efficiency: float
    rest_w: float


def rails(outing: Outing) -> tuple[Rail, ...]:
    """Every choice for an outing with hours, least lost first.

    Boards count alike, with typical figures, whatever stands in the devices' ways now. Raises ValueError without hours
    and for a device whose watts or window nothing tells.
    """
    if outing.hours is None:
        raise ValueError("say for how many hours it is meant")
    hours = number(outing.hours)
    devices = [branch for supply in outing.supplies for branch in supply.branches]
    if not devices:
        raise ValueError("no device hangs on anything yet")
    ways = [_of_pack(supply) for supply in outing.supplies if not CHEMISTRIES[supply.source.chemistry].endless]
    for volts in sorted({_rated(branch) for branch in devices}):
        words = f"{figure(volts, 'V')} held by one board for all"
        ways.append(_Way(words, volts, volts, BOARD_EFFICIENCY, BOARD_IDLE_W))
    found = {(one.low_v, one.high_v): one for one in reversed(ways)}
    made = [_rail(way, devices, hours) for way in found.values()]
    return tuple(sorted(made, key=lambda one: (one.lost_wh, len(one.boards), one.words)))


def _rated(branch: Branch) -> float:
    volts = maybe(branch.device.supply.nominal_v)
    if volts is None:
        raise ValueError(f"{branch.device.name}: its rated volts are not known")
    return volts


def _of_pack(supply: Supply) -> _Way:
    """What a pack or a bank's port gives by itself."""
    port = supply.source.regulated_output
    if port is None:
        low, high = number(supply.source.cutoff_v), full_volts(supply.source)
        return _Way(
            f"straight from {supply.source.name}, {figure(low, 'V')} to {figure(high, 'V')}", low, high, 1.0, 0.0
        )
    volts = number(port.output_v)
    words = f"the port of {supply.source.name}, {figure(volts, 'V')}"
    return _Way(words, volts, volts, _efficiency(port.efficiency), 0.0)


def _efficiency(stated: Number | Table) -> float:
    """Of a table its middle row."""
    return stated[len(stated) // 2][1] if isinstance(stated, tuple) else number(stated)


def _rail(way: _Way, devices: list[Branch], hours: float) -> Rail:
    straight, boards = [], []
    energy = asked = 0.0
    for branch in devices:
        wh = branch.count * _energy_wh(branch, hours)
        energy += wh
        if _stands(branch, way):
            straight.append(branch.device.name)
            asked += wh
        else:
            boards.append(branch.device.name)
            asked += wh / BOARD_EFFICIENCY + branch.count * BOARD_IDLE_W * hours
    whole = asked / way.efficiency + way.rest_w * hours
    return Rail(way.words, tuple(straight), tuple(boards), energy, whole - energy)


def _stands(branch: Branch, way: _Way) -> bool:
    """Whether a device runs on these volts as they are, from the least to the most."""
    low, high = maybe(branch.device.supply.min_v), maybe(branch.device.supply.max_v)
    rated = _rated(branch)
    return (rated if low is None else low) <= way.low_v and way.high_v <= (rated if high is None else high)


def _energy_wh(branch: Branch, hours: float) -> float:
    modes = {mode.name: mode for mode in branch.device.modes}
    turns = walk(branch.duty, 0.0, 3600.0 * hours)
    return sum(mean_watts(branch.device, modes[mode]) * (end - start) for mode, start, end in turns) / 3600.0
