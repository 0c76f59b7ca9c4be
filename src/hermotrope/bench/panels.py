"""The panels of a conversion: which fields a station has, what they hold, what stands beside them."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any
from urllib.parse import urlencode

import msgspec

from hermotrope.entry.rows import PORT_FIELDS, SOURCE_FIELDS, SOURCE_MORE, Row, connector_rows, row, rows
from hermotrope_core.kinds.stages import Stage
from hermotrope_core.know.bank import fed_from
from hermotrope_core.know.measure import HELPERS, helpers_for
from hermotrope_core.plan.case import MOST_STAGES, Case
from hermotrope_core.plan.device import TRAITS, Mode
from hermotrope_core.plan.source import Source
from hermotrope_core.values.known import maybe, number
from hermotrope_core.values.quantity import show
from hermotrope_core.values.whole import whole_number


def helped(case: Case, asked: tuple[Row, ...]) -> tuple[Row, ...]:
    """The same rows, each with the ways in which it can be measured."""
    return tuple(
        msgspec.structs.replace(one, helpers=tuple((key, HELPERS[key].title) for key in helpers_for(case, one.place)))
        for one in asked
    )


class ModePanel(msgspec.Struct, frozen=True):
    """One mode of the device with its fields."""

    index: int
    name: Row
    kind: Row
    draw: Row
    volts: tuple[Row, ...]
    """What else diodes and motors tell: at which volts they draw that, and how it goes with them."""
    peaks: tuple[Row, ...]
    in_duty: bool


class Panel(msgspec.Struct, frozen=True):
    """What is below the line: `key` is a station's number, or match, run, build, buy, do, prove or record."""

    key: str
    title: str
    kind: str
    stage: int = -2
    rows: tuple[Row, ...] = ()
    more: tuple[Row, ...] = ()
    port: tuple[Row, ...] = ()
    connector: tuple[Row, ...] = ()
    modes: tuple[ModePanel, ...] = ()
    flags: tuple[Row, ...] = ()
    bay: tuple[Row, ...] = ()
    output: tuple[Row, ...] = ()
    traits: tuple[tuple[str, str, bool], ...] = ()
    uses: tuple[tuple[str, str, bool], ...] = ()
    """What it is used for, asked of everybody once: trait, words, whether it is so."""
    of: str = ""
    """Which part of the line it shows, apart from where it stands: a press is for that part only."""

    @property
    def address(self) -> str:
        """The query of an address that comes back to the same thing, wherever it stands by then."""
        if self.kind == "device":
            return "?panel=device"
        return f"?{urlencode({'panel': self.key} | ({'of': self.of} if self.of else {}))}"


def row_at(case: Case, place: str) -> Row:
    """The field at a place, wherever its panel is. Raises LookupError for a place that has none."""
    parts = [p for p in place.split("/") if p]
    part: Any = case
    for token in parts[:-1]:
        if isinstance(part, tuple):
            at = whole_number(token, len(part) - 1)
            if at is None:
                raise LookupError(place)
            part = part[at]
        elif part is not None and token in getattr(part, "__struct_fields__", ()):
            part = getattr(part, token)
        else:
            raise LookupError(place)
    if part is not None and parts[-1] not in getattr(part, "__struct_fields__", ()):
        raise LookupError(place)
    return helped(case, (row(part, parts[-1], "/" + "/".join(parts[:-1]) if len(parts) > 1 else ""),))[0]


def panel_for(case: Case, key: str) -> Panel:
    """The panel under a key: a station's number, match, run, build, prove or record; the device if out of range."""
    count = len(case.path)
    if key in VIEWS:
        return VIEWS[key](case)
    if key.startswith("add-") and (gap := whole_number(key[4:], count)) is not None:
        return Panel(key, "Put in a stage", "add", stage=gap)
    index = whole_number(key, count + 2) or count + 2
    if index == 1:
        return _source_panel(case)
    if index == count + 2:
        return _device_panel(case, index)
    stage = case.path[index - 2]
    return _stage_panel(case, stage, index)


