"""Where the probes go: the line in small, open where it is to be open, with the meter on it."""

from __future__ import annotations

import msgspec

from hermotrope_core.plan.case import Case
from hermotrope_core.prove import Ask

WIDTH, HEIGHT = 620.0, 172.0
TOP, BOTTOM = 44.0, 96.0
PACK, DEVICE = 62.0, 66.0
"""Widths of the boxes at both ends."""
METER_Y = 146.0
CUT = 16.0
ACROSS = ("converter", "linear", "cut-off", "keep-alive", "voltmeter")


class Part(msgspec.Struct, frozen=True):
    x: float
    number: int
    kind: str
    title: str
    across: bool
    """Drawn over both conductors."""
    pale: bool
    """Not connected in this arrangement."""


class Probe(msgspec.Struct, frozen=True):
    """From the meter to a point: the path of its wire, the tip, its colour's name."""

    d: str
    x: float
    y: float
    name: str


class ProbeDrawing(msgspec.Struct, frozen=True):
    """Everything in a frame of `WIDTH` by `HEIGHT`."""

    parts: tuple[Part, ...]
    wires: tuple[tuple[str, str, bool], ...]
    """Stretches of plus and of minus, and whether they are pale."""
    probes: tuple[Probe, ...]
    meter_x: float
    meter: str
    pack: str
    device: str
    """on, off (drawn pale), or load (a dummy load in its place)."""
    device_x: float
    words: str


LETTERS = {
    "volts": "V",
    "ripple": "V~",
    "ohms": "Ω",
    "diode": "▷|",
    "amps": "A",
    "temperature": "°C",
    "trip": "V",
    "clock": "",
    "mains": "V~",
    "seen": "V",
}


def probe_drawing(case: Case, ask: Ask) -> ProbeDrawing | None:
    """Lay the drawing out; None for what no probe is put to."""
    if ask.meter in ("clock", "mains"):
        return None
    count = len(case.path)
    left, right = 10.0 + PACK, WIDTH - 10.0 - DEVICE
    gap_x = [left + (right - left) * (i + 0.5) / (count + 1) for i in range(count + 1)]
    part_x = [(gap_x[i] + gap_x[i + 1]) / 2 for i in range(count)]
    dead_from = _dead_from(ask, count)
    wires = _conductors(gap_x, left, right, ask, dead_from)
    parts = tuple(
        Part(
            x=round(part_x[i], 1),
            number=i + 1,
            kind=stage.kind,
            title=stage.title,
            across=stage.kind in ACROSS,
            pale=i >= dead_from,
        )
        for i, stage in enumerate(case.path)
    )
    probes, meter_x = _probes(ask, gap_x, part_x, right)
    cuts = set(ask.setup.cuts)
    device = "load" if ask.setup.load_a is not None else "off" if count in cuts or dead_from <= count else "on"
    pack = "off" if 0 in cuts and (ask.meter in ("ohms", "diode", "trip") or ask.setup.mode is not None) else "on"
    where = " and ".join(
        f"{probe.name} on {spot.words}" for probe, spot in zip(probes, (ask.red, ask.black), strict=False) if spot
    )
    words = f"{ask.what}: {where}"
    return ProbeDrawing(parts, wires, probes, meter_x, LETTERS[ask.meter], pack, device, right, words)


def _dead_from(ask: Ask, count: int) -> int:
    """Index of the first part that is cut off from what is fed; beyond the path where none is."""
    inside = [cut for cut in ask.setup.cuts if cut < count]
    fed_from_the_pack = ask.meter in ("volts", "ripple")
    return max(inside) if inside and fed_from_the_pack else count + 1


def _open_at(ask: Ask, count: int) -> set[int]:
    """Gaps that are drawn open: where a dummy load stands in the device's place, the plug is closed again."""
    return {cut for cut in ask.setup.cuts if not (cut == count and ask.setup.load_a is not None)}


def _conductors(
    gap_x: list[float], left: float, right: float, ask: Ask, dead_from: int
) -> tuple[tuple[str, str, bool], ...]:
    """Paths of plus and minus, broken at the cuts."""
    breaks = sorted(_open_at(ask, len(gap_x) - 1))
    spans: list[tuple[float, float, bool]] = []
    start, pale = left, False
    for cut in breaks:
        spans.append((start, gap_x[cut] - CUT / 2, pale))
        start, pale = gap_x[cut] + CUT / 2, pale or cut >= dead_from
    spans.append((start, right, pale))
    return tuple((f"M{a:.1f} {TOP:g}H{b:.1f}", f"M{a:.1f} {BOTTOM:g}H{b:.1f}", pale) for a, b, pale in spans)


def _probes(ask: Ask, gap_x: list[float], part_x: list[float], right: float) -> tuple[tuple[Probe, ...], float]:
    red, black = ask.red, ask.black
    if red is None:
        return (), 0.0
    if red.conductor == "part":
        x = part_x[red.gap] if red.gap < len(part_x) else right
        return (Probe(f"M{x:.1f} {METER_Y - 14:g}V{BOTTOM + 6:g}", round(x, 1), BOTTOM + 2, "thermometer"),), round(
            x, 1
        )
    red_x = _beside(gap_x, red.gap, ask)
    if black is None:
        return (Probe(f"M{red_x:.1f} {METER_Y - 14:g}V{TOP:g}", red_x, TOP, "in line"),), red_x
    black_x = _beside(gap_x, black.gap, ask)
    same = abs(red_x - black_x) < 1.0
    meter_x = min(max((red_x + black_x) / 2 + (34.0 if same else 0.0), 60.0), WIDTH - 60.0)
    black_y = BOTTOM if black.conductor == "-" else TOP
    low = METER_Y - 14
    if same:  # black to the near conductor, red past it to the far one
        red_d = _curve((meter_x + 12, low), (meter_x + 12, TOP + 30), (red_x + 30, TOP + 22), (red_x, TOP))
        black_d = _curve((meter_x - 14, low), (meter_x - 14, low - 14), (black_x, low - 4), (black_x, black_y))
    else:
        red_d = _curve((meter_x - 12, low), (meter_x - 12, low - 22), (red_x, low - 10), (red_x, TOP))
        black_d = _curve((meter_x + 12, low), (meter_x + 12, low - 22), (black_x, low - 10), (black_x, black_y))
    made = Probe(red_d, red_x, TOP, "red"), Probe(black_d, black_x, black_y, "black")
    return made, round(meter_x, 1)


Spot = tuple[float, float]


def _curve(start: Spot, leaves: Spot, arrives: Spot, end: Spot) -> str:
    """A cubic curve as a path."""
    (a, b), (c, d), (e, f), (g, h) = start, leaves, arrives, end
    return f"M{a:.1f} {b:g}C{c:.1f} {d:g} {e:.1f} {f:g} {g:.1f} {h:g}"


def _beside(gap_x: list[float], gap: int, ask: Ask) -> float:
    """A point of a gap: before its cut where the near side is read, behind it where the far side is."""
    x = gap_x[min(gap, len(gap_x) - 1)]
    if gap not in _open_at(ask, len(gap_x) - 1):
        return round(x, 1)
    behind = gap == 0 and ask.meter in ("ohms", "diode", "trip")
    return round(x + CUT if behind else x - CUT, 1)
