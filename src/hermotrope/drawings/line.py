"""The feed line: stations between a copper conductor above and a return below, with their figures."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from math import sqrt
from typing import Any

import msgspec

from hermotrope.drawings import numbers
from hermotrope.drawings.letters import shorten
from hermotrope_core.circuit.pack import flat_volts, full_volts
from hermotrope_core.circuit.point import Point
from hermotrope_core.circuit.situation import Situation
from hermotrope_core.judge.findings import LEVELS, Finding
from hermotrope_core.kinds.effects import Demand
from hermotrope_core.kinds.inlets import KIND_WORDS, Connector
from hermotrope_core.parts.chemistry import CHEMISTRIES
from hermotrope_core.plan.case import Case
from hermotrope_core.values.figures import figure, reach, stated
from hermotrope_core.values.known import maybe as maybe_number
from hermotrope_core.values.known import number

WIDTH = 1236.0
SOURCE_LEFT, SOURCE_WIDTH = 28.0, 104.0
DEVICE_WIDTH, DEVICE_GAP, MARGIN = 168.0, 70.0, 12.0
LEAST_GAP = 60.0
"""Least length of conductor between two stages; a longer path makes the drawing wider."""
CELLS_SHOWN = 6
CELL_TOP, CELL_STEP, CELL_WIDTH = 94.0, 18.0, 80.0
SAMPLES = 41
NAME_SIZE = 14.0
HALF_PLAIN = 26.0
HALF_GLYPH = {"converter": 54.0, "linear": 54.0, "lead": 34.0, "cut-off": 30.0}


class Box(msgspec.Struct, frozen=True):
    """Name and place of a station: `x` its middle, `left` and `right` where the conductor meets it."""

    stage: int
    kind: str
    title: str
    detail: str
    x: float
    left: float
    right: float


class Station(Box, frozen=True, kw_only=True):
    """One station as drawn."""

    index: int
    """Counted from the pack, which is 1; also its key."""
    level: str
    open: bool
    volts: str
    lost: str
    heat: str
    inside: tuple[str, ...] = ()


class Gap(msgspec.Struct, frozen=True):
    """The conductors between two stations: figures above and below, thickness by the current."""

    index: int
    left: float
    right: float
    middle: float
    volts: str
    amps: str
    thickness: float
    pale: bool
    broken: bool
    dashed: bool
    room: bool
    """False where the stations stand too close for figures."""


class Line(msgspec.Struct, frozen=True):
    """The whole drawing; `width` of its view box. `words` says the same for a screen reader."""

    width: float
    stations: tuple[Station, ...]
    gaps: tuple[Gap, ...]
    cells: tuple[tuple[float, float], ...]
    """Top and filled width of each bar of the pack's gauge."""
    device_left: float
    inlet: dict[str, Any]
    broken: int | None
    """Gap (counted from 1) that a refusal breaks at any charge; None if none does."""
    words: str


def source_detail(case: Case) -> str:
    source = case.source
    if source is None:
        return "not chosen yet"
    if source.regulated_output is not None:
        return f"{stated(number(source.regulated_output.output_v), 'V')} port"
    if CHEMISTRIES[source.chemistry].endless:
        return f"{reach(flat_volts(source), full_volts(source), 'V')}, not regulated"
    parallel = f"{source.cells_in_parallel}P" if source.cells_in_parallel else ""
    return f"{source.cells_in_series}S{parallel}, {stated(number(source.capacity_ah), 'Ah')}"


def feed_line(
    case: Case, at: Point | None, soc: float, findings: Sequence[Finding] = (), open_places: Sequence[str] = ()
) -> Line:
    """Lay out the line of a case at an operating point (None while something is missing)."""
    count = len(case.path)
    halves = [HALF_GLYPH.get(stage.kind, HALF_PLAIN) for stage in case.path]
    needed = 2 * sum(halves) + LEAST_GAP * (count + 1)
    width = max(WIDTH, SOURCE_LEFT + SOURCE_WIDTH + needed + DEVICE_GAP + DEVICE_WIDTH + MARGIN)
    device_left = width - MARGIN - DEVICE_WIDTH
    first, last = SOURCE_LEFT + SOURCE_WIDTH, device_left - DEVICE_GAP
    space = (last - first - 2 * sum(halves)) / (count + 1)
    broken_at = _broken_at(count, at, findings)
    figures = {s.stage: s for s in at.stations} if at is not None and at.complete else {}
    stations = []
    for box in _boxes(case, halves, (first, space, device_left)):
        stage, seen = box.stage, figures.get(box.stage)
        stations.append(
            Station(
                index=stage + 2,
                **msgspec.structs.asdict(box),
                level=_level_at(stage, findings),
                open=_is_open(stage, count, case, open_places),
                volts=numbers.volts(seen.volts_in) if seen else "",
                lost=numbers.volts(seen.volts_in - seen.volts_out) if seen else "",
                heat=figure(seen.heat_w, "W", 2) if seen else "",
                inside=_inside(case, stage),
            )
        )
    gaps = _gaps(stations, figures, at, broken_at)
    return Line(
        width=width,
        stations=tuple(stations),
        gaps=gaps,
        cells=_cells(case, soc),
        device_left=device_left,
        inlet=inlet_shape(case.device.inlet, device_left - DEVICE_GAP / 2),
        broken=_refused_at(findings),
        words="; ".join(f"{s.index} {s.title} {s.detail} {s.volts}".strip() for s in stations),
    )


