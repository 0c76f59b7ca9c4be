"""How each number is known, and what therefore varies in an estimate.

Each input x is log-normal about its value with 5th and 95th percentile at x / (1 + h) and x (1 + h);
h follows from how it is known.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec

from hermotrope_core.kinds.holding import Holding
from hermotrope_core.kinds.lead import as_lead
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.source import Source
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.known import Known, KnownBy, Number, Table, number

SPREAD: dict[KnownBy, float] = {"measured": 0.03, "datasheet": 0.10, "label": 0.20, "typical": 0.30, "guess": 0.50}
"""Half-width h of the 90 % interval by how a number is known."""
MEASURED_SPREAD = SPREAD["measured"]


def as_measured(value: float, spread: float, note: str, digits: int = 4) -> dict[str, Any]:
    """A number as the document keeps a measured one; a spread is written where it is wider than a measurement's."""
    made: dict[str, Any] = {"value": float(f"{value:.{digits}g}"), "known_by": "measured", "note": note}
    return made | ({"spread": float(f"{spread:.2g}")} if spread > MEASURED_SPREAD else {})


class Input(msgspec.Struct, frozen=True):
    """One uncertain number: where it stands, its h, and the case with it scaled by a factor."""

    place: str
    spread: float
    scaled: Callable[[float], Case]
    measurable: bool = True
    """False for a table over the current: no one reading makes it known."""
    known_by: KnownBy = "typical"


def spread_of(x: Number | Table) -> float:
    """h of a number; a bare one counts as typical."""
    if isinstance(x, Known):
        return SPREAD[x.known_by] if x.spread is None else x.spread
    return SPREAD["typical"]


def known_by(x: Number | Table | None) -> KnownBy:
    """How a number is known; a bare one counts as typical."""
    return x.known_by if isinstance(x, Known) else "typical"


def times(x: Number, factor: float, name: str) -> Number:
    """The value of field `name` scaled, and kept at or below what that field may hold."""
    value = min(number(x) * factor, FIELDS[name].high)
    return msgspec.structs.replace(x, value=value) if isinstance(x, Known) else value


def lossier(efficiency: Number | Table, factor: float) -> Number | Table:
    """An efficiency (or table of them) whose loss ratio 1 / eta - 1 is scaled by `factor`."""

    def one(eta: float) -> float:
        return max(1.0 / (1.0 + factor * (1.0 / eta - 1.0)), FIELDS["efficiency"].low)

    if isinstance(efficiency, tuple):
        return tuple((amps, one(eta)) for amps, eta in efficiency)
    if isinstance(efficiency, Known):
        return msgspec.structs.replace(efficiency, value=one(efficiency.value))
    return one(efficiency)


def inputs(case: Case) -> list[Input]:
    """Everything that varies in a finished case, as model and document define it."""
    replace = msgspec.structs.replace
    source = case.source
    assert source is not None

    def on_source(name: str) -> Input:
        x = getattr(source, name)
        return Input(
            f"source.{name}",
            spread_of(x),
            lambda f: replace(case, source=replace(source, **{name: times(x, f, name)})),
            known_by=known_by(x),
        )

    found = [on_source("capacity_ah"), on_source("resistance_ohm")]
    if source.state_of_health is not None:
        found.append(on_source("state_of_health"))
    used = {mode.name for mode in case.duty_modes()}
    for i, mode in enumerate(case.device.modes):
        if mode.name in used and mode.draw is not None:
            found.append(_mode_input(case, i, mode.OWN[mode.kind]))
    if source.regulated_output is not None:
        found += _holder_inputs("source.regulated_output", source.regulated_output, _port_setter(case, source))
    for i, stage in enumerate(case.path):
        setter = _stage_setter(case, i)
        if isinstance(stage, Holding):
            found += _holder_inputs(f"path[{i}]", stage, setter)
        elif as_lead(stage):
            found.append(_times_input(f"path[{i}]", stage, "length_m", setter))
    return [one for one in found if one.spread > 0.0]


Setter = Callable[[dict[str, object]], Case]


def _port_setter(case: Case, source: Source) -> Setter:
    replace = msgspec.structs.replace

    def set_(values: dict[str, object]) -> Case:
        port = replace(source.regulated_output, **values) if source.regulated_output else None
        return replace(case, source=replace(source, regulated_output=port))

    return set_


def _stage_setter(case: Case, i: int) -> Setter:
    replace = msgspec.structs.replace
    return lambda values: replace(case, path=(*case.path[:i], replace(case.path[i], **values), *case.path[i + 1 :]))


def _mode_input(case: Case, i: int, name: str) -> Input:
    replace = msgspec.structs.replace
    mode, device = case.device.modes[i], case.device

    def scaled(factor: float) -> Case:
        new = replace(mode, **{name: times(getattr(mode, name), factor, name)})
        return replace(case, device=replace(device, modes=(*device.modes[:i], new, *device.modes[i + 1 :])))

    x: Number = getattr(mode, name)
    return Input(f"device.modes[{i}].{name}", spread_of(x), scaled, known_by=known_by(x))


def _times_input(place: str, part: object, name: str, setter: Setter) -> Input:
    x: Number = getattr(part, name)
    return Input(f"{place}.{name}", spread_of(x), lambda f: setter({name: times(x, f, name)}), known_by=known_by(x))


def _holder_inputs(place: str, part: object, setter: Setter) -> list[Input]:
    found = []
    efficiency: Number | Table | None = getattr(part, "efficiency", None)
    if efficiency is not None:
        eta = efficiency
        at, one = f"{place}.efficiency", not isinstance(eta, tuple)
        found.append(Input(at, spread_of(eta), lambda f: setter({"efficiency": lossier(eta, f)}), one, known_by(eta)))
    quiescent = "quiescent_w" if hasattr(part, "quiescent_w") else "quiescent_a"
    if number(getattr(part, quiescent)) > 0.0:
        found.append(_times_input(place, part, quiescent, setter))
    return found
