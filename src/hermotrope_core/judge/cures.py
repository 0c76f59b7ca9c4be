"""Choosing what is missing: a converter for a pack and a device, a fuse for a path.

A choice is returned as stages, or as a *change*: a list of JSON Patch operations (RFC 6902) on the
case document, so that a cure, an edit and an import all go the same way.
"""

from __future__ import annotations

from pkgutil import get_data
from typing import Any

import msgspec

from hermotrope_core.circuit.point import mode_demand, peak_demand
from hermotrope_core.circuit.situation import Look, Situation
from hermotrope_core.kinds.converter import typical_headroom
from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.lead import as_lead
from hermotrope_core.kinds.stages import Converter, Fuse, KeepAlive, Stage, Switch, Voltmeter
from hermotrope_core.kinds.stages import CutOff as CutOffStage
from hermotrope_core.kinds.voltmeter import USUAL_A
from hermotrope_core.parts.craft import ALARM_LEAVES, AWAKE, HOT_CARE_K, LONG_PEAK_S, RATED_TIMES
from hermotrope_core.parts.thermal import BOXED_TIMES, CLOSED_BOX_DERATING
from hermotrope_core.parts.wire import fuse_rating, safe_amps
from hermotrope_core.plan.case import MOST_STAGES, Case
from hermotrope_core.values.known import Known, maybe, number

HEADROOM_V = 1.0
SET_POINT_V = 0.05
"""A set-point is adjusted no finer than this, volts."""

Change = tuple[dict[str, Any], ...]


class Board(msgspec.Struct, frozen=True):
    """A generic adjustable converter of the starter data; `output_v` is its range of settings."""

    name: str
    topology: str
    input_min_v: float
    input_max_v: float
    output_v: tuple[float, float]
    efficiency: float
    quiescent_w: float
    output_current_max_a: float
    thermal_k_per_w: float
    headroom_v: float = 0.0


class _Boards(msgspec.Struct, frozen=True):
    converters: tuple[Board, ...]


BOARDS: tuple[Board, ...] = msgspec.json.decode(
    get_data("hermotrope_core.parts", "data/parts.json") or b"", type=_Boards
).converters


def add(place: str, value: object) -> dict[str, Any]:
    return {"op": "add", "path": place, "value": msgspec.to_builtins(value)}


def replace(place: str, value: object) -> dict[str, Any]:
    return {"op": "replace", "path": place, "value": msgspec.to_builtins(value)}


def supply_span(situation: Situation) -> tuple[float, float]:
    """Lowest and highest volts that leave the source: a bank's port holds one value."""
    port = situation.source.regulated_output
    if port is not None:
        held = number(port.output_v)
        return held, held
    return number(situation.source.cutoff_v), situation.full_emf


def topology_for(low: float, high: float, target: float) -> str:
    """Buck if the source stays above the target by the headroom, boost if below, else both."""
    if low >= target + HEADROOM_V:
        return "buck"
    return "boost" if high <= target else "buck-boost"


def device_amps(situation: Situation, volts: float) -> tuple[float, float]:
    """Heaviest continuous and highest momentary amperes of the duty at a held inlet voltage."""

    def amps(kind: str, value: float) -> float:
        if kind == "power":
            return value / volts
        return value if kind == "current" else volts / value

    steady = [mode_demand(mode) for mode in situation.all_modes]
    heavy = max(amps(d.kind, d.value) for d in steady)
    peaks = [peak for mode in situation.all_modes if (peak := peak_demand(mode)) is not None]
    return heavy, max([heavy, *(amps(d.kind, d.value) for d in peaks)])


def converter_for(situation: Situation) -> Converter | None:
    """The smallest generic board that feeds the device its rated volts from this source.

    Rated above the heaviest mode by `RATED_TIMES` and above every peak, derated in a closed box, and
    cool enough (under `HOT_CARE_K`). None if no board of the starter data does it.
    """
    target = maybe(situation.case.device.supply.nominal_v)
    if target is None:
        return None
    low, high = supply_span(situation)
    kind = topology_for(low, high, target)
    heavy, peak = device_amps(situation, target)
    derating = CLOSED_BOX_DERATING if situation.closed else 1.0
    for board in BOARDS:
        inside = board.output_v[0] <= target <= board.output_v[1]
        takes = board.input_min_v <= low and high <= board.input_max_v
        gives = board.output_current_max_a * derating >= max(RATED_TIMES * heavy, peak)
        boxed = BOXED_TIMES if situation.closed else 1.0
        warm = (target * heavy * (1 / board.efficiency - 1) + board.quiescent_w) * board.thermal_k_per_w * boxed
        if board.topology == kind and inside and takes and gives and warm < HOT_CARE_K:
            return Converter(
                topology=board.topology,  # type: ignore[arg-type]  # the data file is checked by a test
                output_v=target,
                efficiency=Known(value=board.efficiency, known_by="typical", note=board.name),
                quiescent_w=board.quiescent_w,
                input_min_v=board.input_min_v,
                input_max_v=board.input_max_v,
                headroom_v=board.headroom_v or None,
                output_current_max_a=board.output_current_max_a,
                thermal_k_per_w=board.thermal_k_per_w,
                adjusts_from_v=board.output_v[0],
                adjusts_to_v=board.output_v[1],
            )
    return None


