"""What somebody typed into one field of a conversion, as a change of its case."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from hermotrope.entry.typed import Edit, EditError, change_at
from hermotrope_core.case import USES, Case, Connector, Mode, maybe, number
from hermotrope_core.document import tree_of
from hermotrope_core.inlets import knows_sign


def edit(case: Case, place: str, text: str, known_by: str = "") -> Edit:
    """Turn `text` typed at `place` (a JSON pointer) into a change. Raises `EditError`."""
    parts = [part for part in place.split("/") if part]
    tree = tree_of(case)
    if parts[:2] in (["device", "inlet"], ["source", "outlet"]) and len(parts) == 3:
        return _connector(case, tree, parts, change_at(tree, place, text, known_by))
    if re.fullmatch(r"/device/modes/\d+/kind", place):
        return _mode_kind(case, int(parts[2]), text)
    limit = getattr(case.device.supply, parts[2], None) if parts[:2] == ["device", "supply"] and parts[2:] else None
    return change_at(tree, place, text, known_by, limit)


OF_ONE_KIND = ("outer_mm", "inner_mm", "pin_count", "arc_deg", "readings")
"""What a connector of another kind does not have."""
OTHER_CONNECTOR = ("kind", "outer_mm", "inner_mm", "pin_count", "gender")
"""Another of these is another connector: what was measured on the old one does not hold for it."""


def _connector(case: Case, tree: Any, parts: list[str], made: Edit) -> Edit:
    """A change of a connector; one that makes it another connector takes back what was known of its polarity."""
    old: Connector | None = case.device.inlet if parts[0] == "device" else case.source.outlet if case.source else None
    name, at = parts[2], f"/{parts[0]}/{parts[1]}"
    stood = old is not None and getattr(old, name) is not None
    if old is None or not stood or name not in OTHER_CONNECTOR or not made.patch:
        return made
    have = tree[parts[0]][parts[1]]
    drops = ["polarity", "measured", "found_by", *(OF_ONE_KIND if name == "kind" else ())]
    if name == "pin_count":
        drops.append("readings")
    dropped = [one for one in drops if one in have]
    if getattr(old, name) == made.patch[-1].get("value") or not dropped:
        return made
    patch = [*({"op": "remove", "path": f"{at}/{one}"} for one in dropped), *made.patch]
    if name == "kind":
        patch = [{"op": "replace", "path": at, "value": {"kind": made.patch[-1].get("value")}}]
    known = knows_sign(old) or old.measured
    told = "It is another connector now: its polarity is open again, measure it anew. Undo brings the old one back."
    return Edit(patch, made.label, told if known else "")


def with_trait(case: Case, trait: str, *, on: bool) -> Case:
    """The case with a trait of the device put in or taken out; the question of its use counts as answered."""
    traits = [one for one in case.device.traits if one != trait]
    if on:
        traits.append(trait)  # type: ignore[arg-type]  # the action validates the whole case
    stated = case.device.uses_stated or trait in USES
    device = msgspec.structs.replace(case.device, traits=tuple(traits), uses_stated=stated)
    return msgspec.structs.replace(case, device=device)


def _mode_kind(case: Case, index: int, kind: str) -> Edit:
    """Change how a mode's draw is stated; the old figure is carried over at the rated volts, as a guess."""
    if index >= len(case.device.modes) or kind not in Mode.OWN:
        raise EditError("choose watts, amperes or ohms")
    mode = case.device.modes[index]
    place = f"/device/modes/{index}"
    patch: list[dict[str, Any]] = [{"op": "replace", "path": f"{place}/kind", "value": kind}]
    if mode.draw is not None and kind != mode.kind:
        patch.insert(0, {"op": "remove", "path": f"{place}/{Mode.OWN[mode.kind]}"})
        rated = maybe(case.device.supply.nominal_v)
        converted = _converted(number(mode.draw), mode.kind, kind, rated) if rated else None
        if converted:
            note = f"converted at {rated:g} V"
            value = {"value": float(f"{converted:.4g}"), "known_by": "guess", "note": note}
            patch.append({"op": "add", "path": f"{place}/{Mode.OWN[kind]}", "value": value})
    return Edit(patch, f"{mode.name} in {kind}")


def _converted(draw: float, old: str, new: str, volts: float) -> float | None:
    if draw == 0:
        return None
    watts = {"power": draw, "current": draw * volts, "resistance": volts * volts / draw}[old]
    return {"power": watts, "current": watts / volts, "resistance": volts * volts / watts}[new]
