"""What somebody typed into one field of a conversion, as a change of its case."""

from __future__ import annotations

import re
from typing import Any

from hermotrope.entry.typed import Edit, EditError, change_at
from hermotrope_core.case import Case, Mode, maybe, number
from hermotrope_core.document import tree_of


def edit(case: Case, place: str, text: str, known_by: str = "") -> Edit:
    """Turn `text` typed at `place` (a JSON pointer) into a change. Raises `EditError`."""
    parts = [part for part in place.split("/") if part]
    tree = tree_of(case)
    if parts[:2] == ["device", "traits"] and len(parts) == 3:
        return _trait(tree, parts[2], text)
    if re.fullmatch(r"/device/modes/\d+/kind", place):
        return _mode_kind(case, int(parts[2]), text)
    limit = getattr(case.device.supply, parts[2], None) if parts[:2] == ["device", "supply"] and parts[2:] else None
    return change_at(tree, place, text, known_by, limit)


def _trait(tree: Any, trait: str, text: str) -> Edit:
    have = list(tree["device"].get("traits", ()))
    if text == "yes" and trait not in have:
        have.append(trait)
    elif text != "yes":
        have = [one for one in have if one != trait]
    return Edit([{"op": "add", "path": "/device/traits", "value": have}], f"{trait}: {text or 'no'}")


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
