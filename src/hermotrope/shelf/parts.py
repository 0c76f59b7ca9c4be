"""What a shelf item holds: a source or a stage of the case document, or nothing for a meter."""

from __future__ import annotations

from typing import Any

import msgspec

from hermotrope.entry.rows import PORT_FIELDS, SOURCE_FIELDS, SOURCE_MORE, Row, connector_rows, rows
from hermotrope.kept import Kept
from hermotrope_core.circuit.pack import flat_volts, full_volts, rated_wh
from hermotrope_core.kinds.lead import as_lead
from hermotrope_core.kinds.stages import Converter, Stage, kind_named
from hermotrope_core.know.joints import BARE, live_end
from hermotrope_core.know.wall import adapter_line
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.document import CaseError, not_finite, refusal
from hermotrope_core.plan.source import Source
from hermotrope_core.values.figures import figure, reach, stated
from hermotrope_core.values.known import maybe, number

KINDS = {
    "source": "Packs and banks",
    "converter": "Converters",
    "stage": "Stages",
    "lead": "Leads",
    "fuse": "Fuses",
    "meter": "Meters",
}
_TYPES: dict[str, Any] = {
    "source": Source,
    "stage": Stage,
    **{kind: kind_named(kind) for kind in ("converter", "lead", "fuse")},
}

Part = Source | Stage | None
LIMITS = tuple(name for name in SOURCE_MORE if name not in ("mass_g", "price", "recharge_h"))


_kept: Kept[tuple[str, str], Part] = Kept(4_096)
"""Some ten megabytes."""


def stored_part(kind: str, tree: object) -> Part:
    """As `part_from`, for what the shelf keeps: the same rows are read on page after page."""
    written = kind, repr(tree)
    return _kept.get(written) or _kept.put(written, part_from(kind, tree))


def part_from(kind: str, tree: object) -> Part:
    """The validated part of an item of a kind. Raises `CaseError` naming the field."""
    if kind not in KINDS:
        raise CaseError("kind", f"must be one of {', '.join(KINDS)}")
    if kind == "meter":
        return None
    if (place := not_finite(tree, "part")) is not None:
        raise CaseError(place, "must be a finite number")
    try:
        part: Part = msgspec.convert(tree, _TYPES[kind])
    except msgspec.ValidationError as error:
        raise refusal(str(error), "part") from None
    if isinstance(part, Source) and part.chemistry not in CHEMISTRIES:
        raise CaseError("part.chemistry", f"{part.chemistry!r} is not known")
    return part


def part_tree(part: Part) -> Any:
    """A part as plain dicts and lists, as stored and exchanged."""
    return None if part is None else msgspec.json.decode(msgspec.json.encode(part))


def summary(part: Part) -> str:
    """One line that tells a part from its like."""
    if part is None:
        return ""
    if isinstance(part, Converter):
        low, high, most = (maybe(getattr(part, n)) for n in ("input_min_v", "input_max_v", "output_current_max_a"))
        takes = f", takes {stated(low or 0)}–{stated(high, 'V')}" if high is not None else ""
        gives = f", gives {stated(most, 'A')}" if most is not None else ""
        sets = f" to {stated(number(part.output_v), 'V')}" if part.topology in ("trigger", "inverter") else ""
        return f"{part.topology}{sets}{takes}{gives}"
    if not isinstance(part, Source):
        title = "" if part.kind in _TYPES else part.title
        return f"{title} {part.detail}{_ends(part)}".strip()
    if CHEMISTRIES[part.chemistry].endless:
        return adapter_line(part)
    low, high = span(part)
    volts = f"{stated(high, 'V')} port" if part.regulated_output else reach(low, high, "V")
    return f"{volts}, {figure(rated_wh(part), 'Wh')}"


def _ends(part: Stage) -> str:
    """What a lead ends in, if that is stated."""
    lead = as_lead(part)
    if lead is None or (lead.source_end is None and lead.device_end is None):
        return ""
    return f", {live_end(lead.source_end or BARE).words} → {live_end(lead.device_end or BARE).words}"


def span(source: Source) -> tuple[float, float]:
    """Volts that leave a source, flat to full; one value twice for a bank's port."""
    if source.regulated_output is not None:
        held = number(source.regulated_output.output_v)
        return held, held
    return flat_volts(source), full_volts(source)


def certainty(tree: Any) -> str:
    """The worst way in which a number of a part is known: guess, typical, label, datasheet, measured."""
    order = ("measured", "datasheet", "label", "typical", "guess")
    found = set(_known(tree))
    return max(found, key=order.index) if found else "typical"


def _known(tree: Any) -> list[str]:
    if isinstance(tree, dict):
        if "value" in tree:
            return [tree.get("known_by", "typical")]
        return [word for value in tree.values() for word in _known(value)]
    return []


def item_groups(part: Part) -> list[tuple[str, tuple[Row, ...]]]:
    """Every value of a part as fields, in groups with a title; nothing for a meter."""
    if part is None:
        return []
    if not isinstance(part, Source):
        stage = [("What it is", rows(part, part.ROWS, ""))]
        if lead := as_lead(part):
            stage += [
                ("Towards the source", connector_rows(lead.source_end, "/source_end")),
                ("Towards the device", connector_rows(lead.device_end, "/device_end")),
            ]
        return stage
    groups = [("Cells", rows(part, SOURCE_FIELDS, "")), ("Outlet", connector_rows(part.outlet, "/outlet"))]
    groups.append(("Age and limits", rows(part, LIMITS, "")))
    if part.regulated_output is not None:
        groups.append(("The port in use", rows(part.regulated_output, PORT_FIELDS, "/regulated_output")))
    for i, port in enumerate(part.ports):
        fields = list(rows(port, ("output_min_current_a", "output_off_delay_s"), f"/ports/{i}"))
        for k, profile in enumerate(port.profiles):
            fields += rows(profile, ("output_v", "output_current_max_a"), f"/ports/{i}/profiles/{k}")
        groups.append((f"Port {port.name}", tuple(fields)))
    if part.ports:
        groups.append(("All ports", rows(part, ("ports_power_max_w",), "")))
    return groups