def key_of(case: Case, key: str, of: str) -> str:
    """The key by which the part `of` is found now, if it is on the line; else `key`."""
    named, _, number = of.split(" of ", maxsplit=1)[0].rpartition(" ")
    alike = [at for at, stage in enumerate(case.path) if stage.title == named]
    nth = whole_number(number, len(alike))
    return str(alike[nth - 1] + 2) if nth else key


def _stage_panel(case: Case, stage: Stage, index: int) -> Panel:
    asked = rows(stage, stage.ROWS, f"/path/{index - 2}")
    alike = [at for at, other in enumerate(case.path) if other.title == stage.title]
    of = f"{stage.title} {alike.index(index - 2) + 1} of {len(alike)}"
    return Panel(str(index), stage.title, "stage", index - 2, helped(case, asked), of=of)


def _source_panel(case: Case) -> Panel:
    source = case.source
    if source is None:
        return Panel("1", "Choose a pack", "shelf", -1)
    port = source.regulated_output
    return Panel(
        "1",
        "Pack",
        "source",
        -1,
        rows=helped(case, rows(source, SOURCE_FIELDS, "/source")),
        more=rows(source, SOURCE_MORE, "/source"),
        port=rows(port, PORT_FIELDS, "/source/regulated_output") if port else (),
        connector=connector_rows(source.outlet, "/source/outlet"),
    )


class PortRow(msgspec.Struct, frozen=True):
    """A port and one profile of it, in words; `in_use` is the one that feeds the device."""

    port: int
    profile: int
    words: str
    limits: str
    in_use: bool


def port_rows(source: Source) -> tuple[PortRow, ...]:
    """Every profile of every port of a bank."""
    made = []
    for i, port in enumerate(source.ports):
        threshold = maybe(port.output_min_current_a)
        sleeps = f"asleep under {show(threshold, 'A')}" if threshold else "stays awake"
        for k, profile in enumerate(port.profiles):
            most = maybe(profile.output_current_max_a)
            held = fed_from(source, i, k)
            in_use = held.regulated_output == source.regulated_output and held.outlet == source.outlet
            limits = ", ".join(filter(None, (f"{show(most, 'A')} at most" if most else "", sleeps)))
            made.append(PortRow(i, k, f"{port.name} at {show(number(profile.output_v), 'V')}", limits, in_use))
    return tuple(made)


def _device_panel(case: Case, index: int) -> Panel:
    device = case.device
    used = {segment.mode for segment in case.duty.repeat}
    inner = device.internal_battery
    battery = rows(inner, ("energy_wh", "takes_over") if inner else ("energy_wh",), "/device/internal_battery")
    output = ("output_by_v", "output_unit") if device.output_by_v else ("output_by_v",)
    charger = ("charges_to_v", "charges_chemistry") if device.charges_source else ()
    flags = rows(
        device,
        ("ends", "low_warning", "cells_left_in_bay", "switched_inlet", "rectifies", "charges_source", *charger,
         "input_capacitance_f"),
        "/device",
    )  # fmt: skip
    return Panel(
        str(index),
        device.name,
        "device",
        len(case.path),
        rows=rows(device.supply, ("min_v", "nominal_v", "max_v", "absolute_max_v"), "/device/supply"),
        connector=connector_rows(device.inlet, "/device/inlet"),
        modes=tuple(_mode(case, mode, i, mode.name in used) for i, mode in enumerate(device.modes)),
        flags=(*flags, *battery, row(device, "name", "/device")),
        bay=rows(device.bay, ("size", "columns", "links", "leads", "fed_slot"), "/device/bay") if device.bay else (),
        output=helped(case, (*rows(device, output, "/device"), *_output_mode(case))),
        traits=tuple((key, one.words, key in device.traits) for key, one in TRAITS.items() if not one.of_use),
        uses=tuple((key, one.words, key in device.traits) for key, one in TRAITS.items() if one.of_use),
    )


