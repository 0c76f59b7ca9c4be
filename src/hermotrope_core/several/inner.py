"""A device's own battery in a night: it goes first or takes over last, and what filling it again asks of the pack.

Watt-hours are counted: the battery holds what it states, less what the cold takes of its chemistry, and gives the watts
that the programme asks for at the device's rated volts.
"""

from __future__ import annotations

from collections.abc import Iterator
from math import inf

import msgspec

from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.device import Device, InternalBattery, Mode, rated_watts
from hermotrope_core.plan.duty import Conditions, Duty, Segment
from hermotrope_core.plan.outing import Branch, Supply
from hermotrope_core.several.clock import Clock
from hermotrope_core.values.interpolate import at
from hermotrope_core.values.known import Number, maybe, number

AWAY = "on its own battery"
FILLING = "{}, its own battery filling"
FILLS = 0.9
"""Share of the watt-hours put into a battery that it holds, where its chemistry is not told (typical)."""
MOST_TURNS = 20_000
"""Changes of mode of a device that is joined later; a programme with more is refused."""


class Inner(msgspec.Struct, frozen=True):
    """When a device's own battery carries it, seconds from the start, and the watt-hours that it held."""

    from_s: float
    until_s: float
    energy_wh: float
    first: bool
    """Whether it goes first; else it takes over where the feed ends."""
    filled_s: float | None = None
    """When the feed has filled it again; None where that is not planned or not done in time."""
    again_until_s: float | None = None
    """Until when it then carries the device once more with what was put back, where the feed ends early."""


def holds_wh(battery: InternalBattery, conditions: Conditions) -> float:
    """Watt-hours that a device's own battery gives at the temperature of the outing."""
    cell = CHEMISTRIES.get(battery.chemistry or "")
    warmth = number(conditions.temperature_c)
    return number(battery.energy_wh) * (at(cell.capacity_factor_by_temperature_c, warmth) if cell else 1.0)


def cold_counted(battery: InternalBattery) -> bool:
    """Whether its chemistry is told, so that what the cold takes of it is known."""
    return battery.chemistry in CHEMISTRIES


def fed(supply: Supply, conditions: Conditions, hours: Number | None) -> Supply:
    """The supply as it is loaded: a device whose own battery goes first draws only from when that is empty.

    From then on it also draws what fills that battery, where it is told that the feed does. Others stay as they are.
    Raises ValueError without hours, and for a device whose watts nothing tells.
    """
    branches = tuple(_joined_late(one, conditions, hours) if goes_first(one) else one for one in supply.branches)
    return msgspec.structs.replace(supply, branches=branches) if branches != supply.branches else supply


def goes_first(branch: Branch) -> bool:
    """Whether a device begins on its own battery."""
    return branch.own_battery == "first" and branch.device.internal_battery is not None


def carried(
    branch: Branch, conditions: Conditions, hours: Number | None, fed_until_s: float, *, over: bool
) -> Inner | None:
    """What a device's own battery does in a night in which its feed ended after so many seconds.

    `over` says that the programme was over then, so that nothing is left to carry. None without a battery that carries.
    """
    battery, until = branch.device.internal_battery, inf if hours is None else 3600.0 * number(hours)
    if battery is None or not (battery.takes_over or goes_first(branch)):
        return None
    energy = holds_wh(battery, conditions)
    if goes_first(branch):
        empty = _empty_at(branch, energy, 0.0, until)
        full = empty + _fill_seconds(battery, energy)
        again = None
        if battery.takes_over and not over and fed_until_s > empty:
            put_back = min(1.0, (fed_until_s - empty) / _fill_seconds(battery, energy))
            again = _empty_at(branch, put_back * energy, fed_until_s, until)
        return Inner(0.0, empty, energy, True, full if full < min(fed_until_s, until) else None, again)
    if over:
        return None
    return Inner(fed_until_s, _empty_at(branch, energy, fed_until_s, until), energy, False)


def stops_s(branch: Branch, conditions: Conditions, hours: Number | None, fed_until_s: float, *, over: bool) -> float:
    """When a device stops for good, seconds: with its feed, or with its own battery that takes over then."""
    found = carried(branch, conditions, hours, fed_until_s, over=over)
    if found is None:
        return fed_until_s
    again = fed_until_s if found.again_until_s is None else found.again_until_s
    return again if found.first else found.until_s