def fitted(case: Case, stage: Stage) -> Stage:
    """A part of the shelf set for this device: an adjustable board to its rated volts, as far as it goes there."""
    volts = maybe(case.device.supply.nominal_v)
    if volts is None or not isinstance(stage, Converter) or not stage.set_by_hand:
        return stage
    low, high = maybe(stage.adjusts_from_v), maybe(stage.adjusts_to_v)
    volts = max(volts, low or 0.0)
    return msgspec.structs.replace(stage, output_v=volts if high is None else min(volts, high))


def converter_place(case: Case) -> int:
    """Path index for a converter: behind fuse, switch and cut-off, before the lead to the device."""
    guards = [i for i, stage in enumerate(case.path) if stage.IN_THE_WIRE or stage.opens_below_v is not None]
    return guards[-1] + 1 if guards else 0


def fuse_for(situation: Situation) -> Fuse | None:
    """The fuse for the front of the path: over the load, over its peaks, under the wire behind it."""
    rating = fuse_at(situation, 0, wire_amps_behind(situation.case, 0))
    return None if rating is None else Fuse(rating_a=rating)


def fuse_at(situation: Situation, at: int, wire_a: float) -> float | None:
    """Rating of a fuse in front of path[at], for every mode of the device and its peaks; None if none suits.

    A peak whose length nobody stated counts as long enough to open it.
    """

    def amps(look: Look) -> float:
        return look.at.source_a if at == 0 else look.at.at_stage(at).amps_in

    heavy = max((amps(look) for look in situation.looks), default=None)
    if heavy is None:
        return None
    lasts = [(amps(look), maybe(look.mode.peak_s)) for look in situation.peak_looks]
    return fuse_rating(heavy, tuple((a, LONG_PEAK_S if s is None else s) for a, s in lasts), wire_a)


def wire_amps_behind(case: Case, start: int) -> float:
    """Safe current of the weakest lead from path index `start` to the next holder or the device."""
    weakest = float("inf")
    for stage in case.path[start:]:
        if stage.HOLDS:
            break
        if lead := as_lead(stage):
            weakest = min(weakest, safe_amps(number(lead.area_mm2)))
    return weakest


def with_stages(case: Case, change: Change) -> Case:
    """The case with the stages that a change adds, in its order; its other operations are left out."""
    path = list(case.path)
    for operation in change:
        parts = operation["path"].split("/")
        if operation["op"] == "add" and parts[1] == "path" and len(parts) == 3:
            path.insert(int(parts[2]), msgspec.convert(operation["value"], Stage))
    return msgspec.structs.replace(case, path=tuple(path))


def fuse_change(situation: Situation) -> Change:
    """Put a fuse first in the path; empty if no rating suits."""
    fuse = fuse_for(situation)
    return () if fuse is None else (add("/path/0", fuse),)


def converter_change(situation: Situation) -> Change:
    """Hold the device's rated volts: set the last converter there, or put one in, fused.

    Empty if no generic board suits. The fuse is sized for the path as it then is.
    """
    case = situation.case
    target = maybe(case.device.supply.nominal_v)
    for i in range(len(case.path) - 1, -1, -1):
        stage = case.path[i]
        if isinstance(stage, Holding) and target is not None:
            volts = set_point(situation, number(stage.output_v), target)
            if volts is None:
                return ()
            if can_be_set(situation, i, volts):
                return (replace(f"/path/{i}/output_v", volts),)
            other = converter_for(situation) if i == 0 or not _held_before(case, i) else None
            return () if other is None else (replace(f"/path/{i}", other),)
    board = converter_for(situation)
    if board is None or len(case.path) + 2 > MOST_STAGES:
        return ()
    place = converter_place(case)
    changes = [add(f"/path/{place}", board)]
    path = (*case.path[:place], board, *case.path[place:])
    fused = any(stage.opens_above_a is not None for stage in path)
    if not fused and situation.source.regulated_output is None:
        changes.extend(fuse_change(Situation(msgspec.structs.replace(case, path=path))))
    return tuple(changes)


