"""What the Prove panel shows: gates with drawings and windows, instruments, the run-down with its fit, the record."""

from __future__ import annotations

from typing import Any

import msgspec
from django.http import QueryDict

from hermotrope.bench.models import Conversion
from hermotrope.drawings.asks import asked
from hermotrope.drawings.barrel import end_view
from hermotrope.drawings.pins import pin_view
from hermotrope.drawings.scale import supply_scale
from hermotrope.entry.rows import NAMES
from hermotrope.instruments.reading import needed
from hermotrope.instruments.simulated import ROLES
from hermotrope.proving import equipment
from hermotrope.proving.bench import Workshop
from hermotrope.proving.log_panel import TIME_KINDS, log_row, shown_log, warmth
from hermotrope.proving.records import proved_of
from hermotrope_core.judge.cautions import stops
from hermotrope_core.kinds.inlets import knows_sign
from hermotrope_core.plan.difference import difference
from hermotrope_core.prove import FAULTS, Progress, applicable
from hermotrope_core.prove.judge import written
from hermotrope_core.prove.progress import STATE_WORDS, AskState
from hermotrope_core.values.fields import FIELDS
from hermotrope_core.values.figures import duration, figure

ROLE_WORDS = {"meter": "Meter", "supply": "Supply", "load": "Electronic load", "logger": "In-line logger"}
MOST_CHANGES = 40
DEAD_V = 0.3
"""Less than this is nothing, and no tick on the supply scale."""


def prove_context(conversion: Conversion, query: QueryDict) -> dict[str, Any]:
    """Everything of the panel. Where there are no gates, `shut` says why."""
    workshop = Workshop(conversion)
    context: dict[str, Any] = {
        "shut": workshop.shut,
        "proved_rows": proved_rows(conversion),
    }
    if workshop.shut:
        return context | {"stops": stops(conversion.case), "gates": []}
    rows = workshop.progress
    asked = query.get("gate", "")
    current = next(
        (row.gate.key for row in rows if row.state not in ("passed", "waived")), rows[-1].gate.key if rows else ""
    )
    chosen = asked if any(row.gate.key == asked and row.state != "locked" for row in rows) else current
    resources = equipment.resources_for(conversion)
    logs = list(conversion.logs.defer("original", "data"))
    situation = workshop.feed.situation
    assert situation is not None
    return context | {
        "gates": [_gate(workshop, row, number, chosen, resources) for number, row in enumerate(rows, start=1)],
        "passed": sum(row.state in ("passed", "waived") for row in rows),
        "warmth": warmth(workshop, workshop.temperature_c),
        "to_freeze": workshop.all_passed and not _frozen(workshop, context["proved_rows"]),
        "has_readings": bool(workshop.readings or workshop.waivers),
        "instruments": _instruments(resources),
        "faults": [(key, FAULTS[key]) for key in applicable(situation.case)],
        "fault": _fault(conversion),
        "logs": [log_row(row) for row in logs],
        "shown_log": shown_log(workshop, logs, query.get("log", "")),
        "logger_named": bool(resources.get("logger")),
        "time_kinds": TIME_KINDS,
        "scale": supply_scale(conversion.case, workshop.feed.situation, _read(rows)),
    }


def _frozen(workshop: Workshop, rows: list[dict[str, Any]]) -> bool:
    """Whether the newest frozen state is this very plan with these very readings."""
    return bool(rows) and not rows[0]["changes"] and len(rows[0]["document"].readings) == len(workshop.readings)


def _read(rows: tuple[Progress, ...]) -> tuple[tuple[str, float], ...]:
    """Volts that were read, for the supply scale: at the pack and at the inlet."""
    found = []
    for row in rows:
        for one in row.asks:
            if (
                one.reading is None
                or one.stale
                or one.ask.unit != "V"
                or one.ask.meter != "volts"
                or one.reading.value < DEAD_V
            ):
                continue
            at_pack = one.ask.red is not None and one.ask.red.gap == 0
            found.append(("pack" if at_pack else "inlet", one.reading.value))
    return tuple(found)


def _fault(conversion: Conversion) -> str:
    row = getattr(conversion, "rehearsed", None) if conversion.rehearsal else None
    return str(row.fault) if row is not None else ""


def _gate(workshop: Workshop, row: Progress, number: int, chosen: str, resources: Any) -> dict[str, Any]:
    gate, inlet = row.gate, workshop.case.device.inlet
    open_ = gate.key == chosen
    return {
        "gate": gate,
        "number": number,
        "state": row.state,
        "word": STATE_WORDS[row.state],
        "open": open_,
        "locked_by": row.locked_by,
        "waiver": row.waiver,
        "can_waive": not gate.must_pass and row.state in ("open", "failed"),
        "asks": [_ask(workshop, one, resources, draw=open_) for one in row.asks],
        "short": _short(row),
        "plug": end_view(inlet) if gate.key == "polarity" and knows_sign(inlet) else None,
        "plug_pins": pin_view(inlet, plug=True) if gate.key == "polarity" and knows_sign(inlet) else None,
    }


def _short(row: Progress) -> str:
    """The readings of a gate in one line."""
    if row.waiver is not None:
        return row.waiver.reason
    made = [written(one.reading.value, one.ask.unit) for one in row.asks if one.reading is not None and not one.stale]
    return ", ".join(made[:4]) + (" …" if len(made) > 4 else "")


def _ask(workshop: Workshop, one: AskState, resources: Any, *, draw: bool) -> dict[str, Any]:
    ask = one.ask
    return asked(workshop.case, one, ask.key, draw=draw) | {
        "told": told_words(workshop, ask.key) if draw else "",
        "by_instrument": bool(needed(ask)) and all(resources.get(role) for role in needed(ask)),
        "wait_s": round(ask.setup.wait_s),
    }


def told_words(workshop: Workshop, ask_key: str) -> str:
    """The figure that a reading tells of the plan; empty where it tells none."""
    told = workshop.told(ask_key)
    return f"{figure(told.value, FIELDS[told.field].unit)} ± {100 * told.spread:.0f} %" if told else ""


def _instruments(resources: Any) -> list[tuple[str, str, str]]:
    return [(role, ROLE_WORDS[role], resources.get(role, "")) for role in ROLES]


def proved_rows(conversion: Conversion) -> list[dict[str, Any]]:
    """Every frozen state, newest first, with what changed since."""
    rows = []
    for row in conversion.proved.all():
        document = proved_of(row)
        changes = difference(document.case, conversion.case, NAMES)
        rows.append(
            {
                "row": row,
                "document": document,
                "planned": " – ".join(duration(s) for s in document.range_s) if document.range_s else "",
                "ran": duration(document.runtime_s) if document.runtime_s else "",
                "readings": len({one.ask for one in document.readings}),
                "waived": document.waivers,
                "changes": [msgspec.to_builtins(one) for one in changes[:MOST_CHANGES]],
                "more": max(0, len(changes) - MOST_CHANGES),
            }
        )
    return rows