def _joined_late(branch: Branch, conditions: Conditions, hours: Number | None) -> Branch:
    battery, device = branch.device.internal_battery, branch.device
    assert battery is not None
    if hours is None:
        raise ValueError(f"{device.name} begins on its own battery: say for how many hours the outing is meant")
    until, energy = 3600.0 * number(hours), holds_wh(battery, conditions)
    joins = _empty_at(branch, energy, 0.0, until)
    filled = min(until, joins + _fill_seconds(battery, energy)) if filling_w(battery) else joins
    away, filling = _unused(AWAY, device), {}
    turns = [(away, joins)] if joins > 0.0 else []
    for name, start, end in walk(branch.duty, joins, until):
        middle = min(max(filled, start), end)
        if middle > start:
            filling[name] = _unused(FILLING.format(name), device)
            turns.append((filling[name], middle - start))
        if end > middle:
            turns.append((name, end - middle))
        if len(turns) > MOST_TURNS:
            raise ValueError(f"{device.name} changes its mode too often to be followed from when it is joined")
    more = [_filling(device, mode, filling[mode.name], battery) for mode in device.modes if mode.name in filling]
    modes = (*device.modes, *more, Mode(name=away, kind="power", power_w=0.0))
    duty = Duty(repeat=tuple(Segment(mode=mode, seconds=lasts) for mode, lasts in turns), once=True)
    joined = msgspec.structs.replace(device, modes=modes, internal_battery=None)
    return msgspec.structs.replace(branch, device=joined, duty=duty, own_battery="last")


def _unused(name: str, device: Device) -> str:
    while any(mode.name == name for mode in device.modes):
        name += " "
    return name


def _filling(device: Device, mode: Mode, name: str, battery: InternalBattery) -> Mode:
    """A mode while the feed also fills the battery: watts at the rated volts."""
    return Mode(name=name, kind="power", power_w=mean_watts(device, mode) + filling_w(battery))


def filling_w(battery: InternalBattery) -> float:
    """Watts with which the feed fills it; 0 where it does not, or nobody knows with how many."""
    return (maybe(battery.charge_w) or 0.0) if battery.charges_from_feed else 0.0


def _fill_seconds(battery: InternalBattery, energy_wh: float) -> float:
    """How long the feed takes to fill what was empty; inf where it does not, as far as is known."""
    watts = filling_w(battery)
    if watts == 0.0:
        return inf
    cell = CHEMISTRIES.get(battery.chemistry or "")
    return 3600.0 * energy_wh / (watts * ((cell.charge_efficiency if cell else None) or FILLS))


def mean_watts(device: Device, mode: Mode) -> float:
    """Mean watts of a mode at the rated volts. Raises ValueError where nothing tells them."""
    rated = maybe(device.supply.nominal_v)
    if mode.draw is None or (rated is None and mode.kind != "power"):
        raise ValueError(f"{device.name}: its rated volts and what it draws tell how long its own battery lasts")
    return mode.share * rated_watts(mode, rated or 0.0)


def walk(duty: Duty, from_s: float, until_s: float) -> Iterator[tuple[str, float, float]]:
    """The modes of a programme between two moments: name, from and until, seconds from the start."""
    clock = Clock(duty)
    if from_s > 0.0 and not clock.once and len(clock.turns) > 1:
        clock.cycle = int(from_s // clock.cycle_s)
    now = from_s
    while now < until_s and not clock.over:
        end = min(clock.next_s, until_s)
        if end > now:
            yield clock.mode, now, end
            now = end
        clock.turn()


def _empty_at(branch: Branch, energy_wh: float, from_s: float, until_s: float) -> float:
    """When a battery full at a moment is empty, or the programme over; at most `until_s`, inf for nothing drawn."""
    device, left = branch.device, 3600.0 * energy_wh
    watts = {mode.name: mean_watts(device, mode) for mode in device.modes if mode.name in dict(branch.duty.turns())}
    once_around = sum(watts[mode] * lasts for mode, lasts in branch.duty.turns())
    if not branch.duty.once and once_around <= 0.0:
        return until_s
    if not branch.duty.once:  # whole rounds at once
        whole = int(left // once_around)
        if from_s + whole * branch.duty.seconds >= until_s:
            return until_s
        left, from_s = left - whole * once_around, from_s + whole * branch.duty.seconds
    end = from_s
    for mode, start, end in walk(branch.duty, from_s, until_s):
        if watts[mode] * (end - start) >= left:
            return start + (left / watts[mode] if left > 0.0 else 0.0)
        left -= watts[mode] * (end - start)
    return end