def _held_before(case: Case, i: int) -> bool:
    return any(stage.HOLDS for stage in case.path[:i])


def can_be_set(situation: Situation, i: int, volts: float) -> bool:
    """Whether the part at a path index can hold these volts: inside its range, and on the right side of its input."""
    stage = situation.case.path[i]
    if not isinstance(stage, Converter):
        return True
    if stage.topology in ("trigger", "inverter"):
        return False
    low, high = maybe(stage.adjusts_from_v), maybe(stage.adjusts_to_v)
    if (low is not None and volts < low) or (high is not None and volts > high):
        return False
    before = [s for s in situation.case.path[:i] if isinstance(s, Holding)]
    span = (number(before[-1].output_v),) * 2 if before else supply_span(situation)
    if stage.topology == "boost":
        return volts >= span[1]
    headroom = maybe(stage.headroom_v)
    need = volts + (typical_headroom(volts) if headroom is None else headroom)
    return stage.topology != "buck" or need <= span[1]


def set_point(situation: Situation, now: float, target: float) -> float | None:
    """Where to set the last holder so that the device gets its rated volts; None if it stands there.

    A holder that already gives the rated volts is raised by what the heaviest mode loses behind it,
    unless the device would then get too much with no current.
    """
    if abs(now - target) > SET_POINT_V:
        return target
    heavy = situation.at(situation.heaviest, 1.0)
    most = maybe(situation.case.device.supply.max_v)
    if not heavy.complete or most is None:
        return None
    raised = round(target + now - heavy.inlet_v, 2)
    at_rest = situation.unloaded[-1] + raised - now
    return raised if raised - now > SET_POINT_V and at_rest <= most else None


def cut_off_change(situation: Situation) -> Change:
    """Put a low-voltage cut-off behind fuse and switch, opening at the chemistry's cut-off."""
    volts = situation.source.cells_in_series * situation.cell.cutoff_v
    return (add(f"/path/{_behind_guards(situation.case)}", CutOffStage(trips_v=round(volts, 2))),)


def alarm_change(situation: Situation) -> Change:
    """Put an alarm behind fuse and switch, to warn in the lightest mode while `ALARM_LEAVES` of the run is left.

    Empty behind a port, and where the run does not begin.
    """
    ended = situation.run
    if situation.circuit.port is not None or ended is None or ended.runtime_s <= 0.0:
        return ()
    soc = ended.final_soc + ALARM_LEAVES * (situation.circuit.start_soc - ended.final_soc)
    volts = situation.pack_v(situation.lightest, soc)
    if volts is None:
        return ()
    return (
        add(
            f"/path/{_behind_guards(situation.case)}",
            Voltmeter(current_a=Known(value=USUAL_A), warns_v=round(volts, 1)),
        ),
    )


def _behind_guards(case: Case) -> int:
    """Path index behind the fuse and the switch at the pack."""
    first = next((i for i, one in enumerate(case.path) if one.HOLDS), len(case.path))
    guards = [i for i, one in enumerate(case.path[:first]) if one.IN_THE_WIRE]
    return guards[-1] + 1 if guards else 0


def keep_alive_change(case: Case, amps: float) -> Change:
    """Put a load across a bank's port that lifts `amps` to `AWAKE` times what keeps it awake.

    One that is there already is made larger. Empty if the source is no bank or falls asleep at nothing.
    """
    port = case.source.regulated_output if case.source else None
    least = maybe(port.output_min_current_a) if port else None
    if least is None or amps >= AWAKE * least:
        return ()
    more = AWAKE * least - amps
    for i, stage in enumerate(case.path):
        if stage.HOLDS:
            break
        if stage.KEEPS_AWAKE:
            return (replace(f"/path/{i}", KeepAlive(current_a=round(stage.shunt_a + more, 3))),)
    return () if len(case.path) == MOST_STAGES else (add("/path/0", KeepAlive(current_a=round(more, 3))),)


def switch_change(case: Case) -> Change:
    """Put a switch before everything that draws by itself, behind the fuse."""
    place = 1 if case.path and case.path[0].opens_above_a is not None else 0
    return (add(f"/path/{place}", Switch()),)
