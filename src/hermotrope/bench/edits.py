"""What somebody typed into one field of a conversion, as a change of its case."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from hermotrope.entry.connectors import as_connector
from hermotrope.entry.typed import Edit, EditError, change_at
from hermotrope_core.parts.craft import LED_FADE
from hermotrope_core.plan.case import Case
from hermotrope_core.plan.device import TRAITS, Mode, Trait
from hermotrope_core.plan.document import tree_of
from hermotrope_core.values.known import maybe, number


def edit(case: Case, place: str, text: str, known_by: str = "") -> Edit:
    """Turn `text` typed at `place` (a JSON pointer) into a change. Raises `EditError`."""
    parts = [part for part in place.split("/") if part]
    tree = tree_of(case)
    if parts[:2] in (["device", "inlet"], ["source", "outlet"]) and len(parts) == 3:
        old = case.device.inlet if parts[0] == "device" else case.source.outlet if case.source else None
        return as_connector(old, tree[parts[0]].get(parts[1]), place, change_at(tree, place, text, known_by))
    if re.fullmatch(r"/device/modes/\d+/kind", place):
        return _mode_kind(case, int(parts[2]), text)
    limit = getattr(case.device.supply, parts[2], None) if parts[:2] == ["device", "supply"] and parts[2:] else None
    return change_at(tree, place, text, known_by, limit)


def trait_named(text: str) -> Trait:
    """The trait of that name. Raises `EditError` where there is none."""
    for trait in TRAITS:
        if trait == text:
            return trait
    raise EditError("that is nothing the bench asks about a device")


def with_trait(case: Case, trait: Trait, *, on: bool) -> Case:
    """The case with a trait of the device put in or taken out; the question of its use counts as answered."""
    device = case.device
    traits = tuple(one for one in device.traits if one != trait) + ((trait,) if on else ())
    denied = tuple(one for one in device.denied if one != trait) + (() if on else (trait,))
    stated = device.uses_stated or TRAITS[trait].of_use
    device = msgspec.structs.replace(device, traits=traits, denied=denied, uses_stated=stated)
    return msgspec.structs.replace(case, device=device)


def _mode_kind(case: Case, index: int, kind: str) -> Edit:
    """Change how a mode's draw is stated; the old figure is carried over at the rated volts, as a guess."""
    if index >= len(case.device.modes) or kind not in Mode.OWN:
        raise EditError("choose watts, amperes, ohms, diodes or a motor")
    mode = case.device.modes[index]
    place = f"/device/modes/{index}"
    patch: list[dict[str, Any]] = [{"op": "replace", "path": f"{place}/kind", "value": kind}]
    for name in Mode.ALSO.get(mode.kind, ()) if kind != mode.kind else ():
        if getattr(mode, name) not in (None, "steady"):
            patch.insert(0, {"op": "remove", "path": f"{place}/{name}"})
    if mode.draw is not None and kind != mode.kind:
        patch.insert(0, {"op": "remove", "path": f"{place}/{Mode.OWN[mode.kind]}"})
        rated = maybe(case.device.supply.nominal_v)
        converted = _converted(number(mode.draw), mode.kind, kind, rated) if rated else None
        if converted:
            note = f"converted at {rated:g} V"
            value = {"value": float(f"{converted:.4g}"), "known_by": "guess", "note": note}
            patch.append({"op": "add", "path": f"{place}/{Mode.OWN[kind]}", "value": value})
    rated = maybe(case.device.supply.nominal_v)
    if kind in Mode.ALSO and rated and kind != mode.kind:
        patch.append({"op": "add", "path": f"{place}/at_v", "value": {"value": rated, "known_by": "guess"}})
    if kind == "led" and rated and kind != mode.kind:
        dark = {"value": float(f"{LED_FADE * rated:.3g}"), "known_by": "typical", "note": "of its rated volts"}
        patch.append({"op": "add", "path": f"{place}/fade_v", "value": dark})
    return Edit(patch, f"{mode.name} in {kind}")


def _converted(draw: float, old: str, new: str, volts: float) -> float | None:
    if draw == 0:
        return None
    watts = {"power": draw, "resistance": volts * volts / draw}.get(old, draw * volts)
    return {"power": watts, "resistance": volts * volts / watts}.get(new, watts / volts)
