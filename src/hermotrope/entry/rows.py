"""One field of a document as a form asks for it: its term, its choices, its unit, its help."""

from __future__ import annotations

from collections.abc import Sequence

import msgspec

from hermotrope.entry.typed import FLAGS, KNOWN_BY, TABLE_EXAMPLES, shown
from hermotrope_core.kinds.inlets import KIND_WORDS, Connector, fixed_by_standard, mains_like
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.parts.wire import PARTS
from hermotrope_core.plan.device import Mode
from hermotrope_core.plan.document import WHOLE_NUMBERS
from hermotrope_core.tell.help import FIELDS_HELP
from hermotrope_core.values.fields import FIELDS, TABLES
from hermotrope_core.values.known import Known, Value
from hermotrope_core.values.units import UNITS

YES_NO = (("yes", "yes"), ("no", "no"))
CHOICES: dict[str, tuple[tuple[str, str], ...]] = {
    "topology": tuple((t, t) for t in ("buck", "boost", "buck-boost", "trigger", "inverter")),
    "polarity": tuple((p, p) for p in ("centre-positive", "centre-negative", "marked", "unknown")),
    "gender": (("socket", "socket"), ("plug", "plug")),
    "chemistry": tuple((key, cell.label) for key, cell in CHEMISTRIES.items()),
    "enclosure": (("open", "open"), ("closed", "closed box")),
    "ends": (("clean", "stops cleanly"), ("abrupt", "stops abruptly"), ("resets", "resets and comes back")),
    "thermal_enclosure": (("open", "the open board"), ("closed", "its closed case")),
    "in_dropout": (("stops", "it stops"), ("passes", "it passes on the falling volts")),
    "charges_chemistry": tuple((key, cell.label) for key, cell in CHEMISTRIES.items() if cell.rechargeable),
    "cell_size": tuple((size, size) for size in PARTS.cell_sizes_mm),
    "kind": tuple(KIND_WORDS.items()),
    "size": tuple((size, size) for size in PARTS.cell_sizes_mm),
    "torque": (
        ("steady", "the same pull at any speed: winch, gears, wheels"),
        ("with-speed", "a pull that grows with its speed: brush, mixer, slow fan"),
    ),
    "stands_for": (("typical", "the typical draw"), ("maximum", "the nameplate maximum")),
    "plan_on": (("duty", "the duty"), ("typical", "the typical draw"), ("maximum", "the greatest draw")),
    "mode-kind": (
        ("power", "watts"),
        ("current", "amperes"),
        ("resistance", "ohms"),
        ("led", "amperes, of LEDs"),
        ("motor", "amperes, of a motor"),
    ),
}
TERMS = {
    "topology": "Kind",
    "polarity": "Polarity",
    "gender": "Ends in",
    "kind": "Connector",
    "measured": "Polarity measured",
    "rectifies": "Has a rectifier behind its inlet",
    "alternating": "Made for alternating current",
    "never_used": "Never used in this conversion",
    "bought": "Ready made: keep copper and ends",
    "built_in": "Inside the part beside it",
    "by_itself": "Changes over by itself",
    "isolates": "The supplies never meet",
    "takes_back_feed": "Stands current from behind",
    "thermal_enclosure": "K/W stated for",
    "in_dropout": "Within its headroom",
    "charges_chemistry": "Its charger is made for",
    "cell_size": "Size of its cells",
    "swaps_polarity": "Swaps plus and minus",
    "low_voltage_cut_off": "Cuts itself off when low",
    "low_warning": "Warns when low",
    "cells_left_in_bay": "Cells stay in the bay",
    "switched_inlet": "Inlet disconnects the cells",
    "charges_source": "Charges what feeds it",
    "mixed_cells": "Cells differ in make or age",
    "start": "Begins at",
    "once": "Only once",
    "ends": "When the supply fails it",
    "enclosure": "Enclosure",
    "name": "Name",
    "chemistry": "Chemistry",
    "takes_over": "Takes over when the feed ends",
    "ocv": "Cell volts over charge",
    "resistance_by_soc": "Resistance over charge",
    "output_by_v": "Output by volts",
    "temperature_by_h": "Temperature over the hours",
    "output_unit": "Unit of the output",
    "output_mode": "That is its output in",
    "energy_wh": "Internal battery",
    "size": "Cells",
    "links": "Joined inside",
    "leads": "Wires go in at",
    "wires": "Wire colours",
    "torque": "It drives",
    "stands_for": "Stands for",
    "plan_on": "Plan on",
}
NAMES = TERMS | {"modes.kind": "Stated in"}
"""The same for a list of changes: a kind is a connector's but for a mode."""
HELP = {
    "wires": "a note only: colours prove nothing",
    "resistance_by_soc": "times its resistance, by the charge left; the same throughout where nothing is stated",
    "links": "contacts that beep with the cells out: 1+ 2-, 2+ 3-",
    "leads": "contacts from which wires go into the device: 1- 4+",
}
TEXT_EXAMPLES = {"start": "20:30"}
AS_STATED = {
    "outer_mm", "inner_mm", "area_mm2", "seconds", "rating_v", "mass_g", "price", "charges_to_v", "recharge_h",
    "rating_a", "rating_w", "trips_v", "warns_v", "gap_s",
    "temperature_c", "initial_soc", "reserve_soc", "adjusts_from_v", "adjusts_to_v", "arc_deg", "reading_v",
    "ports_power_max_w",
}  # fmt: skip
"""Set-points, geometry and choices, which are taken as stated: nobody is asked how they are known."""
REDRAWS = {
    "temperature_c",
    "temperature_by_h",
    "start",
    "seconds",
    "outer_mm",
    "inner_mm",
    "pin_count",
    "arc_deg",
    "columns",
    "links",
    "leads",
    "fed_slot",
    "output_by_v",
}
"""Quantities that a drawing inside the panel shows."""
OPTIONAL = {"ends", "stands_for", "gender", "charges_chemistry", "cell_size"}
"""Choices that may be left open again."""
SOURCE_FIELDS = (
    "name",
    "chemistry",
    "cells_in_series",
    "cells_in_parallel",
    "capacity_ah",
    "resistance_ohm",
    "cutoff_v",
    "low_voltage_cut_off",
)
SOURCE_MORE = (
    "cell_size",
    "mixed_cells",
    "full_v",
    "max_current_a",
    "peak_current_a",
    "state_of_health",
    "initial_soc",
    "reserve_soc",
    "peukert",
    "rated_hours",
    "ocv",
    "resistance_by_soc",
    "mass_g",
    "price",
    "recharge_h",
)
PORT_FIELDS = (
    "output_v",
    "efficiency",
    "quiescent_w",
    "output_current_max_a",
    "output_min_current_a",
    "output_off_delay_s",
)