def _boxes(case: Case, halves: list[float], across: tuple[float, float, float]) -> Iterator[Box]:
    """Name and place of every station; `across` is where the conductors begin, each one's length, the device's left."""
    first, space, device_left = across
    name = (case.source.name if case.source else "Pack").split(", ")[0]
    title = shorten(name, 2 * SOURCE_LEFT + SOURCE_WIDTH, NAME_SIZE)
    yield Box(-1, "source", title, source_detail(case), SOURCE_LEFT + SOURCE_WIDTH / 2, SOURCE_LEFT, first)
    x = first
    for i, (stage, half) in enumerate(zip(case.path, halves, strict=True)):
        x += space + half
        yield Box(i, stage.kind, stage.title, stage.detail, x, x - half, x + half)
        x += half
    supply = case.device.supply
    low, high = maybe_number(supply.min_v), maybe_number(supply.max_v)
    wants = f"wants {'?' if low is None else stated(low)}–{'?' if high is None else stated(high)} V"
    title = shorten(case.device.name, DEVICE_WIDTH + MARGIN, NAME_SIZE)
    right = device_left + DEVICE_WIDTH
    yield Box(len(case.path), "device", title, wants, device_left + DEVICE_WIDTH / 2, device_left, right)


def _inside(case: Case, stage: int) -> tuple[str, ...]:
    if not 0 <= stage < len(case.path):
        return ()
    return case.path[stage].boxed


def _level_at(stage: int, findings: Sequence[Finding]) -> str:
    levels = [f.level for f in findings if f.stage == stage and f.level != "note"]
    return max(levels, key=LEVELS.index) if levels else ""


def _is_open(stage: int, count: int, case: Case, places: Sequence[str]) -> bool:
    if stage == -1:
        return case.source is None
    return stage == count and any(place.startswith("device") for place in places)


def _broken_at(count: int, at: Point | None, findings: Sequence[Finding]) -> int | None:
    """Station number (0 the source) before which the conductor is broken, or None."""
    if at is not None and at.breaches:
        return max(at.breaches[0].stage + 1, 1)
    return _refused_at(findings)


def _refused_at(findings: Sequence[Finding]) -> int | None:
    refused = [f.stage for f in findings if f.level in ("refuse", "stop")]
    return max(min(refused) + 1, 1) if refused else None


def _gaps(stations: list[Station], figures: dict[int, Any], at: Point | None, broken_at: int | None) -> tuple[Gap, ...]:
    gaps = []
    for i, (a, b) in enumerate(itertools.pairwise(stations)):
        seen = figures.get(a.stage)
        current = seen.amps_out if seen else 0.0
        gaps.append(
            Gap(
                index=i,
                left=a.right,
                right=b.left,
                middle=(a.right + b.left) / 2 - (DEVICE_GAP / 2 if b.kind == "device" and len(stations) > 2 else 0.0),
                volts=numbers.volts(seen.volts_out) if seen else "",
                amps=figure(current, "A") if seen else "",
                thickness=thickness(current),
                pale=broken_at is not None and i >= broken_at,
                broken=broken_at is not None and i == broken_at - 1,
                dashed=a.open or b.open or at is None,
                room=b.left - a.right > 34.0,
            )
        )
    return tuple(gaps)


def thickness(amps: float) -> float:
    """Width of a conductor in drawing units: 2.5 at rest, 5 at 1 A, 12 at most."""
    return round(min(12.0, 2.5 + 2.5 * sqrt(max(amps, 0.0))), 2)


def _cells(case: Case, soc: float) -> tuple[tuple[float, float], ...]:
    """The pack's gauge: (top, filled width) of a bar per cell, up to `CELLS_SHOWN`; the top one empties first."""
    if case.source is None:
        return ()
    bars = min(case.source.cells_in_series, CELLS_SHOWN) if case.source.cells_in_series > 1 else 3
    shares = [max(0.0, min(1.0, soc * bars - (bars - 1 - i))) for i in range(bars)]
    return tuple((CELL_TOP + CELL_STEP * i, round(CELL_WIDTH * share, 1)) for i, share in enumerate(shares))


def inlet_shape(inlet: Connector | None, x: float) -> dict[str, Any]:
    """What to draw before the device: a barrel seen from its end, or the kind of connector in words."""
    if inlet is None:
        return {"shape": "unknown", "x": x, "words": "inlet?"}
    if inlet.kind == "barrel":
        sign = {"centre-positive": "+", "centre-negative": "−"}.get(inlet.polarity, "?")
        outer, inner = maybe_number(inlet.outer_mm), maybe_number(inlet.inner_mm)
        size = f"{stated(outer)}×{stated(inner)}" if outer and inner else "barrel"
        return {"shape": "barrel", "x": x, "sign": sign, "words": size, "sure": inlet.measured}
    sure = inlet.measured and inlet.polarity != "unknown"
    return {"shape": "plain", "x": x, "words": KIND_WORDS[inlet.kind], "sure": sure}


def scrub_payload(situation: Situation, demands: list[tuple[str, Demand]]) -> dict[str, Any]:
    """Operating points for the browser to move through: per mode, over charge 1 down to 0.

    ``volts``, ``amps`` and ``heat`` are lists over charge of lists over stations (source first,
    device last); ``volts`` has both sides, entering and leaving. ``stops`` names the cause and the
    station that fails, by charge.
    """
    socs = [1.0 - i / (SAMPLES - 1) for i in range(SAMPLES)]
    modes: dict[str, Any] = {}
    for name, demand in demands:
        rows = [situation.at_demand(demand, situation.circuit.emf(soc)) for soc in socs]
        modes[name] = {
            "stations": [_row(point) if point.complete else None for point in rows],
            "stops": [[b.cause, b.stage + 1] if (b := next(iter(point.breaches), None)) else None for point in rows],
        }
    return {"socs": socs, "modes": modes}


def _row(point: Point) -> list[list[float]]:
    return [
        [float(f"{v:.5g}") for v in (s.volts_in, s.volts_out, s.amps_in, s.amps_out, s.heat_w)] for s in point.stations
    ]