def _output_mode(case: Case) -> tuple[Row, ...]:
    """The question which mode the output belongs to, where there is one and several modes."""
    if not case.device.output_by_v or len(case.device.modes) < 2:
        return ()
    asked = row(case.device, "output_mode", "/device")
    names = tuple((mode.name, mode.name) for mode in case.device.modes)
    return (msgspec.structs.replace(asked, kind="choice", choices=names, optional=True, whole_page=True),)


def _mode(case: Case, mode: Mode, i: int, in_duty: bool) -> ModePanel:
    at = f"/device/modes/{i}"
    peak = "peak_w" if mode.peak_w is not None else "peak_a"
    return ModePanel(
        i,
        row(mode, "name", at),
        row(mode, "kind", at),
        helped(case, (row(mode, Mode.OWN[mode.kind], at),))[0],
        rows(mode, Mode.ALSO.get(mode.kind, ()), at),
        rows(mode, (peak, "peak_s", "on_share", "stands_for", *(() if in_duty else ("never_used",))), at),
        in_duty,
    )


def _run_panel(case: Case) -> Panel:
    return Panel(
        "run",
        "Run",
        "run",
        rows=(
            row(case, "plan_on", ""),
            *rows(case.conditions, ("temperature_c", "temperature_by_h", "enclosure"), "/conditions"),
        ),
        more=tuple(_duty(case)),
        flags=rows(case.duty, ("start", "once"), "/duty"),
    )


def _duty(case: Case) -> Iterator[Row]:
    for i, segment in enumerate(case.duty.repeat):
        one = row(segment, "seconds", f"/duty/repeat/{i}")
        yield msgspec.structs.replace(one, term=segment.mode, known_by="")


def _record_panel(case: Case) -> Panel:
    return Panel("record", "Record", "record", rows=(row(case, "title", ""),))


VIEWS: dict[str, Callable[[Case], Panel]] = {
    "match": lambda _: Panel("match", "Match", "match"),
    "run": _run_panel,
    "build": lambda _: Panel("build", "Build", "build"),
    "record": _record_panel,
}
"""The panels that belong to no station, by their keys; other places add theirs when they start."""


def kept_panel(old: Case, new: Case, key: str) -> str:
    """The key under which the thing that panel `key` of `old` showed stands in `new`: by what it is, not by number."""
    shown = whole_number(key, MOST_STAGES + 2)
    if shown is None:
        return key
    at, last = shown - 2, len(old.path)
    if at < 0:
        return key
    if at >= last:
        return str(len(new.path) + 2)
    same = [i for i, stage in enumerate(new.path) if stage == old.path[at]]
    if same:
        shift = len(new.path) - last
        return str(min(same, key=lambda i: min(abs(i - at), abs(i - at - shift))) + 2)
    return str(min(at, len(new.path)) + 2)


def pointer_of(place: str) -> str:
    """A place of the core (``path[1].efficiency``) as the pages write it (``/path/1/efficiency``)."""
    return "/" + place.replace("[", "/").replace("]", "").replace(".", "/")


def term_at(case: Case, pointer: str) -> str:
    """The name of the figure at a place, with the mode or the stage that it is of. Raises LookupError."""
    term, parts = row_at(case, pointer).term, pointer.split("/")
    if parts[1:3] == ["device", "modes"]:
        return f"{term} of “{case.device.modes[int(parts[3])].name}”"
    return f"{term}, stage {int(parts[2]) + 1}" if parts[1] == "path" else term


def panel_of_place(case: Case, place: str) -> str:
    """The key of the panel that holds a place of the document, written as ``device.modes[0].power_w``."""
    if place.startswith("source"):
        return "1"
    if place.startswith("duty") or place.startswith("conditions"):
        return "run"
    return str(len(case.path) + 2)