class Row(msgspec.Struct, frozen=True):
    """One field: where it stands in the document, what it holds, how it is asked for and marked."""

    place: str
    term: str
    text: str
    kind: str
    """quantity, table, text, choice or flag"""
    choices: tuple[tuple[str, str], ...] = ()
    known_by: str = ""
    """How it is known; empty where that is not asked."""
    help: str = ""
    example: str = ""
    whole_page: bool = False
    """True where other fields come and go with this one."""
    error: str = ""
    conflict: str = ""
    optional: bool = False
    """True for a choice that may be left open again."""
    helpers: tuple[tuple[str, str], ...] = ()
    """Ways to measure it: key and title."""

    @property
    def id(self) -> str:
        return "f" + self.place.replace("/", "-").replace("_", "-")

    @property
    def how(self) -> str:
        """Where its value is found, for who asks."""
        return FIELDS_HELP.get(self.place.rsplit("/", 1)[-1], "")

    @property
    def known_choices(self) -> tuple[str, ...]:
        return KNOWN_BY


def row(part: Value | None, name: str, at: str, typed: str | None = None, error: str = "") -> Row:
    """The field `name` of a part at the pointer `at`; what was `typed` is kept when it was refused."""
    text = typed if typed is not None else (shown(part, name) if part is not None else "")
    place = f"{at}/{name}"
    field = FIELDS.get(name)
    term = TERMS.get(name) or (field.term if field else name)
    if name in FLAGS:
        return Row(place, term, text, "flag", YES_NO, whole_page=True, error=error)
    if name in CHOICES and not (name == "kind" and isinstance(part, Mode)):
        open_again = name in OPTIONAL
        offered = signs_of(part) if name == "polarity" and isinstance(part, Connector) else CHOICES[name]
        return Row(place, term, text, "choice", offered, whole_page=True, error=error, optional=open_again)
    if name == "kind":
        return Row(place, "Stated in", text, "choice", CHOICES["mode-kind"], whole_page=True, error=error)
    if field is None and name not in TABLES:
        example = TEXT_EXAMPLES.get(name, "")
        return Row(place, term, text, "text", (), "", HELP.get(name, ""), example, name in REDRAWS, error)
    value = getattr(part, name) if part is not None else None
    is_table = name in TABLES and (name != "efficiency" or isinstance(value, tuple))
    example = TABLE_EXAMPLES[name] if is_table else UNITS[field.unit].example if field else ""
    asked = field is not None and name not in WHOLE_NUMBERS | AS_STATED and not is_table
    known = (value.known_by if isinstance(value, Known) else "typical") if asked else ""
    note = value.note or "" if isinstance(value, Known) else ""
    words = note or (field.help if field else "")
    redraws = name in REDRAWS
    return Row(place, term, text, "table" if is_table else "quantity", (), known, words, example, redraws, error)


def signs_of(connector: Connector) -> tuple[tuple[str, str], ...]:
    """The polarities that a connector can have: a centre has only a barrel, marks only what has contacts to mark."""
    barrel = connector.kind == "barrel"
    able = ("centre-positive", "centre-negative", "unknown") if barrel else ("marked", "unknown")
    return tuple((one, one) for one in able)


def rows(part: Value | None, names: Sequence[str], at: str) -> tuple[Row, ...]:
    return tuple(row(part, name, at) for name in names)


def connector_rows(part: Connector | None, at: str) -> tuple[Row, ...]:
    """The fields that a connector of its kind has; of one that nobody stated, its kind."""
    if part is None:
        return rows(None, ("kind",), at)
    if mains_like(part):
        return rows(part, ("kind",), at)
    if fixed_by_standard(part):
        return rows(part, ("kind", "gender", "rating_a"), at)
    names = ["kind", "polarity", "measured", "gender", "alternating", "rating_a"]
    if part.kind == "barrel":
        names[1:1] = ["outer_mm", "inner_mm"]
    if part.kind == "pins":
        names[1:1] = ["pin_count", "arc_deg"]
    return rows(part, (*names, "wires"), at)
