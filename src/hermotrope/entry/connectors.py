"""Changing a connector: what was measured on one does not hold for another."""

from __future__ import annotations

from typing import Any

from hermotrope.entry.typed import Edit
from hermotrope_core.kinds.inlets import Connector, knows_sign

OTHER_CONNECTOR = ("kind", "outer_mm", "inner_mm", "pin_count", "gender")
"""Another of these is another connector."""
TOLD = "It is another connector now: its polarity is open again, measure it anew. Undo brings the old one back."


def as_connector(old: Connector | None, have: Any, place: str, made: Edit) -> Edit:
    """A change at a place of a connector; one that makes it another takes back what was known of its polarity.

    `old` is the connector, `have` the same as a tree, `place` the JSON pointer of the field that `made` changes.
    """
    at, _, name = place.rpartition("/")
    if old is None or name not in OTHER_CONNECTOR or getattr(old, name) is None or not made.patch:
        return made
    if made.patch[-1]["op"] == "remove":
        return made
    dropped = [one for one in ("polarity", "measured", "found_by") if one in have]
    if name == "pin_count":
        dropped += [one for one in ("readings",) if one in have]
    if getattr(old, name) == made.patch[-1].get("value"):
        return made
    patch = [*({"op": "remove", "path": f"{at}/{one}"} for one in dropped), *made.patch]
    if name == "kind":
        patch = [{"op": "replace", "path": at, "value": {"kind": made.patch[-1].get("value")}}]
    return Edit(patch, made.label, TOLD if knows_sign(old) or old.measured else "")
